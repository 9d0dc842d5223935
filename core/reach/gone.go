package reach

import (
	"math/bits"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
)

// gone finds what failures take away: the paths that worked before and do not after.
// A way is lost with the packets of either direction.
type gone struct {
	*sweep
	after   *Matrix
	parent  []int32  // by class of after: what it was part of before
	weights *weights // of the classes of after
	wires   *parts
	hangs   []int32    // by class of after: the part its members hang on
	lost    [][]int32  // by class of after: the classes it does not reach any more
	done    [][]uint64 // by class of after: pairs that are lost, or have no way to lose
}

// compare counts what was lost, and what takes another path. Other are the classes to
// which anybody has another step than before, or that send otherwise.
func (g *gone) compare(l *Loss, other []int32) {
	if g.places != nil {
		g.comparePlaces(l)
	} else {
		g.compareClasses(l, other)
	}
}

// compareClasses compares class by class: nothing is judged, and nobody shares an
// address. Only pairs are looked at of which one is sent to otherwise than before.
func (g *gone) compareClasses(l *Loss, other []int32) {
	k := int32(len(g.after.members))
	g.lost, g.done = make([][]int32, k), bitRows(int(k), g.after.rowWords())
	byNode, hosts := g.after.senders()
	for _, b := range other {
		for n, f := range g.after.columns[b].fates {
			if f&fail != 0 {
				for _, a := range byNode[n] {
					g.lose(l, a, b)
				}
			}
		}
		for _, a := range hosts {
			if g.after.fate(a, b)&fail != 0 {
				g.lose(l, a, b)
			}
		}
		if g.after.sends[b].node == noNode {
			for a := range k {
				if g.after.fate(b, a)&fail != 0 {
					g.lose(l, a, b)
				}
			}
		}
	}
	for _, b := range other {
		for n, f := range g.after.columns[b].fates {
			if f&change != 0 {
				for _, a := range byNode[n] {
					l.Rerouted += g.stillWorks(a, b)
				}
			}
		}
		for _, a := range hosts {
			if g.after.fate(a, b)&change != 0 {
				l.Rerouted += g.stillWorks(a, b)
			}
		}
	}
	if l.Lost == 0 {
		return
	}
	l.Pairs = g.firstLost(func(p int32, visit func(int32)) {
		for _, c := range g.lost[g.after.of[p]] {
			for _, q := range g.after.members[c] {
				if g.counts(p, q) {
					visit(q)
				}
			}
		}
	})
}

// senders lists by node the classes that send from it, and those that send by first
// steps of their own.
func (m *Matrix) senders() (byNode [][]int32, hosts []int32) {
	byNode = make([][]int32, len(m.nodes))
	for c := range m.sends {
		if n := m.sends[c].node; n != noNode {
			byNode[n] = append(byNode[n], int32(c))
		} else {
			hosts = append(hosts, int32(c))
		}
	}
	return byNode, hosts
}

// lose counts the paths between two classes that worked before, once.
func (g *gone) lose(l *Loss, a, b int32) {
	if get(g.done[b], a) || !get(g.base[g.parent[b]], g.parent[a]) {
		return
	}
	put(g.done[a], b/64, 1<<(b%64), true)
	put(g.done[b], a/64, 1<<(a%64), true)
	n := g.weights.pairs(a, b)
	if n == 0 {
		return
	}
	g.lost[a] = append(g.lost[a], b)
	cannot, circles := g.cannot(a, b, n), (g.after.fate(a, b)|g.after.fate(b, a))&circle != 0
	if a != b {
		g.lost[b] = append(g.lost[b], a)
		n, cannot = 2*n, 2*cannot
	}
	l.Lost += n
	l.Cannot += cannot
	if circles {
		l.Loops += n
	}
}

// stillWorks is how many paths from one class to another work as before.
func (g *gone) stillWorks(from, to int32) int {
	if !get(g.base[g.parent[to]], g.parent[from]) || get(g.done[to], from) {
		return 0
	}
	return g.weights.pairs(from, to)
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

// hangsOn is the part that all members of a class hang on; false where they hang on
// several, or not on the same.
func (g *gone) hangsOn(c int32) (int32, bool) {
	const unknown, several, none = 0, -1, -2 // a part is one more than its number
	if g.hangs == nil {
		g.hangs = make([]int32, len(g.after.members))
	}
	if g.hangs[c] == unknown {
		var room [4]int32
		for i, p := range g.after.members[c] {
			on := int32(none)
			switch parts := g.hanging(p, room[:0]); len(parts) {
			case 0:
			case 1:
				on = parts[0] + 1
			default:
				on = several
			}
			if i > 0 && on != g.hangs[c] {
				on = several
			}
			if g.hangs[c] = on; on == several {
				break
			}
		}
	}
	return g.hangs[c], g.hangs[c] != several
}

// cannot is how many of the paths between two classes no wire is left for.
func (g *gone) cannot(a, b int32, ways int) int {
	x, same := g.hangsOn(a)
	y, also := g.hangsOn(b)
	if same && also {
		if x == y && x > 0 {
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
		l.Pairs = g.firstLost(func(p int32, visit func(int32)) { eachBit(still[p], visit) })
	}
}

// circles tells whether packets of a way loop in a loop.
func (m *Matrix) circles(p, q int32) bool {
	if m.judged != nil && get(m.judged.asked[p], q) || m.odd[p] || m.odd[q] {
		f := m.ask(int(m.end[p]), int(m.end[q])).Failure
		return f != nil && f.Name == finding.ForwardingLoop
	}
	return (m.between(p, q)|m.between(q, p))&circle != 0
}

// firstLost lists the first lost paths in the order of the ends, as many as wanted with
// their reasons. Each visits the places that one does not reach any more.
func (g *gone) firstLost(each func(p int32, visit func(q int32))) []Pair {
	var all []Pair
	var to []int32
	for i, from := range g.Ends {
		to = to[:0]
		each(g.place[i], func(q int32) { to = append(to, g.end[q]) })
		slices.Sort(to)
		for _, j := range to {
			way := Pair{From: from, To: g.Ends[j], Verdict: forward.Fails}
			if len(all) < g.reasons {
				way = ask(g.after.net, from, g.Ends[j], g.over)
			}
			if all = append(all, way); len(all) == mostPairs {
				return all
			}
		}
	}
	return all
}
