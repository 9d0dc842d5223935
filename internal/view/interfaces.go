package view

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// Interface is an interface in JSON.
type Interface struct {
	Device    string   `json:"device"`
	Interface string   `json:"interface"`
	Kind      string   `json:"kind"`      // port, subinterface, VLAN interface or loopback
	Addresses []string `json:"addresses"` // with their lengths
	Segment   string   `json:"segment,omitempty"`
	Untagged  int      `json:"untagged_vlan,omitempty"` // of a switch port
	Tagged    []int    `json:"tagged_vlans,omitempty"`  // of a switch port
	Tag       int      `json:"tag,omitempty"`           // of a subinterface or VLAN interface
	Admin     string   `json:"admin"`                   // up or down
	Oper      string   `json:"oper"`                    // up, down or unknown
	Why       string   `json:"why,omitempty"`           // why it is not up
	Cable     string   `json:"cable,omitempty"`         // the name of the cable in it
	FarEnd    string   `json:"far_end,omitempty"`       // DEVICE:INTERFACE
	Place     string   `json:"place"`                   // where the plan names it: file:line:column
}

// Interfaces is the interfaces of the given devices for any format. In the
// table, runs of ports that are alike share a row.
func Interfaces(t *routing.Tables, devices []model.DeviceID) ([]Interface, Table) {
	spec := t.State.Spec
	table := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "interface", Title: "interface"}, {Key: "addresses", Title: "addresses"},
		{Key: "segment", Title: "segment, VLAN"}, {Key: "state", Title: "state"},
		{Key: "kind", Title: "kind", Wide: true}, {Key: "far_end", Title: "cabled to", Wide: true}, {Key: "place", Title: "written at", Wide: true},
	}, Empty: "no interfaces"}
	data := []Interface{}
	for _, d := range devices {
		for _, id := range spec.InterfacesOf(d) {
			x := newInterface(t.State, id)
			data = append(data, x)
			state := x.Oper
			if x.Why != "" {
				state += ": " + x.Why
			}
			table.Rows = append(table.Rows, []string{
				x.Device, x.Interface, strings.Join(x.Addresses, " "), carried(spec, &spec.Interfaces[id]), state, x.Kind, x.FarEnd, lineOf(x.Place),
			})
		}
	}
	table.Rows = foldAlike(table.Rows)
	return data, table.headed()
}

func newInterface(s *network.State, id model.InterfaceID) Interface {
	spec := s.Spec
	i := &spec.Interfaces[id]
	x := Interface{
		Device: spec.Devices[i.Device].Name, Interface: i.Name, Kind: i.Kind.String(), Addresses: []string{},
		Untagged: int(i.Untagged), Tag: int(i.Tag), Admin: "up", Oper: s.Status(id).Oper.String(), Why: s.Why(id), Place: i.Place.String(),
	}
	if i.AdminDown {
		x.Admin = "down"
	}
	for _, a := range i.Addresses {
		x.Addresses = append(x.Addresses, a.Prefix.String())
	}
	for _, v := range i.Tagged {
		x.Tagged = append(x.Tagged, int(v))
	}
	if i.Segment != model.None {
		x.Segment = spec.Segments[i.Segment].Name
	}
	if c := s.Cable(id); c != model.None {
		x.Cable, x.FarEnd = spec.Cables[c].Name, spec.Label(s.Peer(id))
	}
	return x
}

// carried says which segment an interface is on, or which VLANs a port
// carries.
func carried(spec *model.Spec, i *model.Interface) string {
	vlan := func(v model.VLAN) string {
		for _, s := range spec.Segments {
			if s.VLAN == v {
				return fmt.Sprintf("%s %d", s.Name, v)
			}
		}
		return fmt.Sprint(v)
	}
	if i.Switched && len(i.Tagged) == 0 {
		return vlan(i.Untagged)
	}
	if i.Switched {
		var numbers []string
		for _, v := range i.Tagged {
			numbers = append(numbers, fmt.Sprint(v))
		}
		text := "tagged " + strings.Join(numbers, ", ")
		if i.Untagged != 0 {
			text += fmt.Sprintf(", untagged %d", i.Untagged)
		}
		return text
	}
	switch {
	case i.Segment != model.None && i.Tag != 0:
		return fmt.Sprintf("%s %d", spec.Segments[i.Segment].Name, i.Tag)
	case i.Segment != model.None:
		return spec.Segments[i.Segment].Name
	case i.Tag != 0:
		return fmt.Sprint(i.Tag)
	}
	return ""
}

var endsInNumber = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(.*?)(\d+)$`) })

// foldAlike joins rows of one device that differ in nothing but their name,
// p1, p2, p3 and so on, into one row p1..p3.
func foldAlike(rows [][]string) [][]string {
	const device, name, cabledTo = 0, 1, 6
	var folded [][]string
	last := ""
	for _, row := range rows {
		if n := len(folded); n > 0 && row[cabledTo] == "" && follows(last, row[name]) && alikeBut(folded[n-1], row, name) {
			first, _, _ := strings.Cut(folded[n-1][name], "..")
			folded[n-1] = slices.Clone(folded[n-1])
			folded[n-1][name] = first + ".." + row[name]
		} else {
			folded = append(folded, row)
		}
		last = row[name]
	}
	return folded
}

// follows tells whether b is the next port name behind a.
func follows(a, b string) bool {
	x, y := endsInNumber().FindStringSubmatch(a), endsInNumber().FindStringSubmatch(b)
	if x == nil || y == nil || x[1] != y[1] {
		return false
	}
	m, err1 := strconv.Atoi(x[2])
	n, err2 := strconv.Atoi(y[2])
	return err1 == nil && err2 == nil && n == m+1
}

func alikeBut(a, b []string, but int) bool {
	for i := range a {
		if i != but && a[i] != b[i] {
			return false
		}
	}
	return true
}
