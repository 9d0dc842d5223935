package verify

import (
	"cmp"
	"fmt"
	"math/big"
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// blocks checks that what takes from a block lies in it, has the number of its VLAN where
// that is asked, and lies where its like do in blocks that are alike.
func (c *checker) blocks() {
	takers := c.spec.Takers()
	for b := range takers {
		for _, t := range takers[b] {
			for _, family := range prefix.Families {
				for _, p := range c.spec.TakenBy(t, family) {
					c.inItsBlock(model.BlockID(b), t, p)
				}
			}
		}
	}
	for _, a := range c.spec.AlikeBlocks() {
		for _, family := range prefix.Families {
			c.alike(&a, takers, family)
		}
	}
}

// inItsBlock reports what does not lie in the blocks it is taken from, or is not the subnet
// of its VLAN's number.
func (c *checker) inItsBlock(b model.BlockID, t model.Taker, p model.Prefix) {
	name := c.spec.TakerName(t)
	around := c.blockAround(c.spec.TakerFrom(t), p)
	if !around.IsValid() {
		if p.Giver != model.Fixed && c.offersNow(c.spec.TakerFrom(t), prefix.FamilyOf(p.Addr())) {
			c.report(finding.New(finding.OutsideItsBlock, p.Place, "%s is taken from %s, and %s does not lie in it", name, c.spec.Blocks[b].Name,
				numberOf(p)).About(name).
				Then("assign", "--renumber", name))
		}
		return
	}
	if t.Segment == model.None || p.Addr().Is4() || p.Bits() != 64 {
		return
	}
	vlan := c.spec.Segments[t.Segment].VLAN
	number, asked := c.spec.Blocks[b].SubnetNumber.Of(vlan)
	if !asked {
		return
	}
	if q, ok := prefix.Subnet64(around, number); !ok {
		c.report(finding.New(finding.SubnetNumberDiffers, p.Place, "%s has VLAN %d, and %s has no subnet number %x", name, vlan, around,
			number).About(name).
			Mend("give %s a 'length' that has that many subnets, or leave out 'subnet-number'", c.spec.Blocks[b].Name))
	} else if q != p.Prefix {
		f := finding.New(finding.SubnetNumberDiffers, p.Place, "%s has VLAN %d, and is %s in its block, not %s", name, vlan, p.Prefix,
			q).About(name)
		if owner, free := c.ownerOf(q); !free {
			f = f.Mend("%s has that", owner)
		} else if p.Giver == model.Fixed {
			f = f.Mend("write %s", q)
		} else {
			f = f.Then("assign", "--renumber", name)
		}
		c.report(f)
	}
}

// ownerOf is whose something of a subnet is; free where it is not assigned.
func (c *checker) ownerOf(p netip.Prefix) (string, bool) {
	for i := range c.spec.Segments {
		for _, q := range c.spec.Segments[i].Prefixes {
			if q.Overlaps(p) {
				return c.spec.Segments[i].Name, false
			}
		}
	}
	for _, r := range c.spec.Retired {
		if r.Prefix.Overlaps(p) && !r.Block {
			return r.Owner + ", which is gone,", false
		}
	}
	for id := range c.spec.Interfaces {
		for _, a := range c.spec.Interfaces[id].Addresses {
			if p.Contains(a.Addr()) {
				return c.spec.Label(model.InterfaceID(id)), false
			}
		}
	}
	return "", true
}

// blockAround is the prefix of one of the blocks that a number lies in; invalid where it
// lies in none.
func (c *checker) blockAround(from []model.BlockID, p model.Prefix) netip.Prefix {
	for _, b := range from {
		for _, q := range c.spec.Blocks[b].Prefixes {
			if prefix.Covers(q.Prefix, p.Prefix) {
				return q.Prefix
			}
		}
	}
	return netip.Prefix{}
}

// offersNow tells whether any of the blocks has a prefix of the family.
func (c *checker) offersNow(from []model.BlockID, family prefix.Family) bool {
	for _, b := range from {
		for _, q := range c.spec.Blocks[b].Prefixes {
			if prefix.FamilyOf(q.Addr()) == family {
				return true
			}
		}
	}
	return false
}

// numberOf is a number in words: a subnet, or an address alone.
func numberOf(p model.Prefix) string {
	if p.IsSingleIP() {
		return p.Addr().String()
	}
	return p.Prefix.String()
}

// placed is something in a block that is like others.
type placed struct {
	name  string
	block string
	at    model.Prefix
	from  *big.Int // the start of its block, in addresses; in subnets of length 64 in IPv6
}

// alike reports what does not lie where most of its like do in theirs.
func (c *checker) alike(a *model.Alike, takers [][]model.Taker, family prefix.Family) {
	kinds := map[string][]placed{}
	var order []string
	for n, b := range a.Blocks {
		for _, t := range takers[b] {
			all := c.spec.TakenBy(t, family)
			if len(all) == 0 {
				continue
			}
			around := c.blockAround([]model.BlockID{b}, all[0])
			if !around.IsValid() || c.numbered(b, t, family) {
				continue
			}
			name := c.spec.TakerName(t)
			kind := a.Kind(n, name)
			if len(kinds[kind]) == 0 {
				order = append(order, kind)
			}
			kinds[kind] = append(kinds[kind], placed{name, c.spec.Blocks[b].Name, all[0], distance(around, all[0].Prefix)})
		}
	}
	for _, kind := range order {
		c.apart(kinds[kind])
	}
}

// numbered tells whether a taker's place in IPv6 follows from its VLAN number.
func (c *checker) numbered(b model.BlockID, t model.Taker, family prefix.Family) bool {
	if family == prefix.IPv4 || t.Segment == model.None {
		return false
	}
	_, ok := c.spec.Blocks[b].SubnetNumber.Of(c.spec.Segments[t.Segment].VLAN)
	return ok
}

// distance is how far a number lies from the start of its block.
func distance(block, p netip.Prefix) *big.Int {
	n := new(big.Int).Sub(prefix.Number(p.Addr()).Int(), prefix.Number(block.Masked().Addr()).Int())
	if p.Addr().Is6() && p.Bits() <= 64 {
		n.Rsh(n, 64)
	}
	return n
}

// apart reports those of a kind that do not lie where most of them do.
func (c *checker) apart(all []placed) {
	count := map[string]int{}
	for _, x := range all {
		count[x.from.String()]++
	}
	usual := slices.MaxFunc(all, func(x, y placed) int {
		return cmp.Or(cmp.Compare(count[x.from.String()], count[y.from.String()]), y.from.Cmp(x.from))
	})
	for _, x := range all {
		if x.from.Cmp(usual.from) == 0 {
			continue
		}
		f := finding.New(finding.BlockNotAlike, x.at.Place, "%s is %s, %s into %s, and its like, such as %s, lie %s into theirs", x.name,
			numberOf(x.at), into(x), x.block, usual.name, into(usual)).About(x.name)
		switch {
		case x.at.Bits() < usual.at.Bits(): // it does not fit where its like lie, and would be given another number each time anew
			f = f.Mend("%s needs more than the /%d that its like have room for: leave it where it is, and accept this; or have all of them "+
				"need as much, and renumber them", x.name, usual.at.Bits())
		case x.at.Giver != model.Fixed:
			f = f.Then("assign", "--renumber", x.name)
		}
		c.report(f)
	}
}

// into is how far something lies into its block.
func into(x placed) string {
	unit := "addresses"
	if x.at.Addr().Is6() && x.at.Bits() <= 64 {
		unit = "subnets"
	}
	if x.from.IsInt64() && x.from.Int64() == 1 {
		unit = map[string]string{"addresses": "address", "subnets": "subnet"}[unit]
	}
	return fmt.Sprintf("%s %s", x.from, unit)
}
