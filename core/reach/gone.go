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
	hangs   [][]int32 // by class of after: the parts its members hang on; nil where they differ
	lost    [][]uint64
}

// compare counts what was lost, and what goes another way.
func (g *gone) compare(l *Loss) {
	g.wires = wired(g.after.net.State)
	if g.places != nil {
		g.comparePlaces(l)
	} else {
		g.compareClasses(l)
	}
}

// compareClasses compares class by class: nothing is judged, and nobody shares an
// address.
func (g *gone) compareClasses(l *Loss) {
	works := g.after.works()
	g.lost = bitRows(len(works), g.after.rowWords())
	g.hangs = make([][]int32, len(works))
	for c, members := range g.after.members {
		g.hangs[c] = g.hanging(members[0], nil)
		var room []int32
		for _, p := range members[1:] {
			if room = g.hanging(p, room[:0]); !slices.Equal(room, g.hangs[c]) {
				g.hangs[c] = nil
				break
			}
		}
	}
	for a := range int32(len(works)) {
		base, from := g.base[g.parent[a]], g.after.from[a]
		for b := range int32(len(works)) {
			switch {
			case !get(base, g.parent[b]):
			case !get(works[a], b):
				n := g.weights.ways(a, b)
				if n == 0 {
					continue
				}
				put(g.lost[a], b/64, 1<<(b%64), true)
				l.Lost += n
				l.Cannot += g.cannot(a, b, n)
				if get(from.circles, b) || get(g.after.from[b].circles, a) {
					l.Loops += n
				}
			case get(from.changed, b):
				l.Rerouted += g.weights.ways(a, b)
			}
		}
	}
	if l.Lost == 0 {
		return
	}
	l.Ways = g.firstLost(func(p int32, visit func(int32)) {
		eachBit(g.lost[g.after.of[p]], func(c int32) {
			for _, q := range g.after.members[c] {
				if g.counts(p, q) {
					visit(q)
				}
			}
		})
	})
}

// hanging appends the parts of the network that a place hangs on: none while its own
// interface is down.
func (g *gone) hanging(p int32, all []int32) []int32 {
	e := g.at(p)
	if g.after.net.State.IsUp(e.Interface) {
		all = g.wires.appendEnds(e.Device, all)
	}
	if all == nil {
		all = []int32{}
	}
	return all
}

// cannot is how many of the ways between two classes no wire is left for.
func (g *gone) cannot(a, b int32, ways int) int {
	x, y := g.hangs[a], g.hangs[b]
	if x != nil && y != nil {
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
	for c, members := range g.after.members {
		changed := g.after.expand(g.after.from[c].changed)
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
	return (m.flags(p, q)|m.flags(q, p))&circle != 0
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
