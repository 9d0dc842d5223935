package derive

import (
	"cmp"
	"context"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/parallel"
)

// flaw is what the routes as they are emitted do with the addresses of a leaf, and must not.
type flaw struct {
	leaf    int32
	failure failureID // none where nothing is broken
	devices []model.DeviceID
	kind    FlawKind
}

// mostFlaws is how many flaws are looked for in one leaf: what mends one mends most.
const mostFlaws = 4

// flaws proves the routes as they are emitted, after summaries, discards and what was left out: with nothing broken,
// and in every failure, no packet circles or leaves for beyond the plan, and what the classes have arrive arrives.
// What every device treats just as was worked out for its class, which was proven, is not followed again.
func (a *answer) flaws(e *emitted) []flaw {
	x := a.newTableProof(e)
	columns := x.columns()
	found := make([][]flaw, len(columns))
	_ = parallel.Workers(context.Background(), len(columns), func() func(int) error {
		w := newTableWalk(x)
		return func(i int) error { found[i] = w.prove(columns[i]); return nil }
	})
	return append(slices.Concat(found...), x.unheard()...)
}

// tableProof is routes as they are emitted, ready to be followed.
type tableProof struct {
	*lookup
	leaves []int32    // of the tree, in their order
	place  []int32    // by node: where a leaf stands among them
	top    [][]int32  // by device, then leaf: one more than which of its groups is the longest there; 0, its default
	chains [][][]line // by device, then as top has it: the lines that are tried, in their order
	wants  [][][]line // by device, then label: its lines
}

func (a *answer) newTableProof(e *emitted) *tableProof {
	x := &tableProof{lookup: a.lookupOf(e), top: make([][]int32, len(e.made)), chains: make([][][]line, len(e.made)),
		wants: make([][][]line, len(e.made))}
	s := x.space
	from, to := make([]int32, len(s.nodes)), make([]int32, len(s.nodes))
	var walk func(n int32)
	walk = func(n int32) {
		from[n] = int32(len(x.leaves))
		if node := &s.nodes[n]; node.class == mixed {
			walk(node.child[0])
			walk(node.child[1])
		} else {
			x.leaves = append(x.leaves, n)
		}
		to[n] = int32(len(x.leaves))
	}
	for _, root := range s.roots {
		walk(root)
	}
	parallel.Each(len(a.deriving), func(i int) {
		d := a.deriving[i]
		if t := x.made[d]; t != nil {
			x.wants[d] = make([][]line, len(t.first))
			for l := range t.first {
				x.wants[d][l], _ = t.until(label(l), drop)
			}
		}
		var groups []*group
		for _, g := range x.groups[d] {
			if g.node != none {
				groups = append(groups, g)
			}
		}
		slices.SortFunc(groups, func(g, h *group) int { // the widest first
			p, q := s.nodes[g.node].prefix, s.nodes[h.node].prefix
			return cmp.Or(cmp.Compare(p.Bits(), q.Bits()), p.Addr().Compare(q.Addr()))
		})
		top, chains := make([]int32, len(x.leaves)), make([][]line, 1+len(groups))
		if g := x.groups[d][none]; g != nil {
			chains[0] = chain(g.lines, nil)
		}
		for i, g := range groups {
			wider := int32(0)
			if from[g.node] < to[g.node] {
				wider = top[from[g.node]]
			}
			chains[i+1] = chain(g.lines, chains[wider])
			for k := from[g.node]; k < to[g.node]; k++ {
				top[k] = int32(i + 1)
			}
		}
		x.top[d], x.chains[d] = top, chains
	})
	return x
}

// chain is lines and those that follow them, up to where nothing is sent any more.
func chain(lines, then []line) []line {
	var all []line
	for _, l := range slices.Concat(lines, then) {
		if l == nowhere {
			break
		}
		if !slices.Contains(all, line{l.step, none}) && !slices.Contains(all, l) {
			all = append(all, l)
		}
	}
	return all
}

// lookupOf is how packets fare by routes as they are emitted.
func (a *answer) lookupOf(e *emitted) *lookup {
	nodes := map[netip.Prefix]int32{}
	for n := range e.space.nodes { // what is all that another is not comes before what holds both
		nodes[e.space.nodes[n].prefix] = int32(n)
	}
	x := &lookup{answer: a, emitted: *e, nodes: nodes, groups: make([]map[int32]*group, len(e.made))}
	parallel.Each(len(a.deriving), func(i int) { x.groups[a.deriving[i]] = x.groupsOf(e.made[a.deriving[i]]) })
	return x
}

