package wire

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/routing"
)

// datum is data of the standard models to be written: a container or list entry with
// children, a leaf with text, or an empty leaf.
type datum struct {
	module, name string
	text         string
	number       bool // the text is a JSON number, or true or false
	empty        bool
	list         bool   // one of several of its name
	present      bool   // a container that says something by being there
	operation    string // of an edit, "" where it says none
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
	deviceModule:                "urn:ropeswing:device",
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
	all := deviceModels(predicted(net, d), net.Spec.Devices[d].Forwards, true)
	for _, x := range all {
		x.standardOnly()
	}
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

// standardOnly takes out what no standard model has.
func (x *datum) standardOnly() {
	x.children = slices.DeleteFunc(x.children, func(c *datum) bool { return c.module == deviceModule })
	for _, c := range x.children {
		c.standardOnly()
	}
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
	if x.operation != "" {
		fmt.Fprintf(b, " xmlns:nc=%q nc:operation=%q", netconfBase, x.operation)
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

// predicted is a device as planned, and in the state that is predicted.
func predicted(net *forward.Network, d model.DeviceID) *observed.Device {
	spec := net.Spec
	o := compare.DeviceAsObserved(net, d)
	for n, id := range spec.InterfacesOf(d) {
		i, x := &spec.Interfaces[id], &o.Interfaces[n]
		x.Description = i.Note
	}
	for _, v := range net.Of(d) {
		for _, e := range v.Entries() {
			if e.Static() == model.None && e.Source != routing.Local {
				zero, active := int(e.Distance), e.InUse
				o.Routes = append(o.Routes, observed.Route{Table: v.Name(), To: e.Prefix, Interface: spec.Interfaces[e.Out()].Name,
					Source: "direct", Distance: &zero, Active: &active})
			}
		}
	}
	return o
}
