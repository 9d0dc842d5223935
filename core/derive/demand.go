package derive

import (
	"slices"

	"ropeswing/core/model"
)

// demandRoutes gives the routes that watches need to the links at their two ends, and takes
// away watches for which there is no room: on a link that is reached another way
// already.
func (a *answer) demandRoutes(w *toWork) {
	done := served{near: map[stepID][][]stepID{}, far: map[stepID][][]stepID{}}
	for _, x := range a.watching() {
		c, d := &a.classes[x.class], x.device
		for i := 0; i < len(c.options[d]); i++ {
			_, written := c.forced[d] // that stands, whatever becomes of it
			if o := c.options[d][i]; o.watch != nil && !a.demand(d, o.watch, done) && !written {
				a.without(c, d, i, w)
				i = -1 // begin again: they are others
			}
		}
	}
}

// watcher is a device that watches something for a class.
type watcher struct {
	class   classID
	device  model.DeviceID
	leaning bool // the class leans on the common routes
	length  int  // of its longest watched path
}

// watching lists who watches anything for a class: for those that others lean on first, and the
// longest paths first, since they serve the shorter.
func (a *answer) watching() []watcher {
	var all []watcher
	for id := range a.classes {
		c := &a.classes[id]
		if c.link {
			continue
		}
		for d, options := range c.options {
			x := watcher{classID(id), model.DeviceID(d), c.behind != none, 0}
			for _, o := range options {
				if o.watch != nil && (a.need[d][id] || a.wanted.All) {
					x.length = max(x.length, int(o.watch.to-o.watch.from))
				}
			}
			if x.length > 0 {
				all = append(all, x)
			}
		}
	}
	slices.SortStableFunc(all, func(x, y watcher) int {
		if x.leaning != y.leaning {
			if x.leaning {
				return 1
			}
			return -1
		}
		return y.length - x.length
	})
	return all
}

// served is the paths along which watches have the routes they need: to the link at the near
// end, by the first step, and to that at the far end, by the last.
type served struct{ near, far map[stepID][][]stepID }

// has tells whether a path is the beginning of one that is served, and the end of one.
func (s served) has(steps []stepID) (near, far bool) {
	n := len(steps)
	near = slices.ContainsFunc(s.near[steps[0]], func(x []stepID) bool { return len(x) >= n && slices.Equal(x[:n], steps) })
	far = slices.ContainsFunc(s.far[steps[n-1]], func(x []stepID) bool { return len(x) >= n && slices.Equal(x[len(x)-n:], steps) })
	return near, far
}

// without takes a watch from a device, and what does harm without it.
func (a *answer) without(c *class, d model.DeviceID, i int, w *toWork) {
	next := slices.Clone(c.options[d])
	whole := next[i].watch
	for n := range len(whole.steps()) {
		next[i].watch = a.shorter(whole, n)
		if (n == 0 || next[i].watch != nil && a.demandable(a.demands(next[i].watch, served{}))) && a.try(c, d, next, w) {
			return
		}
	}
	if a.try(c, d, slices.Delete(slices.Clone(c.options[d]), i, i+1), w) {
		return
	}
	c.giveUp(d)
	next[i].watch = nil
	c.proven = false
	c.options[d] = next[:i+1]
	c.ends[d] = true
	delete(c.either, d)
}

// demanded is a device and a step it has to take to a link.
type demanded struct {
	device model.DeviceID
	link   classID
	step   stepID
}

// demands lists what a watch needs: from every device on its path but the sender a step on
// to the link at its far end, and back from it to the link at the near end.
func (a *answer) demands(w *watch, done served) []demanded {
	var all []demanded
	steps := w.steps()
	last := len(steps) - 1
	near, far := done.has(steps)
	for i := 1; i < last && !far; i++ {
		all = append(all, demanded{a.g.steps[steps[i]].from, a.linkClass[steps[last]], steps[i]})
	}
	for i := last; i > 0 && !near; i-- {
		all = append(all, demanded{a.g.to[steps[i]], a.linkClass[steps[0]], a.g.back[steps[i]]})
	}
	return all
}

