package draw

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// hostPart is an address as it is told beside its subnet: what of it is the host's.
func hostPart(a netip.Prefix) string {
	text := a.Addr().String()
	if a.Addr().Is4() {
		return "." + text[strings.LastIndexByte(text, '.')+1:]
	}
	if i := strings.LastIndexByte(text, ':'); i >= 0 && a.Bits() >= 64 {
		return ":" + text[i:]
	}
	return text
}

// inThree tells whether a device is a box of its own in layer 3.
func inThree(d *model.Device) bool {
	return d.Forwards || d.Kind == model.Router || d.Kind == model.Firewall || d.Kind == model.World
}

// three is a picture of layer 3.
type three struct {
	*plan
	also     map[model.DeviceID]bool   // boxes of their own though no routers
	segments map[model.SegmentID]int   // the box of each segment that is one
	lines    map[model.InterfaceID]int // the box of each line without a segment
	four     bool
	six      bool
}

// Subnets is the network in layer 3: who forwards, and the subnets between them with each one's
// address there. A subnet of one router only is told in its box.
func Subnets(net *forward.Network, asked Asked) *Sheet {
	also := map[model.DeviceID]bool{}
	for _, d := range asked.Devices {
		also[d] = true
	}
	return newThree(net, asked, also).sheet()
}

func newThree(net *forward.Network, asked Asked, also map[model.DeviceID]bool) *three {
	four, six := asked.Families.Has(prefix.IPv4), asked.Families.Has(prefix.IPv6)
	t := &three{plan: newPlan(net, asked), also: also, segments: map[model.SegmentID]int{}, lines: map[model.InterfaceID]int{}, four: four,
		six: six}
	on := map[model.SegmentID][]model.InterfaceID{}
	for i := range t.spec.Interfaces {
		x := &t.spec.Interfaces[i]
		if x.Segment != model.None && x.Routed() && x.Kind != model.Loopback && t.isBox(x.Device) {
			on[x.Segment] = append(on[x.Segment], model.InterfaceID(i))
		}
	}
	for d := range t.spec.Devices {
		if t.isBox(model.DeviceID(d)) {
			t.loopbacks(model.DeviceID(d))
		}
	}
	for s := range t.spec.Segments {
		id := model.SegmentID(s)
		devices := map[model.DeviceID]bool{}
		for _, i := range on[id] {
			devices[t.spec.Interfaces[i].Device] = true
		}
		switch {
		case len(devices) > 1:
			t.between(id, on[id])
		case len(devices) == 1:
			t.stub(id, on[id])
		}
	}
	for c := range t.spec.Cables { // lines whose ends have no subnet
		ends := t.spec.Cables[c].Ends
		a, b := &t.spec.Interfaces[ends[0]], &t.spec.Interfaces[ends[1]]
		if t.spec.Cables[c].Pulled || a.Borrow == model.None && b.Borrow == model.None || !t.isBox(a.Device) || !t.isBox(b.Device) {
			continue
		}
		name := t.spec.Cables[c].Name
		at := len(t.boxes)
		t.boxes = append(t.boxes, box{name: name, class: Quiet, round: 9,
			rows: []row{{name, Plain, true}, {"no subnet of its own", Quiet, false}}})
		for _, e := range ends {
			t.lines[e] = at
			i := &t.spec.Interfaces[e]
			t.join(i.Device, at, i.Name, t.class(e), !t.net.State.IsUp(e))
		}
	}
	return t
}

func (t *three) isBox(d model.DeviceID) bool { return inThree(&t.spec.Devices[d]) || t.also[d] }

func (t *three) wants(a netip.Addr) bool {
	return !a.IsLinkLocalUnicast() && (a.Is4() && t.four || a.Is6() && t.six)
}

func (t *three) class(i model.InterfaceID) Class {
	if t.net.State.IsUp(i) {
		return Plain
	}
	return Down
}

