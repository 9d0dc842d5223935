package reach

import (
	"hash/maphash"
	"math/bits"
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// Matrix is who reaches whom among some ends, there and back.
//
// It does not follow each way by itself: for one destination, all ways together
// are one graph, in which every device that forwards has its step, and is gone
// through once. Who sends is asked only for the first step.
type Matrix struct {
	Ends []*End

	net    *forward.Network
	over   model.Service
	sorted []netip.Addr // the ends' addresses in order
	end    []int32      // by place in sorted: the end
	place  []int32      // by end: its place in sorted
	odd    []bool       // by place: several devices may answer, so that each way is asked for itself

	nodes   []routing.View // the tables of devices that forward
	node    map[routing.Key]int32
	next    []step    // by place and node
	alike   []int32   // by place: the first place to which every node has the same step
	forks   [][]int32 // what steps to several nodes lead to
	forking sync.Mutex
	rows    []row // by node
	from    []row // by place: of the end as the sender
	words   int

	judged *judged // the ways that meet permits or translations; nil where none does
}

// step is what a node does with packets to one destination: the node they go
// to, or one of these; below them all, a fork.
type step int32

const (
	delivers step = -1
	loses    step = -2
	lastStep step = -2
)

// All works out who reaches whom by pings.
func All(net *forward.Network, ends []*End) *Matrix { return AllOver(net, ends, model.Echo) }

// Network is the one the matrix is of.
func (m *Matrix) Network() *forward.Network { return m.net }

// AllOver works out who reaches whom over a service.
func AllOver(net *forward.Network, ends []*End, over model.Service) *Matrix {
	m := &Matrix{Ends: ends, net: net, over: over, node: map[routing.Key]int32{}, words: (len(ends) + 63) / 64}
	m.end = make([]int32, len(ends))
	for i := range m.end {
		m.end[i] = int32(i)
	}
	slices.SortFunc(m.end, func(a, b int32) int { return ends[a].Address.Compare(ends[b].Address) })
	m.place = make([]int32, len(ends))
	for p, e := range m.end {
		m.sorted = append(m.sorted, ends[e].Address)
		m.place[e] = int32(p)
	}
	for d := range net.Spec.Devices {
		if net.Spec.Devices[d].Forwards {
			for _, v := range net.Of(model.DeviceID(d)) {
				m.node[routing.Key{Device: model.DeviceID(d), Name: v.Name()}] = int32(len(m.nodes))
				m.nodes = append(m.nodes, v)
			}
		}
	}
	m.findOdd()
	m.next = make([]step, len(ends)*len(m.nodes))
	onAllCores(len(m.nodes), func(n int) {
		m.steps(net, int32(n), func(place int, s step) { m.next[place*len(m.nodes)+n] = s })
	})
	m.rows = make([]row, len(m.nodes))
	for n := range m.rows {
		m.rows[n] = newRow(m.words)
	}
	m.findAlike()
	groups := make([][]int32, 0, len(ends))
	at := map[int32]int{}
	for p, first := range m.alike {
		g, ok := at[first]
		if !ok {
			g = len(groups)
			at[first] = g
			groups = append(groups, nil)
		}
		groups[g] = append(groups[g], int32(p))
	}
	m.columns(m.rows, groups, func(p int32, column []step) { copy(column, m.column(p)) }, nil)
	m.from = m.senders(net, m.rows)
	m.judge()
	return m
}

// onAllCores does something for each number below n, on all cores.
func onAllCores(n int, do func(int)) {
	var next atomic.Int64
	var group sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	group.Wait()
}

// findOdd notes the ends whose address several devices answer for.
func (m *Matrix) findOdd() {
	spec := m.net.Spec
	holders := map[netip.Addr]int{}
	for id := range spec.Interfaces {
		for _, a := range spec.Interfaces[id].Addresses {
			holders[a.Addr()]++
		}
	}
	m.odd = make([]bool, len(m.sorted))
	for p, a := range m.sorted {
		m.odd[p] = holders[a] > 1
		for d := range spec.Devices {
			for _, b := range spec.Devices[d].Beyond {
				m.odd[p] = m.odd[p] || b.Contains(a)
			}
		}
	}
}

// steps works out what a node does with packets to each place.
func (m *Matrix) steps(net *forward.Network, n int32, set func(int, step)) {
	known := map[routing.Hop]step{}
	v, device := m.nodes[n], m.deviceOf(n)
	if named, ok := net.Named(routing.Key{Device: device, Name: v.Name()}); ok {
		v = named
	}
	v.Runs(m.sorted, func(run routing.Run) {
		for p := run.First; p < run.Last; p++ {
			s := m.stepTo(net, run.Match, run.Found, m.sorted[p], known)
			set(p, s)
			if p == run.First && (s == delivers || !run.Found || everyVia(run.Match.Hops)) {
				for q := p + 1; q < run.Last; q++ {
					set(q, s) // it does not depend on the address
				}
				break
			}
		}
	})
}

func everyVia(hops []routing.Hop) bool {
	return !slices.ContainsFunc(hops, func(h routing.Hop) bool { return !h.Via.IsValid() })
}

func (m *Matrix) deviceOf(n int32) model.DeviceID { return m.nodes[n].Device() }

// stepTo is the step of a match.
func (m *Matrix) stepTo(net *forward.Network, match routing.Match, found bool, to netip.Addr, known map[routing.Hop]step) step {
	switch {
	case !found:
		return loses
	case match.Local:
		return delivers
	case len(match.Hops) == 0:
		return loses
	}
	var all []int32
	for _, hop := range match.Hops {
		s, ok := known[hop]
		if !ok || !hop.Via.IsValid() {
			s = m.across(net, hop, to)
			if hop.Via.IsValid() {
				known[hop] = s
			}
		}
		if len(match.Hops) == 1 {
			return s
		}
		all = append(all, m.branches(s)...)
	}
	return m.fork(all)
}

// across is the step by one hop: to whoever takes what is sent there.
func (m *Matrix) across(net *forward.Network, hop routing.Hop, to netip.Addr) step {
	at := hop.Via
	if !at.IsValid() {
		at = to
	}
	var all []int32
	for _, holder := range forward.Receivers(net, hop.Out, at) {
		if holder == hop.Out {
			continue
		}
		i := &net.Spec.Interfaces[holder]
		n, forwards := m.node[routing.Key{Device: i.Device, Name: i.Table}]
		switch match, ok := net.For(i.Device, holder).Lookup(to); {
		case forwards:
			all = append(all, n)
		case ok && match.Local:
			all = append(all, int32(delivers))
		default:
			all = append(all, int32(loses))
		}
	}
	switch len(all) {
	case 0:
		return loses
	case 1:
		return step(all[0])
	}
	return m.fork(all)
}

func (m *Matrix) branches(s step) []int32 {
	if s < lastStep {
		m.forking.Lock()
		defer m.forking.Unlock()
		return m.forks[lastStep-1-s]
	}
	return []int32{int32(s)}
}

// fork is the step to several; those that lead to the same are one.
func (m *Matrix) fork(all []int32) step {
	slices.Sort(all)
	all = slices.Compact(all)
	if len(all) == 1 {
		return step(all[0])
	}
	m.forking.Lock()
	defer m.forking.Unlock()
	for i := range m.forks {
		if slices.Equal(m.forks[i], all) {
			return lastStep - 1 - step(i)
		}
	}
	m.forks = append(m.forks, all)
	return lastStep - step(len(m.forks))
}

// column is the steps of all nodes to a place.
func (m *Matrix) column(p int32) []step {
	return m.next[int(p)*len(m.nodes) : (int(p)+1)*len(m.nodes)]
}

// findAlike puts places together to which every node has the same step: mostly
// those behind one router.
func (m *Matrix) findAlike() {
	m.alike = make([]int32, len(m.sorted))
	seed := maphash.MakeSeed()
	known := map[uint64][]int32{}
	for p := range m.alike {
		column := m.column(int32(p))
		var h maphash.Hash
		h.SetSeed(seed)
		for _, s := range column {
			h.Write([]byte{byte(s), byte(s >> 8), byte(s >> 16), byte(s >> 24)})
		}
		sum := h.Sum64()
		m.alike[p] = int32(p)
		for _, q := range known[sum] {
			if slices.Equal(m.column(q), column) {
				m.alike[p] = q
			}
		}
		if m.alike[p] == int32(p) {
			known[sum] = append(known[sum], int32(p))
		}
	}
}

// columns works out what becomes of packets to the places of each group, which
// are alike, and notes it in the rows. Column fills in the steps of all nodes;
// changed, if not nil, tells of a node whether its step is another than before.
func (m *Matrix) columns(rows []row, groups [][]int32, column func(int32, []step), changed func(int32, int32) bool) {
	c := &columnWork{steps: make([]step, len(m.nodes)), flags: make([]uint8, len(m.nodes)), forks: m.forks, meets: m.judging()}
	type bitsOf struct {
		word int32
		mask uint64
	}
	var set []bitsOf
	for _, places := range groups {
		column(places[0], c.steps)
		c.solve(func(n int32) bool { return changed != nil && changed(places[0], n) })
		set = set[:0]
		for _, p := range places {
			if n := len(set); n > 0 && set[n-1].word == p/64 {
				set[n-1].mask |= 1 << (p % 64)
			} else {
				set = append(set, bitsOf{p / 64, 1 << (p % 64)})
			}
		}
		for n := range rows {
			f := c.flags[n]
			for _, b := range set {
				put(rows[n].arrives, b.word, b.mask, f&arrive != 0)
				put(rows[n].fails, b.word, b.mask, f&fail != 0)
				put(rows[n].circles, b.word, b.mask, f&circle != 0)
				put(rows[n].changed, b.word, b.mask, f&change != 0)
				put(rows[n].meets, b.word, b.mask, f&meet != 0)
			}
		}
	}
}

// senders works out what becomes of packets from each end to all places.
func (m *Matrix) senders(net *forward.Network, rows []row) []row {
	from := make([]row, len(m.Ends))
	for p := range from {
		e := m.Ends[m.end[p]]
		v := net.ForSource(e.Device, e.Address)
		if n, ok := m.node[routing.Key{Device: e.Device, Name: v.Name()}]; ok {
			from[p] = rows[n]
			continue
		}
		from[p] = m.sender(v, rows)
	}
	return from
}

// sender is the row of a device that does not forward.
func (m *Matrix) sender(v routing.View, rows []row) row {
	r := newRow(m.words)
	first := 0
	for _, s := range m.firstSteps(v) {
		for _, to := range m.branches(s.step) {
			r.add(to, rows, first, int(s.last))
		}
		first = int(s.last)
	}
	return r
}

// Verdict is whether one end, by its place in Ends, reaches another and is
// answered.
func (m *Matrix) Verdict(from, to int) forward.Verdict {
	a, b := m.place[from], m.place[to]
	if m.odd[a] || m.odd[b] {
		return m.ask(from, to).Verdict
	}
	if m.judged != nil && get(m.judged.ways[a], b) {
		return m.judged.verdict(a, b)
	}
	there, back := m.from[a], m.from[b]
	switch {
	case !get(there.arrives, b) || !get(back.arrives, a):
		return forward.Fails
	case get(there.fails, b) || get(back.fails, a):
		return forward.Depends
	}
	return forward.Works
}

// Arrives tells whether anything that one end, by its place in Ends, sends to another
// may get there, answered or not.
func (m *Matrix) Arrives(from, to int) bool {
	p, q := m.place[from], m.place[to]
	switch {
	case m.odd[p] || m.odd[q]:
		a, b := m.Ends[from], m.Ends[to]
		x := forward.PingBy(m.net, a.Device, a.Address, b.Address, model.None, forward.Probe{Over: m.over})
		return x.Source.IsValid() && x.There.Verdict() != forward.Fails
	case m.judged != nil && get(m.judged.ways[p], q):
		return get(m.judged.works[p], q) || get(m.judged.partly[p], q) || get(m.judged.unanswered[p], q)
	}
	return get(m.from[p].arrives, q)
}

// Count is how many ways there are from one segment to another, each family for
// itself, and how many of them work.
func (m *Matrix) Count() (asked, work int) {
	bySegment := map[model.SegmentID][2]int{}
	var of [2]int
	for _, e := range m.Ends {
		family := 0
		if e.Address.Is6() {
			family = 1
		}
		of[family]++
		n := bySegment[e.Segment]
		n[family]++
		bySegment[e.Segment] = n
	}
	asked = of[0]*of[0] + of[1]*of[1]
	for _, n := range bySegment {
		asked -= n[0]*n[0] + n[1]*n[1]
	}
	for _, row := range m.both() {
		for _, word := range row {
			work += bits.OnesCount64(word)
		}
	}
	return asked, work
}

// Working is which ways between segments work, by the places of the ends.
type Working struct {
	m    *Matrix
	rows [][]uint64
	four int // how many places are of IPv4, which stand first
	lost []uint64
}

// Working works out which ways work.
func (m *Matrix) Working() *Working {
	w := &Working{m: m, rows: m.both(), lost: make([]uint64, m.words)}
	for p, a := range m.sorted {
		if a.Is4() {
			w.four = p + 1
		}
	}
	return w
}

// Works tells whether one end, by its place in Ends, reaches another on another
// segment, and is answered.
func (w *Working) Works(from, to int) bool { return get(w.rows[w.m.place[from]], w.m.place[to]) }

// LostFrom lists the ends that one end does not reach, in the order of Ends: of its
// family, and on other segments.
func (w *Working) LostFrom(end int, to []int32) []int32 {
	m, from := w.m, w.m.Ends[end]
	for i, word := range w.rows[m.place[end]] {
		w.lost[i] = ^word
	}
	if from.Address.Is4() {
		unset(w.lost, w.four, m.words*64)
	} else {
		unset(w.lost, 0, w.four)
		unset(w.lost, len(m.sorted), m.words*64)
	}
	eachBit(w.lost, func(q int32) {
		if e := m.end[q]; m.Ends[e].Segment != from.Segment {
			to = append(to, e)
		}
	})
	slices.Sort(to)
	return to
}

// Lost visits every way from one segment to another that does not work; it stops
// where visit returns false.
func (m *Matrix) Lost(visit func(Way) bool) {
	w := m.Working()
	var to []int32
	for i, from := range m.Ends {
		to = w.LostFrom(i, to[:0])
		for _, j := range to {
			if !visit(Way{From: from, To: m.Ends[j], Verdict: m.Verdict(i, int(j))}) {
				return
			}
		}
	}
}

// Ways visits every way from one segment to another, of one family; it stops
// where visit returns false. The way says why it does not work only where asked
// with Explain.
func (m *Matrix) Ways(visit func(Way) bool) {
	any := func(*End) bool { return true }
	m.Between(any, any, visit)
}

// Between is Ways from some ends to some.
func (m *Matrix) Between(some, others func(*End) bool, visit func(Way) bool) {
	for i, from := range m.Ends {
		if !some(from) {
			continue
		}
		for j, to := range m.Ends {
			if from.Segment == to.Segment || from.Address.Is4() != to.Address.Is4() || !others(to) {
				continue
			}
			if !visit(Way{From: from, To: to, Verdict: m.Verdict(i, j)}) {
				return
			}
		}
	}
}

// Pairs visits every way from one device to another, of one family, those on one
// segment among them; it stops where visit returns false.
func (m *Matrix) Pairs(visit func(Way) bool) {
	for i, from := range m.Ends {
		for j, to := range m.Ends {
			if from.Device == to.Device || from.Address.Is4() != to.Address.Is4() {
				continue
			}
			if !visit(Way{From: from, To: to, Verdict: m.Verdict(i, j)}) {
				return
			}
		}
	}
}

// Explain is a way with the reason why it does not work.
func (m *Matrix) Explain(w Way) Way { return ask(m.net, w.From, w.To, m.over) }

// ask pings from one end, by its place in Ends, to another.
func (m *Matrix) ask(from, to int) Way { return ask(m.net, m.Ends[from], m.Ends[to], m.over) }

// both is, by place, the ways that work: to whom packets get and from whom the
// answers come back, whichever way they take.
func (m *Matrix) both() [][]uint64 {
	works := make([][]uint64, len(m.from))
	all := make([]uint64, len(m.from)*m.words)
	for p := range m.from {
		works[p] = all[p*m.words : (p+1)*m.words]
		for w := range works[p] {
			works[p][w] = m.from[p].arrives[w] &^ m.from[p].fails[w]
		}
	}
	mirror(works)
	if m.judged != nil {
		for p, asked := range m.judged.ways {
			for w := range asked {
				works[p][w] = works[p][w]&^asked[w] | m.judged.works[p][w]
			}
		}
	}
	bySegment := map[model.SegmentID][]int32{}
	four := 0 // IPv4 stands first
	for p := range works {
		e := m.Ends[m.end[p]]
		bySegment[e.Segment] = append(bySegment[e.Segment], int32(p))
		if e.Address.Is4() {
			four = p + 1
		}
	}
	for p := range works {
		other := [2]int{four, len(works)}
		if p >= four {
			other = [2]int{0, four}
		}
		unset(works[p], other[0], other[1])
		for _, q := range bySegment[m.Ends[m.end[p]].Segment] {
			put(works[p], q/64, 1<<(q%64), false)
		}
	}
	m.eachOdd(func(p, q int32) {
		put(works[p], q/64, 1<<(q%64), m.ask(int(m.end[p]), int(m.end[q])).Verdict == forward.Works)
	})
	return works
}

// eachOdd visits every way, there and back, with an end that is odd.
func (m *Matrix) eachOdd(visit func(p, q int32)) {
	for p, odd := range m.odd {
		if !odd {
			continue
		}
		for q := range m.odd {
			if m.counts(p, q) {
				visit(int32(p), int32(q))
				if !m.odd[q] {
					visit(int32(q), int32(p))
				}
			}
		}
	}
}

// counts tells whether the way between two places is one to be asked for.
func (m *Matrix) counts(p, q int) bool {
	a, b := m.Ends[m.end[p]], m.Ends[m.end[q]]
	return a.Segment != b.Segment && a.Address.Is4() == b.Address.Is4()
}

// touched lists the nodes whose steps may be others in the tables of another
// state.
func (m *Matrix) touched(next *forward.Network) []int32 {
	spec, before, after := m.net.Spec, m.net.State, next.State
	var all []int32
	if !after.Shares(before) {
		for n := range m.nodes {
			all = append(all, int32(n))
		}
		return all
	}
	domains := map[network.DomainID]bool{}
	for id := range spec.Interfaces {
		i := model.InterfaceID(id)
		if before.IsUp(i) != after.IsUp(i) && before.Domain(i) != network.NoDomain {
			domains[before.Domain(i)] = true
		}
	}
	near := map[model.DeviceID]bool{}
	for id := range spec.Interfaces {
		i := model.InterfaceID(id)
		if before.IsUp(i) != after.IsUp(i) || domains[before.Domain(i)] {
			near[spec.Interfaces[id].Device] = true
		}
	}
	for n := range m.nodes {
		if d := m.deviceOf(int32(n)); near[d] || !next.Same(m.net.Tables, d) {
			all = append(all, int32(n))
		}
	}
	return all
}
