package wire

import (
	"bytes"
	"cmp"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// node is data of a YANG model, whichever way it was written: RFC 7951 JSON or XML.
type node struct {
	name     string // without its module
	text     string
	written  []byte // of it, while it is read
	children []*node
	line     int
}

func (n *node) child(name string) *node {
	if n != nil {
		for _, c := range n.children {
			if c.name == name {
				return c
			}
		}
	}
	return nil
}

// leaf is the text of a child, "" where there is none.
func (n *node) leaf(name string) string {
	if c := n.child(name); c != nil {
		return c.text
	}
	return ""
}

func (n *node) each(name string, visit func(*node)) {
	if n != nil {
		for _, c := range n.children {
			if c.name == name {
				visit(c)
			}
		}
	}
}

// deepestData is how many levels data of the models read here can have; none has
// half of it.
const deepestData = 64

// bare is a name or identity without its module or namespace prefix.
func bare(name string) string {
	if i := strings.LastIndexByte(name, ':'); i >= 0 {
		return name[i+1:]
	}
	return name
}

// readYANGJSON reads RFC 7951 JSON of the standard models.
func (r *Reading) readYANGJSON(text []byte, device string) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var value any
	if err := d.Decode(&value); err != nil {
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return errors.New("it is no whole JSON: it breaks off")
		}
		return jsonError(text, err)
	}
	root := &node{}
	if err := fromJSON(root, "data", value, 0); err != nil {
		return err
	}
	return r.readModels(root.children, device)
}

// fromJSON adds a value to a node, an array as several children of one name.
func fromJSON(into *node, name string, value any, depth int) error {
	if depth > deepestData {
		return errors.New("it is nested too deep")
	}
	switch v := value.(type) {
	case map[string]any:
		n := &node{name: bare(name)}
		for _, key := range slices.Sorted(maps.Keys(v)) { // a map has no order of its own
			if strings.HasPrefix(key, "@") {
				continue // metadata (RFC 7952)
			}
			if err := fromJSON(n, key, v[key], depth+1); err != nil {
				return err
			}
		}
		into.children = append(into.children, n)
	case []any:
		if len(v) == 1 && v[0] == nil {
			into.children = append(into.children, &node{name: bare(name), text: "true"}) // an empty leaf (RFC 7951 §6.9)
			return nil
		}
		for _, x := range v {
			if err := fromJSON(into, name, x, depth+1); err != nil {
				return err
			}
		}
	case nil:
	default:
		into.children = append(into.children, &node{name: bare(name), text: fmt.Sprint(v)})
	}
	return nil
}

// readXML reads NETCONF-style XML of the standard models: what stands under data,
// config or rpc-reply, or the models' own containers.
func (r *Reading) readXML(text []byte, device string) error {
	d := xml.NewDecoder(bytes.NewReader(text))
	root := &node{}
	stack := []*node{root}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := d.InputPos()
		if err != nil {
			return fmt.Errorf("line %d: it is no whole XML: %w", line, err)
		}
		top := stack[len(stack)-1]
		switch x := t.(type) {
		case xml.StartElement:
			if len(stack) > deepestData {
				return fmt.Errorf("line %d: it is nested too deep", line)
			}
			n := &node{name: x.Name.Local, line: line}
			top.children = append(top.children, n)
			stack = append(stack, n)
		case xml.EndElement:
			top.text, top.written = strings.TrimSpace(string(top.written)), nil
			if len(top.children) == 0 && top.text == "" {
				top.text = "true" // an empty leaf
			}
			stack = stack[:len(stack)-1]
		case xml.CharData:
			if len(top.children) == 0 {
				top.written = append(top.written, x...)
			}
		}
	}
	if len(stack) > 1 || len(root.children) == 0 {
		return errors.New("it is no whole XML")
	}
	return r.readModels(root.children, device)
}

// modelOrder is in which order the models are read.
var modelOrder = map[string]int{"interfaces": 1, "interfaces-state": 2, "routing": 3, "routing-state": 4}

