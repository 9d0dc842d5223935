package assign

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// blocks assigns the blocks that are taken from others, those of a family together:
// how large each is follows from what takes from it, the innermost first; where each lies,
// from the outermost on.
func (n *Numbering) blocks(spec *model.Spec, asked []need) {
	if !slices.ContainsFunc(spec.Blocks,
		func(b model.Block) bool { return len(b.From) > 0 || b.Alike != "" || b.SubnetNumber != model.AnySubnet }) {
		return
	}
	alike := spec.AlikeBlocks()
	empty := make([]bool, len(spec.Blocks))
	for b := range spec.Blocks {
		empty[b] = len(spec.Blocks[b].From) > 0
	}
	n.slots = map[wanted]netip.Prefix{}
	for _, family := range prefix.Families {
		g := newBlockGiver(n, spec, family, alike, asked)
		g.give()
		g.keepSlots()
		for b := range empty {
			empty[b] = empty[b] && !g.sized[b].ok
		}
	}
	for b, none := range empty {
		if block := &spec.Blocks[b]; none && len(block.Prefixes) == 0 {
			n.report(finding.New(finding.BlockUnsized, block.Need.Place,
				"%s is given nothing: nothing takes from it, and it does not say how large it is", block.Name).About(block.Name).
				Mend("add 'length:', or say 'from: %s' where something takes from it", block.Name))
		}
	}
}

// blockGiver assigns the blocks of one family.
type blockGiver struct {
	n      *Numbering
	spec   *model.Spec
	family prefix.Family
	alike  []model.Alike

	takers    [][]taker // by block
	children  [][]model.BlockID
	sized     []sized
	ledger    []Entry // of blocks, of the family
	group     []int   // by block: which of alike it is of, and the how many-th of it; -1 where it is of none
	rank      []int
	templates map[string]*template
}

// taker is what takes from a block: a subnet, a loopback or another block.
type taker struct {
	wanted
	length int
	has    netip.Prefix // by the plan or the ledger; invalid where it has none yet
	vlan   model.VLAN   // of a segment
}

func newBlockGiver(n *Numbering, spec *model.Spec, family prefix.Family, alike []model.Alike, asked []need) *blockGiver {
	g := &blockGiver{
		n: n, spec: spec, family: family, alike: alike, templates: map[string]*template{},
		takers: make([][]taker, len(spec.Blocks)), children: make([][]model.BlockID, len(spec.Blocks)), sized: make([]sized, len(spec.Blocks)),
	}
	for _, e := range n.ledger.Entries {
		if e.Kind == Block && e.family() == family {
			g.ledger = append(g.ledger, e)
		}
	}
	for range spec.Blocks {
		g.group, g.rank = append(g.group, -1), append(g.rank, -1)
	}
	for i, a := range alike {
		for n, b := range a.Blocks {
			g.group[b], g.rank[b] = i, n
		}
	}
	for i := range asked {
		x := &asked[i]
		if x.family != family || len(x.from) == 0 || !x.wants && !x.fixed.IsValid() {
			continue
		}
		t := taker{wanted: x.wanted, length: x.length, has: x.fixed.Prefix}
		if x.segment != nil {
			t.vlan = x.segment.VLAN
		}
		if h := n.entries[x.wanted]; h != nil && !t.has.IsValid() {
			if t.has = h.Prefix; n.grow[x.owner] || n.renumber[x.owner] {
				t.has = netip.Prefix{} // it wants another, while it has this one
			}
		}
		if t.has.IsValid() {
			t.length = t.has.Bits()
		}
		g.takers[x.from[0]] = append(g.takers[x.from[0]], t)
	}
	for b := range spec.Blocks {
		if from := spec.Blocks[b].From; len(from) > 0 {
			g.children[from[0]] = append(g.children[from[0]], model.BlockID(b))
		}
	}
	return g
}

func (g *blockGiver) key(b model.BlockID) wanted {
	return wanted{g.spec.Blocks[b].Name, Block, g.family}
}

// written is the block's prefix of the family where the plan says it.
func (g *blockGiver) written(b model.BlockID) (netip.Prefix, bool) {
	for _, p := range g.spec.Blocks[b].Prefixes {
		if prefix.FamilyOf(p.Addr()) == g.family {
			return p.Prefix, true
		}
	}
	return netip.Prefix{}, false
}

// had is what the block has so far: as written, or as the ledger has it.
func (g *blockGiver) had(b model.BlockID) (netip.Prefix, bool) {
	if p, ok := g.written(b); ok {
		return p, true
	}
	if h := g.n.entries[g.key(b)]; h != nil {
		return h.Prefix, true
	}
	return netip.Prefix{}, false
}

// all is what takes from a block, the blocks within among it.
func (g *blockGiver) all(b model.BlockID) []taker {
	all := slices.Clone(g.takers[b])
	for _, c := range g.children[b] {
		if s := g.size(c); s.ok {
			t := taker{wanted: g.key(c), length: s.length}
			if p, ok := g.had(c); ok && !g.n.renumber[t.owner] {
				t.has, t.length = p, p.Bits()
			}
			all = append(all, t)
		}
	}
	return all
}