// loopbacks are told in the device's box.
func (t *three) loopbacks(d model.DeviceID) {
	b := t.device(d)
	for _, p := range t.spec.Devices[d].Beyond {
		if t.wants(p.Addr()) && len(b.rows) < 6 {
			b.rows = append(b.rows, row{p.String(), Quiet, false})
		}
	}
	for _, i := range t.spec.InterfacesOf(d) {
		if t.spec.Interfaces[i].Kind != model.Loopback {
			continue
		}
		var all []string
		for _, a := range t.spec.Interfaces[i].Addresses {
			if t.wants(a.Addr()) {
				all = append(all, a.Addr().String())
			}
		}
		if len(all) > 0 {
			b.rows = append(b.rows, row{strings.Join(all, " "), Plain, false})
		}
	}
}

// prefixes are a segment's subnets.
func (t *three) prefixes(s model.SegmentID) []string {
	var all []string
	for _, p := range t.spec.Segments[s].Prefixes {
		if t.wants(p.Addr()) {
			all = append(all, p.String())
		}
	}
	return all
}

// between is a segment that several devices are on.
func (t *three) between(s model.SegmentID, on []model.InterfaceID) {
	x := &t.spec.Segments[s]
	b := box{name: x.Name, class: Quiet, round: 9, rows: []row{{x.Name, Plain, true}}}
	for _, p := range t.prefixes(s) {
		b.rows = append(b.rows, row{p, Plain, false})
	}
	if n := t.hostsOn(s); len(n) > 0 {
		b.rows, b.holds = append(b.rows, row{some(n), Quiet, false}), n
	}
	at := len(t.boxes)
	t.segments[s] = at
	t.boxes = append(t.boxes, b)
	for _, i := range on {
		t.join(t.spec.Interfaces[i].Device, at, t.label(i), t.class(i), !t.net.State.IsUp(i))
	}
}

// label is an interface's address in its subnet, of one family: the other mostly ends alike.
func (t *three) label(i model.InterfaceID) string {
	x := &t.spec.Interfaces[i]
	var all []string
	for _, a := range x.Addresses {
		if !t.wants(a.Addr()) || len(all) > 0 && a.Addr().Is6() && t.four {
			continue
		}
		text := hostPart(a.Prefix)
		if a.Virtual {
			text = "(" + text + ")"
		}
		all = append(all, text)
	}
	return strings.Join(all, " ")
}

// stub is a segment of one router: told in its box.
func (t *three) stub(s model.SegmentID, on []model.InterfaceID) {
	b := t.device(t.spec.Interfaces[on[0]].Device)
	subnet := strings.Join(t.prefixes(s), " ")
	if subnet == "" {
		return
	}
	text := fmt.Sprintf("%s %s", t.spec.Segments[s].Name, subnet)
	class := Plain
	if !t.net.State.IsUp(on[0]) {
		class, text = Down, text+" (down)"
	}
	b.rows = append(b.rows, row{text, class, false})
	b.holds = append(b.holds, t.spec.Segments[s].Name)
	if n := t.hostsOn(s); len(n) > 0 {
		b.rows, b.holds = append(b.rows, row{"  " + some(n), Quiet, false}), append(b.holds, n...)
	}
}

// hostsOn are the hosts on a segment that are no boxes.
func (t *three) hostsOn(s model.SegmentID) []string {
	var all []string
	for i := range t.spec.Interfaces {
		x := &t.spec.Interfaces[i]
		if name := t.spec.Devices[x.Device].Name; x.Segment == s && x.Routed() && !t.isBox(x.Device) && !slices.Contains(all, name) {
			all = append(all, name)
		}
	}
	return all
}

// some are the first of some names.
func some(names []string) string {
	const few = 3
	if len(names) > few {
		return strings.Join(names[:few], ", ") + fmt.Sprintf(" and %d more", len(names)-few)
	}
	return strings.Join(names, ", ")
}
