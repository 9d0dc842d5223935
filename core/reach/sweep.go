package reach

import (
	"math/bits"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Loss is what one or more failures together take away.
type Loss struct {
	Failures []network.Failure
	Lost     int        // ways that worked before and do not now
	Cannot   int        // of them: no wire leads there any more
	Loops    int        // of them: that go round in a loop
	Rerouted int        // ways that still work, by other devices or links
	Ways     []Way      // the first of those lost, with reasons: mostWays at most
	Takes    []Takeover // the routes that take over
}

// mostWays is how many lost ways are listed of one failure.
const mostWays = 1000

// mostReasons is for how many lost ways of all failures reasons are looked for;
// a failure gets its share, and twenty at least.
const mostReasons = 20000

// Takeover is a route that came into use because of a failure.
type Takeover struct {
	Device model.DeviceID
	Static model.StaticID
}

// Sweep makes failures in turn, each a list of what fails together, on all cores,
// and tells what each takes away of the ways that work. Visit is called for each
// in their order; it stops where visit returns false.
func Sweep(net *forward.Network, ends []*End, failures [][]network.Failure, visit func(Loss) bool) {
	SweepOver(net, ends, model.Echo, failures, visit)
}

// SweepOver is Sweep over a service.
func SweepOver(net *forward.Network, ends []*End, over model.Service, failures [][]network.Failure, visit func(Loss) bool) {
	m := AllOver(net, ends, over)
	base := m.both()
	reasons := max(20, min(mostWays, mostReasons/max(1, len(failures))))
	var next atomic.Int64
	var stop atomic.Bool
	var group sync.WaitGroup
	done := make([]chan Loss, len(failures))
	for i := range done {
		done[i] = make(chan Loss, 1)
	}
	// Nobody runs far ahead of who visits, or results would pile up.
	ahead := make(chan bool, 4*runtime.GOMAXPROCS(0))
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for !stop.Load() {
				ahead <- true
				i := int(next.Add(1)) - 1
				if i >= len(failures) || stop.Load() {
					return
				}
				done[i] <- m.loss(base, failures[i], reasons)
			}
		})
	}
	for i := range done {
		l := <-done[i]
		<-ahead
		if !visit(l) {
			stop.Store(true)
			break
		}
	}
	stop.Store(true)
	for len(ahead) > 0 {
		<-ahead // whoever waits to begin is to see that it is over
	}
	group.Wait()
}

// loss works out what failures take away. Only destinations for which some
// device near them does something else are gone through again; those that were
// alike, and are so still, together.
func (m *Matrix) loss(base [][]uint64, failures []network.Failure, reasons int) Loss {
	l := Loss{Failures: failures}
	state := m.net.State.With(failures...)
	after := m.net.Update(state)
	x := &Matrix{Ends: m.Ends, net: after, over: m.over, sorted: m.sorted, end: m.end, place: m.place, odd: m.odd, nodes: m.nodes, node: m.node, words: m.words, forks: slices.Clip(m.forks)}
	touched := m.touched(after)
	other := make([][]step, len(touched)) // by touched node: its steps now
	at := make([]int32, len(m.nodes))     // by node: its place in touched, and one
	for i, n := range touched {
		other[i], at[n] = make([]step, len(m.sorted)), int32(i+1)
		x.steps(after, n, func(p int, s step) { other[i][p] = s })
	}
	x.rows = make([]row, len(m.rows))
	for n := range m.rows {
		x.rows[n] = m.rows[n].clone()
	}
	x.columns(x.rows, m.differing(touched, other), func(p int32, column []step) {
		copy(column, m.column(p))
		for i, n := range touched {
			column[n] = other[i][p]
		}
	}, func(p, n int32) bool { return at[n] > 0 && other[at[n]-1][p] != m.next[int(p)*len(m.nodes)+int(n)] })
	x.from = x.senders(after, x.rows)
	if after.Policy != nil {
		x.next = slices.Clone(m.next)
		for i, n := range touched {
			for p := range m.sorted {
				x.next[p*len(m.nodes)+int(n)] = other[i][p]
			}
		}
		x.findAlike()
		x.judge()
	}
	m.compare(&l, x, base, state, reasons)
	l.Takes = takeovers(m.net, after)
	return l
}

// differing lists the places for which a touched node has another step than
// before, those together that were alike and have the same new steps.
func (m *Matrix) differing(touched []int32, other [][]step) [][]int32 {
	var groups [][]int32
	of := map[int32][]int{} // by the first that was alike: its groups
	for p := range m.sorted {
		differs := false
		for i, n := range touched {
			differs = differs || other[i][p] != m.next[p*len(m.nodes)+int(n)]
		}
		if !differs {
			continue
		}
		found := false
		for _, g := range of[m.alike[p]] {
			q := groups[g][0]
			if !slices.ContainsFunc(other, func(steps []step) bool { return steps[p] != steps[q] }) {
				groups[g] = append(groups[g], int32(p))
				found = true
				break
			}
		}
		if !found {
			of[m.alike[p]] = append(of[m.alike[p]], len(groups))
			groups = append(groups, []int32{int32(p)})
		}
	}
	return groups
}

