package reach

import (
	"ropeswing/core/forward"
	"slices"
)

// Working is which paths between segments work, by the places of the ends.
type Working struct {
	m    *Matrix
	rows [][]uint64
	lost []uint64
}

// Working works out which paths work.
func (m *Matrix) Working() *Working {
	return &Working{m: m, rows: m.both(), lost: make([]uint64, m.fixed.words)}
}

// Works tells whether one end, by its place in Ends, reaches another on another
// segment, and is answered.
func (w *Working) Works(from, to int) bool { return get(w.rows[w.m.place[from]], w.m.place[to]) }

// LostFrom lists the ends that one end does not reach, in the order of Ends: of its
// family, and on other segments.
func (w *Working) LostFrom(end int, to []int32) []int32 {
	m := w.m
	for i, word := range w.rows[m.place[end]] {
		w.lost[i] = ^word
	}
	m.onlyAsked(w.lost, m.place[end])
	eachBit(w.lost, func(q int32) { to = append(to, m.end[q]) })
	slices.Sort(to)
	return to
}

// Lost visits every way from one segment to another that does not work; it stops
// where visit returns false.
func (m *Matrix) Lost(visit func(Pair) bool) {
	w := m.Working()
	var to []int32
	for i, from := range m.Ends {
		to = w.LostFrom(i, to[:0])
		for _, j := range to {
			if !visit(Pair{From: from, To: m.Ends[j], Verdict: m.Verdict(i, int(j))}) {
				return
			}
		}
		stopped := false
		m.nearOf(i, func(j int) {
			if v := hears(m.net, from, m.Ends[j], m.over); v != forward.Works && !stopped {
				stopped = !visit(Pair{From: from, To: m.Ends[j], Verdict: v})
			}
		})
		if stopped {
			return
		}
	}
}
