package reach

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/parallel"
)

// judged is the paths on which something is judged or translated, there or back,
// and what becomes of them: they work, partly work, or fail on the return path only.
// All are by place: from the row to the bit.
type judged struct {
	asked, works, partly, unanswered [][]uint64

	class []int32 // by place
}

func (j *judged) verdict(p, q int32) forward.Verdict {
	switch {
	case get(j.works[p], q):
		return forward.Works
	case get(j.partly[p], q):
		return forward.Depends
	}
	return forward.Fails
}

// judging tells of each node whether its device judges or translates; nil where
// none does.
func (m *Matrix) judging() []bool {
	if m.net.Policy == nil {
		return nil
	}
	all := make([]bool, len(m.nodes))
	for n := range all {
		all[n] = m.net.Policy.Touches(m.nodes[n].Device)
	}
	return all
}

// judge works out the paths that meet permits or translations. Ends that nothing
// tells apart are looked at only once: those for which every device has the same
// step, that send by the same step, and whose addresses are on the same sides of
// every permit and translation.
func (m *Matrix) judge() {
	if m.net.Policy == nil {
		return
	}
	rows := func() [][]uint64 { return bitRows(len(m.sorted), m.fixed.words) }
	j := &judged{asked: rows(), works: rows(), partly: rows(), unanswered: rows(), class: make([]int32, len(m.sorted))}
	m.judged = j
	m.meeting(j.asked)
	members := m.alike()
	for id, places := range members {
		for _, p := range places {
			j.class[p] = int32(id)
		}
	}
	parallel.Each(len(members), func(a int) {
		first := members[a][0]
		works, partly, unanswered := make([]uint64, m.fixed.words), make([]uint64, m.fixed.words), make([]uint64, m.fixed.words)
		for b, others := range members {
			if b == a || !get(j.asked[first], others[0]) || !m.answers(others[0]) {
				continue
			}
			v, arrived := m.judgedVerdict(first, others[0])
			for _, q := range others {
				put(works, q/64, 1<<(q%64), v == forward.Works)
				put(partly, q/64, 1<<(q%64), v == forward.Depends)
				put(unanswered, q/64, 1<<(q%64), v == forward.Fails && arrived)
			}
		}
		for _, p := range members[a] {
			for w := range works {
				j.works[p][w], j.partly[p][w], j.unanswered[p][w] = works[w]&j.asked[p][w], partly[w]&j.asked[p][w], unanswered[w]&j.asked[p][w]
			}
			// Those of one class, and on one segment, are a matter of these two.
			near := m.on[m.at(p).lan()]
			if m.at(p).Segment == model.None {
				near = nil
			}
			for _, near := range [][]int32{members[a], near} {
				for _, q := range near {
					if !get(j.asked[p], q) || p == q || !m.answers(q) {
						continue
					}
					v, arrived := m.verdictByPing(p, q)
					put(j.works[p], q/64, 1<<(q%64), v == forward.Works)
					put(j.partly[p], q/64, 1<<(q%64), v == forward.Depends)
					put(j.unanswered[p], q/64, 1<<(q%64), v == forward.Fails && arrived)
				}
			}
		}
	})
}

// judgedVerdict is what becomes of a way: worked out along the steps that are known
// where nothing is translated and no step forks, else by a ping. Arrived is that the
// request gets there.
func (m *Matrix) judgedVerdict(p, q int32) (v forward.Verdict, arrived bool) {
	if v, arrived, ok := m.alongSteps(p, q); ok {
		return v, arrived
	}
	return m.verdictByPing(p, q)
}

func (m *Matrix) verdictByPing(p, q int32) (v forward.Verdict, arrived bool) {
	a, b := m.at(p), m.at(q)
	x := forward.PingBy(m.net, a.Device, a.Address, b.Address, model.None, forward.Probe{Over: m.over, Whom: whom(b)})
	return x.Verdict(), x.Source.IsValid() && x.There.Verdict() != forward.Fails
}