// readModels reads what stands at the top of the data.
func (r *Reading) readModels(top []*node, device string) error {
	found := false
	var visit func(all []*node, depth int) error
	visit = func(all []*node, depth int) error {
		for _, n := range all {
			switch n.name {
			case "interfaces", "interfaces-state":
				d, err := r.of(device)
				if err != nil {
					return err
				}
				found = true
				n.each("interface", func(i *node) { r.yangInterface(d, i, n.name == "interfaces-state") })
			case "routing", "routing-state":
				d, err := r.of(device)
				if err != nil {
					return err
				}
				found = true
				r.yangRouting(d, n)
			case "data", "config", "rpc-reply", "reply", "get-data":
				if depth < 4 {
					slices.SortStableFunc(n.children, func(a, b *node) int { return cmp.Compare(modelOrder[a.name], modelOrder[b.name]) })
					if err := visit(n.children, depth+1); err != nil {
						return err
					}
					continue
				}
				fallthrough
			default:
				r.unread(n.line, n.name, "no model that is read here: %s", n.name)
			}
		}
		return nil
	}
	// What is set is read before what is, whatever stands first.
	slices.SortStableFunc(top, func(a, b *node) int { return cmp.Compare(modelOrder[a.name], modelOrder[b.name]) })
	if err := visit(top, 0); err != nil {
		return err
	}
	if !found {
		return errors.New("it holds neither interfaces (RFC 8343) nor routing (RFC 8349)")
	}
	return nil
}

// yangInterface reads an interface of RFC 8343 with its addresses of RFC 8344. Old is
// the state as RFC 7223 had it, apart from the configuration.
func (r *Reading) yangInterface(d *observed.Device, n *node, old bool) {
	name := n.leaf("name")
	if name == "" {
		d.Doubt(observed.Interfaces, observed.Addresses4, observed.Addresses6)
		r.unread(n.line, n.name, "an interface has no name")
		return
	}
	d.Learn(observed.Interfaces)
	i := d.Interface(name)
	i.Type, i.Description = bare(n.leaf("type")), n.leaf("description")
	if mac := n.leaf("phys-address"); mac != "" {
		i.MAC = macOr(mac)
	}
	if s := n.leaf("speed"); s != "" {
		i.Speed, _ = strconv.ParseInt(s, 10, 64)
	}
	if a := n.leaf("admin-status"); a != "" {
		i.Admin = yangStatus(a)
	} else if !old && i.Admin == "" {
		i.Admin = observed.Up // enabled is true unless it says otherwise (RFC 8343 §5)
		if n.leaf("enabled") == "false" {
			i.Admin = observed.Down
		}
	}
	if o := n.leaf("oper-status"); o != "" {
		i.Oper = yangStatus(o)
	}
	if s := n.child("switching"); s != nil {
		untagged, _ := strconv.Atoi(s.leaf("untagged"))
		i.Untagged, i.Tagged = &untagged, nil
		s.each("tagged", func(t *node) {
			if v, err := strconv.Atoi(t.text); err == nil {
				i.Tagged = append(i.Tagged, v)
			}
		})
		slices.Sort(i.Tagged)
		d.Learn(observed.VLANs)
	}
	if group := n.leaf("member-of"); group != "" {
		i.Group = &group
	}
	for _, family := range []string{"ipv4", "ipv6"} {
		x := n.child(family)
		part := familyPart(prefix.FamilyIf(family == "ipv4"), observed.Addresses4, observed.Addresses6)
		d.Learn(part)
		if x == nil {
			continue
		}
		if m, err := strconv.Atoi(x.leaf("mtu")); err == nil && m > 0 && (i.MTU == 0 || m < i.MTU) {
			i.MTU = m // of the two families' the smaller one tells
		}
		x.each("address", func(a *node) {
			if !r.yangAddress(i, a) {
				d.Doubt(part)
			}
		})
		x.each("neighbor", func(a *node) {
			if addr, err := netip.ParseAddr(a.leaf("ip")); err == nil {
				d.Learn(observed.Neighbours)
				d.Neighbours = append(d.Neighbours, observed.Neighbour{Address: addr, MAC: macOr(a.leaf("link-layer-address")), Interface: name})
			}
		})
	}
}

func yangStatus(text string) observed.Status {
	switch text {
	case "up":
		return observed.Up
	case "down", "lower-layer-down", "not-present", "dormant", "testing":
		return observed.Down
	}
	return ""
}

func (r *Reading) yangAddress(i *observed.Interface, a *node) bool {
	addr, err := netip.ParseAddr(a.leaf("ip"))
	if err != nil {
		r.unread(a.line, a.leaf("ip"), "no address: %s", err)
		return false
	}
	p, err := addressOf(addr.WithZone("").String(), a.leaf("prefix-length"), a.leaf("netmask"))
	if err != nil {
		r.unread(a.line, a.leaf("ip"), "%s", err)
		return false
	}
	i.Add(observed.Address{Prefix: p, Origin: bare(a.leaf("origin"))})
	return true
}

