// Package prefix is arithmetic on subnets and the addresses in them, for IPv4
// and IPv6 alike, on top of net/netip.
//
// A subnet is a netip.Prefix without host bits (as Masked leaves it); an
// address in its subnet is a netip.Prefix with them.
package prefix

import (
	"math/big"
	"net/netip"
)

// hostBits is the number of bits behind the prefix, 0 to 128.
func hostBits(p netip.Prefix) int { return p.Addr().BitLen() - p.Bits() }

// Mask is the prefix length as a mask: 255.255.255.192 for a length of 26.
func Mask(p netip.Prefix) netip.Addr {
	width := p.Addr().BitLen()
	return ones(width).minus(ones(hostBits(p))).addr(p.Addr())
}

// InverseMask is the mask with every bit turned over: 0.0.0.63 for a length
// of 26.
func InverseMask(p netip.Prefix) netip.Addr { return ones(hostBits(p)).addr(p.Addr()) }

// Top is the highest address of the prefix, usable or not.
func Top(p netip.Prefix) netip.Addr {
	p = p.Masked()
	return Number(p.Addr()).plus(ones(hostBits(p))).addr(p.Addr())
}

// Broadcast is the subnet's directed broadcast address (RFC 919). IPv6 has
// none, nor have IPv4 subnets of length 31 (RFC 3021) and 32.
func Broadcast(p netip.Prefix) (netip.Addr, bool) {
	if !p.Addr().Is4() || p.Bits() > 30 {
		return netip.Addr{}, false
	}
	return Top(p), true
}

// Addresses is how many addresses the prefix holds.
func Addresses(p netip.Prefix) *big.Int {
	return new(big.Int).Lsh(big.NewInt(1), uint(hostBits(p)))
}

// Next is the subnet of the same size right behind p, false at the end of the
// address space.
func Next(p netip.Prefix) (netip.Prefix, bool) {
	a := Top(p).Next()
	if !a.IsValid() {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(a, p.Bits()), true
}

// Previous is the subnet of the same size right before p, false at the start
// of the address space.
func Previous(p netip.Prefix) (netip.Prefix, bool) {
	a := p.Masked().Addr().Prev()
	if !a.IsValid() {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(a, p.Bits()).Masked(), true
}

// Parent is the subnet twice the size that holds p, false for a length of 0.
func Parent(p netip.Prefix) (netip.Prefix, bool) {
	if p.Bits() == 0 {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(p.Addr(), p.Bits()-1).Masked(), true
}

// Covers tells whether every address of b is in a.
func Covers(a, b netip.Prefix) bool { return a.Bits() <= b.Bits() && a.Contains(b.Addr()) }
