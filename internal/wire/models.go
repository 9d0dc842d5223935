package wire

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// datum is data of the standard models to be written: a container or list entry with
// children, a leaf with text, or an empty leaf.
type datum struct {
	module, name string
	text         string
	number       bool // the text is a JSON number, or true or false
	empty        bool
	list         bool // one of several of its name
	children     []*datum
}

// namespaces of the modules that are written.
var namespaces = map[string]string{
	"ietf-interfaces":           "urn:ietf:params:xml:ns:yang:ietf-interfaces",
	"ietf-ip":                   "urn:ietf:params:xml:ns:yang:ietf-ip",
	"ietf-routing":              "urn:ietf:params:xml:ns:yang:ietf-routing",
	"ietf-ipv4-unicast-routing": "urn:ietf:params:xml:ns:yang:ietf-ipv4-unicast-routing",
	"ietf-ipv6-unicast-routing": "urn:ietf:params:xml:ns:yang:ietf-ipv6-unicast-routing",
	"iana-if-type":              "urn:ietf:params:xml:ns:yang:iana-if-type",
}

func container(module, name string, children ...*datum) *datum {
	return &datum{module: module, name: name, children: children}
}

func entry(module, name string, children ...*datum) *datum {
	return &datum{module: module, name: name, list: true, children: children}
}

func leaf(module, name, text string) *datum { return &datum{module: module, name: name, text: text} }

func number(module, name string, n any) *datum {
	return &datum{module: module, name: name, text: fmt.Sprint(n), number: true}
}

// Models is a device as RFC 7951 JSON or as NETCONF-style XML of the models of
// interfaces (RFC 8343), IP (RFC 8344) and routing (RFC 8349): as planned, and in the
// state that is predicted.
func Models(net *forward.Network, d model.DeviceID, asXML bool) ([]byte, error) {
	all := []*datum{interfacesOf(net, d), routingOf(net, d)}
	var b bytes.Buffer
	if asXML {
		b.WriteString(xml.Header + "<data xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\">\n")
		for _, x := range all {
			x.xml(&b, "", 1)
		}
		b.WriteString("</data>\n")
		return b.Bytes(), nil
	}
	top := map[string]any{}
	for _, x := range all {
		x.into(top, "")
	}
	text, err := json.MarshalIndent(top, "", " ")
	return append(text, '\n'), err
}

// into puts a datum into its parent's object (RFC 7951 §4, §5).
func (x *datum) into(parent map[string]any, module string) {
	key := x.name
	if x.module != module {
		key = x.module + ":" + x.name
	}
	var value any
	switch {
	case x.empty:
		value = []any{nil}
	case x.number:
		value = json.RawMessage(x.text)
	case x.children == nil && x.text != "":
		value = x.text
	default:
		o := map[string]any{}
		for _, c := range x.children {
			c.into(o, x.module)
		}
		value = o
	}
	if x.list {
		list, _ := parent[key].([]any)
		parent[key] = append(list, value)
		return
	}
	parent[key] = value
}

// xml writes a datum as an element.
func (x *datum) xml(b *bytes.Buffer, module string, depth int) {
	indent := strings.Repeat(" ", depth)
	b.WriteString(indent + "<" + x.name)
	if x.module != module {
		fmt.Fprintf(b, " xmlns=%q", namespaces[x.module])
	}
	if i := strings.IndexByte(x.text, ':'); i > 0 && namespaces[x.text[:i]] != "" {
		fmt.Fprintf(b, " xmlns:%s=%q", x.text[:i], namespaces[x.text[:i]])
	}
	switch {
	case x.empty || x.children == nil && x.text == "":
		b.WriteString("/>\n")
	case x.children == nil:
		b.WriteString(">")
		_ = xml.EscapeText(b, []byte(x.text))
		b.WriteString("</" + x.name + ">\n")
	default:
		b.WriteString(">\n")
		for _, c := range x.children {
			c.xml(b, x.module, depth+1)
		}
		b.WriteString(indent + "</" + x.name + ">\n")
	}
}

// interfaceType is an interface's type (RFC 7224).
func interfaceType(i *model.Interface) string {
	switch {
	case i.Kind == model.Loopback:
		return "iana-if-type:softwareLoopback"
	case i.Kind == model.VLANInterface:
		return "iana-if-type:l3ipvlan"
	case i.Kind == model.Subinterface:
		return "iana-if-type:l2vlan"
	case i.Kind == model.Group:
		return "iana-if-type:ieee8023adLag"
	case i.Serial:
		return "iana-if-type:propPointToPointSerial"
	}
	return "iana-if-type:ethernetCsmacd"
}

