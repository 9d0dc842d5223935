package assign

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// template is how blocks that are laid out alike are laid out: where in each, thought to
// begin at zero, lies what.
type template struct {
	ok     bool
	length int
	slots  map[string]netip.Prefix // by what a taker is in all the blocks
}

// kindred is what is the same thing in blocks that are laid out alike.
type kindred struct {
	name   string
	count  int                  // in how many of the blocks there is one
	length int                  // of the largest
	at     map[netip.Prefix]int // where those lie that have a number, and how many there
}

// template is that of a block's kind; nil where it is like no other.
func (g *blockGiver) template(b model.BlockID) *template {
	word := g.spec.Blocks[b].Alike
	if word == "" {
		return nil
	}
	if t, ok := g.templates[word]; ok {
		return t
	}
	t := &template{slots: map[string]netip.Prefix{}}
	g.templates[word] = t
	g.layOut(t, &g.alike[g.group[b]])
	return t
}

// layOut finds the place of each kind: where most of those lie that have a number, else in
// what is free in all of the blocks, the largest first.
func (g *blockGiver) layOut(t *template, alike *model.Alike) {
	var kinds []*kindred
	var used []netip.Prefix
	grow := 0
	for n, b := range alike.Blocks {
		grow = max(grow, g.spec.Blocks[b].Need.Grow)
		had, known := g.had(b)
		base := netip.PrefixFrom(g.zero(), max(0, had.Bits()))
		if known {
			for _, p := range g.takenIn(had) {
				if prefix.Covers(had, p) {
					used = append(used, prefix.Shift(p, had, base))
				}
			}
		}
		for _, x := range g.all(b) {
			if p, numbered := g.numbered(b, x); numbered {
				used = append(used, p)
				continue
			}
			name := g.kind(alike, n, x)
			i := slices.IndexFunc(kinds, func(k *kindred) bool { return k.name == name })
			if i < 0 {
				i, kinds = len(kinds), append(kinds, &kindred{name: name, length: x.length, at: map[netip.Prefix]int{}})
			}
			kinds[i].count++
			kinds[i].length = min(kinds[i].length, x.length)
			if known && x.has.IsValid() && prefix.Covers(had, x.has) {
				at := prefix.Shift(x.has, had, base)
				kinds[i].at[netip.PrefixFrom(at.Addr(), at.Addr().BitLen())]++
				used = append(used, at)
			}
		}
	}
	var open []*kindred
	var lengths []int
	for _, k := range kinds {
		if k.count < 2 {
			continue // it has none like it, and lies where there is room
		}
		lengths = append(lengths, k.length)
		at, known := k.usual()
		if !known {
			open = append(open, k)
			continue
		}
		slot := netip.PrefixFrom(at, k.length)
		if slot != slot.Masked() || g.meetsOther(used, slot, at) {
			slot = netip.PrefixFrom(at, at.BitLen()) // whoever needs more has to lie elsewhere
		}
		t.slots[k.name] = slot
		used = append(used, slot)
	}
	slices.SortStableFunc(open, func(a, b *kindred) int { return a.length - b.length })
	length, ok := prefix.LengthForSubnets(g.family, lengths, grow)
	if !ok {
		return
	}
	if g.family == prefix.IPv6 {
		length = min(length, 64)
	}
	for ; length >= 0; length-- {
		whole := netip.PrefixFrom(g.zero(), length)
		outside := slices.ContainsFunc(used, func(p netip.Prefix) bool { return !prefix.Covers(whole, p) })
		if !outside && g.fill(t, alike.Blocks[0], whole, used, open) {
			t.ok, t.length = true, g.rounded(length)
			return
		}
	}
}

// usual is where most of a kind lie, the lowest of these.
func (k *kindred) usual() (netip.Addr, bool) {
	var best netip.Prefix
	for p, n := range k.at {
		if !best.IsValid() || n > k.at[best] || n == k.at[best] && p.Addr().Less(best.Addr()) {
			best = p
		}
	}
	return best.Addr(), best.IsValid()
}

