package assign

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// beside is what each router has to itself of the numbers there are before others are given.
type beside struct {
	taken  []netip.Prefix                    // in the order of addresses
	router map[netip.Prefix]model.DeviceID   // whose a number is that only one has; of no other numbers
	owns   map[model.DeviceID][]netip.Prefix // in the order of addresses
	only   map[string]model.DeviceID         // by segment: the one router on it; none where there are several
}

// newBeside sorts the numbers of a plan by who has them.
func newBeside(spec *model.Spec, taken []netip.Prefix) *beside {
	b := &beside{router: map[netip.Prefix]model.DeviceID{}, owns: map[model.DeviceID][]netip.Prefix{},
		only: map[string]model.DeviceID{}}
	for _, p := range taken {
		b.taken = append(b.taken, p.Masked())
	}
	inOrder := func(p, q netip.Prefix) int { return p.Addr().Compare(q.Addr()) }
	slices.SortFunc(b.taken, inOrder)
	own := func(p netip.Prefix, d model.DeviceID) {
		b.router[p] = d
		b.owns[d] = append(b.owns[d], p)
	}
	on := map[model.SegmentID]model.DeviceID{}
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		if !spec.Devices[i.Device].Forwards {
			continue
		}
		if i.Kind == model.Loopback {
			for _, a := range i.Addresses {
				own(a.Masked(), i.Device)
			}
		}
		if i.Segment == model.None || !i.Routed() {
			continue
		}
		if d, ok := on[i.Segment]; ok && d != i.Device {
			on[i.Segment] = model.None
		} else if !ok {
			on[i.Segment] = i.Device
		}
	}
	for s, d := range on {
		if d == model.None {
			continue
		}
		b.only[spec.Segments[s].Name] = d
		for _, p := range spec.Segments[s].Prefixes {
			own(p.Masked(), d)
		}
	}
	for _, all := range b.owns {
		slices.SortFunc(all, inOrder)
	}
	return b
}

// place takes room for a LAN of a router that has numbers already: in the smallest prefix around one of these in which
// nobody else has any. There all others send to the router as it is, and need no other routes for it. It is false
// where there is no such room.
func (b *beside) place(x need, h home, s *prefix.Space) (netip.Prefix, bool) {
	d, ok := b.only[x.owner]
	if !ok || x.kind != Subnet || x.moved != nil {
		return netip.Prefix{}, false
	}
	for bits := x.length - 1; bits > 0; bits-- {
		var last netip.Prefix // in order, so that those in one prefix follow each other
		for _, own := range b.owns[d] {
			if own.Bits() <= bits || prefix.FamilyOf(own.Addr()) != x.family {
				continue
			}
			around := netip.PrefixFrom(own.Addr(), bits).Masked()
			if around == last {
				continue
			}
			last = around
			if !slices.ContainsFunc(h.own, func(p netip.Prefix) bool { return prefix.Covers(p, around) }) || !b.isOf(d, around) {
				continue
			}
			if p, ok := s.TakeIn(x.length, around); ok {
				b.note(p, d)
				return p, true
			}
		}
	}
	return netip.Prefix{}, false
}

// note adds a number that was given meanwhile, and whose it is; none, nobody's alone.
func (b *beside) note(p netip.Prefix, d model.DeviceID) {
	if len(b.owns) == 0 {
		return // nothing is asked of
	}
	at, _ := slices.BinarySearchFunc(b.taken, p.Addr(), func(q netip.Prefix, at netip.Addr) int { return q.Addr().Compare(at) })
	b.taken = slices.Insert(b.taken, at, p)
	b.router[p] = d
}

// isOf reports whether all that is taken within a prefix is a router's own.
func (b *beside) isOf(d model.DeviceID, around netip.Prefix) bool {
	first, _ := slices.BinarySearchFunc(b.taken, around.Addr(), func(p netip.Prefix, at netip.Addr) int { return p.Addr().Compare(at) })
	for _, p := range b.taken[first:] {
		if !around.Contains(p.Addr()) {
			break
		}
		if whose, ok := b.router[p]; !ok || whose != d {
			return false
		}
	}
	return true
}
