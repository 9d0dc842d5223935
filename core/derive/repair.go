package derive

import (
	"slices"

	"ropeswing/core/model"
)

// repair looks where a path ends in some failure though a wire leads on, and gives the device
// there a step to a neighbour from whom the class is reached all the same, if there is
// one: by written routes, past switches that fail in part, or from one owner of a subnet to
// another.
func (a *answer) repair(c *class, w *toWork) {
	if a.wanted.Protect == model.ProtectNone || c.proven {
		return
	}
	c.renew()
	w.still.learn(a, c, w.walker)
	whole, mended := true, false
	for _, id := range a.failuresOf(c) {
		f := &a.g.failures[id]
		if !f.required {
			continue // nothing need arrive; that nothing circles is left to the proof
		}
		w.walker.beside(&w.still, c, f)
		if f.fails == model.None && w.walker.all(func(r result) bool { return r == arrives }) {
			continue
		}
		var tried []model.DeviceID
		for _, at := range a.senders(c, id) {
			if at == f.fails || w.still.isAsBefore(at) || w.walker.walk(at) == arrives {
				continue
			}
			if w.walker.found[at] == stops && (f.hidden || a.dead(c, f) || !a.reachable(c, at, f)) {
				continue
			}
			whole = false
			end := w.walker.end[at]
			if w.walker.found[at] == stops && !slices.Contains(tried, end) {
				tried = append(tried, end)
				if a.mend(c, end, f, w) {
					mended = true
					w.still.learn(a, c, w.walker)
				}
				w.walker.beside(&w.still, c, f)
			}
		}
	}
	if c.proven = whole; mended {
		a.pruneOptions(c, w)
	}
}

// mend finds a step for a device whose packets go no further under a failure.
func (a *answer) mend(c *class, d model.DeviceID, f *failure, w *toWork) bool {
	if _, written := c.forced[d]; written || d == f.fails || !a.g.derives(a.wanted, d) {
		return false
	}
	have, ends := slices.Clone(c.options[d]), c.ends[d]
	for x := c; !c.ends[d] && x.behind != none; {
		x = &a.classes[x.behind]
		have = append(have, x.options[d]...)
		if x.ends[d] {
			break
		}
	}
	for i, o := range have {
		if a.usable(&o, f) && f.effect[o.step] == unseen {
			if have[i].watch = a.watchOn(a.newTrail([]stepID{o.step}), 0, 1); have[i].watch == nil {
				return false
			}
		}
	}
	steps := slices.Clone(a.g.leaving[d])
	slices.SortStableFunc(steps, func(x, y stepID) int { return int(a.g.steps[x].cost - a.g.steps[y].cost) })
	for _, s := range steps {
		to := a.g.to[s]
		if f.effect[s] != whole || to == f.fails || a.g.beyond[to] && !c.isOwner(to) ||
			slices.ContainsFunc(have, func(o option) bool { return o.step == s && o.watch == nil }) {
			continue
		}
		if w.walker.under(c, f).walk(to) != arrives {
			continue
		}
		old := c.options[d]
		c.ends[d] = true
		c.renew()
		if a.try(c, d, append(slices.Clip(have), option{step: s}), w) && w.walker.under(c, f).walk(d) == arrives {
			delete(c.either, d)
			return true
		}
		c.options[d], c.ends[d], c.proven = old, ends, false
	}
	return false
}