func (g *blockGiver) space(free []netip.Prefix) *prefix.Space {
	s := prefix.NewSpace(free)
	if g.family == prefix.IPv6 {
		s.LeaveReserved()
	}
	return s
}

// give gives the blocks out, those that take from one another from the outermost on.
func (g *blockGiver) give() {
	depth := make([]int, len(g.spec.Blocks))
	var depthOf func(b model.BlockID) int
	depthOf = func(b model.BlockID) int {
		if depth[b] == 0 {
			depth[b] = 1
			for _, from := range g.spec.Blocks[b].From {
				depth[b] = max(depth[b], 1+depthOf(from))
			}
		}
		return depth[b]
	}
	var order []model.BlockID
	for b := range g.spec.Blocks {
		depthOf(model.BlockID(b))
		order = append(order, model.BlockID(b))
	}
	slices.SortStableFunc(order, func(a, b model.BlockID) int { return cmp.Compare(depth[a], depth[b]) })
	for len(order) > 0 {
		first := order[0]
		level, rest := []model.BlockID{}, order[:0:0]
		for _, b := range order { // those that take from the same
			if depth[b] == depth[first] && slices.Equal(g.spec.Blocks[b].From, g.spec.Blocks[first].From) {
				level = append(level, b)
			} else {
				rest = append(rest, b)
			}
		}
		order = rest
		if len(g.spec.Blocks[first].From) > 0 {
			g.siblings(level)
		} else {
			for _, b := range level {
				g.size(b)
			}
		}
	}
}

// siblings assigns blocks that take from the same.
func (g *blockGiver) siblings(level []model.BlockID) {
	g.againstOneAnother(level)
	var open []need
	for _, b := range level {
		size, h := g.size(b), g.n.entries[g.key(b)]
		if p, ok := g.written(b); ok {
			if h != nil && h.Prefix == p {
				g.n.keep(h)
			}
			continue
		}
		if !size.ok || !g.hasSpace(g.spec.Blocks[b].From) {
			if h != nil { // nothing says any more how large it is; it stays as it is
				g.n.keep(h)
				g.set(b, model.Prefix{Prefix: h.Prefix, Place: h.Place, Giver: model.Remembered})
			}
			continue
		}
		x := g.need(b, size)
		if h != nil {
			if p, ok := g.hold(b, h, size); ok {
				g.set(b, p)
				continue
			}
			x.moved, x.length = h, min(x.length, h.Prefix.Bits())
		}
		open = append(open, x)
	}
	g.place(level, open)
}

func (g *blockGiver) set(b model.BlockID, p model.Prefix) {
	g.spec.Blocks[b].Prefixes = append(g.spec.Blocks[b].Prefixes, p)
}

// hasSpace tells whether any of the blocks has its prefix of the family.
func (g *blockGiver) hasSpace(from []model.BlockID) bool {
	return slices.ContainsFunc(from, func(f model.BlockID) bool { _, ok := g.written(f); return ok })
}

func (g *blockGiver) need(b model.BlockID, s sized) need {
	block := &g.spec.Blocks[b]
	x := need{wanted: g.key(b), length: s.length, from: block.From, place: block.Need.Place, because: s.because, wants: true}
	x.give = func(p netip.Prefix, giver model.Giver, place source.Place) {
		g.set(b, model.Prefix{Prefix: p, Place: place, Giver: giver})
	}
	return x
}

// againstOneAnother refuses what the ledger has of siblings where it overlaps.
func (g *blockGiver) againstOneAnother(level []model.BlockID) {
	var all []*held
	for _, b := range level {
		if h := g.n.entries[g.key(b)]; h != nil {
			all = append(all, h)
		}
	}
	slices.SortStableFunc(all, func(a, b *held) int {
		return cmp.Or(a.Prefix.Addr().Compare(b.Prefix.Addr()), cmp.Compare(a.Prefix.Bits(), b.Prefix.Bits()))
	})
	for i := 1; i < len(all); i++ {
		if a, b := all[i-1], all[i]; a.Prefix.Overlaps(b.Prefix) {
			if b.Place.Before(a.Place) {
				a, b = b, a
			}
			g.n.report(finding.New(finding.LedgerBroken, b.Place, "%s overlaps %s, which %s was given %s", b.Number(), a.Number(), a.Owner,
				a.Place.From(b.Place)).With(a.Place))
			all[i] = all[i-1]
		}
	}
}