func interfacesOf(net *forward.Network, d model.DeviceID) *datum {
	const m = "ietf-interfaces"
	spec := net.Spec
	top := container(m, "interfaces")
	for n, id := range spec.InterfacesOf(d) {
		i := &spec.Interfaces[id]
		x := entry(m, "interface", leaf(m, "name", i.Name))
		add := func(all ...*datum) { x.children = append(x.children, all...) }
		if i.Note != "" {
			add(leaf(m, "description", i.Note))
		}
		admin := "up"
		if i.AdminDown {
			admin = "down"
		}
		oper := "down"
		if net.State.IsUp(id) {
			oper = "up"
		}
		add(leaf(m, "type", interfaceType(i)), number(m, "enabled", !i.AdminDown), leaf(m, "admin-status", admin), leaf(m, "oper-status", oper), number(m, "if-index", n+1))
		if i.Kind != model.Loopback && !i.Serial {
			mac := frames.MACOf(spec, id)
			add(leaf(m, "phys-address", macText(mac[:])))
		}
		if i.Bandwidth > 0 {
			add(leaf(m, "speed", fmt.Sprint(i.Bandwidth)))
		}
		add(container(m, "statistics", leaf(m, "discontinuity-time", "2000-01-01T00:00:00Z")))
		for _, family := range prefix.Families {
			if x := ipOf(net, d, i, family); x != nil {
				add(x)
			}
		}
		top.children = append(top.children, x)
	}
	return top
}

// ipOf is an interface's configuration of a family (RFC 8344); nil where it has none.
func ipOf(net *forward.Network, d model.DeviceID, i *model.Interface, family prefix.Family) *datum {
	const m = "ietf-ip"
	name := "ipv6"
	if family == prefix.IPv4 {
		name = "ipv4"
	}
	x := container(m, name, number(m, "enabled", true), number(m, "forwarding", net.Spec.Devices[d].Forwards))
	if i.MTU >= 68 && (family == prefix.IPv4 || i.MTU >= 1280) {
		x.children = append(x.children, number(m, "mtu", i.MTU))
	}
	count := 0
	for _, a := range i.Addresses {
		if prefix.FamilyOf(a.Addr()) == family && !a.Virtual {
			count++
			x.children = append(x.children, entry(m, "address", leaf(m, "ip", a.Addr().String()), number(m, "prefix-length", a.Bits())))
		}
	}
	if count == 0 {
		return nil
	}
	return x
}

func routingOf(net *forward.Network, d model.DeviceID) *datum {
	const m = "ietf-routing"
	ribs := container(m, "ribs")
	for _, v := range net.Of(d) {
		for _, family := range prefix.Families {
			word, module := "ipv6", "ietf-ipv6-unicast-routing"
			if family == prefix.IPv4 {
				word, module = "ipv4", "ietf-ipv4-unicast-routing"
			}
			name := word + "-main"
			if v.Name() != "" {
				name = word + "-" + v.Name()
			}
			routes := container(m, "routes")
			for _, e := range v.Entries() {
				if prefix.FamilyOf(e.Prefix.Addr()) == family && e.Source != routing.Local {
					routes.children = append(routes.children, routeOf(net, v, e, module))
				}
			}
			if len(routes.children) > 0 {
				ribs.children = append(ribs.children, entry(m, "rib", leaf(m, "name", name), leaf(m, "address-family", module+":"+word+"-unicast"), number(m, "default-rib", v.Name() == ""), routes))
			}
		}
	}
	return container(m, "routing", ribs)
}

// routeOf is a route of a table (RFC 8349 §5).
func routeOf(net *forward.Network, v routing.View, e routing.Entry, module string) *datum {
	const m = "ietf-routing"
	spec := net.Spec
	x := entry(m, "route", number(m, "route-preference", e.Distance))
	source := "ietf-routing:static"
	hop := container(m, "next-hop")
	switch s := e.Static(); {
	case s == model.None:
		source = "ietf-routing:direct"
		hop.children = append(hop.children, leaf(m, "outgoing-interface", spec.Interfaces[e.Out()].Name))
	case spec.Statics[s].Discard:
		hop.children = append(hop.children, leaf(m, "special-next-hop", "blackhole"))
	default:
		if out := spec.Statics[s].Out; out != model.None {
			hop.children = append(hop.children, leaf(m, "outgoing-interface", spec.Interfaces[out].Name))
		}
		if via := spec.Statics[s].Via; via.IsValid() {
			hop.children = append(hop.children, leaf(module, "next-hop-address", via.String()))
		}
	}
	x.children = append(x.children, hop, leaf(m, "source-protocol", source))
	if e.InUse {
		x.children = append(x.children, &datum{module: m, name: "active", empty: true})
	}
	x.children = append(x.children, leaf(module, "destination-prefix", e.Prefix.String()))
	return x
}
