package derive

import (
	"slices"

	"ropeswing/core/model"
)

// floats gives a class further steps for when its first ones fail, each proven
// to lead to it in every failure in which it is taken.
func (a *answer) floats(c *class, w *walker) {
	order := make([]model.DeviceID, 0, len(c.first))
	for d := range c.first {
		if c.first[d] != none && a.g.derives(a.wanted, model.DeviceID(d)) || c.several && c.isOwner(model.DeviceID(d)) {
			order = append(order, model.DeviceID(d))
		}
	}
	slices.SortStableFunc(order, func(x, y model.DeviceID) int { return int(c.cost[x] - c.cost[y]) })
	var again []meeting
	changed := false
	for _, d := range order {
		for _, f := range a.troubles(c, d) {
			switch a.float(c, d, f, w) {
			case given:
				changed = true
			case missed:
				again = append(again, meeting{d, f})
			}
		}
	}
	for _, m := range again {
		if changed { // what others got since may help
			a.float(c, m.device, m.failure, w)
		}
	}
}

// meeting is a failure that a device itself has to do with.
type meeting struct {
	device  model.DeviceID
	failure failureID
}

// outcome is what came of looking for a way round.
type outcome uint8

const (
	needless outcome = iota // none is needed, or there is none
	missed                  // none was found that helps
	given                   // one was, and is taken
)

// troubles lists the failures that a device itself has to do with: those that
// break its first step, or part it from the subnet it is on.
func (a *answer) troubles(c *class, d model.DeviceID) []failureID {
	if s := c.first[d]; s != none {
		return a.g.breaking[s]
	}
	var all []failureID
	for f := range a.g.failures {
		if slices.ContainsFunc(a.g.failures[f].down, func(i model.InterfaceID) bool { return a.g.spec.Interfaces[i].Device == d }) && !c.owns(d, &a.g.failures[f]) && c.isOwner(d) {
			all = append(all, failureID(f))
		}
	}
	return all
}

// before is what a device had, to be put back.
type before struct {
	device  model.DeviceID
	further []stepID
	watch   stepID
}

// put gives a device back what it had. What is the same is not written: others
// may read it.
func (c *class) put(b before) {
	c.further[b.device] = b.further
	if c.watch[b.device] != b.watch {
		c.watch[b.device] = b.watch
	}
}

// float finds a way round one failure for a device that meets it, and gives the
// steps of that way to all on it that do not take them anyway: those whose own
// first step leads into the failure must notice it by a watch. It tells whether
// anything was added.
func (a *answer) float(c *class, d model.DeviceID, id failureID, w *walker) outcome {
	f := &a.g.failures[id]
	lost := a.g.lostOnWay(f)
	if f.fails == d || f.hidden || a.dead(c, f) || f.part[d] == none || w.under(c, f, lost).walk(d) == arrives {
		return needless
	}
	way, ok := a.wayRound(d, w)
	if !ok {
		return missed
	}
	var saved []before
	for _, s := range way {
		at := a.g.steps[s].from
		saved = append(saved, before{at, c.further[at], c.watch[at]})
	}
	good := true
	for _, s := range way {
		good = good && a.add(c, a.g.steps[s].from, s, f)
	}
	// What was gained must not be lost elsewhere, nor go round in circles.
	w.again()
	for i := 0; good && i < len(saved); i++ {
		good = w.walk(saved[i].device) == arrives
	}
	for i := 0; good && i < len(saved); i++ {
		at := saved[i].device
		for _, t := range a.triggers(c, at) {
			x := &a.g.failures[t]
			if !x.required && f.required {
				continue
			}
			r := w.under(c, x, a.g.lostOnWay(x)).walk(at)
			if r == circles || r == stops && x.required && a.reachable(c, at, x) && a.arrivedBefore(saved[i], w) {
				good = false
				break
			}
		}
	}
	if !good {
		for _, b := range saved {
			c.put(b)
		}
		return missed
	}
	return given
}

// arrivedBefore tells whether a failure did no harm to a device before it was
// given a further step.
func (a *answer) arrivedBefore(b before, w *walker) bool {
	c := w.c
	now := before{b.device, c.further[b.device], c.watch[b.device]}
	c.put(b)
	w.again()
	r := w.walk(b.device)
	c.put(now)
	return r == arrives
}

