package prefix

import "net/netip"

// Family is IPv4 or IPv6.
type Family uint8

const (
	IPv4 Family = iota
	IPv6
)

// Families are both, in the order in which they are told.
var Families = [...]Family{IPv4, IPv6}

// Only is which families are meant: both, or one of them.
type Only uint8

const (
	Both Only = iota
	Only4
	Only6
)

// Has tells whether a family is meant.
func (o Only) Has(f Family) bool { return o == Both || (o == Only4) == (f == IPv4) }

// FamilyOf is the family of an address; a valid one.
func FamilyOf(a netip.Addr) Family { return FamilyIf(a.Is4()) }

// FamilyIf is IPv4 if something holds, else IPv6.
func FamilyIf(is4 bool) Family {
	if is4 {
		return IPv4
	}
	return IPv6
}

func (f Family) String() string { return [...]string{"IPv4", "IPv6"}[f] }

// Bits is how long its addresses are: 32 or 128.
func (f Family) Bits() int { return [...]int{32, 128}[f] }

// Everything is the prefix of all its addresses, that of a default route.
func (f Family) Everything() netip.Prefix {
	if f == IPv4 {
		return netip.PrefixFrom(netip.IPv4Unspecified(), 0)
	}
	return netip.PrefixFrom(netip.IPv6Unspecified(), 0)
}
