package draw

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// speed is a bandwidth in units that people use.
func speed(bits int64) string {
	switch {
	case bits == 0:
		return ""
	case bits%1_000_000_000 == 0:
		return fmt.Sprintf("%d Gbit/s", bits/1_000_000_000)
	case bits%1_000_000 == 0:
		return fmt.Sprintf("%d Mbit/s", bits/1_000_000)
	}
	return fmt.Sprintf("%d kbit/s", bits/1000)
}

// Mark is what is said of a cable beside what it is.
type Mark struct {
	Text  string
	Class Class
}

// Marks are what is said of cables, of segments that are wires themselves, and of devices, by their failure.
type Marks map[network.Failure]Mark

// plan collects the boxes and wires of a picture of devices.
type plan struct {
	net    *forward.Network
	spec   *model.Spec
	boxes  []box
	wires  []wire
	of     map[model.DeviceID]int
	roots  map[int]bool
	sites  []model.BlockID // of each device
	asked  Asked
	folded bool
	marks  Marks
}

func newPlan(net *forward.Network, asked Asked) *plan {
	return &plan{asked: asked, net: net, spec: net.Spec, of: map[model.DeviceID]int{}, roots: map[int]bool{}, sites: net.Spec.Sites()}
}

// device is the box of a device, which is made where there is none yet.
func (p *plan) device(d model.DeviceID) *box {
	if i, ok := p.of[d]; ok {
		return &p.boxes[i]
	}
	x := &p.spec.Devices[d]
	b := box{name: x.Name, rows: []row{{x.Name, Strong, true}}, class: Plain}
	switch x.Kind {
	case model.World:
		b.class, b.round = Outside, 14
	case model.SwitchDevice:
		b.round = 5
		b.rows = append(b.rows, row{"switch", Quiet, false})
		if x.Forwards {
			b.rows[1].text = "switch that routes"
		}
	case model.Firewall:
		b.rows = append(b.rows, row{"firewall", Quiet, false})
	}
	if slices.ContainsFunc(p.net.State.Failures(), func(f network.Failure) bool { return f.Device == d }) {
		b.class, b.dashed = Down, true
		b.rows = append(b.rows, row{"out of order", Bad, false})
	}
	of := network.NoFailure
	of.Device = d
	if m, ok := p.marks[of]; ok {
		b.class = m.Class
		b.rows = append(b.rows, row{m.Text, m.Class, false})
	}
	p.of[d] = len(p.boxes)
	if x.Kind == model.World {
		p.roots[len(p.boxes)] = true
	}
	p.boxes = append(p.boxes, b)
	return &p.boxes[len(p.boxes)-1]
}

// join is a wire between a device and the box of what is between devices.
func (p *plan) join(d model.DeviceID, between int, label string, class Class, dashed bool) {
	p.device(d)
	p.wires = append(p.wires, wire{ends: [2]int{p.of[d], between}, labels: [2]string{label}, class: class, dashed: dashed})
}

// sheet is the picture, laid out.
func (p *plan) sheet() *Sheet {
	p.only(p.asked.Devices)
	if p.asked.Others != "" {
		for d, i := range p.of {
			if !p.isAsked(d) {
				p.boxes[i] = box{rows: []row{{p.asked.Others, Quiet, false}}, class: Quiet, round: p.boxes[i].round}
				for n := range p.wires {
					for e := range p.wires[n].ends {
						if p.wires[n].ends[e] == i {
							p.wires[n].labels[e] = ""
						}
					}
				}
			}
		}
	}
	if !p.asked.Whole {
		if note := p.fold(); note != "" {
			p.asked.About += " · " + note
		}
	}
	s := &Sheet{Title: p.asked.Title, About: p.asked.About}
	s.graph(&graph{boxes: p.boxes, wires: p.wires, roots: p.roots, frames: p.frames()})
	return s
}

// isAsked tells whether a picture is to tell of a device.
func (p *plan) isAsked(d model.DeviceID) bool {
	return p.asked.Devices == nil || slices.Contains(p.asked.Devices, d)
}

// leaf tells whether a device is told within the box of what it is plugged into: a host with
// one port.
func (p *plan) leaf(d model.DeviceID) bool {
	x := &p.spec.Devices[d]
	if x.Kind != model.Host || x.Forwards {
		return false
	}
	ports := 0
	for _, id := range p.spec.InterfacesOf(d) {
		if p.spec.Interfaces[id].Kind == model.Port {
			ports++
		}
	}
	return ports <= 1
}

// Wires is the devices and cables, with the ports at both ends. Marks say something of cables.
func Wires(net *forward.Network, asked Asked, marks Marks) *Sheet {
	p := newPlan(net, asked)
	p.drawWires(marks)
	return p.sheet()
}

// drawWires collects all devices and cables.
func (p *plan) drawWires(marks Marks) {
	p.marks = marks
	p.cables(func(model.CableID) bool { return true }, marks, nil)
	p.onWires(func(model.SegmentID) bool { return true }, 2, marks)
	p.hosts(nil)
	for d := range p.spec.Devices {
		if !p.leaf(model.DeviceID(d)) {
			p.device(model.DeviceID(d))
		}
	}
}

