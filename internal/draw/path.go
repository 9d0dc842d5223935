package draw

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Path is one ping over the picture of subnets: there and back as lines of their own, each hop
// with its longest match, and where it ends why.
func Path(net *forward.Network, x *forward.Exchange, asked Asked) *Sheet {
	asked.Families = prefix.Only4
	if x.Target.Is6() {
		asked.Families = prefix.Only6
	}
	also := map[model.DeviceID]bool{x.From: true}
	graphs := append([]*forward.Graph{x.There}, x.Back...)
	for _, g := range graphs {
		for _, n := range g.Nodes {
			also[n.Device] = true
		}
	}
	for _, device := range asked.Keep {
		also[device] = true
	}
	whither := map[model.DeviceID]bool{} // whom the path is to get to, and by whom: also where it does not
	for _, id := range net.Spec.HoldersOf(x.Target) {
		whither[net.Spec.Interfaces[id].Device] = true
		for i := range net.Spec.Interfaces {
			o := &net.Spec.Interfaces[i]
			if o.Segment != model.None && o.Segment == net.Spec.Interfaces[id].Segment && net.Spec.Devices[o.Device].Forwards && o.Routed() {
				whither[o.Device] = true
			}
		}
	}
	t := newThree(net, asked, also)
	for i := range t.wires { // what is not on the path stands behind
		if t.wires[i].class == Plain {
			t.wires[i].class = Down
		}
	}
	d := &drawn{three: t, used: map[[2]int]bool{}}
	for n, g := range graphs {
		class, arrow := There, "→"
		if n > 0 {
			class, arrow = Back, "←"
		}
		d.walk(g, class, arrow)
	}
	t.wires = append(d.free(), d.further...)
	if f, fails := x.Failure(net); fails {
		b := t.device(f.Device)
		b.class = Bad
		for _, line := range broken("× "+f.Words(net), 44) {
			b.rows = append(b.rows, row{line, Bad, true})
		}
		for _, r := range asked.Remedies {
			for _, line := range broken("remedy: "+r, 44) {
				b.rows = append(b.rows, row{line, Good, false})
			}
		}
	}
	if b := t.device(x.From); b.class == Plain {
		b.class = Strong
	}
	if !asked.Whole {
		keep := map[int]bool{}
		for device := range also {
			keep[t.of[device]] = true
		}
		for device := range whither {
			if i, ok := t.of[device]; ok {
				keep[i] = true
			}
		}
		for _, w := range d.further {
			keep[w.ends[0]], keep[w.ends[1]] = true, true
		}
		d.foldBeside(keep)
	}
	return t.sheet()
}

// mostBeside is how many devices that a path does not go by are shown each by itself.
const mostBeside = 3

// foldBeside leaves out what is not on the path, where that is more than a few devices: what a box of the path leads to is told in
// it, and how many further there are above the picture.
func (d *drawn) foldBeside(keep map[int]bool) {
	joins := map[int]int{} // by what is between: how many of the path it joins
	for _, w := range d.wires {
		for e, at := range w.ends {
			if keep[at] && d.isDevice(at) && !d.isDevice(w.ends[1-e]) {
				joins[w.ends[1-e]]++
			}
		}
	}
	for between, n := range joins {
		keep[between] = keep[between] || n > 1
	}
	left := 0
	for _, i := range d.of {
		if !keep[i] {
			left++
		}
	}
	if left <= mostBeside {
		return
	}
	near := map[int][]string{} // by the box of the path: the names next to it
	told := map[string]bool{}
	tell := func(at, other int) {
		if name := d.boxes[other].name; !slices.Contains(near[at], name) {
			near[at] = append(near[at], name)
			told[name] = d.isDevice(other) || told[name]
		}
	}
	for _, w := range d.wires {
		for e, at := range w.ends {
			other := w.ends[1-e]
			switch {
			case !keep[at] || keep[other]:
			case d.isDevice(other):
				tell(at, other)
			default: // what is between: whoever is at its other ends
				for _, o := range d.wires {
					for k, end := range o.ends {
						if far := o.ends[1-k]; end == other && far != at && d.isDevice(far) && !keep[far] {
							tell(at, far)
						}
					}
				}
			}
		}
	}
	beside := 0
	for _, is := range told {
		if is {
			beside++
		}
	}
	for at, names := range near {
		slices.Sort(names)
		d.boxes[at].rows = append(d.boxes[at].rows, row{"beside: " + some(names), Quiet, false})
		d.boxes[at].holds = append(d.boxes[at].holds, names...)
	}
	d.leave(keep)
	d.asked.About += fmt.Sprintf(" · %s beside the path folded", plural(beside, "device"))
	if further := left - beside; further > 0 {
		d.asked.About += fmt.Sprintf(", and %d more further away", further)
	}
}

