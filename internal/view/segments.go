package view

import (
	"fmt"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// Segment is a segment in JSON.
type Segment struct {
	Segment  string   `json:"segment"` // its name
	VLAN     int      `json:"vlan,omitempty"`
	Prefixes []string `json:"prefixes"`
	Members  []string `json:"members"` // interfaces with an address on it: DEVICE:INTERFACE
	Place    string   `json:"place"`   // where the plan names it: file:line:column
}

// Segments is the segments that any of the given devices is on, for any format;
// where every device is given, all segments.
func Segments(t *routing.Tables, devices []model.DeviceID) ([]Segment, Table) {
	spec := t.State.Spec
	table := Table{Columns: []Column{
		{Key: "segment", Title: "segment"}, {Key: "vlan", Title: "VLAN", Right: true}, {Key: "prefixes", Title: "subnets"},
		{Key: "members", Title: "who has an address on it"}, {Key: "place", Title: "written at", Wide: true},
	}, Empty: "the plan has no segments"}
	data := []Segment{}
	on := map[model.SegmentID][]model.InterfaceID{}
	for id := range spec.Interfaces {
		if i := &spec.Interfaces[id]; len(i.Addresses) > 0 {
			on[i.Segment] = append(on[i.Segment], model.InterfaceID(id))
		}
	}
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
		table.Rows = append(table.Rows, []string{s.Name, vlan, strings.Join(x.Prefixes, " "), strings.Join(devices, ", "), lineOf(x.Place)})
	}
	return data, table
}
