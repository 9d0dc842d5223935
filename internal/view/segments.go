package view

import (
	"fmt"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Segment is a segment in JSON.
type Segment struct {
	Segment  string   `json:"segment"` // its name
	VLAN     int      `json:"vlan,omitempty"`
	Prefixes []string `json:"prefixes"`
	Hosts    int      `json:"hosts,omitempty"`  // how many it is to have room for, without growth
	Grow     int      `json:"grow,omitempty"`   // percent
	Usable   int      `json:"usable"`           // IPv4 addresses for interfaces
	Used     int      `json:"used"`             // that interfaces have, or hosts lease
	Spare    int      `json:"spare"`            // that are left
	Leases   []string `json:"leases,omitempty"` // ranges hosts lease: "FIRST to LAST", with "by DEVICE" behind it where the plan says
	Given    string   `json:"given,omitempty"`  // fixed, remembered or proposed: how it came by its subnets
	Members  []string `json:"members"`          // interfaces with an address on it: DEVICE:INTERFACE
	Place    string   `json:"place"`            // where the plan names it: file:line:column
}

// Segments is the segments that any of the given devices is on, for any format;
// where every device is given, all segments.
func Segments(state *network.State, devices []model.DeviceID) ([]Segment, Table) {
	spec := state.Spec
	table := Table{Columns: []Column{
		{Key: "segment", Title: "segment"}, {Key: "vlan", Title: "VLAN", Right: true}, {Key: "prefixes", Title: "subnets"},
		{Key: "hosts", Title: "hosts", Right: true}, {Key: "grow", Title: "grow", Wide: true, Right: true}, {Key: "used", Title: "used",
			Right: true}, {Key: "spare", Title: "spare", Right: true},
		{Key: "members", Title: "who has an address on it", IfRoom: true}, {Key: "leases", Title: "leases", Wide: true}, {Key: "given",
			Title: "given", Wide: true}, {Key: "place", Title: "written at", Wide: true},
	}, Empty: "the plan has no segments"}
	data := []Segment{}
	on := map[model.SegmentID][]model.InterfaceID{}
	for id := range spec.Interfaces {
		if i := &spec.Interfaces[id]; len(i.Addresses) > 0 {
			on[i.Segment] = append(on[i.Segment], model.InterfaceID(id))
		}
	}
	rooms := spec.Rooms()
	shown := map[model.SegmentID]bool{}
	for _, d := range devices {
		for _, i := range spec.InterfacesOf(d) {
			shown[spec.Interfaces[i].Segment] = true
		}
	}
	for id, s := range spec.Segments {
		if !shown[model.SegmentID(id)] && len(devices) < len(spec.Devices) {
			continue
		}
		x := Segment{Segment: s.Name, VLAN: int(s.VLAN), Prefixes: []string{}, Members: []string{}, Place: s.Place.String()}
		for _, p := range s.Prefixes {
			x.Prefixes = append(x.Prefixes, p.Prefix.String())
		}
		room := rooms[id]
		x.Hosts, x.Grow, x.Usable, x.Used, x.Spare = int(s.Need.Hosts), s.Need.Grow, int(room.Usable), int(room.Held+
			room.Leased), int(room.Spare)
		for _, p := range s.Prefixes {
			x.Given = givers[max(p.Giver, givenAs[x.Given])]
		}
		for _, l := range s.Leases {
			text := fmt.Sprintf("%s to %s", l.First, l.Last)
			if l.By != model.None {
				text += " by " + spec.Devices[l.By].Name
			}
			x.Leases = append(x.Leases, text)
		}
		hosts, grow, used, spare := "", "", "", ""
		if s.Need.HostsSaid {
			hosts = fmt.Sprint(x.Hosts)
		}
		if x.Grow > 0 {
			grow = fmt.Sprintf("%d %%", x.Grow)
		}
		if x.Usable > 0 {
			used, spare = fmt.Sprint(x.Used), fmt.Sprint(x.Spare)
		}
		var devices []string
		for _, i := range on[model.SegmentID(id)] {
			x.Members = append(x.Members, spec.Label(i))
			devices = append(devices, spec.Devices[spec.Interfaces[i].Device].Name)
		}
		vlan := ""
		if s.VLAN > 0 {
			vlan = fmt.Sprint(s.VLAN)
		}
		data = append(data, x)
		table.Rows = append(table.Rows, []string{s.Name, vlan, strings.Join(x.Prefixes, " "), hosts, grow, used, spare,
			strings.Join(devices, ", "), strings.Join(x.Leases, ", "), x.Given, lineOf(x.Place)})
	}
	return data, table
}

// givers are the words for who assigned a number.
var givers = []string{model.Fixed: "fixed", model.Remembered: "remembered", model.Proposed: "proposed"}

var givenAs = map[string]model.Giver{"": model.Fixed, "fixed": model.Fixed, "remembered": model.Remembered, "proposed": model.Proposed}