// columns lists by their place one leaf of each kind that has to be followed: those that all devices treat alike are of
// one kind.
func (x *tableProof) columns() []int32 {
	hash := make([]uint64, len(x.leaves))
	for _, d := range x.deriving {
		for i, t := range x.top[d] {
			hash[i] = (hash[i] ^ uint64(t)) * 0x9e3779b97f4a7c15
			hash[i] ^= hash[i] >> 29
		}
	}
	type kind struct {
		hash  uint64
		class classID
		free  bool
	}
	seen, exact := map[kind]bool{}, map[uint64]bool{} // exact: of a class that was proven, and just as it was
	first := func(free bool) []int32 {
		var all []int32
		for i, n := range x.leaves {
			node := &x.space.nodes[n]
			if k := (kind{hash[i], node.class, node.free}); node.free == free && !seen[k] && !(free && exact[k.hash]) {
				seen[k] = true
				all = append(all, int32(i))
			}
		}
		return all
	}
	taken := first(false)
	is := x.areExact(taken)
	var all []int32
	for i, at := range taken {
		if is[i] {
			exact[hash[at]] = true
		} else {
			all = append(all, at)
		}
	}
	return append(all, first(true)...)
}

// areExact reports of which leaves every device does just what was worked out for the class, which was proven.
func (x *tableProof) areExact(leaves []int32) []bool {
	is, classes := make([]bool, len(leaves)), make([]classID, len(leaves))
	for i, at := range leaves {
		if c := x.classOf(x.leaves[at]); c != nil {
			is[i], classes[i] = !c.demanded && c.options != nil && c.sound, c.id
		}
	}
	const together = 1 << 10 // of one device at a time: what is known of it stays at hand
	parallel.Each((len(leaves)+together-1)/together, func(part int) {
		from, to := part*together, min((part+1)*together, len(leaves))
		for _, d := range x.deriving {
			if x.groups[d] == nil {
				clear(is[from:to])
				return
			}
			of, top, chains, wants := x.made[d].of, x.top[d], x.chains[d], x.wants[d]
			for i := from; i < to; i++ {
				is[i] = is[i] && slices.Equal(chains[top[leaves[i]]], wants[of[classes[i]]])
			}
		}
	})
	return is
}

// tableWalk follows packets by the routes as they are emitted, and is kept between one leaf and the next.
type tableWalk struct {
	*tableProof
	model    *walker
	chain    [][]heard // by device: the lines that are tried to the leaf, in their order
	first    []int32   // by failure, and one more: where those whose line a failure takes begin in affected
	affected []model.DeviceID
	epoch    []uint32 // by device: when it was come by
	now      uint32
	path     []model.DeviceID
	ends     []ending // by device: how its packets end, in this epoch
}

// heard is a line, and what it watches.
type heard struct {
	line
	watch *watch
}

type ending uint8

const (
	unknownEnd ending = iota
	atOwner
	lostOnWay
	inCircle
	beyondPlan
)

func newTableWalk(x *tableProof) *tableWalk {
	n := len(x.g.leaving)
	return &tableWalk{tableProof: x, model: newWalker(x.answer), first: make([]int32, len(x.g.failures)+2), epoch: make([]uint32, n),
		ends: make([]ending, n), chain: make([][]heard, n)}
}

// lineAt is the line a device takes to the leaf under a failure; nil where it takes none.
func (w *tableWalk) lineAt(d model.DeviceID, f *failure) *heard {
	for i := range w.chain[d] {
		if l := &w.chain[d][i]; f.effect[l.step] != seen && (l.watch == nil || !w.isSilent(l.watch, f)) {
			return l
		}
	}
	return nil
}

