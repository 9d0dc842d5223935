package derive

import (
	"slices"

	"ropeswing/core/model"
)

// option is a step that a device may take to a class: it is taken while its port is
// up, and what it watches answers.
type option struct {
	step  stepID
	watch *watch // nil where nothing is watched
}

// watch is a probe along a part of a trail, out by its first step, to the far end of its last.
// Nobody on the path has another route to either end, so that whether it is answered
// depends on the wires alone.
type watch struct {
	on       *trail
	from, to int32
}

// trail is a path on which watches lie.
type trail struct {
	steps []stepID
	hit   []hit // by failure: where it breaks the trail, there or back; nil where the trail is short
}

// hit is the first step of a trail that a failure breaks, and the last; -1 where none is.
type hit struct{ first, last int32 }

// shortTrail is how long a trail is searched from end to end.
const shortTrail = 6

func (a *answer) newTrail(steps []stepID) *trail {
	t := &trail{steps: steps}
	if len(steps) > shortTrail {
		t.hit = make([]hit, len(a.g.failures))
		for f := range t.hit {
			t.hit[f] = hit{-1, -1}
		}
		for i := range steps {
			a.eachFailure(steps[i:i+1], func(f failureID) bool {
				if t.hit[f].first < 0 {
					t.hit[f].first = int32(i)
				}
				t.hit[f].last = int32(i)
				return true
			})
		}
	}
	return t
}

// steps are those of the watched path.
func (w *watch) steps() []stepID { return w.on.steps[w.from:w.to] }

// watchOn is a watch along a part of a trail; nil where the plan wants none, or an end of it
// has no address to ask.
func (a *answer) watchOn(t *trail, from, to int) *watch {
	if a.wanted.Protect < model.ProtectLinks || from >= to {
		return nil
	}
	first, last := t.steps[from], t.steps[to-1]
	if !a.g.steps[last].via.IsValid() || a.linkClass[last] == none || a.linkClass[first] == none || !a.g.steps[first].via.IsValid() {
		return nil
	}
	return &watch{t, int32(from), int32(to)}
}

// shorter is a watch along the first steps of what another watches.
func (a *answer) shorter(w *watch, steps int) *watch {
	return a.watchOn(w.on, int(w.from), int(w.from)+steps)
}

// isSilent tells whether a failure breaks the path, there or back.
func (a *answer) isSilent(w *watch, f *failure) bool {
	if f.id < 0 {
		return false
	}
	if w.on.hit != nil {
		switch h := w.on.hit[f.id]; {
		case h.last < w.from || h.first >= w.to:
			return false
		case h.first >= w.from || h.last < w.to:
			return true
		}
	}
	for _, s := range w.steps() {
		if f.effect[s] != whole || a.g.back[s] != none && f.effect[a.g.back[s]] != whole {
			return true
		}
	}
	return false
}

// eachFailure visits what may break a path, there or back, and counts, some of it more than once,
// until visit says false.
func (a *answer) eachFailure(steps []stepID, visit func(failureID) bool) bool {
	for _, s := range steps {
		for _, f := range a.g.cutting[s] {
			if !visit(f) {
				return false
			}
		}
	}
	return true
}

// same tells whether two watches send the same probe.
func (w *watch) same(o *watch) bool {
	if w == nil || o == nil {
		return w == o
	}
	return w.on.steps[w.from] == o.on.steps[o.from] && w.target() == o.target()
}

// target is the step whose far end is asked.
func (w *watch) target() stepID { return w.on.steps[w.to-1] }

// usable tells whether a device takes an option under a failure.
func (a *answer) usable(o *option, f *failure) bool {
	return f.effect[o.step] != seen && (o.watch == nil || !a.isSilent(o.watch, f))
}

// decide is the step a device takes to a class under a failure; none where it takes
// none.
func (a *answer) decide(c *class, d model.DeviceID, f *failure) stepID {
	if o := a.taken(c, d, f); o != nil {
		return o.step
	}
	return none
}

// taken is the option a device takes to a class under a failure; nil where it takes none.
func (a *answer) taken(c *class, d model.DeviceID, f *failure) *option {
	for {
		for i := range c.options[d] {
			if o := &c.options[d][i]; a.usable(o, f) {
				return o
			}
		}
		if c.behind == none || c.ends[d] {
			return nil
		}
		c = &a.classes[c.behind]
	}
}

// result is how a path ends.
type result uint8

const (
	arrives result = iota
	stops          // dropped, or sent into a broken link
	circles        // or leaves for beyond the plan, whence it comes back
)