// hold is what becomes of a block that has a prefix: it stays, or grows where it lies. It is
// false where it is to have another, as was asked.
func (g *blockGiver) hold(b model.BlockID, h *held, size sized) (model.Prefix, bool) {
	name := g.spec.Blocks[b].Name
	present := h.Prefix
	if to, s := g.n.shifted(present); s != nil {
		g.n.move(h, to, s.because(), false)
		return model.Prefix{Prefix: to, Place: h.Place, Giver: model.Proposed}, true
	}
	if g.n.renumber[name] {
		return model.Prefix{}, false
	}
	stay := func() (model.Prefix, bool) {
		g.n.keep(h)
		return model.Prefix{Prefix: present, Place: h.Place, Giver: model.Remembered}, true
	}
	least := g.least(b, present)
	target := least
	if g.n.grow[name] {
		target = min(least, size.length)
	}
	if target >= present.Bits() {
		if size.own < present.Bits() {
			g.n.report(finding.New(finding.BlockBelowHeadRoom, g.spec.Blocks[b].Need.Place,
				"%s has less room left than it should: %s, and it should have length %d (%s)", name, present, size.own, size.because.Words()).
				About(name).With(h.Place).Then("assign", "--grow", name))
		}
		return stay()
	}
	g.n.grew[name] = true
	larger := netip.PrefixFrom(present.Addr(), target).Masked()
	if g.inside(larger, g.spec.Blocks[b].From) && g.onlyIts(b, larger, present) {
		h.kept = true
		e := Entry{Owner: name, Kind: Block, Prefix: larger, Place: h.Place}
		g.n.next = append(g.n.next, e)
		g.n.changes = append(g.n.changes, Change{What: Grown, Entry: e, Was: present.String(), Because: size.because})
		return model.Prefix{Prefix: larger, Place: h.Place, Giver: model.Proposed}, true
	}
	if g.n.grow[name] {
		return model.Prefix{}, false
	}
	g.n.report(finding.New(finding.BlockOutgrown, g.spec.Blocks[b].Need.Place,
		"%s has outgrown %s: what takes from it needs length %d, and beside it not all is free", name, present, target).
		About(name).With(h.Place).Then("assign", "--grow", name))
	return stay()
}

// least is the length the block needs at least: its present one where everything without a
// number finds a place, or that of the smallest around it where everything would if the
// rest of that were free.
func (g *blockGiver) least(b model.BlockID, present netip.Prefix) int {
	var lengths []int
	var at []netip.Prefix
	for _, t := range g.all(b) {
		switch q, ok := g.slot(b, t, present); {
		case t.has.IsValid():
		case ok:
			at = append(at, q)
		default:
			lengths = append(lengths, t.length)
		}
	}
	length := present.Bits()
	for ; length > 0 && len(lengths)+len(at) > 0; length-- {
		around := netip.PrefixFrom(present.Addr(), length).Masked()
		if g.rounded(length) == length || length == present.Bits() {
			if g.holds(around, g.takenOf(b, present), at, lengths) {
				break
			}
		}
	}
	asked := g.spec.Blocks[b].Need.Length4
	if g.family == prefix.IPv6 {
		asked = g.spec.Blocks[b].Need.Length6
	}
	if asked > 0 {
		length = min(length, asked)
	}
	return length
}

// inside tells whether a prefix is in the own space of any of the blocks.
func (g *blockGiver) inside(p netip.Prefix, from []model.BlockID) bool {
	for _, home := range homes(g.spec, from, g.family) {
		for _, own := range home.own {
			if prefix.Covers(own, p) {
				return true
			}
		}
	}
	return false
}

// around is where a block is best put whose takers have numbers already: where most of
// them lie, with room for the others, and as little of anybody else as can be.
func (g *blockGiver) around(b model.BlockID, length int) (netip.Prefix, bool) {
	own := g.owners(b)
	count := map[netip.Prefix]int{}
	for _, t := range g.within(b) {
		if h := g.n.entries[t.wanted]; h != nil && !g.n.renumber[t.owner] && h.Prefix.Bits() >= length {
			count[netip.PrefixFrom(h.Prefix.Addr(), length).Masked()]++
		}
	}
	if len(count) == 0 {
		return netip.Prefix{}, false
	}
	var best netip.Prefix
	var bestRank [2]int
	for p, n := range count {
		if g.meetsOtherBlock(b, p, true) || !g.inside(p, g.spec.Blocks[b].From) || !g.holdsOpen(b, p) {
			continue
		}
		foreign := 0
		for _, e := range g.numbers().in(p) {
			if !own[e.Owner] {
				foreign = 1
			}
		}
		if rank := [2]int{foreign, -n}; !best.IsValid() || slices.Compare(rank[:], bestRank[:]) < 0 || rank == bestRank &&
			p.Addr().Less(best.Addr()) {
			best, bestRank = p, rank
		}
	}
	return best, best.IsValid()
}

// holdsOpen tells whether what takes from a block and has no number finds a place in p.
func (g *blockGiver) holdsOpen(b model.BlockID, p netip.Prefix) bool {
	var lengths []int
	for _, t := range g.all(b) {
		if !t.has.IsValid() {
			lengths = append(lengths, t.length)
		}
	}
	return len(lengths) == 0 || g.holds(p, g.takenOf(b, p), nil, lengths)
}