// drawn is a path while it is drawn.
type drawn struct {
	*three
	used    map[[2]int]bool // wires that the path takes the place of
	further []wire
}

// free are the wires that the path does not use.
func (d *drawn) free() []wire {
	var all []wire
	for _, w := range d.wires {
		if !d.used[w.ends] {
			all = append(all, w)
		}
	}
	return all
}

// walk draws one way.
func (d *drawn) walk(g *forward.Graph, class Class, arrow string) {
	told := map[string]bool{}
	for _, n := range g.Nodes {
		b := d.device(n.Device)
		for _, e := range n.Edges {
			if e.To < 0 {
				continue
			}
			text := arrow + " " + n.Decision.Match.Prefix.String()
			if e.Hop.Via.IsValid() {
				text += " via " + e.Hop.Via.String()
			}
			if key := fmt.Sprint(n.Device, text); !told[key] {
				told[key] = true
				b.rows = append(b.rows, row{text, class, false})
			}
			next := &g.Nodes[e.To]
			d.leg(n.Device, e.Hop.Out, next.Device, next.In, class)
		}
	}
	for _, e := range g.Endings {
		if len(e.Loop) > 1 {
			first := g.Nodes[e.Loop[0]].Device
			b := d.device(first)
			b.rows = append(b.rows, row{fmt.Sprintf("%s a loop of %d devices", arrow, len(e.Loop)), Bad, true})
		}
	}
}

// leg is one hop: out of one device, over what is between, into the next.
func (d *drawn) leg(from model.DeviceID, out model.InterfaceID, to model.DeviceID, in model.InterfaceID, class Class) {
	between, ok := d.boxOf(out)
	if !ok {
		if between, ok = d.boxOf(in); !ok {
			return
		}
	}
	a, b := d.of[from], d.of[to]
	label := func(i model.InterfaceID) string {
		if i == model.None {
			return ""
		}
		return d.label(i)
	}
	d.used[[2]int{a, between}], d.used[[2]int{b, between}] = true, true
	d.add(wire{ends: [2]int{a, between}, labels: [2]string{label(out), ""}, class: class, thick: 3, dashed: class == Back})
	d.add(wire{ends: [2]int{between, b}, labels: [2]string{"", label(in)}, class: class, thick: 3, dashed: class == Back, arrow: true})
}

// add adds a wire once.
func (d *drawn) add(w wire) {
	for _, o := range d.further {
		if o.ends == w.ends && o.class == w.class {
			return
		}
	}
	d.further = append(d.further, w)
}

// boxOf is what an interface leads to.
func (d *drawn) boxOf(i model.InterfaceID) (int, bool) {
	if i == model.None {
		return 0, false
	}
	if at, ok := d.lines[i]; ok {
		return at, true
	}
	at, ok := d.segments[d.spec.Interfaces[i].Segment]
	return at, ok
}

// broken breaks a text at spaces.
func broken(text string, width int) []string {
	var all []string
	line := ""
	for _, word := range strings.Fields(text) {
		if line != "" && len(line)+1+len(word) > width {
			all, line = append(all, line), ""
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	return append(all, line)
}
