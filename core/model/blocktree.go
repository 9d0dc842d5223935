package model

import (
	"cmp"
	"math/big"
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
)

// BlockUse is one prefix of a block, and how it is used.
type BlockUse struct {
	Block     BlockID
	Prefix    Prefix
	Depth     int       // in how many blocks it lies
	Around    BlockID   // the innermost of these; None where it lies in none
	Stretches []Stretch // what lies where; a block within as one
	Used      *big.Int  // how many addresses are in use, in the blocks within too
	Left      *big.Int  // how many are free and in no block within
	Largest   netip.Prefix
	all       []Stretch
}

// BlockTree lists the prefixes of all blocks in the order of addresses, IPv4 first, each
// before those that lie within it, with what lies in them.
func (s *Spec) BlockTree() []BlockUse {
	all := s.nestedBlocks()
	x := s.inOrder()
	for i := range all {
		s.use(all, i, x)
	}
	return all
}

// nestedBlocks is BlockTree without what lies in them.
func (s *Spec) nestedBlocks() []BlockUse {
	var all []BlockUse
	for b := range s.Blocks {
		for _, p := range s.Blocks[b].Prefixes {
			all = append(all, BlockUse{Block: BlockID(b), Prefix: p, Around: None})
		}
	}
	slices.SortStableFunc(all, func(x, y BlockUse) int {
		outer := 0
		if x.Prefix.Prefix == y.Prefix.Prefix && s.Within(x.Block, y.Block) {
			outer = 1
		}
		return cmp.Or(cmp.Compare(x.Prefix.Addr().BitLen(), y.Prefix.Addr().BitLen()), x.Prefix.Addr().Compare(y.Prefix.Addr()),
			cmp.Compare(x.Prefix.Bits(), y.Prefix.Bits()), outer)
	})
	var around []int
	for i := range all {
		for len(around) > 0 && !prefix.Covers(all[around[len(around)-1]].Prefix.Prefix, all[i].Prefix.Prefix) {
			around = around[:len(around)-1]
		}
		if all[i].Depth = len(around); all[i].Depth > 0 {
			all[i].Around = all[around[len(around)-1]].Block
		}
		around = append(around, i)
	}
	return all
}

// use works out how a prefix is used.
func (s *Spec) use(all []BlockUse, i int, held *space) {
	x := &all[i]
	x.all = s.stretches(x.Prefix.Prefix, held)
	x.Used = Taken(x.Prefix.Prefix, x.all)
	var within []netip.Prefix
	for j := i + 1; j < len(all) && all[j].Depth > x.Depth; j++ {
		if all[j].Depth == x.Depth+1 {
			within = append(within, all[j].Prefix.Prefix)
			x.Stretches = append(x.Stretches, Stretch{Prefix: all[j].Prefix.Prefix, Segment: None, Interface: None, Block: all[j].Block})
		}
	}
	inner := prefix.NewTaken(within)
	x.Left = new(big.Int)
	for _, part := range x.all {
		if inner.Meets(part.Prefix) && len(prefix.Without(part.Prefix, inner.Within(part.Prefix))) == 0 {
			continue
		}
		if !part.Free {
			x.Stretches = append(x.Stretches, part)
			continue
		}
		for _, free := range prefix.Without(part.Prefix, inner.Within(part.Prefix)) {
			y := part
			y.Prefix = free
			x.Stretches = append(x.Stretches, y)
			x.Left.Add(x.Left, prefix.Addresses(free))
			if !x.Largest.IsValid() || free.Bits() < x.Largest.Bits() {
				x.Largest = free
			}
		}
	}
	slices.SortStableFunc(x.Stretches, func(a, b Stretch) int {
		return cmp.Or(a.Prefix.Addr().Compare(b.Prefix.Addr()), cmp.Compare(a.Prefix.Bits(), b.Prefix.Bits()))
	})
}

// Shares tells how much of each of n equal parts of the prefix is in use.
func (x *BlockUse) Shares(n int) []Share { return Shares(x.Prefix.Prefix, x.all, n) }
