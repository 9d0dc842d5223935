package explain

import (
	"math/big"
	"math/bits"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// whyBlock is where a block's prefixes come from: what takes from it, growth, rounding, the
// block around it, its neighbours there, who remembers it, and the room that is left.
func (w explainer) whyBlock(id model.BlockID) Why {
	b := &w.Spec.Blocks[id]
	y := w.about(b.Name)
	tree := w.Spec.BlockTree()
	var prefixes []any
	for i := range tree {
		u := &tree[i]
		if u.Block != id {
			continue
		}
		prefixes = append(prefixes, u.Prefix.Prefix)
		steps := append(w.blockNeedSteps(id, u.Prefix), w.blockPlaceSteps(tree, u)...)
		steps = append(steps, giverStep(u.Prefix.Giver, u.Prefix.Place))
		for _, k := range b.Kept {
			if u.Prefix.Overlaps(k.Prefix) {
				steps = append(steps, step(k.Place, KeptOfBlock, k.Prefix))
			}
		}
		y.Numbers = append(y.Numbers, Origin{told(Number, u.Prefix.Prefix), append(steps, roomSteps(u)...)})
	}
	if y.Answer = told(Subnets, prefixes...); len(prefixes) == 0 {
		y.Answer = told(NoPrefix)
	}
	return y
}

// blockNeedSteps is how what takes from a block became its length.
func (w explainer) blockNeedSteps(id model.BlockID, p model.Prefix) []Reason {
	b := &w.Spec.Blocks[id]
	family := prefix.FamilyOf(p.Addr())
	asked := b.Need.Length4
	if family == prefix.IPv6 {
		asked = b.Need.Length6
	}
	var lengths []int
	var names []string
	for _, t := range w.Spec.Takers()[id] {
		for _, q := range w.Spec.TakenBy(t, family) {
			lengths = append(lengths, q.Bits())
			names = append(names, w.Spec.TakerName(t))
		}
	}
	var steps []Reason
	if len(lengths) > 0 {
		steps = append(steps, step(b.Place, TakesFrom, list(slices.Compact(names))))
	}
	if p.Giver == model.Fixed {
		return steps
	}
	if asked > 0 {
		return append(steps, step(b.Need.Place, LengthAsked, asked))
	}
	least, ok := prefix.LengthForSubnets(family, lengths, 0)
	if !ok {
		return steps
	}
	if n := total(family, lengths); family == prefix.IPv6 && least <= 64 {
		steps = append(steps, reason(TakersTogether64, in64(n), least))
	} else {
		steps = append(steps, reason(TakersTogether, n, least))
	}
	if b.Need.Grow > 0 {
		least, _ = prefix.LengthForSubnets(family, lengths, b.Need.Grow)
		steps = append(steps, reason(BlockGrowth, b.Need.Grow, least))
	}
	if family == prefix.IPv6 && (least > 64 || least%4 != 0) {
		least = min(least, 64) / 4 * 4
		steps = append(steps, reason(OnNibble, least))
	}
	if vlan, length, ok := w.numbersNeed(id, p); ok && length < least {
		least = length
		steps = append(steps, reason(NumberNeeds, vlan, least))
	}
	switch {
	case p.Bits() < least && w.hasLike(id):
		steps = append(steps, reason(AsLargeAs, b.Alike))
	case p.Bits() < least:
		steps = append(steps, reason(WasLarger, p.Bits()))
	case p.Bits() > least:
		steps = append(steps, reason(IsTooSmall, p.Bits()))
	}
	return steps
}

// numbersNeed is the highest VLAN whose number is that of a subnet in an IPv6 block, and the
// length of the block that has so high a number, on a border of four bits.
func (w explainer) numbersNeed(id model.BlockID, p model.Prefix) (model.VLAN, int, bool) {
	how := w.Spec.Blocks[id].SubnetNumber
	var vlan model.VLAN
	var highest uint64
	for _, t := range w.Spec.Takers()[id] {
		if t.Segment == model.None {
			continue
		}
		if n, ok := how.Of(w.Spec.Segments[t.Segment].VLAN); ok && n > highest {
			vlan, highest = w.Spec.Segments[t.Segment].VLAN, n
		}
	}
	if highest == 0 || p.Addr().Is4() {
		return 0, 0, false
	}
	return vlan, (64 - bits.Len64(highest)) / 4 * 4, true
}

// total is how many addresses subnets have together.
func total(family prefix.Family, lengths []int) *big.Int {
	zero := netip.IPv4Unspecified()
	if family == prefix.IPv6 {
		zero = netip.IPv6Unspecified()
	}
	sum := new(big.Int)
	for _, l := range lengths {
		sum.Add(sum, prefix.Addresses(netip.PrefixFrom(zero, l)))
	}
	return sum
}

// in64 is how many subnets of length 64 so many addresses take, one begun as a whole.
func in64(n *big.Int) *big.Int {
	up := new(big.Int).Sub(new(big.Int).Lsh(big.NewInt(1), 64), big.NewInt(1))
	return up.Rsh(up.Add(up, n), 64)
}

// hasLike tells whether others are laid out as this block is.
func (w explainer) hasLike(id model.BlockID) bool {
	for other := range w.Spec.Blocks {
		if o := &w.Spec.Blocks[other]; model.BlockID(other) != id && o.Alike != "" && o.Alike == w.Spec.Blocks[id].Alike {
			return true
		}
	}
	return false
}

// blockPlaceSteps is in which block a block lies, and between what.
func (w explainer) blockPlaceSteps(tree []model.BlockUse, u *model.BlockUse) []Reason {
	for i := range tree {
		around := &tree[i]
		if around.Block != u.Around || !prefix.Covers(around.Prefix.Prefix, u.Prefix.Prefix) {
			continue
		}
		steps := []Reason{step(around.Prefix.Place, InBlock, w.Spec.Blocks[u.Around].Name, around.Prefix.Prefix)}
		at := slices.IndexFunc(around.Stretches, func(s model.Stretch) bool { return s.Block == u.Block && s.Prefix == u.Prefix.Prefix })
		if at >= 0 {
			steps = append(steps, reason(Beside, neighbourhood{around.Stretches, at}))
		}
		return steps
	}
	return nil
}

// roomSteps is how full a block is: in IPv6 in subnets of length 64.
func roomSteps(u *model.BlockUse) []Reason {
	p := u.Prefix.Prefix
	if p.Addr().Is6() && p.Bits() <= 64 {
		steps := []Reason{reason(InUse64, in64(u.Used), in64(prefix.Addresses(p)))}
		if u.Largest.IsValid() && u.Largest.Bits() <= 64 {
			return append(steps, reason(RoomLeft64, new(big.Int).Rsh(u.Left, 64), u.Largest))
		}
		return append(steps, reason(NoRoomLeft))
	}
	steps := []Reason{reason(InUse, u.Used, prefix.Addresses(p))}
	if u.Largest.IsValid() {
		return append(steps, reason(RoomLeft, u.Left, u.Largest))
	}
	return append(steps, reason(NoRoomLeft))
}
