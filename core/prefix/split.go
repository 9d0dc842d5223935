package prefix

import (
	"iter"
	"math/big"
	"net/netip"
)

// Split cuts a subnet into those of the given length, in order. There is
// nothing where the length is shorter than the subnet's own.
func Split(p netip.Prefix, length int) iter.Seq[netip.Prefix] {
	p = p.Masked()
	return func(yield func(netip.Prefix) bool) {
		if length < p.Bits() || length > p.Addr().BitLen() {
			return
		}
		at, top := Number(p.Addr()), Number(Top(p))
		step := ones(p.Addr().BitLen() - length)
		for {
			if !yield(netip.PrefixFrom(at.addr(p.Addr()), length)) {
				return
			}
			end := at.plus(step)
			if end == top {
				return
			}
			at = end.plus(Wide{lo: 1})
		}
	}
}

// LengthForParts is the length of the largest equal parts of which the subnet
// has at least n; false where it has not so many addresses.
func LengthForParts(p netip.Prefix, n *big.Int) (int, bool) {
	length := p.Bits()
	for parts := big.NewInt(1); parts.Cmp(n) < 0; parts.Lsh(parts, 1) {
		length++
	}
	return length, length <= p.Addr().BitLen()
}

// LengthForHosts is the length of the smallest subnet of the family with at
// least n usable addresses. Of IPv4 it is 30 at most and of IPv6 64: lengths of
// 31 and 127 are for links between two routers, and an IPv6 LAN has 64
// (RFC 4291 §2.5.4), so those are asked for by length. False where no subnet
// has so many.
func LengthForHosts(family Family, n *big.Int) (int, bool) {
	width, longest, kept := 128, 64, int64(129)
	if family == IPv4 {
		width, longest, kept = 32, 30, 2
	}
	// 2^host less what is kept back is at least n where 2^host is more than
	// n + kept - 1, and so where host is that number's count of bits.
	most := new(big.Int).Add(n, big.NewInt(kept-1))
	length := min(longest, width-most.BitLen())
	return length, length >= 0
}
