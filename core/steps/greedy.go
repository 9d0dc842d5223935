package steps

import (
	"cmp"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/model"
)

// straight is an order that is found straight on: at each step the first thing that harms
// nobody, on the device the operator is on if there is one; and where all do, what harms
// least; with harmless it is nil then. Once many states were judged, what harmed before is put
// off, and at last one thing a step is looked at. What is new goes before what changes, and what is
// taken away comes last.
func (j *judge) straight(helpers, harmless bool) []*place {
	p := &place{levels: j.start(), on: model.None, judged: true}
	var path []*place
	goal := j.goal()
	harmed := map[moved]bool{} // when it was looked at last
	for !slices.Equal(p.levels, goal) {
		var all []*place
		for _, next := range j.onward(p) {
			if m := next.step[0]; helpers || m.to != compare.Both {
				all = append(all, next)
			}
		}
		slices.SortStableFunc(all, func(a, b *place) int {
			if j.asked >= j.most/2 && harmed[a.step[0]] != harmed[b.step[0]] {
				return map[bool]int{true: 1, false: -1}[harmed[a.step[0]]]
			}
			return cmp.Or(cmp.Compare(j.elsewhere(a), j.elsewhere(b)), cmp.Compare(len(a.step), len(b.step)),
				cmp.Compare(j.phase(a, helpers), j.phase(b, helpers)))
		})
		p = j.first(p, all, harmed)
		path = append(path, p)
		if harmless && p.cost.harms() {
			return nil
		}
	}
	return path
}

// first is what comes next: the first that costs nothing but a step and a login on the way, else what costs least. What
// costs pairs or logins is not asked about requirements before all others were found to cost something too.
func (j *judge) first(p *place, all []*place, harmed map[moved]bool) *place {
	costOf := func(next *place) cost {
		c := next.cost
		for i := range c {
			c[i] -= p.cost[i]
		}
		if c[logins], c[count] = 0, 0; next.moves {
			c[logins] = 1
		}
		return c
	}
	var looked []*place
	for _, next := range all {
		if len(looked) > 0 && j.asked >= j.most && j.known[keyOf(next.levels)] == nil {
			continue // there is no time to look at more than one
		}
		looked = append(looked, next)
		if !harmed[next.step[0]] { // most likely it harms nobody now
			j.atOnce(next.levels, true)
		}
		if j.judgePairs(next); costOf(next) == (cost{}) {
			if j.judgePromises(next); costOf(next) == (cost{}) {
				for _, other := range looked {
					j.settle(j.at(other.levels))
				}
				return next
			}
		}
		harmed[next.step[0]] = true
	}
	var best *place
	var least cost
	for _, next := range looked {
		if !next.judged {
			j.judgePromises(next)
		}
		if c := costOf(next); best == nil || slices.Compare(c[:], least[:]) < 0 {
			best, least = next, c
		}
	}
	return best
}

// elsewhere orders devices: the one of the step before, then what others run, who are to
// have done their part in time, then the rest.
func (j *judge) elsewhere(p *place) int {
	switch {
	case p.on == p.before.on:
		return 0
	case j.spec.Devices[p.on].Kind == model.World:
		return 1
	}
	return 2
}

// phase orders what harms nobody: what is added, what changes, what is taken away.
func (j *judge) phase(p *place, helpers bool) int {
	m := p.step[0]
	d := j.items[m.item].Main()
	switch {
	case m.to == compare.Both:
		return 0
	case m.from == compare.Both || d.Kind == compare.Extra:
		return 3
	case d.Kind == compare.Missing || d.What == compare.OfAdmin && d.Planned == "up":
		return 1
	case helpers && j.items[m.item].HasBoth():
		return 3 // not before it stood beside
	}
	return 2
}