// meetsOther tells whether a slot meets anything used but what begins where it does.
func (g *blockGiver) meetsOther(used []netip.Prefix, slot netip.Prefix, at netip.Addr) bool {
	return slices.ContainsFunc(used, func(p netip.Prefix) bool { return p.Addr() != at && p.Overlaps(slot) })
}

// fill gives the open kinds their places in what is left of a block.
func (g *blockGiver) fill(t *template, b model.BlockID, whole netip.Prefix, used []netip.Prefix, open []*kindred) bool {
	space := g.space(prefix.Without(whole, used))
	for _, k := range open {
		p, ok := g.takeUnnumbered(space, b, whole, k.length)
		if !ok {
			p, ok = space.Take(k.length)
		}
		if !ok {
			return false
		}
		t.slots[k.name] = p
	}
	return true
}

// kind is what a taker is in all the blocks.
func (g *blockGiver) kind(alike *model.Alike, n int, t taker) string {
	return t.kind.String() + " " + alike.Kind(n, t.owner)
}

// slot is where in its block, which lies at p, a taker is to lie; false where anywhere will
// do.
func (g *blockGiver) slot(b model.BlockID, t taker, p netip.Prefix) (netip.Prefix, bool) {
	zero := netip.PrefixFrom(g.zero(), p.Bits())
	q, ok := g.numbered(b, t)
	if alike := g.template(b); !ok && alike != nil {
		if q, ok = alike.slots[g.kind(&g.alike[g.group[b]], g.rank[b], t)]; ok {
			if ok = t.length >= q.Bits(); ok {
				q = netip.PrefixFrom(q.Addr(), t.length)
			}
		}
	}
	if !ok || !prefix.Covers(zero, q) {
		return netip.Prefix{}, false
	}
	return prefix.Shift(q, zero, p), true
}

// keepSlots remembers where the subnets and loopbacks are to lie that have no number yet.
func (g *blockGiver) keepSlots() {
	for b := range g.spec.Blocks {
		p, ok := g.written(model.BlockID(b))
		if block := &g.spec.Blocks[b]; !ok || block.Alike == "" && block.SubnetNumber == model.AnySubnet {
			continue
		}
		if !slices.ContainsFunc(g.takers[b], func(t taker) bool { return !t.has.IsValid() }) {
			continue
		}
		space := g.space(prefix.Without(p, g.takenOf(model.BlockID(b), p)))
		var rest []taker
		for _, t := range g.takers[b] {
			if t.has.IsValid() {
				continue
			}
			if q, ok := g.slot(model.BlockID(b), t, p); ok && space.TakeThis(q) {
				g.n.slots[t.wanted] = q
			} else {
				rest = append(rest, t)
			}
		}
		slices.SortStableFunc(rest, func(a, b taker) int { return a.length - b.length })
		for _, t := range rest {
			if q, ok := g.takeUnnumbered(space, model.BlockID(b), p, t.length); ok {
				g.n.slots[t.wanted] = q
			}
		}
	}
}

// takeUnnumbered takes a subnet of a block in which subnets have the numbers of VLANs from
// what no VLAN will ever have; false where that is no such block, or nothing of it is free.
func (g *blockGiver) takeUnnumbered(space *prefix.Space, b model.BlockID, block netip.Prefix, length int) (netip.Prefix, bool) {
	how := g.spec.Blocks[b].SubnetNumber
	if how == model.AnySubnet || g.family == prefix.IPv4 || length < 64 {
		return netip.Prefix{}, false
	}
	for n := uint64(0); n < 1<<16; n++ {
		within, ok := prefix.Subnet64(block, n)
		if !ok {
			break
		}
		if how.Never(n) {
			if p, ok := space.TakeIn(length, within); ok {
				return p, true
			}
		}
	}
	return netip.Prefix{}, false
}
