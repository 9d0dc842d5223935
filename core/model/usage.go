package model

import (
	"cmp"
	"math/big"
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
)

// Stretch is a run of a block's addresses in one use, or in none.
type Stretch struct {
	Prefix    netip.Prefix
	Segment   SegmentID   // None where it is no segment's
	Interface InterfaceID // of a single address that is no segment's, None otherwise
	Free      bool
}

// Stretches lists what lies where in a block's prefix, in the order of
// addresses, free runs as the fewest subnets among them. Subnets that reach out
// of the prefix are left out.
func (s *Spec) Stretches(block netip.Prefix) []Stretch {
	var all []Stretch
	var taken []netip.Prefix
	for id, segment := range s.Segments {
		for _, p := range segment.Prefixes {
			if prefix.Covers(block, p.Prefix) {
				all = append(all, Stretch{Prefix: p.Prefix, Segment: SegmentID(id), Interface: None})
				taken = append(taken, p.Prefix)
			}
		}
	}
	for id := range s.Interfaces {
		for _, a := range s.Interfaces[id].Addresses {
			single := netip.PrefixFrom(a.Addr(), a.Addr().BitLen())
			inSegment := slices.ContainsFunc(taken, func(p netip.Prefix) bool { return p.Contains(a.Addr()) })
			if block.Contains(a.Addr()) && !inSegment {
				all = append(all, Stretch{Prefix: single, Segment: None, Interface: InterfaceID(id)})
				taken = append(taken, single)
			}
		}
	}
	for _, p := range prefix.Without(block, taken) {
		all = append(all, Stretch{Prefix: p, Segment: None, Interface: None, Free: true})
	}
	slices.SortStableFunc(all, func(a, b Stretch) int {
		return cmp.Or(a.Prefix.Addr().Compare(b.Prefix.Addr()), cmp.Compare(a.Prefix.Bits(), b.Prefix.Bits()))
	})
	return all
}

// Taken is how many addresses of a block's prefix its stretches use.
func Taken(block netip.Prefix, stretches []Stretch) *big.Int {
	n := prefix.Addresses(block)
	for _, s := range stretches {
		if s.Free {
			n.Sub(n, prefix.Addresses(s.Prefix))
		}
	}
	return n
}

// Shares tells how much of each of n equal parts of a block is in use: 0 for
// none, 1 for some, 2 for all of it. N is a power of two.
func Shares(block netip.Prefix, stretches []Stretch, n int) []uint8 {
	length, ok := prefix.LengthForParts(block, big.NewInt(int64(n)))
	if !ok {
		length = block.Addr().BitLen()
	}
	var free []netip.Prefix
	for _, s := range stretches {
		if s.Free {
			free = append(free, s.Prefix)
		}
	}
	var shares []uint8
	for part := range prefix.Split(block, length) {
		share := uint8(2)
		for _, f := range free {
			if prefix.Covers(f, part) {
				share = 0
				break
			}
			if prefix.Covers(part, f) {
				share = 1
			}
		}
		if share == 1 && len(prefix.Without(part, free)) == 0 {
			share = 0
		}
		shares = append(shares, share)
	}
	return shares
}
