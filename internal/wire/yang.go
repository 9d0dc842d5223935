package wire

import (
	"errors"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
	"ropeswing/internal/yang"
)

// readYANG reads data of the standard models, written either way: what stands under data, config or rpc-reply, or the models'
// own containers.
func (r *Reading) readYANG(root *yang.Node, device string) error {
	data, models := &yang.Node{}, yang.Data()
	var collect func(all []*yang.Node, depth int)
	collect = func(all []*yang.Node, depth int) {
		for _, n := range all {
			switch {
			case models.In(n) != nil:
				data.Add(n)
			case depth < 4 && slices.Contains(wrappers[:], n.Name):
				collect(n.Children, depth+1)
			default:
				r.unread(n.Line, n.Name, "no model that is read here: %s", n.Name)
			}
		}
	}
	collect(root.Children, 0)
	if len(data.Children) == 0 {
		return errors.New("it holds neither interfaces (RFC 8343) nor routing (RFC 8349)")
	}
	d, err := r.of(device)
	if err != nil {
		return err
	}
	for _, b := range models.Fit(data) {
		d.Doubt(partsAt(b.Path)...)
		r.unread(b.Line, b.Text, "%s", b.Why)
	}
	// What is set is read before what is, whatever stands first.
	for _, name := range []string{"interfaces", "interfaces-state"} {
		data.Child(name).Each("interface", func(i *yang.Node) { r.yangInterface(d, i, name == "interfaces-state") })
	}
	for _, name := range []string{"routing", "routing-state"} {
		data.Each(name, func(n *yang.Node) { r.yangRouting(d, n) })
	}
	return nil
}

// wrappers are what may stand around data.
var wrappers = [...]string{"data", "config", "rpc-reply", "reply", "get-data"}

// partsAt is what is not known of a device where something at a place of its data is not.
func partsAt(path []string) []observed.Part {
	switch {
	case strings.HasPrefix(path[0], "routing"):
		return []observed.Part{observed.Routes4, observed.Routes6, observed.Standby}
	case slices.Contains(path, "neighbor"):
		return []observed.Part{observed.Neighbours}
	case slices.Contains(path, "address"):
		return []observed.Part{familyPart(prefix.FamilyIf(path[2] == "ipv4"), observed.Addresses4, observed.Addresses6)}
	case slices.Contains(path, "switching"):
		return []observed.Part{observed.VLANs}
	case len(path) == 4, len(path) == 3 && !strings.HasPrefix(path[2], "ipv"):
		return []observed.Part{observed.Interfaces}
	}
	return []observed.Part{observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.VLANs}
}

