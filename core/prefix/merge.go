package prefix

import (
	"cmp"
	"net/netip"
	"slices"
)

// Merge is the fewest subnets that together hold exactly the addresses of the
// given ones, IPv4 first, in order.
func Merge(all []netip.Prefix) []netip.Prefix {
	var v4 []uint64 // address and length in one number: quick to sort
	var v6 []netip.Prefix
	for _, p := range all {
		if p.Addr().Is4() {
			v4 = append(v4, Number(p.Masked().Addr()).lo<<8|uint64(p.Bits()))
		} else {
			v6 = append(v6, p.Masked())
		}
	}
	slices.Sort(v4)
	slices.SortFunc(v6, func(a, b netip.Prefix) int {
		return cmp.Or(a.Addr().Compare(b.Addr()), cmp.Compare(a.Bits(), b.Bits()))
	})
	merged := make([]netip.Prefix, 0, len(v4)/2+len(v6)/2+1)
	for _, k := range v4 {
		merged = push(merged, netip.PrefixFrom(Wide{lo: k >> 8}.addr(netip.IPv4Unspecified()), int(k&0xff)))
	}
	for _, p := range v6 {
		merged = push(merged, p)
	}
	return merged
}

// push adds a subnet to ones that are merged so far and lie before it, and
// joins halves as long as there are two.
func push(merged []netip.Prefix, p netip.Prefix) []netip.Prefix {
	if n := len(merged); n > 0 && Covers(merged[n-1], p) {
		return merged
	}
	for n := len(merged); n > 0 && merged[n-1].Bits() == p.Bits() && p.Bits() > 0; n = len(merged) {
		parent, _ := Parent(p)
		if parent.Addr() != merged[n-1].Addr() || !parent.Contains(p.Addr()) {
			break
		}
		merged, p = merged[:n-1], parent
	}
	return append(merged, p)
}

// Around is the smallest single subnet that holds all the given ones, which
// are of one family.
func Around(all []netip.Prefix) netip.Prefix {
	around := all[0].Masked()
	for _, p := range all {
		for !Covers(around, p) {
			around, _ = Parent(around)
		}
	}
	return around
}

// Without is what is left of a subnet when others are taken out of it: the
// fewest subnets, in order.
func Without(p netip.Prefix, taken []netip.Prefix) []netip.Prefix {
	var free []netip.Prefix
	p = p.Masked()
	var inside []netip.Prefix
	for _, t := range Merge(taken) {
		switch {
		case Covers(t, p):
			return nil
		case Covers(p, t):
			inside = append(inside, t)
		}
	}
	at := p // the part not looked at yet begins where at does
	for _, t := range inside {
		free = append(free, between(at.Addr(), t.Addr(), p)...)
		next := Top(t).Next()
		if !next.IsValid() || !p.Contains(next) {
			return free
		}
		at = netip.PrefixFrom(next, p.Addr().BitLen())
	}
	return append(free, between(at.Addr(), netip.Addr{}, p)...)
}

// between is the fewest subnets that hold the addresses of p from start up to,
// not including, end; up to p's own end where end is invalid.
func between(start, end netip.Addr, p netip.Prefix) []netip.Prefix {
	var all []netip.Prefix
	for start.IsValid() && p.Contains(start) && start != end {
		part := netip.PrefixFrom(start, start.BitLen())
		for {
			larger, ok := Parent(part)
			if !ok || larger.Addr() != start || larger.Bits() < p.Bits() || end.IsValid() && larger.Contains(end) {
				break
			}
			part = larger
		}
		all = append(all, part)
		start = Top(part).Next()
	}
	return all
}
