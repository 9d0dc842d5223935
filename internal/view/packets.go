package view

import (
	"fmt"
	"io"
	"slices"
	"strconv"

	"ropeswing/core/frames"
)

// Packet is one packet of a capture in JSON.
type Packet struct {
	Number    int    `json:"number"`              // from 1, in the order of the capture
	Micros    string `json:"microseconds"`        // since its first packet, to the nanosecond
	Interface string `json:"interface"`           // where it was captured
	Way       string `json:"direction,omitempty"` // in or out, where the capture says it
	VLAN      int    `json:"vlan,omitempty"`      // its tag
	FromMAC   string `json:"from_mac,omitempty"`
	ToMAC     string `json:"to_mac,omitempty"`
	Source    string `json:"source,omitempty"`
	Target    string `json:"destination,omitempty"`
	TTL       int    `json:"ttl,omitempty"`     // or hop limit
	What      string `json:"what"`              // in words
	Length    int    `json:"length"`            // bytes
	Problem   string `json:"problem,omitempty"` // what of it could not be understood

	// Key is alike in the same packet on other interfaces.
	Key      string `json:"-"`
	Checksum string `json:"-"`
}

// Packets is a capture, packet by packet.
type Packets struct {
	File       string   `json:"file"`
	Interfaces []string `json:"interfaces"` // in the order in which packets come by them
	Packets    []Packet `json:"packets"`
}

// Micros is a moment in microseconds, to the nanosecond.
func Micros(nanos int64) string { return strconv.FormatFloat(float64(nanos)/1000, 'f', 3, 64) }

// Of keeps the packets of some interfaces.
func (v *Packets) Of(names ...string) {
	v.Interfaces = names
	v.Packets = slices.DeleteFunc(slices.Clone(v.Packets), func(p Packet) bool { return !slices.Contains(names, p.Interface) })
}

// Table is the packets.
func (v *Packets) Table() Table {
	t := Table{Columns: []Column{
		{Key: "number", Title: "no.", Right: true}, {Key: "microseconds", Title: "µs", Right: true}, {Key: "interface",
			Title: "interface"}, {Key: "direction", Title: "direction"},
		{Key: "vlan", Title: "VLAN", Right: true}, {Key: "from_mac", Title: "from MAC", Wide: true}, {Key: "to_mac", Title: "to MAC",
			Wide: true}, {Key: "source", Title: "from"}, {Key: "destination", Title: "to"},
		{Key: "ttl", Title: "TTL", Right: true}, {Key: "length", Title: "bytes", Right: true, Wide: true}, {Key: "what", Title: "what",
			Below: true}, {Key: "problem", Title: "problem", Below: true, Lead: "not understood: "},
	}, Empty: "the capture holds no packet"}
	for _, p := range v.Packets {
		t.Rows = append(t.Rows, []string{
			fmt.Sprint(p.Number), p.Micros, p.Interface, p.Way, counted(p.VLAN), p.FromMAC, p.ToMAC, p.Source, p.Target, counted(p.TTL),
			fmt.Sprint(p.Length), p.What, p.Problem,
		})
	}
	return t
}

// Text writes what the capture holds, packet by packet.
func (v *Packets) Text(w io.Writer, width int, wide bool) {
	fmt.Fprintln(w, bold.Render(fmt.Sprintf("%s on %s", Count(len(v.Packets), "packet"), Count(len(v.Interfaces), "interface")))+
		faint.Render(" · "+Clean(v.File)))
	v.Table().Text(w, width, "", wide)
}

// Beside is the packets of two interfaces, each on one beside itself on the other.
func (v *Packets) Beside(a, b string) Table {
	t := Table{Columns: []Column{{Key: "packet", Title: "packet", Heading: true}, {Key: "field", Title: ""}, {Key: "first", Title: a},
		{Key: "second", Title: b}, {Key: "changed", Title: "changed"}}, Empty: "no packet was captured on either"}
	add := func(x, y *Packet) {
		name := x
		if name == nil {
			name = y
		}
		head := fmt.Sprintf("%d: %s", name.Number, name.What)
		if x == nil || y == nil {
			on := []string{name.Micros + " µs, " + name.Way, "not captured"}
			if x == nil {
				slices.Reverse(on)
			}
			t.Rows = append(t.Rows, []string{head, "at", on[0], on[1], ""})
			return
		}
		for _, f := range fields {
			one, two := f.of(x), f.of(y)
			changed := ""
			if one != two && f.name != "at, µs" && f.name != "direction" {
				changed = "changed"
			}
			if f.name == "what" && one == two {
				continue // the heading says it
			}
			if one != "" || two != "" {
				t.Rows = append(t.Rows, []string{head, f.name, one, two, changed})
			}
		}
	}
	all := make([]frames.Captured, len(v.Packets))
	for i, p := range v.Packets {
		all[i] = frames.Captured{Interface: p.Interface, Key: p.Key}
	}
	for _, pair := range frames.Beside(all, a, b) {
		var beside [2]*Packet
		for n, i := range pair {
			if i >= 0 {
				beside[n] = &v.Packets[i]
			}
		}
		add(beside[0], beside[1])
	}
	return t
}

// fields are what is compared of a packet on two interfaces.
var fields = []struct {
	name string
	of   func(*Packet) string
}{
	field("at, µs", func(p *Packet) string { return p.Micros }),
	field("direction", func(p *Packet) string { return p.Way }),
	field("VLAN", func(p *Packet) string { return counted(p.VLAN) }),
	field("from MAC", func(p *Packet) string { return p.FromMAC }),
	field("to MAC", func(p *Packet) string { return p.ToMAC }),
	field("from", func(p *Packet) string { return p.Source }),
	field("to", func(p *Packet) string { return p.Target }),
	field("TTL", func(p *Packet) string { return counted(p.TTL) }),
	field("IP checksum", func(p *Packet) string { return p.Checksum }),
	field("what", func(p *Packet) string { return p.What }),
	field("bytes", func(p *Packet) string { return fmt.Sprint(p.Length) }),
}

func field(name string, of func(*Packet) string) struct {
	name string
	of   func(*Packet) string
} {
	return struct {
		name string
		of   func(*Packet) string
	}{name, of}
}

// BesideText writes the packets of two interfaces side by side.
func (v *Packets) BesideText(w io.Writer, a, b string, width int) {
	fmt.Fprintln(w, bold.Render(Clean(a)+" beside "+Clean(b))+faint.Render(" · "+Clean(v.File)))
	v.Beside(a, b).Text(w, width, "", false)
}
