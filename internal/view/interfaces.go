package view

import (
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
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
	Note      string   `json:"note,omitempty"`
	MAC       string   `json:"mac,omitempty"`
	MTU       int      `json:"mtu,omitempty"`       // bytes
	Bandwidth int      `json:"bandwidth,omitempty"` // bits a second
	Duplex    string   `json:"duplex,omitempty"`    // full or half
	Table     string   `json:"table,omitempty"`     // the routing table it is in, where it is not the main one
	Group     string   `json:"group,omitempty"`     // the group it is a member of
	Members   []string `json:"members,omitempty"`   // of a group
	Borrows   string   `json:"borrows,omitempty"`   // the interface whose addresses it sends from
	Shared    []string `json:"shared,omitempty"`    // gateway addresses it shares, with "master" behind those it answers for
	Line      string   `json:"line,omitempty"`      // serial, or serial, clocked here
	Parent    string   `json:"parent,omitempty"`    // of a subinterface
	Place     string   `json:"place"`               // where the plan names it: file:line:column
}

// InterfaceInFull is all of one interface in JSON: the keys of Interface, and these.
type InterfaceInFull struct {
	Interface
	InFull []ExportedAddress `json:"addresses_in_full"`
	Hears  []string          `json:"hears,omitempty"` // routed interfaces on the same wire: DEVICE:INTERFACE
}

// Filter says which interfaces to list.
type Filter struct {
	Families prefix.Only
	Down     bool   // only those that are not up, unused ports not counted
	Segment  string // only those on this segment or in its VLAN, "" for all
	Match    string // only those with this text in any cell, "" for all
}

// takes tells whether the filter lets an interface through.
func (f Filter) takes(s *network.State, id model.InterfaceID, x Interface) bool {
	i := &s.Spec.Interfaces[id]
	if f.Down && (x.Oper == "up" || s.Status(id).Cause == network.NotCabled && len(i.Addresses) == 0) {
		return false
	}
	if f.Segment != "" && x.Segment != f.Segment {
		segment, ok := s.Spec.SegmentNamed(f.Segment)
		if !ok || !slices.Contains(i.Tagged, s.Spec.Segments[segment].VLAN) {
			return false
		}
	}
	if f.Families != prefix.Both {
		if !slices.ContainsFunc(i.Addresses, func(a model.Address) bool { return f.Families.Has(prefix.FamilyOf(a.Addr())) }) {
			return false
		}
	}
	text := strings.ToLower(f.Match)
	return text == "" || strings.Contains(strings.ToLower(s.Spec.Label(id)+" "+listed(i)), text) || valueHas(x, text)
}