// prove lists flaws of the leaf at a place.
func (w *tableWalk) prove(at int32) []flaw {
	for _, d := range w.deriving {
		w.chain[d] = w.chain[d][:0]
		if w.groups[d] == nil {
			continue
		}
		for _, l := range w.chains[d][w.top[d][at]] {
			h := heard{line: l}
			if l.watch != none {
				h.watch = w.made[d].watches[l]
			}
			w.chain[d] = append(w.chain[d], h)
		}
	}
	leaf := w.leaves[at]
	c := w.classOf(leaf)
	if w.space.nodes[leaf].free {
		c = nil
	}
	var all []flaw
	w.now++
	for _, d := range w.deriving {
		all = w.from(all, d, leaf, c, w.nothing)
	}
	w.affected = byKey(w.first, w.affected, func(add func(int32, model.DeviceID)) {
		if c != nil { // whose own interface a failure takes
			for _, o := range c.owners {
				of := func(f failureID) bool { add(int32(f), o.device); return true }
				for _, s := range w.g.leaving[o.device] {
					if w.g.steps[s].out == o.on {
						w.eachFailure([]stepID{s}, of)
					}
				}
				for _, f := range w.downs {
					of(f)
				}
			}
		}
		for _, d := range w.deriving {
			if w.groups[d] == nil {
				continue
			}
			l := w.lineAt(d, w.nothing)
			if l == nil {
				continue
			}
			of := func(f failureID) bool { add(int32(f), d); return true }
			w.eachFailure([]stepID{l.step}, of)
			if l.watch != nil {
				w.eachFailure(l.watch.steps(), of)
			}
		}
	})
	for id := range w.g.failures {
		f := &w.g.failures[id]
		w.now++
		for _, d := range w.affected[w.first[id]:w.first[id+1]] {
			all = w.from(all, d, leaf, c, f)
		}
		if len(all) >= mostFlaws {
			break
		}
	}
	return all
}

// from adds the flaw that the packets of a device to a leaf meet under a failure, if any.
func (w *tableWalk) from(all []flaw, d model.DeviceID, leaf int32, c *class, f *failure) []flaw {
	if d == f.fails || w.groups[d] == nil || w.epoch[d] == w.now {
		return all
	}
	w.path = w.path[:0]
	at, end := d, lostOnWay
	for {
		if w.epoch[at] == w.now {
			if end = w.ends[at]; end == unknownEnd {
				end = inCircle
			}
			break
		}
		w.epoch[at], w.ends[at] = w.now, unknownEnd
		w.path = append(w.path, at)
		if c != nil && c.isOwner(at) && w.holds(c, at, f) {
			end = atOwner
			break
		}
		if w.groups[at] == nil {
			end = lostOnWay // by written routes: of what they do the checks tell
			break
		}
		l := w.lineAt(at, f)
		if l == nil || f.effect[l.step] != whole {
			break
		}
		next := w.g.to[l.step]
		if next == f.fails {
			break
		}
		if w.g.beyond[next] {
			if !(c != nil && w.holds(c, next, f)) && !w.worldMay(leaf) {
				end = beyondPlan
			}
			break
		}
		at = next
	}
	for _, x := range w.path {
		w.ends[x] = end
	}
	switch {
	case end == inCircle && len(w.path) > 0 && w.epochStart(at):
		start := max(0, slices.Index(w.path, at))
		all = append(all, flaw{leaf, f.id, slices.Clone(w.path[start:]), Circling})
	case end == beyondPlan:
		all = append(all, flaw{leaf, f.id, []model.DeviceID{w.path[len(w.path)-1]}, Leaking})
	case end == lostOnWay && w.isRequired(c, d, f) && w.wouldArrive(c, d, f):
		all = append(all, flaw{leaf, f.id, []model.DeviceID{d}, Losing})
	}
	return all
}

// isRequired reports whether packets of a device are to arrive at a class under a failure, if any path leads there.
func (w *tableWalk) isRequired(c *class, d model.DeviceID, f *failure) bool {
	return c != nil && c.wanted && (f.required || f.id == none) &&
		w.need[d][c.id] && len(c.first) > 0 && (c.first[d] != none || c.isOwner(d)) &&
		slices.ContainsFunc(c.owners, func(o owner) bool { return w.holds(c, o.device, f) })
}

// epochStart reports whether a circle was met for the first time: at a device of the path at hand.
func (w *tableWalk) epochStart(at model.DeviceID) bool { return slices.Contains(w.path, at) }

// worldMay reports whether addresses of a leaf may leave for beyond the plan: of a subnet that lies in no block.
func (w *tableWalk) worldMay(leaf int32) bool {
	c := w.classOf(leaf)
	return c != nil && c.outside && !c.wanted
}

// wouldArrive reports whether packets arrive by what was worked out for the class.
func (w *tableWalk) wouldArrive(c *class, d model.DeviceID, f *failure) bool {
	return c.options != nil && w.model.under(c, f).walk(d) == arrives
}
