package standin

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"sync"
)

// element is XML data with its namespaces.
type element struct {
	space, name string
	text        string
	operation   string // of edit-config, "" where it says none
	kind        string // of a filter: its type, "" where it says none
	children    []*element
	prefixes    map[string]string // that are in force, for identities
}

// deepest and largest bound what is taken in.
const (
	deepest = 64
	largest = 8 << 20
)

const netconfSpace = "urn:ietf:params:xml:ns:netconf:base:1.0"

// parseXML reads one element and what is in it.
func parseXML(text []byte) (*element, error) {
	d := xml.NewDecoder(bytes.NewReader(text))
	d.Strict = true
	var stack []*element
	var root *element
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		switch x := t.(type) {
		case xml.Directive:
			return nil, errors.New("a document type has no place here (RFC 6241 §3)")
		case xml.StartElement:
			if len(stack) > deepest {
				return nil, errors.New("it is nested too deep")
			}
			e := &element{space: x.Name.Space, name: x.Name.Local}
			if len(stack) > 0 {
				e.prefixes = stack[len(stack)-1].prefixes
			}
			for _, a := range x.Attr {
				switch {
				case a.Name.Space == netconfSpace && a.Name.Local == "operation":
					e.operation = a.Value
				case e.name == "filter" && a.Name.Local == "type" && (a.Name.Space == "" || a.Name.Space == netconfSpace):
					e.kind = a.Value
				case a.Name.Space == "xmlns":
					more := map[string]string{a.Name.Local: a.Value}
					for k, v := range e.prefixes {
						if _, ok := more[k]; !ok {
							more[k] = v
						}
					}
					e.prefixes = more
				}
			}
			if len(stack) > 0 {
				top := stack[len(stack)-1]
				top.children = append(top.children, e)
			} else if root != nil {
				return nil, errors.New("there is more than one element")
			} else {
				root = e
			}
			stack = append(stack, e)
		case xml.EndElement:
			e := stack[len(stack)-1]
			e.text = strings.TrimSpace(e.text)
			stack = stack[:len(stack)-1]
		case xml.CharData:
			if len(stack) > 0 {
				e := stack[len(stack)-1]
				e.text += string(x)
			}
		}
	}
	if root == nil || len(stack) > 0 {
		return nil, errors.New("it is no whole XML")
	}
	return root, nil
}

// child finds an element below, whatever its namespace.
func (e *element) child(name string) *element {
	if e != nil {
		for _, c := range e.children {
			if c.name == name {
				return c
			}
		}
	}
	return nil
}

func (e *element) leaf(name string) string {
	if c := e.child(name); c != nil {
		return c.text
	}
	return ""
}

// write writes an element within one of another namespace.
func (e *element) write(b *bytes.Buffer, space string) {
	b.WriteString("<" + e.name)
	if e.space != space {
		b.WriteString(` xmlns="`)
		_ = xml.EscapeText(b, []byte(e.space))
		b.WriteString(`"`)
	}
	if prefix, _, ok := strings.Cut(e.text, ":"); ok && e.prefixes[prefix] != "" && len(e.children) == 0 {
		b.WriteString(" xmlns:" + prefix + `="`)
		_ = xml.EscapeText(b, []byte(e.prefixes[prefix]))
		b.WriteString(`"`)
	}
	if len(e.children) == 0 && e.text == "" {
		b.WriteString("/>")
		return
	}
	b.WriteString(">")
	if len(e.children) == 0 {
		_ = xml.EscapeText(b, []byte(e.text))
	}
	for _, c := range e.children {
		c.write(b, e.space)
	}
	b.WriteString("</" + e.name + ">")
}

// copied is an element with all that is in it, without what edit-config says of it.
func (e *element) copied() *element {
	c := *e
	c.operation = ""
	c.children = make([]*element, 0, len(e.children))
	for _, x := range e.children {
		c.children = append(c.children, x.copied())
	}
	return &c
}

// schema is what may be in an element, and what tells the entries of a list apart.
type schema struct {
	space    string
	keys     []string // of a list
	leafList bool
	leaf     bool
	in       map[string]*schema
}

// The namespaces of what is set.
const (
	interfacesSpace = "urn:ietf:params:xml:ns:yang:ietf-interfaces"
	ipSpace         = "urn:ietf:params:xml:ns:yang:ietf-ip"
	routingSpace    = "urn:ietf:params:xml:ns:yang:ietf-routing"
	four            = "urn:ietf:params:xml:ns:yang:ietf-ipv4-unicast-routing"
	six             = "urn:ietf:params:xml:ns:yang:ietf-ipv6-unicast-routing"
	deviceSpace     = "urn:ropeswing:device"
)