// triggers lists the failures in which a device leaves its first step: those
// that break it, and those its watch notices.
func (a *answer) triggers(c *class, d model.DeviceID) []failureID {
	if c.first[d] == none {
		return a.troubles(c, d)
	}
	if c.watch[d] == none {
		return a.g.breaking[c.first[d]]
	}
	var all []failureID
	at := d
	for range len(c.first) {
		s := c.first[at]
		if s == none {
			break
		}
		for _, f := range a.g.breaking[s] {
			if !slices.Contains(all, f) {
				all = append(all, f)
			}
		}
		if s == c.watch[d] {
			break
		}
		at = a.g.steps[s].to
	}
	return all
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

// wayWork is what finding a way round needs, kept between one and the next.
type wayWork struct {
	queue   queue
	touched []model.DeviceID
	cost    []int32
	came    []stepID
	done    []bool
}

func newWayWork(n int) wayWork {
	w := wayWork{cost: make([]int32, n), came: make([]stepID, n), done: make([]bool, n)}
	for i := range w.cost {
		w.cost[i] = unreached
	}
	return w
}

func (x *wayWork) clear() {
	for _, d := range x.touched {
		x.cost[d], x.done[d] = unreached, false
	}
	x.touched, x.queue = x.touched[:0], x.queue[:0]
}

// wayRound is the cheapest way from a device, over steps that the walker's
// failure leaves whole, to one from which the class is reached as things stand.
// Devices on it can be given routes, or take it anyway.
func (a *answer) wayRound(d model.DeviceID, w *walker) ([]stepID, bool) {
	c, f, x := w.c, w.f, &w.way
	defer x.clear()
	x.cost[d] = 0
	x.touched = append(x.touched, d)
	x.queue = append(x.queue, waiting{0, 0, d})
	for x.queue.Len() > 0 {
		at := x.queue.pop()
		if x.done[at.device] {
			continue
		}
		x.done[at.device] = true
		if at.device != d && w.walk(at.device) == arrives {
			var way []stepID
			for to := at.device; to != d; to = a.g.steps[way[0]].from {
				way = append([]stepID{x.came[to]}, way...)
			}
			return way, true
		}
		_, written := c.forced[at.device]
		if !written && !a.g.derives(a.wanted, at.device) || at.device != d && c.isOwner(at.device) {
			continue
		}
		for _, s := range a.g.leaving[at.device] {
			to := a.g.steps[s].to
			if written && s != a.g.decide(c, at.device, f, w.lost) {
				continue // it does what is written
			}
			next := at.cost + a.g.steps[s].cost
			if f.effect[s] != whole || x.done[to] || to == f.fails || x.cost[to] <= next {
				continue
			}
			if x.cost[to] == unreached {
				x.touched = append(x.touched, to)
			}
			x.cost[to], x.came[to] = next, s
			x.queue.push(waiting{next, at.hops + 1, to})
		}
	}
	return nil, false
}

// add gives a device a step for when a failure keeps it from its first one. It
// is false where nothing can be watched to notice the failure.
func (a *answer) add(c *class, d model.DeviceID, s stepID, f *failure) bool {
	first := c.first[d]
	if _, written := c.forced[d]; written || first == s {
		return true
	}
	if first != none && f.effect[first] != seen {
		w, ok := a.watchable(c, d, f)
		if !ok {
			return false
		}
		c.watch[d] = w
	}
	if !slices.Contains(c.further[d], s) {
		c.further[d] = append(slices.Clip(c.further[d]), s)
	}
	return true
}

// watchable is the step on a device's way whose far end is to be watched: that
// which the failure breaks, or the one watched so far, if that is farther. The
// far end's address on that link must be one that the device reaches the same
// way, and that can answer.
func (a *answer) watchable(c *class, d model.DeviceID, f *failure) (stepID, bool) {
	at, found := d, stepID(none)
	broken, watched := false, c.watch[d] == none
	for range len(c.first) {
		s := c.first[at]
		if s == none || broken && watched {
			break
		}
		if f.effect[s] != whole && !broken {
			found, broken = s, true
		}
		if s == c.watch[d] {
			found, watched = s, true
		}
		at = a.g.steps[s].to
	}
	if !broken || !a.g.steps[found].via.IsValid() || a.linkClass[found] == none || a.linkClass[c.first[d]] == none {
		return none, false
	}
	link := &a.classes[a.linkClass[found]]
	// While links are protected, all at once, what is watched by a device is a link
	// that nobody gives a watch of that device to.
	if a.target[target{d, c.id}] || a.links && !a.target[target{d, link.id}] || link.watch[d] != none {
		return none, false
	}
	return found, link.isOwner(d) || link.first[d] == c.first[d]
}
