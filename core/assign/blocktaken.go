package assign

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// taken is everything of a family that has an owner by the plan or the ledger, and
// everything kept, blocks apart.
type taken struct {
	entries []Entry      // in the order of addresses
	last    []netip.Addr // by entry: the last address of those so far
	space   prefix.Taken
}

// numbers is what is taken of the family.
func (g *blockGiver) numbers() *taken {
	if g.n.numbers[g.family] != nil {
		return g.n.numbers[g.family]
	}
	all := []Entry{}
	for _, p := range g.spec.Claimed {
		all = append(all, Entry{Prefix: p})
	}
	for i := range g.spec.Segments {
		for _, p := range g.spec.Segments[i].Prefixes {
			all = append(all, Entry{Owner: g.spec.Segments[i].Name, Kind: Subnet, Prefix: p.Prefix})
		}
	}
	for _, b := range g.spec.Blocks {
		for _, p := range b.Kept {
			all = append(all, Entry{Prefix: p.Prefix})
		}
	}
	for _, e := range g.n.ledger.Entries {
		if e.Kind == Subnet || e.Kind == Loopback {
			all = append(all, e)
		}
	}
	all = slices.DeleteFunc(all, func(e Entry) bool { return e.family() != g.family })
	slices.SortFunc(all, func(a, b Entry) int {
		return cmp.Or(a.Prefix.Addr().Compare(b.Prefix.Addr()), cmp.Compare(a.Prefix.Bits(), b.Prefix.Bits()))
	})
	t := &taken{entries: all, last: make([]netip.Addr, len(all))}
	prefixes := make([]netip.Prefix, len(all))
	for i, e := range all {
		prefixes[i], t.last[i] = e.Prefix, prefix.Top(e.Prefix)
		if i > 0 && t.last[i].Less(t.last[i-1]) {
			t.last[i] = t.last[i-1]
		}
	}
	t.space = prefix.NewTaken(prefixes)
	g.n.numbers[g.family] = t
	return t
}

// in lists the entries that have an address of a prefix.
func (t *taken) in(p netip.Prefix) []Entry {
	top := prefix.Top(p)
	end, _ := slices.BinarySearchFunc(t.entries, top, func(e Entry, top netip.Addr) int {
		if top.Less(e.Prefix.Addr()) {
			return 1
		}
		return -1
	})
	var all []Entry
	for i := end - 1; i >= 0 && !t.last[i].Less(p.Addr()); i-- {
		if p.Overlaps(t.entries[i].Prefix) {
			all = append(all, t.entries[i])
		}
	}
	return all
}

// takenIn lists what of a prefix is taken, blocks apart.
func (g *blockGiver) takenIn(p netip.Prefix) []netip.Prefix { return g.numbers().space.Within(p) }

// takenOf lists what of a prefix is taken, the blocks among it that are taken from b.
func (g *blockGiver) takenOf(b model.BlockID, p netip.Prefix) []netip.Prefix {
	all := g.takenIn(p)
	for _, c := range g.children[b] {
		if q, ok := g.had(c); ok && p.Overlaps(q) {
			all = append(all, q)
		}
	}
	return all
}

// meetsOtherBlock tells whether a prefix has an address of one that another block has or had,
// but those within b and those around it; with present only those of blocks that there are:
// one that is gone may have had what b's takers have.
func (g *blockGiver) meetsOtherBlock(b model.BlockID, p netip.Prefix, present bool) bool {
	related := func(other model.BlockID) bool { return g.spec.Within(b, other) || g.spec.Within(other, b) }
	for other := range g.spec.Blocks {
		if q, ok := g.written(model.BlockID(other)); ok && p.Overlaps(q) && !related(model.BlockID(other)) {
			return true
		}
	}
	for _, e := range g.ledger {
		if !p.Overlaps(e.Prefix) || e.Owner == g.spec.Blocks[b].Name {
			continue
		}
		if other, ok := g.spec.BlockNamed(e.Owner); ok && !related(other) || !ok && !present {
			return true
		}
	}
	return false
}

// onlyIts tells whether what of a prefix lies beyond the block's present one is free, or
// the block's own.
func (g *blockGiver) onlyIts(b model.BlockID, larger, present netip.Prefix) bool {
	own := g.owners(b)
	for _, e := range g.numbers().in(larger) {
		if !prefix.Covers(present, e.Prefix) && !own[e.Owner] {
			return false
		}
	}
	return !g.meetsOtherBlock(b, larger, false)
}

// within lists all that takes from a block, and from blocks within it.
func (g *blockGiver) within(b model.BlockID) []taker {
	all := slices.Clone(g.takers[b])
	for _, c := range g.children[b] {
		all = append(all, g.within(c)...)
	}
	return all
}

// owners is the names of all that takes from a block, and from blocks within it.
func (g *blockGiver) owners(b model.BlockID) map[string]bool {
	all := map[string]bool{}
	for _, t := range g.within(b) {
		all[t.owner] = true
	}
	return all
}
