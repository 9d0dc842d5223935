package prefix

import (
	"container/heap"
	"net/netip"
	"slices"
)

// Space is free address space of one family, from which subnets are taken.
type Space struct {
	lists    [129]lowest // free stretches by their length
	reserved bool        // IPv6: what no router or loopback should have is left out
}

// NewSpace is the space of the free stretches, which do not overlap.
func NewSpace(free []netip.Prefix) *Space {
	s := &Space{}
	for _, p := range free {
		heap.Push(&s.lists[p.Bits()], p)
	}
	return s
}

// lowest is a heap of stretches, the lowest on top.
type lowest []netip.Prefix

func (l lowest) Len() int           { return len(l) }
func (l lowest) Less(i, j int) bool { return l[i].Addr().Less(l[j].Addr()) }
func (l lowest) Swap(i, j int)      { l[i], l[j] = l[j], l[i] }
func (l *lowest) Push(x any)        { *l = append(*l, x.(netip.Prefix)) }
func (l *lowest) Pop() any {
	last := (*l)[len(*l)-1]
	*l = (*l)[:len(*l)-1]
	return last
}

// Take assigns a subnet of the length, from the start of the smallest
// stretch that holds it, and keeps what is left of that. It is false where no
// stretch does.
func (s *Space) Take(length int) (netip.Prefix, bool) {
	for l := length; l >= 0; l-- {
		if s.lists[l].Len() == 0 {
			continue
		}
		p := heap.Pop(&s.lists[l]).(netip.Prefix)
		for p.Bits() < length {
			if s.reserved && p.Bits() == 64 {
				for _, part := range between64(p) {
					heap.Push(&s.lists[part.Bits()], part)
				}
				return s.Take(length)
			}
			p = netip.PrefixFrom(p.Addr(), p.Bits()+1)
			upper, _ := Next(p)
			heap.Push(&s.lists[p.Bits()], upper)
		}
		return p, true
	}
	return netip.Prefix{}, false
}

// LeaveReserved keeps the space from assigning parts of an IPv6 subnet of
// length 64 that hold its subnet-router anycast address or its reserved anycast
// addresses (RFC 6164 §5.1, RFC 2526 §2).
func (s *Space) LeaveReserved() {
	s.reserved = true
	for l := 65; l <= 128; l++ {
		old := s.lists[l]
		s.lists[l] = nil
		for _, p := range old {
			for _, part := range Without(p, reservedOf(netip.PrefixFrom(p.Addr(), 64).Masked())) {
				heap.Push(&s.lists[part.Bits()], part)
			}
		}
	}
}

// between64 is what of an IPv6 subnet of length 64 may be cut up.
func between64(p netip.Prefix) []netip.Prefix { return Without(p, reservedOf(p)) }

// reservedOf is the parts of an IPv6 subnet of length 64 that hold anycast
// addresses: the lowest two addresses, the 128 of RFC 2526 and the highest 256.
func reservedOf(p netip.Prefix) []netip.Prefix {
	if p.Addr().Is4() {
		return nil
	}
	base := Number(p.Addr())
	at := func(low uint64, length int) netip.Prefix {
		return netip.PrefixFrom(base.plus(Wide{lo: low}).addr(p.Addr()), length)
	}
	return []netip.Prefix{at(0, 127), at(0xfdffffffffffff80, 121), at(0xffffffffffffff00, 120)}
}

// Largest is the largest stretch that is free, the lowest of those.
func (s *Space) Largest() (netip.Prefix, bool) {
	for l := range s.lists {
		if s.lists[l].Len() > 0 {
			return s.lists[l][0], true
		}
	}
	return netip.Prefix{}, false
}

// Best is the length of the stretch that Take would use; false where none
// holds the length.
func (s *Space) Best(length int) (int, bool) {
	for l := length; l >= 0; l-- {
		if s.lists[l].Len() > 0 {
			return l, true
		}
	}
	return 0, false
}

// Stretch is the fewest subnets that hold the addresses from first to last,
// both of one family and in this order.
func Stretch(first, last netip.Addr) []netip.Prefix {
	return between(first, last.Next(), netip.PrefixFrom(first, 0).Masked())
}

// Taken tells quickly what of a set of subnets an address or subnet meets.
type Taken struct{ merged []netip.Prefix }

// NewTaken is the set of the addresses of all the subnets.
func NewTaken(all []netip.Prefix) Taken { return Taken{Merge(all)} }

// Meets tells whether the subnet has an address of the set.
func (t Taken) Meets(p netip.Prefix) bool {
	top := Top(p)
	i, _ := slices.BinarySearchFunc(t.merged, p, func(m, p netip.Prefix) int { return Top(m).Compare(p.Addr()) })
	return i < len(t.merged) && !top.Less(t.merged[i].Addr())
}

// Within lists the parts of the set that are in the subnet, as the fewest
// subnets; the subnet itself where all of it is.
func (t Taken) Within(p netip.Prefix) []netip.Prefix {
	i, _ := slices.BinarySearchFunc(t.merged, p, func(m, p netip.Prefix) int { return Top(m).Compare(p.Addr()) })
	top := Top(p)
	j := i
	for j < len(t.merged) && !top.Less(t.merged[j].Addr()) {
		j++
	}
	return t.merged[i:j]
}

// Distance is how far the IPv4 address b lies behind a.
func Distance(a, b netip.Addr) int64 { return int64(Number(b).lo) - int64(Number(a).lo) }
