package reach

import (
	"math/bits"
	"slices"
	"sync"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/parallel"
	"ropeswing/core/routing"
)

// Matrix is who reaches whom among some ends, there and back, in one state of a
// network.
//
// It does not follow each way by itself: for one destination, all paths together
// are one graph, in which every device that forwards has its step, and is gone
// through once. Destinations to which all have the same step are one. Who sends is
// asked only for the first step.
type Matrix struct {
	*fixed
	*classes
	net *forward.Network

	forks   [][]int32 // what steps to several nodes lead to
	forking sync.Mutex
	columns []column // by class: what becomes of packets to it

	judged *judged // the paths that meet permits or translations; nil where none does
}

// All works out who reaches whom by pings.
func All(net *forward.Network, ends []*End) *Matrix { return AllOver(net, ends, model.Echo) }

// Network is the one the matrix is of.
func (m *Matrix) Network() *forward.Network { return m.net }

// AllOver works out who reaches whom over a service.
func AllOver(net *forward.Network, ends []*End, over model.Service) *Matrix {
	m := &Matrix{fixed: newFixed(net, ends, over), net: net}
	m.meets = m.judging()
	steps := make([]onward, len(ends)*len(m.nodes))
	parallel.Each(len(m.nodes), func(n int) {
		m.onwardOf(net, int32(n), func(place int, s onward) { steps[place*len(m.nodes)+n] = s })
	})
	m.classify(steps)
	m.columns = make([]column, len(m.members))
	parallel.Each(len(m.members), func(c int) {
		m.columns[c] = newColumn(len(m.nodes))
		m.work(int32(c)).solve()
	})
	m.judge()
	return m
}

// work is what solves the column of a class.
func (m *Matrix) work(c int32) *columnWork {
	return &columnWork{column: m.columns[c], steps: m.next[c], forks: m.forks, meets: m.meets}
}

// fate is what becomes of packets from the members of one class to those of another,
// on other segments.
func (m *Matrix) fate(from, to int32) fate {
	s := &m.sends[from]
	if s.node != noNode {
		return m.columns[to].fates[s.node]
	}
	return m.fateBy(s.stepTo(m.members[to][0]), to)
}

// fateBy is what becomes of packets to a class that are sent by a step.
func (m *Matrix) fateBy(s onward, to int32) fate {
	switch {
	case s >= 0:
		return m.columns[to].fate(s)
	case s == delivers || s == hands:
		return arrive
	case s == loses:
		return fail
	}
	var all fate
	for _, branch := range m.branches(s) {
		all |= m.fateBy(onward(branch), to)
	}
	return all
}

// Verdict is whether one end, by its place in Ends, reaches another and is
// answered.
func (m *Matrix) Verdict(from, to int) forward.Verdict {
	p, q := m.place[from], m.place[to]
	switch {
	case !m.answers(q):
		return forward.Fails
	case m.odd[p] || m.odd[q]:
		return m.ask(from, to).Verdict
	}
	if m.judged != nil && get(m.judged.asked[p], q) {
		return m.judged.verdict(p, q)
	}
	there, back := m.between(p, q), m.between(q, p)
	switch {
	case there&arrive == 0 || back&arrive == 0:
		return forward.Fails
	case (there|back)&fail != 0:
		return forward.Depends
	}
	return forward.Works
}

// between is what becomes of packets from one place to another.
func (m *Matrix) between(p, q int32) fate {
	a, b := m.of[p], m.of[q]
	if m.sends[a].node != noNode || m.at(p).Segment != m.at(q).Segment {
		return m.fate(a, b)
	}
	// A sender's first steps leave its own segment out.
	e, to := m.at(p), m.sorted[q]
	match, found := m.net.ForSource(e.Device, e.Address).Lookup(to)
	return m.fateBy(m.stepTo(m.net, match, found, to, map[routing.Hop]onward{}), b)
}

// Arrives tells whether anything that one end, by its place in Ends, sends to another
// may get there, answered or not.
func (m *Matrix) Arrives(from, to int) bool {
	p, q := m.place[from], m.place[to]
	switch {
	case !m.answers(q):
		return false
	case m.odd[p] || m.odd[q]:
		a, b := m.Ends[from], m.Ends[to]
		x := forward.PingBy(m.net, a.Device, a.Address, b.Address, model.None, forward.Probe{Over: m.over, Whom: whom(b)})
		return x.Source.IsValid() && x.There.Verdict() != forward.Fails
	case m.judged != nil && get(m.judged.asked[p], q):
		return get(m.judged.works[p], q) || get(m.judged.partly[p], q) || get(m.judged.unanswered[p], q)
	}
	return m.between(p, q)&arrive != 0
}

// Pairs visits every way from one segment to another, of one family; it stops
// where visit returns false. The way says why it does not work only where asked
// with Explain.
func (m *Matrix) Pairs(visit func(Pair) bool) {
	any := func(*End) bool { return true }
	m.Between(any, any, visit)
}

