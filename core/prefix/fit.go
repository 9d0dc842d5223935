package prefix

import (
	"fmt"
	"math/big"
	"net/netip"
	"slices"
)

// Need is one subnet wanted: by hosts, or by length where Length is not 0.
type Need struct {
	Name   string
	Hosts  *big.Int // usable addresses wanted, growth included
	Length int
}

// Given is a subnet given to a need.
type Given struct {
	Need
	Subnet netip.Prefix
	Spare  *big.Int // usable addresses beyond those wanted; nil where a length was wanted
}

// Fitted is how needs were fitted into a block.
type Fitted struct {
	Block netip.Prefix
	Given []Given // in the order of the needs
	Free  []netip.Prefix
	Used  *big.Int // addresses given or taken before
}

// Unfit is the error of needs that a block cannot hold.
type Unfit struct {
	First Need     // the first that found no place
	Bits  int      // the length it wants
	Short *big.Int // how many addresses are missing in all; 0 where only their order or what is taken is in the way
}

func (u *Unfit) Error() string {
	text := fmt.Sprintf("%s, which wants a subnet of length %d, finds no place", u.First.Name, u.Bits)
	if u.Short.Sign() > 0 {
		text += fmt.Sprintf("; in all %s addresses are missing", u.Short)
	}
	return text
}

// Fit gives each need the smallest subnet that holds it. Larger ones are placed
// first, each in the smallest free stretch that holds it and there at the
// start: as every size divides every larger one, that fits whatever can be
// fitted. With keepOrder the subnets lie in the order of the needs instead,
// each as early as it can. Used are stretches of the block that are taken
// already. An *Unfit tells that they do not fit.
func Fit(block netip.Prefix, used []netip.Prefix, needs []Need, keepOrder bool) (Fitted, error) {
	block = block.Masked()
	f := Fitted{Block: block, Given: make([]Given, len(needs))}
	lengths := make([]int, len(needs))
	for i, n := range needs {
		lengths[i] = n.Length
		if n.Length == 0 {
			length, ok := LengthForHosts(FamilyOf(block.Addr()), n.Hosts)
			if !ok {
				return Fitted{}, fmt.Errorf("no subnet has %s usable addresses, as %s wants", n.Hosts, n.Name)
			}
			lengths[i] = length
		}
	}
	free := Without(block, used)
	place := placeLargestFirst
	if keepOrder {
		place = placeInOrder
	}
	subnets, failed := place(free, lengths)
	if failed >= 0 {
		return Fitted{}, &Unfit{needs[failed], lengths[failed], shortage(block, free, lengths)}
	}
	for i, n := range needs {
		f.Given[i] = Given{Need: n, Subnet: subnets[i]}
		if n.Length == 0 {
			f.Given[i].Spare = new(big.Int).Sub(Usable(subnets[i]), n.Hosts)
		}
	}
	taken := append(slices.Clone(used), subnets...)
	f.Free = Without(block, taken)
	f.Used = Addresses(block)
	for _, p := range f.Free {
		f.Used.Sub(f.Used, Addresses(p))
	}
	return f, nil
}

// shortage is how many more addresses are wanted than are free.
func shortage(block netip.Prefix, free []netip.Prefix, lengths []int) *big.Int {
	short := new(big.Int)
	for _, l := range lengths {
		short.Add(short, Addresses(netip.PrefixFrom(block.Addr(), l)))
	}
	for _, p := range free {
		short.Sub(short, Addresses(p))
	}
	if short.Sign() < 0 {
		short.SetInt64(0)
	}
	return short
}

// placeLargestFirst places subnets of the given lengths. Failed is the first
// one that found no place, -1 where all did.
func placeLargestFirst(free []netip.Prefix, lengths []int) (subnets []netip.Prefix, failed int) {
	space := NewSpace(free)
	order := make([]int, len(lengths))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return lengths[a] - lengths[b] })
	subnets = make([]netip.Prefix, len(lengths))
	for _, i := range order {
		p, ok := space.Take(lengths[i])
		if !ok {
			return nil, i
		}
		subnets[i] = p
	}
	return subnets, -1
}

// placeInOrder places subnets one behind the other.
func placeInOrder(free []netip.Prefix, lengths []int) (subnets []netip.Prefix, failed int) {
	for i, length := range lengths {
		placed := false
		for len(free) > 0 && !placed {
			if free[0].Bits() > length {
				// Too small on its own; with its neighbours it was not one stretch.
				free = free[1:]
				continue
			}
			p := netip.PrefixFrom(free[0].Addr(), length)
			rest := Without(free[0], []netip.Prefix{p})
			free = append(rest, free[1:]...)
			subnets, placed = append(subnets, p), true
		}
		if !placed {
			return nil, i
		}
	}
	return subnets, -1
}
