package prefix

import "net/netip"

// Relation is how two subnets lie to one another.
type Relation uint8

const (
	Apart     Relation = iota // nothing in common and not side by side
	Same                      // the same subnet
	Contains                  // the first takes in the second
	Within                    // the first is within the second
	Mergeable                 // side by side, the two halves of one subnet
	Adjacent                  // side by side, but no subnet is just the two
)

// Relate tells how a lies to b. Two subnets never overlap otherwise than by
// one taking in the other.
func Relate(a, b netip.Prefix) Relation {
	a, b = a.Masked(), b.Masked()
	switch {
	case a.Addr().Is4() != b.Addr().Is4():
		return Apart
	case a == b:
		return Same
	case Covers(a, b):
		return Contains
	case Covers(b, a):
		return Within
	}
	if parent, ok := Parent(a); ok && a.Bits() == b.Bits() && Covers(parent, b) {
		return Mergeable
	}
	if Top(a).Next() == b.Addr() || Top(b).Next() == a.Addr() {
		return Adjacent
	}
	return Apart
}
