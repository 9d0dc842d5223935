package ask

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// Ends lists who stands for what a word means, where it is asked who reaches whom: a
// segment, a block (its segments, and the loopbacks in it), a group, a device, an
// interface, an address, or everyone. All are the ends of all segments. It is an error
// where that is nobody.
func (w Who) Ends(text string, all []*reach.End) ([]*reach.End, error) {
	var ends []*reach.End
	add := func(more ...*reach.End) {
		for _, e := range more {
			if !slices.ContainsFunc(ends, func(x *reach.End) bool { return x.Interface == e.Interface && x.Address == e.Address }) {
				ends = append(ends, e)
			}
		}
	}
	if text == "everyone" {
		return all, nil
	}
	if s, ok := w.Spec.SegmentNamed(text); ok {
		add(on(all, s)...)
		if len(ends) == 0 {
			return nil, fmt.Errorf("nobody on %s has an address that could be asked", text)
		}
		return ends, nil
	}
	for _, g := range w.Groups {
		if g.Name.Value != text {
			continue
		}
		for _, of := range g.Of {
			more, err := w.Ends(of.Value, all)
			if err != nil {
				return nil, err
			}
			add(more...)
		}
		if len(ends) == 0 {
			return nil, fmt.Errorf("the group %s has nobody in it", text)
		}
		return ends, nil
	}
	for b := range w.Spec.Blocks {
		if block := &w.Spec.Blocks[b]; block.Name == text {
			add(w.inBlock(block, all)...)
			if len(ends) == 0 {
				return nil, fmt.Errorf("nobody has an address in the block %s", text)
			}
			return ends, nil
		}
	}
	e, err := w.Endpoint(text)
	if err != nil {
		if _, isCable := w.Spec.CableNamed(text); isCable || !strings.ContainsAny(text, ".:/") {
			return nil, Unknown(fmt.Sprintf("the plan has no segment, device, group or block called %s", text), text, w.PartyNames())
		}
		return nil, err
	}
	switch {
	case e.Address.IsValid() && e.Device == model.None:
		for d := range w.Spec.Devices {
			for _, p := range w.Spec.Devices[d].Beyond {
				if p.Contains(e.Address) {
					add(&reach.End{Segment: model.None, Device: model.DeviceID(d), Interface: w.Spec.Devices[d].First, Address: e.Address})
					return ends, nil
				}
			}
		}
		return nil, fmt.Errorf("nobody in the plan has %s, nor the world", text)
	case e.Address.IsValid():
		add(&reach.End{Segment: model.None, Device: e.Device, Interface: e.Interface, Address: e.Address})
	case e.Interface != model.None:
		for _, a := range w.Spec.Interfaces[e.Interface].Addresses {
			if !a.Addr().IsLinkLocalUnicast() {
				add(&reach.End{Segment: model.None, Device: e.Device, Interface: e.Interface, Address: a.Addr()})
			}
		}
	default:
		for _, family := range prefix.Families {
			add(w.deviceEnd(e.Device, w.Spec.MainAddress(e.Device, family))...)
		}
	}
	if len(ends) == 0 {
		return nil, fmt.Errorf("%s has no address that could be asked", text)
	}
	return ends, nil
}

// PartyNames are those of all that ends are found by.
func (w Who) PartyNames() []string {
	names := []string{"everyone"}
	for i := range w.Spec.Segments {
		names = append(names, w.Spec.Segments[i].Name)
	}
	for i := range w.Spec.Devices {
		names = append(names, w.Spec.Devices[i].Name)
	}
	for i := range w.Spec.Blocks {
		names = append(names, w.Spec.Blocks[i].Name)
	}
	for _, g := range w.Groups {
		names = append(names, g.Name.Value)
	}
	return names
}

// on are the ends that stand for a segment.
func on(all []*reach.End, s model.SegmentID) []*reach.End {
	return slices.DeleteFunc(slices.Clone(all), func(e *reach.End) bool { return e.Segment != s })
}

// deviceEnd is the end of a device by one of its addresses; none where it is invalid.
func (w Who) deviceEnd(d model.DeviceID, a netip.Addr) []*reach.End {
	for _, id := range w.Spec.InterfacesOf(d) {
		if a.IsValid() && w.Spec.Interfaces[id].Has(a) {
			return []*reach.End{{Segment: model.None, Device: d, Interface: id, Address: a}}
		}
	}
	return nil
}

// inBlock are the ends of the segments whose subnets lie in a block, and the devices whose
// loopbacks do.
func (w Who) inBlock(b *model.Block, all []*reach.End) []*reach.End {
	within := func(a netip.Addr) bool {
		return slices.ContainsFunc(b.Prefixes, func(p model.Prefix) bool { return p.Contains(a) })
	}
	ends := slices.DeleteFunc(slices.Clone(all), func(e *reach.End) bool { return !within(e.Address) })
	for id := range w.Spec.Interfaces {
		if i := &w.Spec.Interfaces[id]; i.Kind == model.Loopback {
			for _, a := range i.Addresses {
				if within(a.Addr()) {
					ends = append(ends, w.deviceEnd(i.Device, a.Addr())...)
				}
			}
		}
	}
	return ends
}

// Words joins what a question is between: 'from A to B', either of which may be left out.
func Words(from, to string) string {
	var words []string
	if from != "" {
		words = append(words, "from "+from)
	}
	if to != "" {
		words = append(words, "to "+to)
	}
	return strings.Join(words, " ")
}
