package assign

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// place gives siblings their prefixes: back what was theirs, around what they have in them,
// where blocks that are alike have theirs, and the others so that those near each other in
// the network lie next to each other.
func (g *blockGiver) place(level []model.BlockID, open []need) {
	if len(open) == 0 {
		return
	}
	var taken []netip.Prefix
	where := map[model.BlockID]int{} // among the open ones
	for i, x := range open {
		b, _ := g.spec.BlockNamed(x.owner)
		if p, because, ok := g.known(b, x); ok {
			taken = append(taken, p)
			if because.Code == WasItsOwn {
				continue
			}
			g.settle(x, p)
			continue
		}
		where[b] = i
	}
	var rest []model.BlockID
	for _, b := range level {
		if _, ok := where[b]; ok {
			rest = append(rest, b)
		}
	}
	if len(rest) == 0 {
		return
	}
	all := homes(g.spec, open[0].from, g.family)
	for _, e := range g.numbers().entries {
		taken = append(taken, e.Prefix)
	}
	taken = append(taken, g.blockEntries(level[0])...)
	spaces := make([]*prefix.Space, len(all))
	for i, h := range all {
		spaces[i] = g.space(withoutAll(h.own, prefix.NewTaken(taken)))
	}
	p := &placing{g: g, lengths: map[model.BlockID]int{}, found: map[model.BlockID]netip.Prefix{}}
	for _, b := range rest {
		p.lengths[b] = open[where[b]].length
	}
	p.place(g.near(level), spaces)
	var failed []need
	for _, b := range rest {
		if q, ok := p.found[b]; ok {
			g.settle(open[where[b]], q)
		} else {
			failed = append(failed, open[where[b]])
		}
	}
	for _, x := range failed {
		g.n.unfit(g.spec, x, all, func(h home, _ prefix.Family) *prefix.Space {
			return spaces[slices.IndexFunc(all, func(o home) bool { return o.block == h.block })]
		})
	}
}

// known is where a block goes for what was before: it had the prefix, or what takes from it
// has numbers there, or it lies where its like do in theirs.
func (g *blockGiver) known(b model.BlockID, x need) (netip.Prefix, Because, bool) {
	if x.moved == nil {
		for _, h := range g.n.retired[x.wanted] {
			if !h.kept && h.Prefix.Bits() <= x.length && g.inside(h.Prefix, x.from) && !g.meetsOtherBlock(b, h.Prefix, false) {
				g.n.restore(h)
				x.give(h.Prefix, model.Proposed, x.place)
				return h.Prefix, Because{Code: WasItsOwn}, true
			}
		}
		if p, ok := g.around(b, x.length); ok {
			return p, x.because, true
		}
	}
	parent := x.from[0]
	if around, ok := g.written(parent); ok {
		p, ok := g.slot(parent, taker{wanted: x.wanted, length: x.length}, around)
		if ok && g.inside(p, x.from) && !g.meetsOtherBlock(b, p, false) && len(g.takenIn(p)) == 0 {
			return p, x.because, true
		}
	}
	return netip.Prefix{}, Because{}, false
}

// blockEntries lists what the ledger has of blocks, but those around a block.
func (g *blockGiver) blockEntries(b model.BlockID) []netip.Prefix {
	var all []netip.Prefix
	for _, e := range g.ledger {
		if other, ok := g.spec.BlockNamed(e.Owner); !ok || other == b || !g.spec.Within(b, other) {
			all = append(all, e.Prefix)
		}
	}
	return all
}

// settle gives a block its prefix.
func (g *blockGiver) settle(x need, p netip.Prefix) {
	e := Entry{Owner: x.owner, Kind: Block, Prefix: p, Place: x.place}
	x.give(p, model.Proposed, x.place)
	if x.moved == nil {
		g.n.give(e, x.because)
		return
	}
	g.n.move(x.moved, p, x.because, g.n.grew[x.owner])
	g.n.shifts = append(g.n.shifts, shift{x.owner, x.moved.Prefix, p})
}

// cluster is a block, or blocks that hang together in the network: behind one device, or in
// one ring. The parts are in the order in which they are best put.
type cluster struct {
	block model.BlockID // None of several
	parts []*cluster
}