// demandable tells whether nothing speaks against what a watch needs.
func (a *answer) demandable(demands []demanded) bool {
	for _, x := range demands {
		l := &a.classes[x.link]
		if x.step == none || l.isOwner(x.device) {
			continue // it is on the link
		}
		if f, written := l.forced[x.device]; written {
			if len(f.steps) == 0 || f.steps[0] != x.step {
				return false
			}
			continue
		}
		if !a.g.derives(a.wanted, x.device) || l.wanted && l.first[x.device] != x.step {
			return false
		}
		if have := l.step(x.device); have != none && have != x.step {
			return false
		}
	}
	return true
}

// demand gives a watch what it needs; false where something speaks against it.
func (a *answer) demand(d model.DeviceID, w *watch, done served) bool {
	demands := a.demands(w, done)
	if !a.demandable(demands) {
		return false
	}
	steps := w.steps()
	if near, far := done.has(steps); !near || !far {
		done.near[steps[0]] = append(done.near[steps[0]], steps)
		done.far[w.target()] = append(done.far[w.target()], steps)
	}
	for _, x := range demands {
		l := &a.classes[x.link]
		if x.step == none || l.isOwner(x.device) {
			continue
		}
		if l.options == nil {
			n := len(a.g.leaving)
			l.options, l.ends = make([][]option, n), make([]bool, n)
		}
		if l.options[x.device] == nil {
			l.options[x.device], l.ends[x.device] = []option{{step: x.step}}, true
		}
		l.demanded = true
	}
	return true
}

// loosen finds, of those that have a route to a link that watches need or are on it, who may send
// the common way what they cannot send on, their port being down: where that never
// comes back to them, nor to the link, or a watch would be answered that should not be.
func (a *answer) loosen() {
	if a.common == none {
		return
	}
	w := newWalker(a)
	for id := range a.classes {
		c := &a.classes[id]
		if !c.demanded || c.wanted || c.home != a.common || c.outside && a.world == none {
			continue
		}
		if c.behind = a.common; c.outside {
			c.behind = a.world
		}
		for _, d := range a.deriving {
			owner := c.isOwner(d)
			if !owner && len(c.options[d]) == 0 || owner && !c.several {
				continue // it has nothing to do with it, or is not known to lose it
			}
			ends := c.ends[d]
			c.ends[d] = false
			comes := slices.ContainsFunc(a.g.failures, func(f failure) bool {
				if !f.required || f.fails == d || owner && c.owns(d, &f) || !owner && f.effect[c.step(d)] == whole {
					return false
				}
				r := w.under(c, &f).walk(d)
				return r == circles || r == arrives && !owner
			})
			if c.ends[d] = ends; !comes {
				c.loose = append(c.loose, d)
			}
		}
		c.behind = none
	}
}

// fillDemanded gives links that are wanted and that watches need too the cheapest path from
// everybody else.
func (a *answer) fillDemanded() {
	for id := range a.classes {
		c := &a.classes[id]
		if !c.demanded || !c.wanted {
			continue
		}
		for d, s := range c.first {
			if at := model.DeviceID(d); s != none && c.options[d] == nil && a.g.derives(a.wanted, at) {
				c.options[d], c.ends[d] = []option{{step: s}}, true
			}
		}
	}
}

// unwatched takes all watches from a class.
func (a *answer) unwatched(c *class) {
	for d := range c.options {
		for i := range c.options[d] {
			c.options[d][i].watch = nil
		}
	}
}

// step is the one step that a device takes to a link; none where it has no route to it.
func (c *class) step(d model.DeviceID) stepID {
	if c.options == nil || len(c.options[d]) == 0 {
		return none
	}
	return c.options[d][0].step
}
