package view

import (
	"fmt"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// Device is a device in JSON.
type Device struct {
	Device         string   `json:"device"`          // its name
	Is             string   `json:"is"`              // router, switch, firewall, host or world
	Forwards       bool     `json:"forwards"`        // whether it passes on what is not for itself
	Addresses      []string `json:"addresses"`       // all of them, without their lengths
	InterfacesUp   int      `json:"interfaces_up"`   // how many work
	InterfacesDown int      `json:"interfaces_down"` // how many do not, unused ports not counted
	Routes         int      `json:"static_routes"`   // how many are written, gateways among them; derived ones are not counted
	Place          string   `json:"place"`           // where the plan names it: file:line:column
}

// Devices is the given devices for any format. Unused ports, down for want of a
// cable, are not counted as down.
func Devices(state *network.State, devices []model.DeviceID) ([]Device, Table) {
	spec := state.Spec
	table := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "is", Title: "is"}, {Key: "forwards", Title: "forwards", Wide: true},
		{Key: "addresses", Title: "addresses"}, {Key: "interfaces", Title: "interfaces"},
		{Key: "static_routes", Title: "written routes", Right: true}, {Key: "place", Title: "written at", Wide: true},
	}, Empty: "the plan has no devices"}
	data := []Device{}
	statics := map[model.DeviceID]int{}
	for _, s := range spec.Statics {
		statics[s.Device]++
	}
	for _, id := range devices {
		d := &spec.Devices[id]
		x := Device{Device: d.Name, Is: d.Kind.String(), Forwards: d.Forwards, Routes: statics[id], Place: d.Place.String(),
			Addresses: []string{}}
		unused := 0
		for _, i := range spec.InterfacesOf(id) {
			switch status := state.Status(i); {
			case status.Oper == network.Up:
				x.InterfacesUp++
			case status.Cause == network.NotCabled:
				unused++
			default:
				x.InterfacesDown++
			}
			for _, a := range spec.Interfaces[i].Addresses {
				x.Addresses = append(x.Addresses, a.Addr().String())
			}
		}
		var states []string
		for _, c := range []struct {
			n    int
			word string
		}{{x.InterfacesUp, "up"}, {x.InterfacesDown, "down"}, {unused, "unused"}} {
			if c.n > 0 {
				states = append(states, fmt.Sprintf("%d %s", c.n, c.word))
			}
		}
		data = append(data, x)
		table.Rows = append(table.Rows, []string{
			d.Name, x.Is, yesNo(d.Forwards), firstOf(spec, id), strings.Join(states, ", "), fmt.Sprint(x.Routes), lineOf(x.Place),
		})
	}
	return data, table
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// firstOf is a device's first address of each family, its loopback's before
// others.
func firstOf(spec *model.Spec, d model.DeviceID) string {
	best := map[prefix.Family]string{}
	for _, loopback := range []bool{true, false} {
		for _, i := range spec.InterfacesOf(d) {
			for _, a := range spec.Interfaces[i].Addresses {
				family := prefix.FamilyOf(a.Addr())
				if (spec.Interfaces[i].Kind == model.Loopback) == loopback && best[family] == "" && !a.Addr().IsLinkLocalUnicast() {
					best[family] = a.Addr().String()
				}
			}
		}
	}
	return strings.TrimSpace(best[prefix.IPv4] + " " + best[prefix.IPv6])
}

// yesIf is yes, or nothing.
func yesIf(b bool) string {
	if b {
		return "yes"
	}
	return ""
}
