package derive

import (
	"cmp"
	"slices"

	"ropeswing/core/model"
)

// listOpen lists what single failures of cables and segments take away though a
// wire is left.
func (a *answer) listOpen(r *Result) {
	if a.lostBy == nil {
		a.lostBy = make([][]lost, len(a.classes))
		a.each(func(c *class, w *toWork) {
			if c.options != nil && c.wanted && !c.proven {
				a.lostBy[c.id] = a.lostOf(c, w)
			}
		})
	}
	type key struct {
		failure failureID
		device  model.DeviceID
	}
	open := map[key]*Open{}
	var order []key
	subnets := make([][]subnet, len(a.classes))
	for _, s := range a.subnets {
		subnets[s.class] = append(subnets[s.class], s)
	}
	for c, all := range a.lostBy {
		for _, l := range all {
			k := key{l.failure, l.device}
			o := open[k]
			if o == nil {
				o = &Open{Device: l.device, Failure: a.g.failures[l.failure].Failure, At: l.device, Because: l.because}
				open[k] = o
				order = append(order, k)
			}
			o.World = o.World || a.classes[c].world
			for _, s := range subnets[c] {
				o.To = append(o.To, s.Prefix)
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

// lost is a device where a path ends under a failure, though a wire leads on.
type lost struct {
	device  model.DeviceID
	failure failureID
	because Because
}

// lostOf lists where paths to a class end under which failure, though a wire is left.
func (a *answer) lostOf(c *class, w *toWork) []lost {
	var all []lost
	c.renew()
	w.still.learn(a, c, w.walker)
	for _, id := range a.failuresOf(c) {
		f := &a.g.failures[id]
		if f.hidden || !f.required || a.dead(c, f) {
			continue
		}
		w.walker.beside(&w.still, c, f)
		from := len(all)
		for _, at := range a.senders(c, id) {
			if at == f.fails || !a.need[at][c.id] || c.first[at] == none && !c.isOwner(at) ||
				w.still.isAsBefore(at) || w.walker.walk(at) == arrives || !a.reachable(c, at, f) {
				continue
			}
			end := w.walker.end[at]
			if !slices.ContainsFunc(all[from:], func(l lost) bool { return l.device == end }) {
				all = append(all, lost{end, id, a.because(c, end)})
			}
		}
	}
	return all
}

// because finds why a path is not protected.
func (a *answer) because(c *class, d model.DeviceID) Because {
	if a.wanted.Protect == model.ProtectNone {
		return NotFloating
	}
	if _, written := c.forced[d]; written {
		return IsWritten
	}
	if c.gaveUp[d] || c.behind != none && a.classes[c.behind].gaveUp[d] {
		return WouldCircle
	}
	return NoOtherWay
}

// dead tells whether a failure leaves no device with the class's subnets.
func (a *answer) dead(c *class, f *failure) bool {
	return !slices.ContainsFunc(c.owners, func(o owner) bool { return c.owns(o.device, f) })
}

// reachable tells whether a wire still leads from a device to the class.
func (a *answer) reachable(c *class, d model.DeviceID, f *failure) bool {
	for _, o := range c.owners {
		if !c.owns(o.device, f) {
			continue
		}
		if !c.world && f.part[o.device] == f.part[d] && f.part[d] != none {
			return true
		}
		if c.world {
			for _, s := range a.g.coming[o.device] {
				if f.effect[s] == whole && f.part[a.g.steps[s].from] == f.part[d] {
					return true
				}
			}
		}
	}
	return false
}
