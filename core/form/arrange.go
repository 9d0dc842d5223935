package form

import (
	"maps"
	"slices"
)

// placed is a line of a block, in its order: of which draft, and about what.
type placed struct {
	d *draft
	t *Thing
}

// sequence is the lines of one block.
type sequence struct {
	lines   []placed
	context *Thing
}

// arranged puts the lines learnt into the order in which they are written. Lines of several drafts that alternate, thing by thing, are one
// group; what begins another group of the same kind of things is told by a gap.
func (v *level) arranged() []*Line {
	by := map[int][]struct {
		n int
		p placed
	}{}
	for _, d := range v.chosen {
		for _, r := range d.rows {
			by[r.instance] = append(by[r.instance], struct {
				n int
				p placed
			}{r.n, placed{d, r.thing}})
		}
	}
	var all []sequence
	for _, n := range slices.Sorted(maps.Keys(by)) {
		lines := by[n]
		slices.SortFunc(lines, func(a, b struct {
			n int
			p placed
		}) int {
			return a.n - b.n
		})
		s := sequence{context: v.instances[n].thing}
		for _, l := range lines {
			s.lines = append(s.lines, l.p)
		}
		all = append(all, s)
	}
	return arrange(all, v.parent.Kind)
}

// arrange is arranged for sequences of lines that are about things of a kind.
func arrange(all []sequence, of Kind) []*Line {
	type range2 struct{ first, last int }
	spans := map[*draft]map[int]range2{}
	var order []*draft
	for n, s := range all {
		for i, p := range s.lines {
			if spans[p.d] == nil {
				spans[p.d] = map[int]range2{}
				order = append(order, p.d)
			}
			r, seen := spans[p.d][n]
			if !seen {
				r = range2{i, i}
			}
			r.last = i
			spans[p.d][n] = r
		}
	}
	unit := func(d *draft) Kind {
		if d.Kind == of {
			return of
		}
		return d.Kind.child(of)
	}
	overlap := func(a, b *draft) bool {
		for n, x := range spans[a] {
			if y, ok := spans[b][n]; ok && x.first < y.last && y.first < x.last {
				return true
			}
		}
		return false
	}
	var groups [][]*draft
	for _, d := range order {
		joined := []*draft{d}
		var rest [][]*draft
		for _, g := range groups {
			if unit(d) != of && slices.ContainsFunc(g, func(o *draft) bool { return unit(o) == unit(d) && overlap(o, d) }) {
				joined = append(g, joined...)
			} else {
				rest = append(rest, g)
			}
		}
		groups = append(rest, joined)
	}
	before := func(a, b []*draft) int {
		n := 0
		for _, x := range a {
			for _, y := range b {
				for k, p := range spans[x] {
					if q, ok := spans[y][k]; ok {
						if p.last < q.first {
							n++
						} else if q.last < p.first {
							n--
						}
					}
				}
			}
		}
		return n
	}
	first := func(g []*draft) int {
		at := 1 << 30
		for _, d := range g {
			for _, r := range spans[d] {
				at = min(at, r.first)
			}
		}
		return at
	}
	var out []*Line
	last, fresh := of, true
	for len(groups) > 0 {
		best, behind := 0, 1<<30
		for i, g := range groups {
			n := 0
			for j, o := range groups {
				if i != j && before(o, g) > 0 {
					n++
				}
			}
			if n < behind || n == behind && first(g) < first(groups[best]) {
				best, behind = i, n
			}
		}
		g := groups[best]
		groups = slices.Delete(groups, best, best+1)
		k := unit(g[0])
		var lines []*Line
		if k == of {
			for _, d := range g {
				lines = append(lines, &d.Line)
				for _, t := range d.twins {
					lines = append(lines, &t.Line)
				}
			}
		} else {
			lines = arrange(inner(all, g, of), k)
		}
		if len(lines) == 0 {
			continue
		}
		lines[0].Gap = !fresh && k != of && last == k
		last, fresh = k, false
		out = append(out, lines...)
	}
	return out
}

// inner are the lines of a group, thing by thing of the kind below.
func inner(all []sequence, group []*draft, of Kind) []sequence {
	var out []sequence
	for _, s := range all {
		at := map[*Thing]int{}
		for _, p := range s.lines {
			if !slices.Contains(group, p.d) {
				continue
			}
			x := p.t
			for x.Parent != s.context && x.Parent != nil {
				x = x.Parent
			}
			n, seen := at[x]
			if !seen {
				n = len(out)
				at[x], out = n, append(out, sequence{context: x})
			}
			out[n].lines = append(out[n].lines, p)
		}
	}
	return out
}