// Between is Paths from some ends to some.
func (m *Matrix) Between(some, others func(*End) bool, visit func(Pair) bool) {
	for i, from := range m.Ends {
		if !some(from) {
			continue
		}
		for j, to := range m.Ends {
			if !from.Asks(to) && !from.IsNear(to) || !others(to) {
				continue
			}
			p := Pair{From: from, To: to}
			if from.IsNear(to) {
				p.Verdict = hears(m.net, from, to, m.over)
			} else {
				p.Verdict = m.Verdict(i, j)
			}
			if !visit(p) {
				return
			}
		}
	}
}

// DevicePairs visits every way from one device to another, of one family, those on one
// segment among them; it stops where visit returns false.
func (m *Matrix) DevicePairs(visit func(Pair) bool) {
	for i, from := range m.Ends {
		for j, to := range m.Ends {
			if from.Device == to.Device || from.Address.Is4() != to.Address.Is4() {
				continue
			}
			if !visit(Pair{From: from, To: to, Verdict: m.Verdict(i, j)}) {
				return
			}
		}
	}
}

// Explain is a way with the reason why it does not work.
func (m *Matrix) Explain(w Pair) Pair { return ask(m.net, w.From, w.To, m.over) }

// ask pings from one end, by its place in Ends, to another.
func (m *Matrix) ask(from, to int) Pair { return ask(m.net, m.Ends[from], m.Ends[to], m.over) }

// works is, by class, the paths that work as far as nothing is judged: to whom packets
// get and from whom the answers come back, whichever path they take.
func (m *Matrix) works() [][]uint64 {
	rows := m.classRows(func(f fate) bool { return f&(arrive|fail) == arrive })
	mirror(rows)
	return rows
}

// classRows is, by class, the classes to which the packets it sends have such a fate.
func (m *Matrix) classRows(such func(fate) bool) [][]uint64 {
	rows := bitRows(len(m.members), m.rowWords())
	for a := range rows {
		for b := range rows {
			if such(m.fate(int32(a), int32(b))) {
				rows[a][b/64] |= 1 << (b % 64)
			}
		}
	}
	return rows
}

// both is, by place, the paths between segments that work.
func (m *Matrix) both() [][]uint64 {
	rows := bitRows(len(m.sorted), m.fixed.words)
	for c, work := range m.works() {
		expanded := m.expand(work)
		for _, p := range m.members[c] {
			copy(rows[p], expanded)
		}
	}
	if m.judged != nil {
		for p, asked := range m.judged.asked {
			for w := range asked {
				rows[p][w] = rows[p][w]&^asked[w] | m.judged.works[p][w]
			}
		}
	}
	for p := range rows {
		m.onlyAsked(rows[p], int32(p))
	}
	m.eachOdd(func(p, q int32) {
		put(rows[p], q/64, 1<<(q%64), m.ask(int(m.end[p]), int(m.end[q])).Verdict == forward.Works)
	})
	if m.deaf != nil {
		for p := range rows {
			for w := range rows[p] {
				rows[p][w] &^= m.deaf[w]
			}
		}
	}
	return rows
}

// onlyAsked clears of a row what is no way to be asked for from a place.
func (m *Matrix) onlyAsked(row []uint64, p int32) {
	if int(p) < m.four {
		unset(row, m.four, m.fixed.words*64)
	} else {
		unset(row, 0, m.four)
		unset(row, len(m.sorted), m.fixed.words*64)
	}
	for _, q := range m.on[m.at(p).lan()] {
		put(row, q/64, 1<<(q%64), false)
	}
}

// Count is how many paths there are from one segment to another, and from one place of a segment to another, each
// family for itself, and how many of them work.
func (m *Matrix) Count() (asked, work int) {
	w := m.weights()
	special := m.judged != nil || m.deaf != nil || slices.Contains(m.odd, true)
	works := m.works()
	for a := range m.members {
		for b := range m.members {
			n := w.pairs(int32(a), int32(b))
			asked += n
			if !special && get(works[a], int32(b)) {
				work += n
			}
		}
	}
	if special {
		for _, row := range m.both() {
			for _, word := range row {
				work += bits.OnesCount64(word)
			}
		}
	}
	for i := range m.Ends {
		m.nearOf(i, func(j int) {
			if asked++; hears(m.net, m.Ends[i], m.Ends[j], m.over) == forward.Works {
				work++
			}
		})
	}
	return asked, work
}

// touched lists the nodes whose steps may be others in the tables of another state,
// and the devices that may send otherwise.
func (m *Matrix) touched(next *forward.Network) (nodes []int32, near []bool) {
	spec, before, after := m.net.Spec, m.net.State, next.State
	near = make([]bool, len(spec.Devices))
	all := !after.Shares(before)
	domains := map[network.DomainID]bool{}
	for id := range spec.Interfaces {
		i := model.InterfaceID(id)
		if before.IsUp(i) != after.IsUp(i) && before.Domain(i) != network.NoDomain {
			domains[before.Domain(i)] = true
		}
	}
	for id := range spec.Interfaces {
		i := model.InterfaceID(id)
		if before.IsUp(i) != after.IsUp(i) || domains[before.Domain(i)] {
			near[spec.Interfaces[id].Device] = true
		}
	}
	for d := range near {
		near[d] = all || near[d] || !next.Same(m.net.Tables, model.DeviceID(d))
	}
	for n, k := range m.nodes {
		if near[k.Device] {
			nodes = append(nodes, int32(n))
		}
	}
	return nodes, near
}
