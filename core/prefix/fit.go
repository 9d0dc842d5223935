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
	Site   string   // "" where it belongs to none
	Hosts  *big.Int // usable addresses wanted, growth and what is its own included
	Length int

	Said *big.Int // the hosts as said
	Grow int      // per cent more, a part of a host as a whole one
	Own  int      // addresses of routers and switches on top
}

// NeedOf is the need of so many hosts, of growth in per cent, and of addresses of routers
// and switches on top.
func NeedOf(name string, hosts *big.Int, grow, own int) Need {
	n := Need{Name: name, Said: hosts, Grow: grow, Own: own}
	n.Hosts = new(big.Int).Mul(hosts, big.NewInt(int64(100+grow)))
	n.Hosts.Add(n.Hosts, big.NewInt(99)).Div(n.Hosts, big.NewInt(100)).Add(n.Hosts, big.NewInt(int64(own)))
	return n
}

// Given is a subnet given to a need.
type Given struct {
	Need
	Subnet netip.Prefix
	Spare  *big.Int     // usable addresses beyond those wanted; nil where a length was wanted
	Rank   int          // the how many-th that was placed, from 1
	From   netip.Prefix // the free stretch it was cut from

	Smaller netip.Prefix // the subnet half the size, which would not hold it; invalid where a length was wanted, or none is smaller
}

// Full tells whether a need leaves no usable address of its subnet for a router: with one
// it would want a larger subnet.
func (g Given) Full() bool {
	return g.Length == 0 && g.Own == 0 && g.Spare.Sign() == 0 && g.Subnet.Addr().Is4()
}

// SiteBlock is the block given to a site, from which its needs have theirs.
type SiteBlock struct {
	Name string
	Given
	Free []netip.Prefix
}

// Fitted is how needs were fitted into a block.
type Fitted struct {
	Block netip.Prefix
	Sites []SiteBlock // in the order in which needs name them
	Given []Given     // in the order of the needs
	Free  []netip.Prefix
	Used  *big.Int // addresses given or taken before; those of a site's block only as far as they are given
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
	for _, n := range needs {
		if n.Site != "" && !slices.ContainsFunc(f.Sites, func(s SiteBlock) bool { return s.Name == n.Site }) {
			f.Sites = append(f.Sites, SiteBlock{Name: n.Site})
		}
	}
	free := Without(block, used)
	if err := f.placeSites(free, needs, keepOrder); err != nil {
		return Fitted{}, err
	}
	taken := slices.Clone(used)
	for i := range f.Sites {
		s := &f.Sites[i]
		within, err := f.placeNeeds(Without(s.Subnet, used), needs, s.Name, keepOrder)
		if err != nil {
			return Fitted{}, err
		}
		s.Free = Without(s.Subnet, append(slices.Clone(used), within...))
		taken = append(taken, s.Subnet)
	}
	rest, err := f.placeNeeds(Without(block, taken), needs, "", keepOrder)
	if err != nil {
		return Fitted{}, err
	}
	f.Free = Without(block, append(taken, rest...))
	f.Used = Addresses(block)
	for _, p := range f.Free {
		f.Used.Sub(f.Used, Addresses(p))
	}
	for _, s := range f.Sites {
		for _, p := range s.Free {
			f.Used.Sub(f.Used, Addresses(p))
		}
	}
	return f, nil
}

// placeSites gives each site a block: as large as its needs in all, in IPv6 on a border of
// four bits.
func (f *Fitted) placeSites(free []netip.Prefix, needs []Need, keepOrder bool) error {
	family := FamilyOf(f.Block.Addr())
	blocks := make([]Need, len(f.Sites))
	for i := range f.Sites {
		s := &f.Sites[i]
		var lengths []int
		for _, n := range needs {
			if n.Site != s.Name {
				continue
			}
			length, err := n.length(family)
			if err != nil {
				return err
			}
			lengths = append(lengths, length)
		}
		blocks[i] = Need{Name: s.Name}
		blocks[i].Length, _ = LengthForSubnets(family, lengths, 0)
		for keepOrder && blocks[i].Length > 0 {
			if _, failed := placeInOrder([]netip.Prefix{netip.PrefixFrom(f.Block.Addr(), blocks[i].Length).Masked()}, lengths); failed < 0 {
				break // in the order of the needs there may be gaps between them
			}
			blocks[i].Length--
		}
		if family == IPv6 {
			blocks[i].Length = min(blocks[i].Length, 64) / 4 * 4
		}
	}
	given, err := place(f.Block, free, blocks, keepOrder)
	if err != nil {
		return err
	}
	for i := range f.Sites {
		f.Sites[i].Given = given[i]
	}
	return nil
}

