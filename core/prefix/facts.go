package prefix

import (
	"math/big"
	"net/netip"
)

// Facts is all there is to say of a subnet, and of an address in it.
type Facts struct {
	Asked    netip.Prefix // as asked, host bits and all
	Subnet   netip.Prefix
	Address  netip.Addr // the address asked about; invalid where only the subnet was
	Role     Role       // what Address is in Subnet
	Position Wide       // which usable address it is, from 1; 0 where it is none

	Mask, InverseMask      netip.Addr
	First, Last            netip.Addr // usable
	Broadcast              netip.Addr // invalid where there is none
	Addresses, Usable      *big.Int
	Previous, Next, Parent netip.Prefix // invalid at the edges of the address space
	Scope                  Scope
}

// FactsOf gathers the facts of p. A p without host bits is taken for the
// subnet itself, unless it is a single address.
func FactsOf(p netip.Prefix) Facts {
	f := Facts{
		Asked: p, Subnet: p.Masked(),
		Mask: Mask(p), InverseMask: InverseMask(p),
		First: First(p), Last: Last(p),
		Addresses: Addresses(p), Usable: Usable(p),
		Scope: ScopeOf(p.Addr()),
	}
	if p.Addr() != f.Subnet.Addr() || p.IsSingleIP() {
		f.Address, f.Role = p.Addr(), RoleOf(p, p.Addr())
		f.Position, _ = Position(p, p.Addr())
	}
	f.Broadcast, _ = Broadcast(p)
	f.Previous, _ = Previous(p)
	f.Next, _ = Next(p)
	f.Parent, _ = Parent(p)
	return f
}

// Ending is what English puts behind an ordinal number: st, nd, rd or th.
func Ending(n *big.Int) string {
	hundred := new(big.Int).Mod(n, big.NewInt(100)).Int64()
	ending := "th"
	if hundred < 11 || hundred > 13 {
		switch hundred % 10 {
		case 1:
			ending = "st"
		case 2:
			ending = "nd"
		case 3:
			ending = "rd"
		}
	}
	return ending
}

// Ordinal is an ordinal number in figures: 1st, 22nd.
func Ordinal(n *big.Int) string { return n.String() + Ending(n) }