// VLAN is the switches and cables that carry a VLAN, and who is in it.
func VLAN(net *forward.Network, v model.VLAN, asked Asked) *Sheet {
	p := newPlan(net, asked)
	carries := func(id model.InterfaceID) bool {
		i := &p.spec.Interfaces[id]
		if i.Group != model.None {
			i = &p.spec.Interfaces[i.Group]
		}
		if i.Switched {
			return i.Untagged == v || slices.Contains(i.Tagged, v)
		}
		for _, sub := range p.spec.InterfacesOf(i.Device) {
			if x := &p.spec.Interfaces[sub]; x.Kind == model.Subinterface && x.Parent == id && x.Tag == v {
				return true
			}
		}
		return i.Segment != model.None && p.spec.Segments[i.Segment].VLAN == v
	}
	p.cables(func(c model.CableID) bool {
		return carries(p.spec.Cables[c].Ends[0]) || carries(p.spec.Cables[c].Ends[1])
	}, nil, func(c model.CableID) (string, Class) {
		a, b := carries(p.spec.Cables[c].Ends[0]), carries(p.spec.Cables[c].Ends[1])
		if a && b {
			return "", Good
		}
		which := p.spec.Cables[c].Ends[0]
		if a {
			which = p.spec.Cables[c].Ends[1]
		}
		return fmt.Sprintf("not carried by %s", p.spec.Label(which)), Bad
	})
	p.onWires(func(s model.SegmentID) bool { return p.spec.Segments[s].VLAN == v }, 1, nil)
	p.hosts(func(id model.InterfaceID) bool { return carries(id) })
	return p.sheet()
}

// cables are the cables between devices that are boxes of their own; more says something of one.
func (p *plan) cables(which func(model.CableID) bool, marks Marks, more func(model.CableID) (string, Class)) {
	blocked := map[model.CableID]bool{}
	for _, l := range p.net.State.Loops() {
		blocked[l.Cable] = l.Blocked
	}
	for c := range p.spec.Cables {
		id := model.CableID(c)
		ends := p.spec.Cables[c].Ends
		a, b := &p.spec.Interfaces[ends[0]], &p.spec.Interfaces[ends[1]]
		if !which(id) || p.spec.Cables[c].Pulled || p.leaf(a.Device) || p.leaf(b.Device) {
			continue
		}
		x := box{name: p.spec.Cables[c].Name, class: Quiet, round: 9}
		if name := p.spec.Cables[c].Name; !strings.Contains(name, " to ") {
			x.rows = append(x.rows, row{name, Plain, true})
		}
		line, dashed := Plain, false
		say := func(text string, class Class) {
			if text != "" {
				x.rows = append(x.rows, row{text, class, false})
			}
		}
		say(speed(cmp.Or(a.Bandwidth, b.Bandwidth)), Plain)
		if a.Serial {
			say("serial", Plain)
		}
		say(p.tags(a, b), Plain)
		switch {
		case !p.net.State.IsUp(ends[0]) || !p.net.State.IsUp(ends[1]):
			line, dashed, x.class, x.dashed = Down, true, Down, true
			why := p.net.State.Why(ends[0])
			if p.net.State.IsUp(ends[0]) {
				why = p.net.State.Why(ends[1])
			}
			say("down: "+why, Bad)
		case blocked[id]:
			line, dashed = Down, true
			say("blocked: a loop", Down)
		}
		of := network.NoFailure
		of.Cable = id
		if m, ok := marks[of]; ok {
			say(m.Text, m.Class)
			line, x.class = m.Class, m.Class
		}
		if more != nil {
			text, class := more(id)
			say(text, class)
			line = class
		}
		if len(x.rows) == 0 {
			x.rows = []row{{"cable", Quiet, false}}
		}
		between := len(p.boxes)
		p.boxes = append(p.boxes, x)
		thick := 0.0
		if line == Bad { // it is to leap to the eye
			thick = 3
		}
		for _, i := range []*model.Interface{a, b} {
			label := i.Name
			if i.Group != model.None {
				label += " " + p.spec.Interfaces[i.Group].Name
			}
			p.join(i.Device, between, label, line, dashed)
			p.wires[len(p.wires)-1].thick = thick
		}
	}
}