// placeNeeds gives the needs of a site their subnets, and lists these.
func (f *Fitted) placeNeeds(free []netip.Prefix, needs []Need, site string, keepOrder bool) ([]netip.Prefix, error) {
	var at []int
	var own []Need
	for i, n := range needs {
		if n.Site == site {
			at, own = append(at, i), append(own, n)
		}
	}
	given, err := place(f.Block, free, own, keepOrder)
	if err != nil {
		return nil, err
	}
	var subnets []netip.Prefix
	for i, g := range given {
		f.Given[at[i]] = g
		subnets = append(subnets, g.Subnet)
	}
	return subnets, nil
}

// length is that of the smallest subnet that holds the need.
func (n Need) length(family Family) (int, error) {
	if n.Length > 0 {
		return n.Length, nil
	}
	length, ok := LengthForHosts(family, n.Hosts)
	if !ok {
		return 0, fmt.Errorf("no subnet has %s usable addresses, as %s wants", n.Hosts, n.Name)
	}
	return length, nil
}

// place gives needs their subnets out of free stretches of a block.
func place(block netip.Prefix, free []netip.Prefix, needs []Need, keepOrder bool) ([]Given, error) {
	lengths := make([]int, len(needs))
	for i, n := range needs {
		length, err := n.length(FamilyOf(block.Addr()))
		if err != nil {
			return nil, err
		}
		lengths[i] = length
	}
	how := placeLargestFirst
	if keepOrder {
		how = placeInOrder
	}
	given, failed := how(free, lengths)
	if failed >= 0 {
		return nil, &Unfit{needs[failed], lengths[failed], shortage(block, free, lengths)}
	}
	for i, n := range needs {
		given[i].Need = n
		if n.Length == 0 {
			p := given[i].Subnet
			given[i].Spare = new(big.Int).Sub(Usable(p), n.Hosts)
			if half := netip.PrefixFrom(p.Addr(), p.Bits()+1); half.IsValid() && Usable(half).Cmp(n.Hosts) < 0 {
				given[i].Smaller = half
			}
		}
	}
	return given, nil
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
func placeLargestFirst(free []netip.Prefix, lengths []int) (given []Given, failed int) {
	space := NewSpace(free)
	order := make([]int, len(lengths))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return lengths[a] - lengths[b] })
	given = make([]Given, len(lengths))
	for n, i := range order {
		stretch, _ := space.Best(lengths[i])
		p, ok := space.Take(lengths[i])
		if !ok {
			return nil, i
		}
		given[i] = Given{Subnet: p, Rank: n + 1, From: netip.PrefixFrom(p.Addr(), stretch)}
	}
	return given, -1
}

// placeInOrder places subnets one behind the other.
func placeInOrder(free []netip.Prefix, lengths []int) (given []Given, failed int) {
	for i, length := range lengths {
		placed := false
		for len(free) > 0 && !placed {
			if free[0].Bits() > length {
				// Too small on its own; with its neighbours it was not one stretch.
				free = free[1:]
				continue
			}
			p := netip.PrefixFrom(free[0].Addr(), length)
			given, placed = append(given, Given{Subnet: p, Rank: i + 1, From: free[0]}), true
			rest := Without(free[0], []netip.Prefix{p})
			free = append(rest, free[1:]...)
		}
		if !placed {
			return nil, i
		}
	}
	return given, -1
}
