package derive

import (
	"cmp"
	"slices"

	"ropeswing/core/model"
)

// listOpen lists what single failures of cables and segments take away though a
// wire is left.
func (a *answer) listOpen(r *Result) {
	if !a.wanted.Floating {
		a.findWatchers()
		a.settleAll()
	}
	need := a.need(a.wanted)
	if a.lostBy == nil {
		a.lostBy = make([][]lost, len(a.classes))
		a.each(func(c *class, w *walker) { a.lostBy[c.id] = a.lostOf(c, w) })
	}
	type key struct {
		failure failureID
		device  model.DeviceID
	}
	open := map[key]*Open{}
	var order []key
	for c, all := range a.lostBy {
		for _, l := range all {
			if !need[l.device][c] {
				continue
			}
			k := key{l.failure, l.device}
			o := open[k]
			if o == nil {
				o = &Open{Device: l.device, Failure: a.g.failures[l.failure].Failure, At: l.device, Because: l.because}
				open[k] = o
				order = append(order, k)
			}
			o.World = o.World || a.classes[c].world
			for _, s := range a.subnets {
				if s.class == classID(c) {
					o.To = append(o.To, s.Prefix)
				}
			}
		}
	}
	slices.SortFunc(order, func(x, y key) int {
		return cmp.Or(cmp.Compare(x.failure, y.failure), cmp.Compare(x.device, y.device))
	})
	for _, k := range order {
		slices.SortFunc(open[k].To, comparePrefixes)
		r.Open = append(r.Open, *open[k])
	}
}

// lost is a device that a failure cuts off from a class.
type lost struct {
	device  model.DeviceID
	failure failureID
	because Because
}

// lostOf lists who is cut off from a class by which failure, though a wire is
// left.
func (a *answer) lostOf(c *class, w *walker) []lost {
	var all []lost
	a.eachFailureOf(c, func(d model.DeviceID, f *failure) {
		if !f.hidden && a.g.derives(a.wanted, d) && w.at(c, f, a.lost(a.silent[f.id])).walk(d) != arrives && !a.dead(c, f) && a.reachable(c, d, f) {
			all = append(all, lost{d, f.id, a.because(c, d, w)})
		}
	})
	return all
}

// because finds why a way is not protected.
func (a *answer) because(c *class, d model.DeviceID, w *walker) Because {
	if !a.wanted.Floating {
		return NotFloating
	}
	if _, written := c.forced[d]; written {
		return IsWritten
	}
	if _, ok := a.wayRound(d, w); ok || a.gaveUp[givenUp{c.id, d}] {
		return WouldCircle
	}
	return NoOtherWay
}