// yangRouting reads the tables of RFC 8349, and static routes that are configured
// where it holds no tables.
func (r *Reading) yangRouting(d *observed.Device, n *node) {
	ribs := 0
	n.child("ribs").each("rib", func(rib *node) {
		family := prefix.FamilyIf(!strings.HasPrefix(bare(rib.leaf("address-family")), "ipv6"))
		routes := rib.child("routes")
		if routes == nil {
			return
		}
		ribs++
		d.Learn(familyPart(family, observed.Routes4, observed.Routes6))
		table := ""
		if rib.leaf("default-rib") == "false" {
			table = rib.leaf("name") // one for each family, where tables mostly are for both
			for _, family := range []string{"ipv4-", "ipv6-"} {
				table = strings.TrimPrefix(table, family)
			}
		}
		first := len(d.Routes)
		routes.each("route", func(x *node) { r.yangRoute(d, x, table, bare(x.leaf("source-protocol"))) })
		// RFC 8349 §7: what is in use has an empty leaf that says so; the rest stands by.
		if these := d.Routes[first:]; slices.ContainsFunc(these, func(x observed.Route) bool { return x.Active != nil }) {
			d.Learn(observed.Standby)
			for i := range these {
				if these[i].Active == nil {
					no := false
					these[i].Active = &no
				}
			}
		}
	})
	n.child("control-plane-protocols").each("control-plane-protocol", func(p *node) {
		if bare(p.leaf("type")) == "static" {
			d.Instances = append(d.Instances, yangInstance(p))
		}
		if ribs > 0 {
			return
		}
		for _, family := range []string{"ipv4", "ipv6"} {
			all := p.child("static-routes").child(family)
			if all == nil {
				continue
			}
			d.Learn(familyPart(prefix.FamilyIf(family == "ipv4"), observed.Routes4, observed.Routes6))
			first := len(d.Routes)
			all.each("route", func(x *node) { r.yangRoute(d, x, p.leaf("table"), "static") })
			for n := range d.Routes[first:] {
				x := &d.Routes[first+n]
				if v, err := strconv.Atoi(p.leaf("route-preference")); err == nil {
					x.Distance = &v
				}
				if v, err := strconv.Atoi(p.leaf("metric")); err == nil {
					x.Metric = &v
				}
			}
		}
	})
}

// yangInstance is an instance of the static routing protocol as it stands there.
func yangInstance(p *node) observed.Instance {
	i := observed.Instance{Name: p.leaf("name"), Table: p.leaf("table"), Distance: 1}
	if v, err := strconv.Atoi(p.leaf("route-preference")); err == nil {
		i.Distance = v
	}
	if v, err := strconv.Atoi(p.leaf("metric")); err == nil {
		i.Metric = v
	}
	for _, family := range []string{"ipv4", "ipv6"} {
		p.child("static-routes").child(family).each("route", func(x *node) {
			if to, err := netip.ParsePrefix(x.leaf("destination-prefix")); err == nil {
				i.To = append(i.To, to.Masked())
			}
		})
	}
	return i
}

func (r *Reading) yangRoute(d *observed.Device, n *node, table, source string) {
	to, err := netip.ParsePrefix(n.leaf("destination-prefix"))
	if err != nil {
		d.Doubt(observed.Routes4, observed.Routes6, observed.Standby)
		r.unread(n.line, n.leaf("destination-prefix"), "no destination: %s", err)
		return
	}
	x := observed.Route{Table: table, To: to.Masked(), Source: yangSource(source)}
	if s := n.leaf("route-preference"); s != "" {
		if v, err := strconv.Atoi(s); err == nil {
			x.Distance = &v
		}
	}
	if s := n.leaf("metric"); s != "" {
		if v, err := strconv.Atoi(s); err == nil {
			x.Metric = &v
		}
	}
	if n.child("active") != nil {
		active := true
		x.Active = &active
	}
	add := func(h *node) {
		y := x
		y.Interface = h.leaf("outgoing-interface")
		for _, key := range []string{"next-hop-address", "address"} {
			if a, err := netip.ParseAddr(h.leaf(key)); err == nil && !a.IsUnspecified() {
				y.NextHop = a.WithZone("")
			}
		}
		switch bare(h.leaf("special-next-hop")) {
		case "blackhole", "unreachable", "prohibit":
			y.Discard = true
		case "receive":
			return // its own address
		}
		d.Routes = append(d.Routes, y)
	}
	hop := n.child("next-hop")
	if list := hop.child("next-hop-list"); list != nil {
		list.each("next-hop", add)
		return
	}
	if hop == nil {
		d.Doubt(familyPart(prefix.FamilyOf(to.Addr()), observed.Routes4, observed.Routes6), observed.Standby)
		r.unread(n.line, to.String(), "the route has no next hop")
		return
	}
	add(hop)
}

// yangSource is where a route is from (RFC 8349 §4, its identities).
func yangSource(protocol string) string {
	switch protocol {
	case "direct", "static":
		return protocol
	case "":
		return ""
	}
	return "learned"
}