func leaves(space string, names ...string) map[string]*schema {
	all := map[string]*schema{}
	for _, n := range names {
		all[n] = &schema{space: space, leaf: true}
	}
	return all
}

func with(all map[string]*schema, name string, s *schema) map[string]*schema {
	all[name] = s
	return all
}

// config is all that can be set, and said that and all that is only told.
var (
	config = tree(false)
	said   = sync.OnceValue(func() *schema { return tree(true) })
)

// tree is what can be set, and with state what is only told, too: of a list without keys, as routes of a table are, only all together.
func tree(state bool) *schema {
	told := func(into map[string]*schema, space string, names ...string) {
		if state {
			maps.Copy(into, leaves(space, names...))
		}
	}
	ip := func() map[string]*schema {
		all := leaves(ipSpace, "enabled", "forwarding", "mtu", "dup-addr-detect-transmits")
		address, neighbor := leaves(ipSpace, "ip", "prefix-length", "netmask"), leaves(ipSpace, "ip", "link-layer-address")
		told(address, ipSpace, "origin", "status")
		told(neighbor, ipSpace, "origin", "state", "is-router")
		with(all, "address", &schema{space: ipSpace, keys: []string{"ip"}, in: address})
		return with(all, "neighbor", &schema{space: ipSpace, keys: []string{"ip"}, in: neighbor})
	}
	iface := leaves(interfacesSpace, "name", "description", "type", "enabled", "link-up-down-trap-enable")
	told(iface, interfacesSpace, "admin-status", "oper-status", "last-change", "if-index", "phys-address", "speed")
	with(iface, "ipv4", &schema{space: ipSpace, in: ip()})
	with(iface, "ipv6", &schema{space: ipSpace, in: ip()})
	with(iface, "member-of", &schema{space: deviceSpace, leaf: true})
	with(iface, "switching", &schema{space: deviceSpace,
		in: with(leaves(deviceSpace, "untagged"), "tagged", &schema{space: deviceSpace, leafList: true})})
	statics := func(space string) *schema {
		hop := leaves(space, "outgoing-interface", "next-hop-address", "special-next-hop")
		with(hop, "next-hop-list", &schema{space: space, in: map[string]*schema{
			"next-hop": {space: space, keys: []string{"index"}, in: leaves(space, "index", "outgoing-interface", "next-hop-address")}}})
		route := leaves(space, "destination-prefix", "description")
		with(route, "next-hop", &schema{space: space, in: hop})
		return &schema{space: space, in: map[string]*schema{"route": {space: space, keys: []string{"destination-prefix"}, in: route}}}
	}
	protocol := leaves(routingSpace, "type", "name", "description")
	for name, s := range leaves(deviceSpace, "route-preference", "metric", "table") {
		protocol[name] = s
	}
	with(protocol, "static-routes", &schema{space: routingSpace, in: map[string]*schema{"ipv4": statics(four), "ipv6": statics(six)}})
	protocols := &schema{space: routingSpace, in: map[string]*schema{
		"control-plane-protocol": {space: routingSpace, keys: []string{"type", "name"}, in: protocol}}}
	routing := with(leaves(routingSpace, "router-id"), "control-plane-protocols", protocols)
	if state {
		rib := with(leaves(routingSpace, "name", "address-family", "default-rib", "description"), "routes", &schema{space: routingSpace})
		with(routing, "ribs", &schema{space: routingSpace,
			in: map[string]*schema{"rib": {space: routingSpace, keys: []string{"name"}, in: rib}}})
	}
	return &schema{in: map[string]*schema{
		"interfaces": {space: interfacesSpace,
			in: map[string]*schema{"interface": {space: interfacesSpace, keys: []string{"name"}, in: iface}}},
		"routing": {space: routingSpace, in: routing},
	}}
}

// rpcError is why a request is refused (RFC 6241 appendix A).
type rpcError struct {
	tag, message, path string
	session            int // who holds a lock
}

func (e *rpcError) Error() string { return e.message }

func refused(tag, path, message string, args ...any) *rpcError {
	return &rpcError{tag: tag, path: path, message: fmt.Sprintf(message, args...)}
}

