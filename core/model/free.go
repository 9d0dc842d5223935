package model

import (
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
)

// FreeRanges lists the usable addresses of a subnet that nobody has or is to have: no
// interface, gateway, lease or translation, and nothing that a block keeps. In order.
func (s *Spec) FreeRanges(p netip.Prefix) []prefix.Range {
	return prefix.UsableRange(p).But(s.TakenIn(p))
}

// TakenIn lists what of a subnet somebody has or is to have, and what nobody may have: its
// reserved anycast addresses. In no order.
func (s *Spec) TakenIn(p netip.Prefix) []prefix.Range {
	var taken []prefix.Range
	if first, last, ok := prefix.ReservedRange(p); ok {
		taken = append(taken, prefix.Range{First: first, Last: last})
	}
	one := func(a netip.Addr) { taken = append(taken, prefix.Range{First: a, Last: a}) }
	for id := range s.Interfaces {
		for _, a := range s.Interfaces[id].Addresses {
			if p.Contains(a.Addr()) {
				one(a.Addr())
			}
		}
	}
	for id := range s.Segments {
		segment := &s.Segments[id]
		for _, l := range slices.Concat(segment.Leases, segment.Lent) {
			taken = append(taken, l.Range)
		}
		for _, a := range segment.Held {
			one(a)
		}
		for _, g := range segment.Gateways {
			one(g.Address)
		}
	}
	for _, b := range s.Blocks {
		for _, k := range b.Kept {
			taken = append(taken, prefix.Range{First: k.Masked().Addr(), Last: prefix.Top(k.Prefix)})
		}
	}
	return taken
}
