package reach

import (
	"math/bits"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
)

// gone finds what failures take away: the ways that worked before and do not after.
// A way is lost with the packets of either direction.
type gone struct {
	*sweep
	after   *Matrix
	parent  []int32  // by class of after: what it was part of before
	weights *weights // of the classes of after
	wires   *parts
	hangs   [][]int32 // by class of after: the parts its members hang on
	mixed   []bool    // by class of after: that these are different ones
	lost    [][]int32 // by class of after: the classes it does not reach any more
}

// compare counts what was lost, and what goes another way. Other are the classes to
// which anybody has another step than before, or that send otherwise.
func (g *gone) compare(l *Loss, other []int32) {
	if g.places != nil {
		g.comparePlaces(l)
	} else {
		g.compareClasses(l, other)
	}
}

// compareClasses compares class by class: nothing is judged, and nobody shares an
// address.
func (g *gone) compareClasses(l *Loss, other []int32) {
	g.lost = make([][]int32, len(g.after.members))
	done := make([]bool, len(g.after.members))
	for _, b := range other {
		done[b] = true
		for a := range int32(len(done)) {
			if done[a] && a != b || !get(g.base[g.parent[a]], g.parent[b]) {
				continue
			}
			there, back := g.after.fate(a, b), g.after.fate(b, a)
			if (there|back)&fail == 0 {
				g.rerouted(l, a, b, there)
				if a != b {
					g.rerouted(l, b, a, back)
				}
				continue
			}
			g.lose(l, a, b, (there|back)&circle != 0)
			if a != b {
				g.lose(l, b, a, (there|back)&circle != 0)
			}
		}
	}
	if l.Lost == 0 {
		return
	}
	l.Ways = g.firstLost(func(p int32, visit func(int32)) {
		for _, c := range g.lost[g.after.of[p]] {
			for _, q := range g.after.members[c] {
				if g.counts(p, q) {
					visit(q)
				}
			}
		}
	})
}

func (g *gone) rerouted(l *Loss, a, b int32, f fate) {
	if f&change != 0 {
		l.Rerouted += g.weights.ways(a, b)
	}
}

// lose counts the ways from the members of one class to those of another.
func (g *gone) lose(l *Loss, a, b int32, circles bool) {
	n := g.weights.ways(a, b)
	if n == 0 {
		return
	}
	g.lost[a] = append(g.lost[a], b)
	l.Lost += n
	l.Cannot += g.cannot(a, b, n)
	if circles {
		l.Loops += n
	}
}

// hanging appends the parts of the network that a place hangs on: none while its own
// interface is down.
func (g *gone) hanging(p int32, all []int32) []int32 {
	if g.wires == nil {
		g.wires = wired(g.after.net.State)
	}
	if e := g.at(p); g.after.net.State.IsUp(e.Interface) {
		all = g.wires.appendEnds(e.Device, all)
	}
	return all
}

// hangsOn is the parts that the members of a class hang on; false where they differ.
func (g *gone) hangsOn(c int32) ([]int32, bool) {
	if g.hangs == nil {
		g.hangs, g.mixed = make([][]int32, len(g.after.members)), make([]bool, len(g.after.members))
	}
	if g.hangs[c] == nil {
		members := g.after.members[c]
		g.hangs[c] = g.hanging(members[0], []int32{})
		var room []int32
		for _, p := range members[1:] {
			room = g.hanging(p, room[:0])
			g.mixed[c] = g.mixed[c] || !slices.Equal(room, g.hangs[c])
		}
	}
	return g.hangs[c], !g.mixed[c]
}

// cannot is how many of the ways between two classes no wire is left for.
func (g *gone) cannot(a, b int32, ways int) int {
	x, same := g.hangsOn(a)
	y, also := g.hangsOn(b)
	if same && also {
		if overlap(x, y) {
			return 0
		}
		return ways
	}
	n := 0
	for _, p := range g.after.members[a] {
		for _, q := range g.after.members[b] {
			if g.counts(p, q) && !overlap(g.hanging(p, nil), g.hanging(q, nil)) {
				n++
			}
		}
	}
	return n
}

// overlap tells whether two lists have anything in common.
func overlap(a, b []int32) bool {
	return slices.ContainsFunc(a, func(x int32) bool { return slices.Contains(b, x) })
}

// comparePlaces compares place by place: where something is judged, or several answer
// for an address, each way may be a thing of its own.
func (g *gone) comparePlaces(l *Loss) {
	still := g.after.both()
	hangs := make([][]int32, len(still))
	for p := range hangs {
		hangs[p] = g.hanging(int32(p), nil)
	}
	for c, moved := range g.after.classRows(func(f fate) bool { return f&change != 0 }) {
		changed, members := g.after.expand(moved), g.after.members[c]
		for _, p := range members {
			for w := range still[p] {
				l.Rerouted += bits.OnesCount64(still[p][w] & g.places[p][w] & changed[w])
				still[p][w] = g.places[p][w] &^ still[p][w]
			}
		}
	}
	for i, lost := range still {
		p := int32(i)
		eachBit(lost, func(q int32) {
			l.Lost++
			if !overlap(hangs[p], hangs[q]) {
				l.Cannot++
			}
			if g.after.circles(p, q) {
				l.Loops++
			}
		})
	}
	if l.Lost > 0 {
		l.Ways = g.firstLost(func(p int32, visit func(int32)) { eachBit(still[p], visit) })
	}
}

// circles tells whether packets of a way go round in a loop.
func (m *Matrix) circles(p, q int32) bool {
	if m.judged != nil && get(m.judged.ways[p], q) || m.odd[p] || m.odd[q] {
		return m.ask(int(m.end[p]), int(m.end[q])).Failure.Name == finding.ForwardingLoop
	}
	return (m.between(p, q)|m.between(q, p))&circle != 0
}

// firstLost lists the first lost ways in the order of the ends, as many as wanted with
// their reasons. Each visits the places that one does not reach any more.
func (g *gone) firstLost(each func(p int32, visit func(q int32))) []Way {
	var all []Way
	var to []int32
	for i, from := range g.Ends {
		to = to[:0]
		each(g.place[i], func(q int32) { to = append(to, g.end[q]) })
		slices.Sort(to)
		for _, j := range to {
			way := Way{From: from, To: g.Ends[j], Verdict: forward.Fails}
			if len(all) < g.reasons {
				way = ask(g.after.net, from, g.Ends[j], g.over)
			}
			if all = append(all, way); len(all) == mostWays {
				return all
			}
		}
	}
	return all
}
