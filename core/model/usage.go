package model

import (
	"cmp"
	"math/big"
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Retired is space whose owner is gone, and that is not given to anyone else
// yet.
type Retired struct {
	Prefix netip.Prefix
	Owner  string
	Block  bool         // it was a block, in which others have what was theirs
	Place  source.Place // in the ledger
}

// Stretch is a run of a block's addresses in one use, or in none.
type Stretch struct {
	Prefix    netip.Prefix
	Segment   SegmentID   // None where it is no segment's
	Interface InterfaceID // of a single address that is no segment's, None otherwise
	Block     BlockID     // of a block within, None otherwise
	Kept      bool        // for later, by the plan
	Retired   string      // whose it was, "" where it is not retired
	Free      bool
}

// InUse tells whether something in the plan has the stretch.
func (s Stretch) InUse() bool { return s.Segment != None || s.Interface != None }

// Stretches lists what lies where in a block's prefix, in the order of
// addresses, free runs as the fewest subnets among them. Subnets that reach out
// of the prefix are left out.
func (s *Spec) Stretches(block netip.Prefix) []Stretch {
	return s.stretches(block, s.inOrder())
}

// held is a subnet of a segment, or an address of an interface.
type held struct {
	prefix netip.Prefix
	id     int32
}

// space is what the plan holds, in the order of addresses.
type space struct{ subnets, addresses []held }

func (s *Spec) inOrder() *space {
	var x space
	for id := range s.Segments {
		for _, p := range s.Segments[id].Prefixes {
			x.subnets = append(x.subnets, held{p.Prefix, int32(id)})
		}
	}
	for id := range s.Interfaces {
		for _, a := range s.Interfaces[id].Addresses {
			x.addresses = append(x.addresses, held{netip.PrefixFrom(a.Addr(), a.Addr().BitLen()), int32(id)})
		}
	}
	for _, all := range [][]held{x.subnets, x.addresses} {
		slices.SortStableFunc(all, func(a, b held) int { return a.prefix.Addr().Compare(b.prefix.Addr()) })
	}
	return &x
}

// within are those that lie in a block, in the order of the plan.
func within(all []held, block netip.Prefix) []held {
	first, _ := slices.BinarySearchFunc(all, block.Masked().Addr(), func(x held, a netip.Addr) int { return x.prefix.Addr().Compare(a) })
	var in []held
	for _, x := range all[first:] {
		if !block.Contains(x.prefix.Addr()) {
			break
		}
		if prefix.Covers(block, x.prefix) {
			in = append(in, x)
		}
	}
	slices.SortStableFunc(in, func(a, b held) int { return cmp.Compare(a.id, b.id) })
	return in
}

func (s *Spec) stretches(block netip.Prefix, x *space) []Stretch {
	var all []Stretch
	var taken []netip.Prefix
	for _, h := range within(x.subnets, block) {
		all = append(all, Stretch{Prefix: h.prefix, Segment: SegmentID(h.id), Interface: None, Block: None})
		taken = append(taken, h.prefix)
	}
	inSegments := prefix.NewTaken(taken)
	for _, h := range within(x.addresses, block) {
		if !inSegments.Meets(h.prefix) {
			all = append(all, Stretch{Prefix: h.prefix, Segment: None, Interface: InterfaceID(h.id), Block: None})
			taken = append(taken, h.prefix)
		}
	}
	set := func(p netip.Prefix, kept bool, retired string) {
		if !block.Overlaps(p) {
			return
		}
		if prefix.Covers(p, block) {
			p = block
		}
		for _, rest := range prefix.Without(p, prefix.NewTaken(taken).Within(p)) {
			all = append(all, Stretch{Prefix: rest, Segment: None, Interface: None, Block: None, Kept: kept, Retired: retired})
			taken = append(taken, rest)
		}
	}
	retired := slices.SortedStableFunc(slices.Values(s.Retired), func(a, b Retired) int {
		switch {
		case a.Block != b.Block && a.Block:
			return 1
		case a.Block != b.Block:
			return -1
		case a.Block:
			return cmp.Compare(b.Prefix.Bits(), a.Prefix.Bits())
		}
		return cmp.Compare(a.Prefix.Bits(), b.Prefix.Bits())
	})
	for _, r := range retired {
		set(r.Prefix, false, r.Owner)
	}
	for _, b := range s.Blocks {
		for _, p := range b.Kept {
			set(p.Prefix, true, "")
		}
	}
	for _, p := range prefix.Without(block, taken) {
		all = append(all, Stretch{Prefix: p, Segment: None, Interface: None, Block: None, Free: true})
	}
	slices.SortStableFunc(all, func(a, b Stretch) int {
		return cmp.Or(a.Prefix.Addr().Compare(b.Prefix.Addr()), cmp.Compare(a.Prefix.Bits(), b.Prefix.Bits()))
	})
	return all
}

// Taken is how many addresses of a block's prefix its stretches use: all that
// are not free, kept or retired.
func Taken(block netip.Prefix, stretches []Stretch) *big.Int {
	n := prefix.Addresses(block)
	for _, s := range stretches {
		if !s.InUse() {
			n.Sub(n, prefix.Addresses(s.Prefix))
		}
	}
	return n
}

// Share is how much of a part of a block is in use.
type Share uint8

const (
	NoneOfIt Share = iota // all of it is free
	SomeOfIt              // some is in use
	AllOfIt               // all of it is in use
	HeldBack              // none is in use, and some is kept or retired
)

// Shares tells how much of each of n equal parts of a block is in use. N is a
// power of two.
func Shares(block netip.Prefix, stretches []Stretch, n int) []Share {
	length, ok := prefix.LengthForParts(block, big.NewInt(int64(n)))
	if !ok {
		length = block.Addr().BitLen()
	}
	var used, other []netip.Prefix
	for _, s := range stretches {
		switch {
		case s.InUse():
			used = append(used, s.Prefix)
		case !s.Free:
			other = append(other, s.Prefix)
		}
	}
	inUse, heldBack := prefix.NewTaken(used), prefix.NewTaken(other)
	var shares []Share
	for part := range prefix.Split(block, length) {
		share := NoneOfIt
		switch {
		case len(prefix.Without(part, inUse.Within(part))) == 0:
			share = AllOfIt
		case inUse.Meets(part):
			share = SomeOfIt
		case heldBack.Meets(part):
			share = HeldBack
		}
		shares = append(shares, share)
	}
	return shares
}

// Room is how full a segment's IPv4 subnets are.
type Room struct {
	Usable int64 // addresses for interfaces
	Held   int64 // that interfaces have
	Leased int64 // that hosts lease, and no interface has
	Spare  int64 // what is left
}

// Rooms works out how full every segment is; of IPv6 there is always enough.
func (s *Spec) Rooms() []Room {
	all := make([]Room, len(s.Segments))
	held := make([]map[netip.Addr]bool, len(s.Segments))
	for id := range s.Interfaces {
		i := &s.Interfaces[id]
		if i.Segment == None {
			continue
		}
		for _, a := range i.Addresses {
			if a.Addr().Is4() && s.Segments[i.Segment].holds(a.Addr(), a.Addr()) {
				if held[i.Segment] == nil {
					held[i.Segment] = map[netip.Addr]bool{}
				}
				held[i.Segment][a.Addr()] = true
			}
		}
	}
	for id := range s.Segments {
		segment, room := &s.Segments[id], &all[id]
		room.Held = int64(len(held[id]))
		for _, p := range segment.Prefixes {
			if p.Addr().Is4() {
				room.Usable += prefix.Usable(p.Prefix).Int64()
			}
		}
		for _, l := range segment.Leases {
			if !l.First.Is4() {
				continue
			}
			room.Leased += prefix.Distance(l.First, l.Last) + 1
			for a := range held[id] {
				if l.Contains(a) {
					room.Leased--
				}
			}
		}
		room.Spare = room.Usable - room.Held - room.Leased
	}
	return all
}