// yangInterface reads an interface of RFC 8343 with its addresses of RFC 8344. Old is
// the state as RFC 7223 had it, apart from the configuration.
func (r *Reading) yangInterface(d *observed.Device, n *yang.Node, old bool) {
	name := n.Leaf("name")
	if name == "" {
		d.Doubt(observed.Interfaces, observed.Addresses4, observed.Addresses6)
		r.unread(n.Line, n.Name, "an interface has no name")
		return
	}
	d.Learn(observed.Interfaces)
	i := d.Interface(name)
	i.Type, i.Description = yang.Bare(n.Leaf("type")), n.Leaf("description")
	if mac := n.Leaf("phys-address"); mac != "" {
		i.MAC = macOr(mac)
	}
	if s := n.Leaf("speed"); s != "" {
		i.Speed, _ = strconv.ParseInt(s, 10, 64)
	}
	if a := n.Leaf("admin-status"); a != "" {
		i.Admin = yangStatus(a)
	} else if !old && i.Admin == "" {
		i.Admin = observed.Up // enabled is true unless it says otherwise (RFC 8343 §5)
		if n.Leaf("enabled") == "false" {
			i.Admin = observed.Down
		}
	}
	if o := n.Leaf("oper-status"); o != "" {
		i.Oper = yangStatus(o)
	}
	if s := n.Child("switching"); s != nil {
		untagged, _ := strconv.Atoi(s.Leaf("untagged"))
		i.Untagged, i.Tagged = &untagged, nil
		s.Each("tagged", func(t *yang.Node) {
			if v, err := strconv.Atoi(t.Text); err == nil {
				i.Tagged = append(i.Tagged, v)
			}
		})
		slices.Sort(i.Tagged)
		d.Learn(observed.VLANs)
	}
	if group := n.Leaf("member-of"); group != "" {
		i.Group = &group
	}
	for _, family := range []string{"ipv4", "ipv6"} {
		x := n.Child(family)
		part := familyPart(prefix.FamilyIf(family == "ipv4"), observed.Addresses4, observed.Addresses6)
		d.Learn(part)
		if x == nil {
			continue
		}
		if m, err := strconv.Atoi(x.Leaf("mtu")); err == nil && m > 0 && (i.MTU == 0 || m < i.MTU) {
			i.MTU = m // of the two families' the smaller one tells
		}
		x.Each("address", func(a *yang.Node) {
			if !r.yangAddress(i, a) {
				d.Doubt(part)
			}
		})
		x.Each("neighbor", func(a *yang.Node) {
			if addr, err := netip.ParseAddr(a.Leaf("ip")); err == nil {
				d.Learn(observed.Neighbours)
				d.Neighbours = append(d.Neighbours, observed.Neighbour{Address: addr, MAC: macOr(a.Leaf("link-layer-address")), Interface: name})
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

func (r *Reading) yangAddress(i *observed.Interface, a *yang.Node) bool {
	addr, err := netip.ParseAddr(a.Leaf("ip"))
	if err != nil {
		r.unread(a.Line, a.Leaf("ip"), "no address: %s", err)
		return false
	}
	p, err := addressOf(addr.WithZone("").String(), a.Leaf("prefix-length"), a.Leaf("netmask"))
	if err != nil {
		r.unread(a.Line, a.Leaf("ip"), "%s", err)
		return false
	}
	i.Add(observed.Address{Prefix: p, Origin: yang.Bare(a.Leaf("origin"))})
	return true
}

// yangRouting reads the tables of RFC 8349, and static routes that are configured
// where it holds no tables.
func (r *Reading) yangRouting(d *observed.Device, n *yang.Node) {
	ribs := 0
	n.Child("ribs").Each("rib", func(rib *yang.Node) {
		family := prefix.FamilyIf(!strings.HasPrefix(yang.Bare(rib.Leaf("address-family")), "ipv6"))
		routes := rib.Child("routes")
		if routes == nil {
			return
		}
		ribs++
		d.Learn(familyPart(family, observed.Routes4, observed.Routes6))
		table := ""
		if rib.Leaf("default-rib") == "false" {
			table = rib.Leaf("name") // one for each family, where tables mostly are for both
			for _, family := range []string{"ipv4-", "ipv6-"} {
				table = strings.TrimPrefix(table, family)
			}
		}
		first := len(d.Routes)
		routes.Each("route", func(x *yang.Node) { r.yangRoute(d, x, table, yang.Bare(x.Leaf("source-protocol"))) })
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
	n.Child("control-plane-protocols").Each("control-plane-protocol", func(p *yang.Node) {
		if yang.Bare(p.Leaf("type")) == "static" {
			d.Instances = append(d.Instances, yangInstance(p))
		}
		if ribs > 0 {
			return
		}
		for _, family := range []string{"ipv4", "ipv6"} {
			all := p.Child("static-routes").Child(family)
			if all == nil {
				continue
			}
			d.Learn(familyPart(prefix.FamilyIf(family == "ipv4"), observed.Routes4, observed.Routes6))
			first := len(d.Routes)
			all.Each("route", func(x *yang.Node) { r.yangRoute(d, x, p.Leaf("table"), "static") })
			for n := range d.Routes[first:] {
				x := &d.Routes[first+n]
				if v, err := strconv.Atoi(p.Leaf("route-preference")); err == nil {
					x.Distance = &v
				}
				if v, err := strconv.Atoi(p.Leaf("metric")); err == nil {
					x.Metric = &v
				}
			}
		}
	})
}

// yangInstance is an instance of the static routing protocol as it stands there.
func yangInstance(p *yang.Node) observed.Instance {
	i := observed.Instance{Name: p.Leaf("name"), Table: p.Leaf("table"), Distance: 1}
	if v, err := strconv.Atoi(p.Leaf("route-preference")); err == nil {
		i.Distance = v
	}
	if v, err := strconv.Atoi(p.Leaf("metric")); err == nil {
		i.Metric = v
	}
	for _, family := range []string{"ipv4", "ipv6"} {
		p.Child("static-routes").Child(family).Each("route", func(x *yang.Node) {
			if to, err := netip.ParsePrefix(x.Leaf("destination-prefix")); err == nil {
				i.To = append(i.To, to.Masked())
			}
		})
	}
	return i
}

func (r *Reading) yangRoute(d *observed.Device, n *yang.Node, table, source string) {
	to, err := netip.ParsePrefix(n.Leaf("destination-prefix"))
	if err != nil {
		d.Doubt(observed.Routes4, observed.Routes6, observed.Standby)
		r.unread(n.Line, n.Leaf("destination-prefix"), "no destination: %s", err)
		return
	}
	x := observed.Route{Table: table, To: to.Masked(), Source: yangSource(source)}
	if s := n.Leaf("route-preference"); s != "" {
		if v, err := strconv.Atoi(s); err == nil {
			x.Distance = &v
		}
	}
	if s := n.Leaf("metric"); s != "" {
		if v, err := strconv.Atoi(s); err == nil {
			x.Metric = &v
		}
	}
	if n.Child("active") != nil {
		active := true
		x.Active = &active
	}
	add := func(h *yang.Node) {
		y := x
		y.Interface = h.Leaf("outgoing-interface")
		for _, key := range []string{"next-hop-address", "address"} {
			if a, err := netip.ParseAddr(h.Leaf(key)); err == nil && !a.IsUnspecified() {
				y.NextHop = a.WithZone("")
			}
		}
		switch yang.Bare(h.Leaf("special-next-hop")) {
		case "blackhole", "unreachable", "prohibit":
			y.Discard = true
		case "receive":
			return // its own address
		}
		d.Routes = append(d.Routes, y)
	}
	hop := n.Child("next-hop")
	if list := hop.Child("next-hop-list"); list != nil {
		list.Each("next-hop", add)
		return
	}
	if hop == nil {
		d.Doubt(familyPart(prefix.FamilyOf(to.Addr()), observed.Routes4, observed.Routes6), observed.Standby)
		r.unread(n.Line, to.String(), "the route has no next hop")
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