// Interfaces is the interfaces of the given devices for any format, as far as
// the filter takes them. In the table, runs of ports that are alike share a row.
func Interfaces(state *network.State, devices []model.DeviceID, f Filter) ([]Interface, Table) {
	spec := state.Spec
	table := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "interface", Title: "interface"}, {Key: "addresses", Title: "addresses"},
		{Key: "segment", Title: "segment, VLAN"}, {Key: "state", Title: "state"},
		{Key: "kind", Title: "kind", Wide: true}, {Key: "far_end", Title: "cabled to", Wide: true}, {Key: "place", Title: "written at",
			Wide: true},
	}, Empty: "no interfaces"}
	data := []Interface{}
	for _, d := range devices {
		for _, id := range spec.InterfacesOf(d) {
			x := newInterface(state, id)
			if !f.takes(state, id, x) {
				continue
			}
			data = append(data, x)
			state := x.Oper
			if x.Why != "" {
				state += ": " + x.Why
			}
			table.Rows = append(table.Rows, []string{
				x.Device, x.Interface, listed(&spec.Interfaces[id]), carried(spec, &spec.Interfaces[id]), state, x.Kind, x.FarEnd, lineOf(x.Place),
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
	if i.Parent != model.None {
		x.Parent = spec.Interfaces[i.Parent].Name
	}
	x.Note, x.MAC, x.MTU, x.Bandwidth, x.Duplex, x.Table = i.Note, i.MAC, i.MTU, int(i.Bandwidth), i.Duplex, i.Table
	if i.Group != model.None {
		x.Group = spec.Interfaces[i.Group].Name
	}
	for _, m := range i.Members {
		x.Members = append(x.Members, spec.Interfaces[m].Name)
	}
	if i.Borrow != model.None {
		x.Borrows = spec.Interfaces[i.Borrow].Name
	}
	if i.Serial {
		x.Line = "serial"
		if i.Clocks {
			x.Line = "serial, clocked here"
		}
	}
	for _, a := range i.Addresses {
		if a.Virtual {
			text := a.Addr().String()
			if s.IsUp(id) && s.Holds(id, a) {
				text += " master"
			}
			if p := s.Priority(id); p != int(i.Priority) { // what it follows is down, or not heard
				text += fmt.Sprintf(", priority %d now", p)
			}
			x.Shared = append(x.Shared, text)
		}
	}
	return x
}

// OneInterface is all that is known of one interface.
func OneInterface(state *network.State, id model.InterfaceID) InterfaceInFull {
	x := InterfaceInFull{Interface: newInterface(state, id), InFull: []ExportedAddress{}}
	i := &state.Spec.Interfaces[id]
	for _, a := range i.Addresses {
		x.InFull = append(x.InFull, exportedAddress(i, a))
	}
	for _, n := range state.Neighbours(id) {
		x.Hears = append(x.Hears, state.Spec.Label(n))
	}
	return x
}

// InterfaceText writes all that is known of one interface.
func InterfaceText(w io.Writer, x InterfaceInFull, carries string, width int) {
	style, state := good, x.Oper
	if x.Oper != "up" {
		style = bad
	}
	if x.Why != "" {
		state += ": " + x.Why
	}
	labelled(w, width, "", bold.Render(Clean(x.Device+":"+x.Interface.Interface))+" "+style.Render(Clean(state)), "  ")
	line := func(label, text string) {
		if text != "" {
			labelled(w, width, fmt.Sprintf("  %-10s ", label), Clean(text), "             ")
		}
	}
	number := func(n int, unit string) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n) + unit
	}
	line("note", x.Note)
	line("kind", x.Kind)
	line("parent", x.Parent)
	if x.Kind == model.Subinterface.String() {
		line("tag", number(x.Tag, ""))
	}
	for n, a := range x.InFull {
		label := ""
		if n == 0 {
			label = "address"
		}
		text := fmt.Sprintf("%s/%d", a.Address, a.PrefixLength)
		if a.Mask != "" {
			text += " mask " + a.Mask
		}
		if what := a.what(); what != "" {
			text += ", " + what
		}
		line(label, text)
	}
	line("shares", strings.Join(x.Shared, ", "))
	line("borrows", x.Borrows)
	line("segment", carries)
	line("table", x.Table)
	if x.Cable != "" {
		line("cabled to", x.FarEnd+" ("+x.Cable+")")
	}
	line("group", x.Group)
	line("members", strings.Join(x.Members, ", "))
	line("line", x.Line)
	line("MAC", x.MAC)
	line("MTU", number(x.MTU, " bytes"))
	line("bandwidth", number(x.Bandwidth, " bit/s"))
	line("duplex", x.Duplex)
	line("hears", strings.Join(x.Hears, ", "))
	line("written", x.Place)
}

// listed is an interface's addresses in one cell, those it shares marked.
func listed(i *model.Interface) string {
	var all []string
	for _, a := range i.Addresses {
		text := a.Prefix.String()
		if a.Virtual {
			text += " shared"
		}
		if a.Varies() {
			text += " " + a.Rule
		}
		all = append(all, text)
	}
	return strings.Join(all, " ")
}

// Carried says which segment an interface is on, or which VLANs it carries.
func Carried(spec *model.Spec, id model.InterfaceID) string {
	return carried(spec, &spec.Interfaces[id])
}

// carried says which segment an interface is on, or which VLANs a port carries,
// or what it is a part of.
func carried(spec *model.Spec, i *model.Interface) string {
	text := carriedOf(spec, i)
	switch {
	case i.Group != model.None:
		return "in " + spec.Interfaces[i.Group].Name
	case i.Borrow != model.None:
		return strings.TrimSpace(text + " as " + spec.Interfaces[i.Borrow].Name)
	case i.Table != "":
		return strings.TrimSpace(text + " in table " + i.Table)
	}
	return text
}

func carriedOf(spec *model.Spec, i *model.Interface) string {
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
		text := "tagged " + runs(i.Tagged)
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

// runs lists numbers, three or more in a row as a range.
func runs(all []model.VLAN) string {
	var parts []string
	for i := 0; i < len(all); {
		j := i
		for j+1 < len(all) && all[j+1] == all[j]+1 {
			j++
		}
		if j-i >= 2 {
			parts = append(parts, fmt.Sprintf("%d..%d", all[i], all[j]))
		} else {
			for k := i; k <= j; k++ {
				parts = append(parts, fmt.Sprint(all[k]))
			}
		}
		i = j + 1
	}
	return strings.Join(parts, ", ")
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
