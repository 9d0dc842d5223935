package derive

import (
	"slices"

	"ropeswing/core/model"
)

// watchElsewhere looks for what circles where a device is dead, since there was no room for a watch that would tell,
// and has another device on the circle watch the path by which it sends then, if there is room for that.
func (a *answer) watchElsewhere(c *class, done served, w *toWork) {
	w.still.learn(a, c, w.walker)
	for id := range a.g.failures {
		f := &a.g.failures[id]
		if f.required {
			continue
		}
		for again := true; again; {
			again = false
			w.walker.beside(&w.still, c, f)
			if w.walker.all(func(r result) bool { return r != circles }) {
				break
			}
			for _, d := range a.deriving {
				if d != f.fails && !w.still.isAsBefore(d) && w.walker.walk(d) == circles {
					again = slices.ContainsFunc(a.circleFrom(c, d, f), func(at model.DeviceID) bool { return a.watchFrom(c, at, f, done, w) })
					if again {
						w.still.learn(a, c, w.walker)
					}
					break
				}
			}
		}
	}
}

// circleFrom lists the devices on the circle that a packet from a device comes to under a failure; none where it leaves
// for beyond the plan.
func (a *answer) circleFrom(c *class, d model.DeviceID, f *failure) []model.DeviceID {
	var path []model.DeviceID
	for {
		if i := slices.Index(path, d); i >= 0 {
			return path[i:]
		}
		s := a.decide(c, d, f)
		if s == none {
			return nil
		}
		path, d = append(path, d), a.g.to[s]
	}
}

// watchFrom has a device watch, up to where the class is, the path it takes under a failure because another is broken.
// It reports whether that was possible, and loses nothing.
func (a *answer) watchFrom(c *class, d model.DeviceID, f *failure, done served, w *toWork) bool {
	if _, written := c.forced[d]; written || c.isOwner(d) || !a.g.derives(a.wanted, d) {
		return false
	}
	o, first := a.taken(c, d, f), a.decide(c, d, a.nothing)
	if o == nil || o.watch != nil || o.step == first || first == none {
		return false
	}
	var x *watch
	for _, id := range a.g.cutting[first] {
		g := &a.g.failures[id]
		if !g.required || a.decide(c, d, g) != o.step {
			continue
		}
		steps, at := []stepID(nil), d
		for ; !c.owns(at, g) && len(steps) <= len(a.g.leaving); at = a.g.to[steps[len(steps)-1]] {
			s := a.decide(c, at, g)
			if s == none || g.effect[s] != whole {
				break
			}
			steps = append(steps, s)
		}
		if c.owns(at, g) && len(steps) > 0 {
			x = a.watchOn(a.newTrail(steps), 0, len(steps))
			break
		}
	}
	if x == nil || !a.eachDemand(x, a.mayHave, done) {
		return false
	}
	before := a.lostIn(c, w.walker, &w.then)
	old, ends := c.options[d], c.ends[d]
	next := slices.Clone(old)
	if i := slices.IndexFunc(next, func(y option) bool { return y.step == o.step && y.watch == nil }); i >= 0 {
		next[i].watch = x
	} else {
		next = append(next, option{o.step, x})
	}
	c.options[d], c.ends[d] = next, true
	c.renew()
	if a.lostIn(c, w.walker, &w.then) > before {
		c.options[d], c.ends[d] = old, ends
		c.renew()
		return false
	}
	c.proven = false
	delete(c.either, d)
	return a.demand(x, done)
}