// compare counts what was lost, and what goes another way. A way is lost with
// the packets of either direction.
func (m *Matrix) compare(l *Loss, x *Matrix, base [][]uint64, state *network.State, reasons int) {
	lost, any := make([][]uint64, len(base)), false // by place; nil where nothing is
	lose := func(p, q int32) {
		if lost[p] == nil {
			lost[p], any = make([]uint64, m.words), true
		}
		lost[p][q/64] |= 1 << (q % 64)
	}
	if x.judged != nil {
		still := x.both()
		for p := range base {
			for w := range base[p] {
				for gone := base[p][w] &^ still[p][w]; gone != 0; gone &= gone - 1 {
					lose(int32(p), int32(w*64+bits.TrailingZeros64(gone)))
				}
			}
		}
	} else {
		m.oneSided(x, base, lose)
	}
	m.eachOdd(func(p, q int32) {
		if get(base[p], q) && x.ask(int(m.end[p]), int(m.end[q])).Verdict != forward.Works {
			lose(p, q)
		}
	})
	for p := range base {
		gone := lost[p]
		for w := range base[p] {
			moved := base[p][w] & x.from[p].changed[w]
			if gone != nil {
				moved &^= gone[w]
			}
			l.Rerouted += bits.OnesCount64(moved)
		}
	}
	if any {
		m.countLost(l, x, lost, state)
		l.Ways = m.firstLost(x.net, lost, reasons)
	}
}

// oneSided finds the ways lost where packets are not judged: with those of one
// direction both are.
func (m *Matrix) oneSided(x *Matrix, base [][]uint64, lose func(p, q int32)) {
	for p := range base {
		for w := range base[p] {
			gone := base[p][w] &^ (x.from[p].arrives[w] &^ x.from[p].fails[w])
			for ; gone != 0; gone &= gone - 1 {
				q := int32(w*64 + bits.TrailingZeros64(gone))
				if !m.odd[p] && !m.odd[q] {
					lose(int32(p), q)
					lose(q, int32(p))
				}
			}
		}
	}
}

// countLost tells of the lost ways how many no wire is left for, and how many
// circle.
func (m *Matrix) countLost(l *Loss, x *Matrix, lost [][]uint64, state *network.State) {
	wires := wired(state)
	part := make([][]int32, len(m.sorted)) // by place: where it hangs; nothing where its own interface is down
	for p := range part {
		if e := m.Ends[m.end[p]]; state.IsUp(e.Interface) {
			for _, at := range wires.ends(e.Device) {
				part[p] = append(part[p], wires.find(at))
			}
		}
	}
	for p, gone := range lost {
		for w, word := range gone {
			l.Lost += bits.OnesCount64(word)
			for ; word != 0; word &= word - 1 {
				q := int32(w*64 + bits.TrailingZeros64(word))
				if !slices.ContainsFunc(part[p], func(a int32) bool { return slices.Contains(part[q], a) }) {
					l.Cannot++
				}
				if x.circles(int32(p), q) {
					l.Loops++
				}
			}
		}
	}
}

// circles tells whether packets of a way go round in a loop.
func (m *Matrix) circles(p, q int32) bool {
	if m.judged != nil && get(m.judged.ways[p], q) {
		return m.ask(int(m.end[p]), int(m.end[q])).Failure.Name == finding.ForwardingLoop
	}
	return get(m.from[p].circles, q) || get(m.from[q].circles, p)
}

// firstLost lists the first lost ways in the order of the ends, as many as
// wanted with their reasons.
func (m *Matrix) firstLost(after *forward.Network, lost [][]uint64, reasons int) []Way {
	var all []Way
	for i, from := range m.Ends {
		gone := lost[m.place[i]]
		if gone == nil {
			continue
		}
		for j, to := range m.Ends {
			if !get(gone, m.place[j]) {
				continue
			}
			way := Way{From: from, To: to, Verdict: forward.Fails}
			if len(all) < reasons {
				way = ask(after, from, to, m.over)
			}
			if all = append(all, way); len(all) == mostWays {
				return all
			}
		}
	}
	return all
}

// takeovers lists the routes that are in use after a failure and were not
// before.
func takeovers(before, after *forward.Network) []Takeover {
	var all []Takeover
	for d := range before.Spec.Devices {
		id := model.DeviceID(d)
		if before.Same(after.Tables, id) {
			continue
		}
		used := map[model.StaticID]bool{}
		for _, e := range before.Table(id).Entries() {
			used[e.Static()] = e.InUse
		}
		for _, e := range after.Table(id).Entries() {
			if s := e.Static(); s != model.None && e.InUse && !used[s] && len(e.Hops) > 0 {
				all = append(all, Takeover{id, s})
			}
		}
	}
	return all
}

// Together is every failure by itself, or where n is 2 every pair.
func Together(failures []network.Failure, n int) [][]network.Failure {
	var all [][]network.Failure
	for i, f := range failures {
		if n == 1 {
			all = append(all, []network.Failure{f})
			continue
		}
		for _, g := range failures[i+1:] {
			all = append(all, []network.Failure{f, g})
		}
	}
	return all
}
