package view

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// VLAN is a segment's VLAN on one switch in JSON.
type VLAN struct {
	Segment   string   `json:"segment,omitempty"` // absent where no segment, or several, have the number
	VLAN      int      `json:"vlan"`
	Switch    string   `json:"switch"`
	Untagged  []string `json:"untagged"`            // ports
	Tagged    []string `json:"tagged"`              // ports
	Interface string   `json:"interface,omitempty"` // the switch's own in the VLAN
	Missing   []string `json:"missing,omitempty"`   // ports that drop it, though the far end sends it
}

// VLANs is which switch has which VLAN on which ports.
func VLANs(state *network.State, devices []model.DeviceID) ([]VLAN, Table) {
	spec := state.Spec
	named := map[model.VLAN]string{}
	for _, s := range spec.Segments {
		if _, twice := named[s.VLAN]; twice {
			named[s.VLAN] = ""
		} else {
			named[s.VLAN] = s.Name
		}
	}
	data := []VLAN{}
	for _, d := range devices {
		data = append(data, vlansOf(state, d, named)...)
	}
	slices.SortStableFunc(data, func(a, b VLAN) int { return a.VLAN - b.VLAN })
	table := Table{Columns: []Column{
		{Key: "vlan", Title: "VLAN", Heading: true}, {Key: "switch", Title: "switch"}, {Key: "untagged", Title: "untagged"}, {Key: "tagged",
			Title: "tagged"},
		{Key: "interface", Title: "its own"}, {Key: "missing", Title: "missing on"},
	}, Empty: "no switch has a VLAN"}
	for _, x := range data {
		table.Rows = append(table.Rows, []string{strings.TrimSpace(fmt.Sprintf("%d %s", x.VLAN, x.Segment)), x.Switch, foldNames(x.Untagged),
			foldNames(x.Tagged), x.Interface, foldNames(x.Missing)})
	}
	return data, table
}

// vlansOf is the VLANs of one switch, in order.
func vlansOf(state *network.State, d model.DeviceID, named map[model.VLAN]string) []VLAN {
	spec := state.Spec
	byNumber := map[model.VLAN]*VLAN{}
	of := func(v model.VLAN) *VLAN {
		if byNumber[v] == nil {
			byNumber[v] = &VLAN{Segment: named[v], VLAN: int(v), Switch: spec.Devices[d].Name, Untagged: []string{}, Tagged: []string{}}
		}
		return byNumber[v]
	}
	for _, id := range spec.InterfacesOf(d) {
		i := &spec.Interfaces[id]
		switch {
		case i.Kind == model.VLANInterface:
			of(i.Tag).Interface = i.Name
		case i.Switched:
			if i.Untagged != 0 {
				of(i.Untagged).Untagged = append(of(i.Untagged).Untagged, i.Name)
			}
			for _, v := range i.Tagged {
				of(v).Tagged = append(of(v).Tagged, i.Name)
			}
			for _, v := range state.Missing(id) {
				of(v).Missing = append(of(v).Missing, i.Name)
			}
		}
	}
	var all []VLAN
	for _, x := range byNumber {
		all = append(all, *x)
	}
	slices.SortFunc(all, func(a, b VLAN) int { return a.VLAN - b.VLAN })
	return all
}

// foldNames lists names, runs such as p1, p2, p3 as p1..p3.
func foldNames(names []string) string {
	var parts []string
	for i := 0; i < len(names); {
		j := i
		for j+1 < len(names) && follows(names[j], names[j+1]) {
			j++
		}
		if j-i >= 2 {
			parts = append(parts, names[i]+".."+names[j])
		} else {
			parts = append(parts, names[i:j+1]...)
		}
		i = j + 1
	}
	return strings.Join(parts, ", ")
}

// Cable is a cable in JSON.
type Cable struct {
	Cable string   `json:"cable"`
	Ends  []string `json:"ends"`            // two: DEVICE:INTERFACE
	State string   `json:"state"`           // up, blocked, or down with the reason
	Fault string   `json:"fault,omitempty"` // hidden: the near port stays up when the far end fails
	Place string   `json:"place"`
}

// Cables is the cables of the devices.
func Cables(state *network.State, devices []model.DeviceID) ([]Cable, Table) {
	spec := state.Spec
	data := []Cable{}
	table := Table{Columns: []Column{{Key: "cable", Title: "cable"}, {Key: "one_end", Title: "one end"},
		{Key: "other_end", Title: "other end"}, {Key: "state", Title: "state"}, {Key: "fault", Title: "fault"}, {Key: "place",
			Title: "written at", Wide: true}}, Empty: "no cables"}
	blocked := map[model.CableID]bool{}
	for _, l := range state.Loops() {
		blocked[l.Cable] = l.Blocked
	}
	for id, c := range spec.Cables {
		a, b := c.Ends[0], c.Ends[1]
		if !slices.Contains(devices, spec.Interfaces[a].Device) && !slices.Contains(devices, spec.Interfaces[b].Device) {
			continue
		}
		x := Cable{Cable: c.Name, Ends: []string{spec.Label(a), spec.Label(b)}, State: "up", Place: c.Place.String()}
		for _, end := range c.Ends {
			if !state.IsUp(end) {
				x.State = "down: " + state.Why(end)
			}
		}
		if x.State == "up" && blocked[model.CableID(id)] {
			x.State = "blocked by the spanning tree"
		}
		if c.Hidden {
			x.Fault = "hidden"
		}
		data = append(data, x)
		name := x.Cable
		if name == x.Ends[0]+" to "+x.Ends[1] {
			name = ""
		}
		table.Rows = append(table.Rows, []string{name, x.Ends[0], x.Ends[1], x.State, x.Fault, lineOf(x.Place)})
	}
	return data, table
}

// Neighbour is who is on the wire of an interface, in JSON.
type Neighbour struct {
	Device    string   `json:"device"`
	Interface string   `json:"interface"`
	Neighbour string   `json:"neighbour"` // DEVICE:INTERFACE
	Addresses []string `json:"addresses"` // the neighbour's
	Segment   string   `json:"segment,omitempty"`
}

// Neighbours is who hears whom.
func Neighbours(state *network.State, devices []model.DeviceID) ([]Neighbour, Table) {
	spec := state.Spec
	data := []Neighbour{}
	table := Table{Columns: []Column{{Key: "device", Title: "device"}, {Key: "interface", Title: "interface"},
		{Key: "neighbour", Title: "neighbour"}, {Key: "addresses", Title: "addresses"}, {Key: "segment",
			Title: "segment"}}, Empty: "no neighbours"}
	for _, d := range devices {
		for _, id := range spec.InterfacesOf(d) {
			for _, n := range state.Neighbours(id) {
				x := Neighbour{Device: spec.Devices[d].Name, Interface: spec.Interfaces[id].Name, Neighbour: spec.Label(n), Addresses: []string{}}
				for _, a := range spec.Interfaces[n].Addresses {
					x.Addresses = append(x.Addresses, a.Addr().String())
				}
				if s := spec.Interfaces[id].Segment; s != model.None {
					x.Segment = spec.Segments[s].Name
				}
				data = append(data, x)
				table.Rows = append(table.Rows, []string{x.Device, x.Interface, x.Neighbour, strings.Join(x.Addresses, " "), x.Segment})
			}
		}
	}
	return data, table.headed()
}
