package assign

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// sized is how long a block's prefix is to be; not ok where nothing is said.
type sized struct {
	known, ok bool
	length    int
	own       int // as long as what takes from it needs, whatever its like are
	because   Because
}

// size is how long the block's prefix is to be, growth included.
func (g *blockGiver) size(b model.BlockID) sized {
	s := &g.sized[b]
	if s.known {
		return *s
	}
	s.known = true
	block := &g.spec.Blocks[b]
	asked := block.Need.Length4
	if g.family == prefix.IPv6 {
		asked = block.Need.Length6
	}
	if p, ok := g.written(b); ok {
		s.ok, s.length, s.own = true, p.Bits(), p.Bits()
		return *s
	}
	if len(block.From) == 0 || !g.spec.Offers(b, g.family) {
		return *s
	}
	if asked > 0 {
		s.ok, s.length, s.own, s.because = true, asked, asked, Because{Code: LengthAsked}
		return *s
	}
	all := g.all(b)
	s.because = Because{Code: TakersNeed, Grow: block.Need.Grow, Family: g.family}
	for _, t := range all {
		switch t.kind {
		case Subnet:
			s.because.Subnets++
		case Loopback:
			s.because.Loopbacks++
		case Block:
			s.because.Blocks++
		}
	}
	exact := 0
	s.length, exact, s.ok = g.room(b, all, block.Need.Grow)
	s.own = s.length
	if t := g.template(b); t != nil && t.ok && (!s.ok || t.length < s.length) {
		s.ok, s.length, exact = true, t.length, t.length
		s.because.Alike = block.Alike
	}
	s.because.Nibble = s.length != exact
	return *s
}

// room is the length of the smallest block that holds what takes from b, and growth: in
// IPv6 at least a subnet of length 64, and on a border of four bits. Exact is that before
// it is rounded to the border. It is false where nothing takes from it, or nothing holds it.
func (g *blockGiver) room(b model.BlockID, all []taker, grow int) (length, exact int, ok bool) {
	var lengths []int
	var at []netip.Prefix
	for _, t := range all {
		if p, ok := g.slot(b, t, netip.PrefixFrom(g.zero(), 0)); ok {
			at = append(at, p)
			continue
		}
		lengths = append(lengths, t.length)
	}
	every := slices.Clone(lengths)
	for _, p := range at {
		every = append(every, p.Bits())
	}
	length, ok = prefix.LengthForSubnets(g.family, every, grow)
	if !ok {
		return 0, 0, false
	}
	if g.family == prefix.IPv6 {
		length = min(length, 64)
	}
	for ; length >= 0; length-- {
		p := netip.PrefixFrom(g.zero(), length)
		covers := !slices.ContainsFunc(at, func(q netip.Prefix) bool { return !prefix.Covers(p, q) })
		if covers && g.holds(p, nil, at, lengths) {
			break
		}
	}
	if length < 0 {
		return 0, 0, false
	}
	return g.rounded(length), length, true
}

// rounded is a block's length on a border of four bits in IPv6.
func (g *blockGiver) rounded(length int) int {
	if g.family == prefix.IPv6 {
		return length / 4 * 4
	}
	return length
}

// zero is the lowest address of the family: blocks that have no place yet are thought to
// begin there.
func (g *blockGiver) zero() netip.Addr {
	if g.family == prefix.IPv4 {
		return netip.IPv4Unspecified()
	}
	return netip.IPv6Unspecified()
}

// numbered is where in its block, thought to begin at zero, a subnet lies whose number is
// its VLAN's.
func (g *blockGiver) numbered(b model.BlockID, t taker) (netip.Prefix, bool) {
	if g.family == prefix.IPv4 || t.kind != Subnet || t.length != 64 {
		return netip.Prefix{}, false
	}
	number, ok := g.spec.Blocks[b].SubnetNumber.Of(t.vlan)
	if !ok {
		return netip.Prefix{}, false
	}
	return prefix.Subnet64(netip.PrefixFrom(g.zero(), 0), number)
}

// holds tells whether subnets find a place in p beside what is taken of it: some at their
// own places where they are free, the others anywhere.
func (g *blockGiver) holds(p netip.Prefix, taken, at []netip.Prefix, lengths []int) bool {
	space := g.space(prefix.Without(p, taken))
	lengths = slices.Clone(lengths)
	for _, q := range at {
		if !space.TakeThis(q) {
			lengths = append(lengths, q.Bits())
		}
	}
	slices.Sort(lengths)
	for _, l := range lengths {
		if _, ok := space.Take(l); !ok {
			return false
		}
	}
	return true
}