// placing finds places for blocks.
type placing struct {
	g       *blockGiver
	lengths map[model.BlockID]int // of those that are to find one
	found   map[model.BlockID]netip.Prefix
}

// place finds places: in one stretch for each cluster where at most half of what is free
// would go for all of them, else one by one.
func (p *placing) place(c *cluster, spaces []*prefix.Space) {
	if len(spaces) == 0 {
		return
	}
	if trial := spaces[0].Clone(); p.roomy(c, trial) {
		if p.inClusters(c, trial) {
			*spaces[0] = *trial
			return
		}
		clear(p.found)
	}
	p.oneByOne(c, spaces)
}

// roomy tells whether the clusters take half of the space at most.
func (p *placing) roomy(c *cluster, s *prefix.Space) bool {
	length, ok := p.wanted(c)
	if !ok {
		return true
	}
	largest, free := s.Largest()
	return free && length > largest.Bits()
}

// wanted is the length of a stretch that holds those of a cluster that are to find a place;
// false where there are none.
func (p *placing) wanted(c *cluster) (int, bool) {
	if c.block != model.None {
		l, ok := p.lengths[c.block]
		return l, ok
	}
	var lengths []int
	for _, part := range c.parts {
		if l, ok := p.wanted(part); ok {
			lengths = append(lengths, l)
		}
	}
	return prefix.LengthForSubnets(p.g.family, lengths, 0)
}

// had lists the prefixes that blocks of a cluster had before.
func (p *placing) had(c *cluster) []netip.Prefix {
	var all []netip.Prefix
	for _, b := range c.all() {
		if q, ok := p.g.written(b); ok {
			all = append(all, q)
		}
	}
	return all
}

// inClusters places a cluster in a space, each of its parts in a stretch of its own; false
// where that does not go.
func (p *placing) inClusters(c *cluster, s *prefix.Space) bool {
	lengths := map[*cluster]int{}
	var items []*cluster
	for _, part := range c.parts {
		if l, ok := p.wanted(part); ok {
			lengths[part] = l
			items = append(items, part)
		}
	}
	slices.SortStableFunc(items, func(a, b *cluster) int { return cmp.Compare(lengths[a], lengths[b]) })
	near := p.had(c)
	for _, x := range items {
		if x.block == model.None && len(p.had(x)) > 0 { // beside those that are there
			if !p.inClusters(x, s) {
				return false
			}
			continue
		}
		q, ok := takeNear(s, lengths[x], near)
		if !ok {
			return false
		}
		if x.block != model.None {
			p.found[x.block] = q
			continue
		}
		inner := p.g.space([]netip.Prefix{q})
		if !p.inClusters(x, inner) {
			return false
		}
		for _, left := range inner.Free() {
			s.Give(left)
		}
	}
	return true
}

// all lists the blocks of a cluster, in their order.
func (c *cluster) all() []model.BlockID {
	if c.block != model.None {
		return []model.BlockID{c.block}
	}
	var all []model.BlockID
	for _, part := range c.parts {
		all = append(all, part.all()...)
	}
	return all
}

func takeNear(s *prefix.Space, length int, near []netip.Prefix) (netip.Prefix, bool) {
	if len(near) == 0 {
		return s.Take(length)
	}
	return s.TakeNear(length, near)
}

// oneByOne places all blocks in the order of the clusters, the largest first, each beside
// those of its cluster that had a place.
func (p *placing) oneByOne(c *cluster, spaces []*prefix.Space) {
	order := c.all()
	slices.SortStableFunc(order, func(a, b model.BlockID) int { return cmp.Compare(p.lengths[a], p.lengths[b]) })
	for _, b := range order {
		length, ok := p.lengths[b]
		if !ok {
			continue
		}
		near := p.nearest(c, b)
		for _, s := range spaces {
			if q, ok := takeNear(s, length, near); ok {
				p.found[b] = q
				break
			}
		}
	}
}

// nearest is what the innermost cluster around a block has that has anything.
func (p *placing) nearest(c *cluster, b model.BlockID) []netip.Prefix {
	for _, part := range c.parts {
		if part.block == model.None && slices.Contains(part.all(), b) {
			if near := p.nearest(part, b); len(near) > 0 {
				return near
			}
		}
	}
	return p.had(c)
}