// walker follows packets for a class under a failure, and remembers how it went: as long
// as neither changes, each device is looked at once.
type walker struct {
	a     *answer
	c     *class
	f     *failure
	known []uint32 // by device: in which epoch it was found
	found []result
	end   []model.DeviceID // where it ended
	path  []model.DeviceID
	epoch uint32
	still *still // who arrives as before is not followed; nil where all are
}

func newWalker(a *answer) *walker {
	n := len(a.g.leaving)
	return &walker{a: a, known: make([]uint32, n), found: make([]result, n), end: make([]model.DeviceID, n)}
}

// under begins anew, with a class and a failure.
func (w *walker) under(c *class, f *failure) *walker {
	w.c, w.f, w.still = c, f, nil
	w.epoch++
	return w
}

// beside begins anew with a failure: who fares as with nothing out of order is known.
func (w *walker) beside(s *still, c *class, f *failure) {
	w.under(c, f)
	w.still = s
	s.touch(c, f)
}

// all reports whether the packets of all that may send otherwise than with nothing out of order fare well: then so do all
// others, since theirs come by one of these, or arrive as before.
func (w *walker) all(well func(result) bool) bool {
	if !w.still.all {
		return false
	}
	for _, d := range w.still.turning {
		if d != w.f.fails && !well(w.walk(d)) {
			return false
		}
	}
	return true
}

// walk follows a packet for the class from a device.
func (w *walker) walk(from model.DeviceID) result {
	a, c, f := w.a, w.c, w.f
	w.path = w.path[:0]
	at, end, r := from, from, circles
	for range len(a.g.leaving) + 1 {
		if w.known[at] == w.epoch {
			r, end = w.found[at], w.end[at]
			break
		}
		if w.still != nil && w.still.isAsBefore(at) {
			r = arrives
			break
		}
		w.path = append(w.path, at)
		w.known[at], w.found[at], w.end[at] = w.epoch, circles, at // should one come back to it
		end = at
		if c.owns(at, f) {
			r = arrives
			break
		}
		if at == f.fails {
			r = stops
			break
		}
		if a.g.beyond[at] && at != from && len(c.forced[at].steps) == 0 {
			if r = circles; c.world { // what leaves for beyond the plan, and is not for there, comes back
				r = stops
			}
			break
		}
		var s stepID
		if w.still != nil && !w.still.mayTurn(at) {
			s = w.still.next[at]
		} else {
			s = a.decide(c, at, f)
		}
		if s == none || f.effect[s] != whole {
			r = stops
			break
		}
		at = a.g.to[s]
	}
	for _, d := range w.path {
		w.known[d], w.found[d], w.end[d] = w.epoch, r, end
	}
	return r
}

// costs is what the path from each device to a class costs as things stand, without a
// failure; unreached where it does not arrive.
func (a *answer) costs(c *class, into []int32) {
	for d := range into {
		into[d] = -1
	}
	var path []model.DeviceID
	for d := range into {
		path = path[:0]
		at := model.DeviceID(d)
		cost := unreached
		for range len(into) + 1 {
			if into[at] >= 0 {
				cost = into[at]
				break
			}
			path = append(path, at)
			if c.owns(at, a.nothing) {
				cost = 0
				path = path[:len(path)-1]
				into[at] = 0
				break
			}
			s := a.decide(c, at, a.nothing)
			if s == none {
				break
			}
			at = a.g.to[s]
		}
		for _, x := range slices.Backward(path) {
			if cost != unreached {
				cost += a.g.steps[a.decide(c, x, a.nothing)].cost
			}
			into[x] = cost
		}
	}
}

// pathCost is what the path from a device to a class costs as things stand; unreached where it
// does not arrive.
func (a *answer) pathCost(c *class, d model.DeviceID) int32 {
	cost := int32(0)
	for range len(a.g.leaving) {
		if c.owns(d, a.nothing) {
			return cost
		}
		s := a.decide(c, d, a.nothing)
		if s == none {
			break
		}
		cost += a.g.steps[s].cost
		d = a.g.to[s]
	}
	return unreached
}

// pathOf lists the steps from a device to a class as things stand, without a failure.
func (a *answer) pathOf(c *class, d model.DeviceID) []stepID {
	var steps []stepID
	for range len(a.g.leaving) {
		if c.owns(d, a.nothing) {
			return steps
		}
		s := a.decide(c, d, a.nothing)
		if s == none {
			return nil
		}
		steps = append(steps, s)
		d = a.g.to[s]
	}
	return nil
}