// edit changes data as edit-config says (RFC 6241 §7.2). What is refused may have changed some
// of it: edit a copy.
func edit(into, from *element, s *schema, operation, path string) error {
	for _, x := range from.children {
		sub := s.in[x.name]
		at := path + "/" + x.name
		if sub == nil || sub.space != x.space {
			return refused("unknown-element", at, "there is no %s that can be set here", x.name)
		}
		op := operation
		if x.operation != "" {
			op = x.operation
		}
		if err := sub.whole(x, at); err != nil {
			return err
		}
		i := slices.IndexFunc(into.children, func(c *element) bool { return sub.same(c, x) })
		switch op {
		case "delete", "remove":
			if i < 0 && op == "delete" {
				return refused("data-missing", at, "there is no %s to delete", sub.called(x))
			}
			if i >= 0 {
				into.children = slices.Delete(into.children, i, i+1)
			}
			continue
		case "create":
			if i >= 0 {
				return refused("data-exists", at, "there is %s already", sub.called(x))
			}
		case "replace":
			if i >= 0 {
				into.children = slices.Delete(into.children, i, i+1)
				i = -1
			}
		case "merge", "none":
		default:
			return refused("bad-attribute", at, "there is no operation %q", op)
		}
		if i < 0 {
			if op == "none" && (sub.leaf || sub.leafList || !edits(x)) {
				return refused("data-missing", at, "there is no %s", sub.called(x))
			}
			fresh := &element{space: x.space, name: x.name, prefixes: x.prefixes}
			if sub.leaf || sub.leafList {
				if err := sub.holds(x, at); err != nil {
					return err
				}
				fresh.text = x.text
				into.children = append(into.children, fresh)
				continue
			}
			into.children = append(into.children, fresh)
			if err := edit(fresh, x, sub, inner(op), at); err != nil {
				return err
			}
			continue
		}
		if sub.leaf {
			if op != "none" {
				if err := sub.holds(x, at); err != nil {
					return err
				}
				into.children[i].text, into.children[i].prefixes = x.text, x.prefixes
			}
			continue
		}
		if sub.leafList {
			continue
		}
		if err := edit(into.children[i], x, sub, op, at); err != nil {
			return err
		}
	}
	return nil
}

// inner is what is done below something that is new.
func inner(op string) string {
	if op == "replace" || op == "create" {
		return "merge"
	}
	return op
}

// edits tells whether something below says what to do.
func edits(x *element) bool {
	return slices.ContainsFunc(x.children, func(c *element) bool { return c.operation != "" || edits(c) })
}

// whole refuses an entry of a list without its keys.
func (s *schema) whole(x *element, at string) error {
	for _, k := range s.keys {
		if x.leaf(k) == "" {
			return refused("missing-element", at, "%s has no %s, by which it is known", x.name, k)
		}
	}
	if (s.leaf || s.leafList) && len(x.children) > 0 {
		return refused("bad-element", at, "%s has nothing in it but a value", x.name)
	}
	return nil
}

// same tells whether two elements are one and the same datum.
func (s *schema) same(a, b *element) bool {
	if a.name != b.name || a.space != b.space {
		return false
	}
	if s.leafList {
		return a.text == b.text
	}
	for _, k := range s.keys {
		if bareName(a.leaf(k)) != bareName(b.leaf(k)) {
			return false
		}
	}
	return true
}

// bareName is an identity without the prefix it is written with. Addresses have colons too.
func bareName(text string) string {
	if _, rest, ok := strings.Cut(text, ":"); ok && rest != "" && !strings.Contains(rest, ":") {
		if _, err := netip.ParsePrefix(text); err != nil {
			return rest
		}
	}
	return text
}

func (s *schema) called(x *element) string {
	all := x.name
	for _, k := range s.keys {
		all += " " + x.leaf(k)
	}
	return all
}

// filtered is what a subtree filter lets through (RFC 6241 §6); nil where nothing.
func filtered(data, filter *element) *element {
	if len(filter.children) == 0 {
		if filter.text != "" && filter.text != data.text {
			return nil
		}
		return data.copied()
	}
	for _, f := range filter.children { // content that has to match
		if len(f.children) == 0 && f.text != "" {
			if !slices.ContainsFunc(data.children, func(c *element) bool { return matches(c, f) && bareName(c.text) == bareName(f.text) }) {
				return nil
			}
		}
	}
	out := *data
	out.children = nil
	only := true // content only: all the others go with it
	for _, f := range filter.children {
		only = only && len(f.children) == 0 && f.text != ""
	}
	if only {
		return data.copied()
	}
	for _, c := range data.children {
		for _, f := range filter.children {
			if !matches(c, f) {
				continue
			}
			if x := filtered(c, f); x != nil {
				out.children = append(out.children, x)
				break
			}
		}
	}
	if len(out.children) == 0 {
		return nil
	}
	return &out
}

// matches tells whether a filter's element is of a datum; one without a namespace is of any.
func matches(c, f *element) bool {
	return c.name == f.name && (f.space == "" || f.space == netconfSpace || f.space == c.space)
}
