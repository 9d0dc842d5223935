package prefix

import (
	"container/heap"
	"math/big"
	"math/bits"
	"net/netip"
	"slices"
)

// Clone is a space of the same free stretches.
func (s *Space) Clone() *Space {
	c := &Space{reserved: s.reserved}
	for l := range s.lists {
		c.lists[l] = slices.Clone(s.lists[l])
	}
	return c
}

// Give puts a stretch back that was taken.
func (s *Space) Give(p netip.Prefix) { heap.Push(&s.lists[p.Bits()], p) }

// TakeThis assigns just this subnet; false where not all of it is free.
func (s *Space) TakeThis(p netip.Prefix) bool {
	for l := p.Bits(); l >= 0; l-- {
		i := slices.IndexFunc(s.lists[l], func(f netip.Prefix) bool { return Covers(f, p) })
		if i < 0 {
			continue
		}
		stretch := s.lists[l][i]
		in64 := netip.PrefixFrom(p.Addr(), 64).Masked()
		cut := s.reserved && p.Bits() > 64
		if cut && slices.ContainsFunc(reservedOf(in64), p.Overlaps) {
			return false
		}
		heap.Remove(&s.lists[l], i)
		for _, rest := range Without(stretch, []netip.Prefix{p}) {
			parts := []netip.Prefix{rest}
			if cut && rest.Bits() > 64 {
				parts = Without(rest, reservedOf(in64))
			}
			for _, part := range parts {
				s.Give(part)
			}
		}
		return true
	}
	return false
}

// TakeNear assigns a subnet of the length that shares as many leading bits as can be
// with one of those near; the lowest of these. It is false where no stretch holds one.
func (s *Space) TakeNear(length int, near []netip.Prefix) (netip.Prefix, bool) {
	var best netip.Prefix
	shared := -1
	for l := 0; l <= length; l++ {
		for _, f := range s.lists[l] {
			for _, n := range near {
				p := netip.PrefixFrom(f.Addr(), length) // any other part of the stretch shares as many
				if common := sharedBits(f.Addr(), n.Addr()); common > shared || common == shared && p.Addr().Less(best.Addr()) {
					best, shared = p, common
				}
			}
		}
	}
	if shared < 0 {
		return s.Take(length)
	}
	if !s.TakeThis(best) { // what is reserved of an IPv6 subnet
		return s.Take(length)
	}
	return best, true
}

// TakeIn assigns a subnet of the length from what of another is free, by the rules of
// Take; false where none of it is large enough.
func (s *Space) TakeIn(length int, within netip.Prefix) (netip.Prefix, bool) {
	inner := &Space{reserved: s.reserved}
	for l := range s.lists {
		for _, f := range s.lists[l] {
			if Covers(within, f) {
				inner.Give(f)
			} else if f.Overlaps(within) {
				inner.Give(within)
			}
		}
	}
	p, ok := inner.Take(length)
	return p, ok && s.TakeThis(p)
}

// sharedBits is how many leading bits two addresses of one family have in common.
func sharedBits(a, b netip.Addr) int {
	x, y := Number(a), Number(b)
	switch n := bits.LeadingZeros64(x.hi ^ y.hi); {
	case a.Is4():
		return bits.LeadingZeros32(uint32(x.lo ^ y.lo))
	case n < 64:
		return n
	}
	return 64 + bits.LeadingZeros64(x.lo^y.lo)
}

// Shift is the subnet that lies in one prefix as p does in another, which covers it.
func Shift(p, from, to netip.Prefix) netip.Prefix {
	return netip.PrefixFrom(Moved(p.Addr(), from, to), p.Bits())
}

// LengthForSubnets is the length of the smallest subnet of the family that could hold
// subnets of these lengths, and so many per cent more addresses than they have. It is
// false where none could, or where there are none.
func LengthForSubnets(family Family, lengths []int, grow int) (int, bool) {
	width := 128
	if family == IPv4 {
		width = 32
	}
	total := new(big.Int)
	for _, l := range lengths {
		total.Add(total, new(big.Int).Lsh(big.NewInt(1), uint(width-l)))
	}
	if total.Sign() == 0 {
		return 0, false
	}
	total.Mul(total, big.NewInt(int64(100+grow))).Add(total, big.NewInt(99)).Div(total, big.NewInt(100))
	length := width - total.Sub(total, big.NewInt(1)).BitLen()
	return length, length >= 0
}

// Free lists the free stretches.
func (s *Space) Free() []netip.Prefix {
	var all []netip.Prefix
	for l := range s.lists {
		all = append(all, s.lists[l]...)
	}
	return all
}

// Subnet64 is the subnet of length 64 of an IPv6 block that has the number; false where the
// block has none.
func Subnet64(block netip.Prefix, number uint64) (netip.Prefix, bool) {
	if block.Addr().Is4() || block.Bits() > 64 || block.Bits() > 0 && number>>(64-block.Bits()) != 0 {
		return netip.Prefix{}, false
	}
	base := Number(block.Masked().Addr())
	return netip.PrefixFrom(base.plus(Wide{hi: number}).addr(block.Addr()), 64), true
}
