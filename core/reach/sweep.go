package reach

import (
	"math/bits"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
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

// Takeover is a route that came into use because of a failure.
type Takeover struct {
	Device model.DeviceID
	Static model.StaticID
}

// Sweep makes failures in turn, each a list of what fails together, on all cores,
// and tells what each takes away of the ways that work. Visit is called for each
// in their order; it stops where visit returns false.
func Sweep(t *routing.Tables, ends []*End, failures [][]network.Failure, visit func(Loss) bool) {
	m := All(t, ends)
	base := m.both(t, m.from)
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
				done[i] <- m.loss(base, failures[i])
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
// device near them does something else are gone through again.
func (m *Matrix) loss(base [][]uint64, failures []network.Failure) Loss {
	l := Loss{Failures: failures}
	state := m.t.State.With(failures...)
	after := forward.Update(m.t, state)
	x := &Matrix{Ends: m.Ends, t: after, sorted: m.sorted, end: m.end, place: m.place, odd: m.odd, nodes: m.nodes, node: m.node, words: m.words, forks: slices.Clip(m.forks)}
	touched := m.touched(after)
	other := map[int32][]step{} // by node: its steps now
	var places []int32
	differs := make([]bool, len(m.sorted))
	for _, n := range touched {
		steps := make([]step, len(m.sorted))
		x.steps(after, n, func(p int, s step) { steps[p] = s })
		other[n] = steps
		for p, s := range steps {
			differs[p] = differs[p] || s != m.next[p*len(m.nodes)+int(n)]
		}
	}
	for p, d := range differs {
		if d {
			places = append(places, int32(p))
		}
	}
	x.rows = make([]row, len(m.rows))
	for n := range m.rows {
		x.rows[n] = m.rows[n].clone()
	}
	x.columns(x.rows, places, func(p int32, column []step) {
		copy(column, m.next[int(p)*len(m.nodes):])
		for n, steps := range other {
			column[n] = steps[p]
		}
	}, x.forks, func(p, n int32) bool {
		steps, ok := other[n]
		return ok && steps[p] != m.next[int(p)*len(m.nodes)+int(n)]
	})
	x.from = x.senders(after, x.rows)
	now := x.both(after, x.from)
	m.compare(&l, x, base, now, state)
	l.Takes = takeovers(m.t, after)
	return l
}

// compare counts what was lost, and what goes another way.
func (m *Matrix) compare(l *Loss, x *Matrix, base, now [][]uint64, state *network.State) {
	var wires *parts
	for p := range base {
		for w := range base[p] {
			lost := base[p][w] &^ now[p][w]
			moved := base[p][w] & now[p][w] & x.from[p].changed[w]
			for ; moved != 0; moved &= moved - 1 {
				if q := w*64 + bits.TrailingZeros64(moved); m.counts(p, q) {
					l.Rerouted++
				}
			}
			for ; lost != 0; lost &= lost - 1 {
				q := w*64 + bits.TrailingZeros64(lost)
				if !m.counts(p, q) {
					continue
				}
				if wires == nil {
					wires = wired(state)
				}
				from, to := m.Ends[m.end[p]], m.Ends[m.end[q]]
				l.Lost++
				if !state.IsUp(from.Interface) || !state.IsUp(to.Interface) || !wires.joined(from.Device, to.Device) {
					l.Cannot++
				}
				if get(x.from[p].circles, int32(q)) || get(x.from[q].circles, int32(p)) {
					l.Loops++
				}
			}
		}
	}
	if l.Lost > 0 {
		l.Ways = m.firstLost(x.t, base, now)
	}
}

// firstLost lists the first lost ways in the order of the ends, each with its
// reason.
func (m *Matrix) firstLost(after *routing.Tables, base, now [][]uint64) []Way {
	var all []Way
	for i, from := range m.Ends {
		for j, to := range m.Ends {
			p, q := m.place[i], m.place[j]
			if !get(base[p], q) || get(now[p], q) || !m.counts(int(p), int(q)) {
				continue
			}
			all = append(all, ask(after, from, to))
			if len(all) == mostWays {
				return all
			}
		}
	}
	return all
}

// takeovers lists the routes that are in use after a failure and were not
// before.
func takeovers(before, after *routing.Tables) []Takeover {
	var all []Takeover
	for d := range before.State.Spec.Devices {
		id := model.DeviceID(d)
		if before.Same(after, id) {
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