// onWires are segments that are themselves the wire, with whoever is on them, where they are enough; hosts
// with little else to them are shown, and count, where one is.
func (p *plan) onWires(which func(model.SegmentID) bool, least int, marks Marks) {
	for s := range p.spec.Segments {
		id := model.SegmentID(s)
		if !which(id) || !p.net.State.IsWire(id) {
			continue
		}
		var on []model.InterfaceID
		for i := range p.spec.Interfaces {
			x := &p.spec.Interfaces[i]
			if x.Segment == id && x.Kind != model.Loopback && p.net.State.Cable(model.InterfaceID(i)) == model.None &&
				(least == 1 || !p.leaf(x.Device)) {
				on = append(on, model.InterfaceID(i))
			}
		}
		if len(on) < least {
			continue
		}
		between, line, thick := len(p.boxes), Plain, 0.0
		x := box{name: p.spec.Segments[s].Name, class: Quiet, round: 9, rows: []row{{p.spec.Segments[s].Name, Plain, true}}}
		of := network.NoFailure
		of.Segment = id
		if m, ok := marks[of]; ok {
			x.rows = append(x.rows, row{m.Text, m.Class, false})
			if x.class, line = m.Class, m.Class; line == Bad {
				thick = 3
			}
		}
		p.boxes = append(p.boxes, x)
		for _, i := range on {
			p.join(p.spec.Interfaces[i].Device, between, p.spec.Interfaces[i].Name, line, false)
			p.wires[len(p.wires)-1].thick = thick
		}
	}
}

// tags are the VLANs that a cable between two ports carries with tags.
func (p *plan) tags(a, b *model.Interface) string {
	of := func(i *model.Interface) []model.VLAN {
		if i.Group != model.None {
			i = &p.spec.Interfaces[i.Group]
		}
		if i.Switched {
			return i.Tagged
		}
		var all []model.VLAN
		for _, sub := range p.spec.InterfacesOf(i.Device) {
			if x := &p.spec.Interfaces[sub]; x.Kind == model.Subinterface && x.Parent != model.None && &p.spec.Interfaces[x.Parent] == i {
				all = append(all, x.Tag)
			}
		}
		slices.Sort(all)
		return all
	}
	x, y := of(a), of(b)
	if len(x)+len(y) == 0 {
		return ""
	}
	if !slices.Equal(x, y) {
		return fmt.Sprintf("VLANs %s | %s", list(x), list(y))
	}
	return "VLANs " + list(x)
}

func list(all []model.VLAN) string {
	var words []string
	for i, v := range all {
		if i == 8 {
			words = append(words, fmt.Sprintf("and %d more", len(all)-8))
			break
		}
		words = append(words, fmt.Sprint(v))
	}
	if len(words) == 0 {
		return "none"
	}
	return strings.Join(words, " ")
}

// mostHosts is how many hosts are named one by one in one box.
const mostHosts = 8

// plugged is a host at a port.
type plugged struct {
	port    model.InterfaceID
	device  model.DeviceID
	host    string
	segment model.SegmentID
	up      bool
}

// hosts are told in the box of what they are plugged into.
func (p *plan) hosts(which func(model.InterfaceID) bool) {
	at := map[model.DeviceID][]plugged{}
	var order []model.DeviceID
	for d := range p.spec.Devices {
		id := model.DeviceID(d)
		if !p.leaf(id) {
			continue
		}
		for _, i := range p.spec.InterfacesOf(id) {
			peer := p.net.State.Peer(i)
			if peer == model.None || which != nil && !which(peer) {
				continue
			}
			b := p.spec.Interfaces[peer].Device
			if at[b] == nil {
				order = append(order, b)
			}
			at[b] = append(at[b], plugged{peer, id, p.spec.Devices[d].Name, p.spec.Interfaces[i].Segment, p.net.State.IsUp(i)})
		}
	}
	for _, id := range order {
		b := p.device(id)
		b.rows = append(b.rows, p.hostRows(at[id])...)
		for _, h := range at[id] {
			of := network.NoFailure
			of.Device = h.device
			if m, ok := p.marks[of]; ok {
				b.class = m.Class
				b.rows = append(b.rows, row{h.host + ": " + m.Text, m.Class, false})
			}
		}
		for _, h := range at[id] {
			b.holds = append(b.holds, h.host)
		}
	}
}

// hostRows names hosts one by one; where they are many, those of neighbouring ports in one
// segment share a row. What is down has a row of its own in any case.
func (p *plan) hostRows(all []plugged) []row {
	most := mostHosts
	if len(all) > most {
		slices.SortStableFunc(all, func(a, b plugged) int { return cmp.Compare(a.port, b.port) })
		most = 2 * mostHosts
	}
	port := func(h plugged) string { return p.spec.Interfaces[h.port].Name }
	var rows []row
	more := 0
	for n := 0; n < len(all); {
		h, last := all[n], n
		for len(all) > mostHosts && last+1 < len(all) && h.up && all[last+1].up && all[last+1].segment == h.segment {
			last++
		}
		run := last + 1 - n
		switch {
		case !h.up:
			rows = append(rows, row{fmt.Sprintf("%s: %s (down)", port(h), h.host), Down, false})
		case len(rows) >= most:
			more += run
		case run < 3:
			rows = append(rows, row{fmt.Sprintf("%s: %s", port(h), h.host), Plain, false})
			last = n
		default:
			in := ""
			if h.segment != model.None {
				in = ", " + p.spec.Segments[h.segment].Name
			}
			rows = append(rows, row{fmt.Sprintf("%s … %s: %d hosts%s", port(h), port(all[last]), run, in), Plain, false})
		}
		n = last + 1
	}
	if more > 0 {
		rows = append(rows, row{fmt.Sprintf("and %d more hosts", more), Quiet, false})
	}
	return rows
}