// Unanswered visits paths on which the request gets there and the reply is filtered
// on its return path: one of each kind that nothing tells apart, in the order of Ends.
func (m *Matrix) Unanswered(visit func(from, to *End)) {
	if m.judged == nil {
		return
	}
	type kind [2]int32
	seen := map[kind]bool{}
	var to []int32
	for i, from := range m.Ends {
		p := m.place[i]
		to = to[:0]
		eachBit(m.judged.unanswered[p], func(q int32) {
			k := kind{m.judged.class[p], m.judged.class[q]}
			if e := m.end[q]; !seen[k] && m.Ends[e].lan() != from.lan() {
				to = append(to, e)
			}
		})
		slices.Sort(to)
		for _, e := range to {
			k := kind{m.judged.class[p], m.judged.class[m.place[e]]}
			if !seen[k] {
				seen[k] = true
				visit(from, m.Ends[e])
			}
		}
	}
}

func bitRows(n, words int) [][]uint64 {
	rows, all := make([][]uint64, n), make([]uint64, n*words)
	for i := range rows {
		rows[i] = all[i*words : (i+1)*words : (i+1)*words]
	}
	return rows
}

// meeting sets the bits of the paths that meet permits or translations, there or
// back, or begin or end at a device with some of its own.
func (m *Matrix) meeting(ways [][]uint64) {
	own := make([]uint64, m.fixed.words)
	for c, met := range m.classRows(func(f fate) bool { return f&meet != 0 }) {
		meets, members := m.expand(met), m.members[c]
		for _, p := range members {
			copy(ways[p], meets)
		}
	}
	for p := range ways {
		if m.net.Policy.Touches(m.at(int32(p)).Device) {
			own[p/64] |= 1 << (p % 64)
			for w := range ways[p] {
				ways[p][w] = ^uint64(0)
			}
		}
	}
	for p := range ways {
		for w := range ways[p] {
			ways[p][w] |= own[w]
		}
	}
	either(ways)
	for p := range ways {
		if p < m.four {
			unset(ways[p], m.four, m.fixed.words*64)
		} else {
			unset(ways[p], 0, m.four)
			unset(ways[p], len(ways), m.fixed.words*64)
		}
		put(ways[p], int32(p/64), 1<<(p%64), false)
	}
}

// either sets in a square of bits those that are set on one side of its diagonal.
func either(x [][]uint64) {
	flip(x)
	mirror(x)
	flip(x)
}

func flip(x [][]uint64) {
	for _, row := range x {
		for w := range row {
			row[w] = ^row[w]
		}
	}
}

// alike puts places together that nothing tells apart, nor any permit or translation.
func (m *Matrix) alike() (members [][]int32) {
	spec := m.net.Spec
	meets := map[network.DomainID]bool{} // domains that a device which judges is on
	var sides []model.Side
	for d := range spec.Devices {
		if !m.net.Policy.Touches(model.DeviceID(d)) {
			continue
		}
		device := &spec.Devices[d]
		for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
			meets[m.net.State.Domain(id)] = true
		}
		for _, p := range slices.Concat(device.Permits, device.OwnPermits) {
			sides = append(sides, p.From, p.To)
		}
		for i := range device.Translates {
			sides = append(sides, device.Translates[i].Inside, model.Side{Prefixes: device.Translates[i].Outside})
		}
	}
	own := make([]bool, len(sides))
	for i := range sides {
		own[i] = m.ofItsOwn(sides[i])
	}
	known := map[string]int32{}
	for p := range m.sorted {
		e := m.at(int32(p))
		var key strings.Builder
		fmt.Fprint(&key, m.sorted[p].Is4(), m.of[p], m.answers(int32(p)))
		if d := m.net.State.Domain(e.Interface); meets[d] || m.net.Policy.Touches(e.Device) {
			fmt.Fprint(&key, " in ", e.Segment, e.Device, e.Interface)
		}
		for i := range sides {
			if sides[i].Contains(e.Address) {
				fmt.Fprint(&key, " ", i)
				if own[i] {
					fmt.Fprint(&key, " of ", p)
				}
			}
		}
		id, ok := known[key.String()]
		if !ok {
			id = int32(len(members))
			known[key.String()], members = id, append(members, nil)
		}
		members[id] = append(members[id], int32(p))
	}
	return members
}

// ofItsOwn tells whether each address of a side may be translated to one of its
// own.
func (m *Matrix) ofItsOwn(s model.Side) bool {
	for d := range m.net.Spec.Devices {
		for _, t := range m.net.Spec.Devices[d].Translates {
			if t.Kind != model.Sharing && slices.Equal(t.Inside.Prefixes, s.Prefixes) {
				return true
			}
		}
	}
	return false
}
