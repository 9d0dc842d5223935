package wire

import (
	"bytes"
	"encoding/xml"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/routing"
	"ropeswing/internal/yang"
)

// Models is a device as RFC 7951 JSON or as NETCONF-style XML of the models of
// interfaces (RFC 8343), IP (RFC 8344) and routing (RFC 8349): as planned, and in the
// state that is predicted.
func Models(net *forward.Network, d model.DeviceID, asXML bool) ([]byte, error) {
	all := DeviceData(predicted(net, d), net.Spec.Devices[d].Forwards, true)
	for _, x := range all {
		standardOnly(x)
	}
	if !asXML {
		return yang.JSON(all)
	}
	var b bytes.Buffer
	b.WriteString(xml.Header + "<data xmlns=\"" + string(yang.NETCONF) + "\">\n")
	for _, x := range all {
		x.XMLLines(&b, "", 1)
	}
	b.WriteString("</data>\n")
	return b.Bytes(), nil
}

// standardOnly takes out what no standard model has.
func standardOnly(n *yang.Node) {
	n.Children = slices.DeleteFunc(n.Children, func(c *yang.Node) bool { return yang.Module(c.Space) == yang.Device })
	for _, c := range n.Children {
		standardOnly(c)
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
