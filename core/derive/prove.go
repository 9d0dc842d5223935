package derive

import (
	"slices"

	"ropeswing/core/model"
)

// prove looks at every failure that may count, and takes floating routes away from those
// whose packets would loop, until none do.
func (a *answer) prove() {
	for _, leaning := range []bool{false, true} {
		a.each(func(c *class, w *toWork) {
			if c.options != nil && (c.behind != none) == leaning && !c.demanded {
				a.proveClass(c, w)
			}
		})
		if !leaning && a.common != none {
			a.findCommonLost()
			if len(a.classes[a.common].gaveUp) > 0 { // the others were proven with what it had
				for id := range a.classes {
					a.classes[id].proven = false
				}
			}
		}
	}
}

// findCommonLost finds the failures in which somebody does not reach the centre though a wire
// leads there.
func (a *answer) findCommonLost() {
	c, w := &a.classes[a.common], newWalker(a)
	for id := range a.g.failures {
		f := &a.g.failures[id]
		w.under(c, f)
		for d := range a.g.leaving {
			if at := model.DeviceID(d); at != f.fails && a.g.derives(a.wanted, at) && w.walk(at) != arrives &&
				(!f.required || a.reachable(c, at, f)) {
				a.commonLost = append(a.commonLost, f.id)
				break
			}
		}
	}
}

func (a *answer) proveClass(c *class, w *toWork) {
	c.sound = false
	c.renew()
	for range 2 * len(a.g.leaving) {
		bad := false
		w.still.learn(a, c, w.walker)
		for _, id := range a.failuresOf(c) {
			f := &a.g.failures[id]
			if c.proven && f.required {
				continue // what can arrive does
			}
			w.walker.beside(&w.still, c, f)
			if w.walker.all(func(r result) bool { return r != circles }) {
				continue
			}
			for _, at := range a.senders(c, id) {
				if at != f.fails && !w.still.isAsBefore(at) && w.walker.walk(at) == circles {
					a.blame(c, at, f, w)
					bad, c.proven = true, false
					w.still.learn(a, c, w.walker)
					w.walker.beside(&w.still, c, f)
				}
			}
		}
		if !bad {
			c.sound = true
			return
		}
	}
}

// blame takes from a device on a circle what it does under the failure only: from whom least is lost by it in failures
// that are to be outlasted.
func (a *answer) blame(c *class, from model.DeviceID, f *failure, w *toWork) {
	seen := make([]int, len(a.g.leaving))
	at := from
	for seen[at] < 2 {
		seen[at]++
		s := a.decide(c, at, f)
		if s == none || a.g.beyond[a.g.to[s]] && len(c.forced[a.g.to[s]].steps) == 0 { // or it leaves: all on the path could help
			for d := range seen {
				seen[d] *= 2
			}
			break
		}
		at = a.g.to[s]
	}
	type change struct {
		device  model.DeviceID
		options []option
	}
	var could []change
	for d := len(seen) - 1; d >= 0; d-- {
		at := model.DeviceID(d)
		if _, written := c.forced[at]; seen[d] < 2 || written || c.ends[at] && len(c.options[at]) <= 1 {
			continue
		}
		if c.isOwner(at) { // its interface there is down
			could = []change{{at, nil}}
			break
		}
		was, now := a.decide(c, at, a.nothing), a.decide(c, at, f)
		if was == now {
			continue
		}
		first := option{step: was}
		if len(c.options[at]) > 0 {
			first = option{step: c.options[at][0].step}
		}
		could = append(could, change{at, []option{first}})
	}
	put := func(x change) {
		c.options[x.device], c.ends[x.device] = x.options, true
		c.giveUp(x.device)
		delete(c.either, x.device)
	}
	if len(could) > 1 {
		best, least := 0, -1
		for i, x := range could {
			options, ends := c.options[x.device], c.ends[x.device]
			c.options[x.device], c.ends[x.device] = x.options, true
			if lost := a.lostIn(c, w.walker, &w.then); least < 0 || lost < least {
				best, least = i, lost
			}
			c.options[x.device], c.ends[x.device] = options, ends
		}
		could = could[best : best+1]
	}
	if len(could) == 1 {
		put(could[0])
		return
	}
	for d := range seen { // whoever is on it sends it round all the same: they stop
		if at := model.DeviceID(d); seen[d] == 2 && a.g.derives(a.wanted, at) {
			c.options[at], c.ends[at] = nil, true
			return
		}
	}
}

// lostIn counts by how many devices, in how many failures that are to be outlasted, a class is not reached.
func (a *answer) lostIn(c *class, w *walker, s *still) int {
	n := 0
	s.learn(a, c, w)
	for _, id := range a.failuresOf(c) {
		f := &a.g.failures[id]
		if !f.required {
			continue
		}
		w.beside(s, c, f)
		for _, at := range a.senders(c, id) {
			if at != f.fails && !s.isAsBefore(at) && w.walk(at) != arrives {
				n++
			}
		}
	}
	return n
}

// senders lists the devices from which to look at a class in a failure: all, or where
// everybody reaches the centre those that have routes of their own to it, and those on it: all
// others come by one of these, or by the centre, which is one.
func (a *answer) senders(c *class, f failureID) []model.DeviceID {
	if _, lost := slices.BinarySearch(a.commonLost, f); c.behind == none || lost {
		return a.deriving
	}
	if c.senders == nil {
		for _, d := range a.deriving {
			if len(c.options[d]) > 0 || c.isOwner(d) {
				c.senders = append(c.senders, d)
			}
		}
	}
	return c.senders
}

// failuresOf lists the failures that matter to a class: all, where it has everything of
// its own, else those that break what it has, and those that the common routes do not outlast.
func (a *answer) failuresOf(c *class) []failureID {
	if c.failures == nil {
		c.failures = a.findFailuresOf(c)
	}
	return c.failures
}

func (a *answer) findFailuresOf(c *class) []failureID {
	var all []failureID
	if c.behind == none {
		for f := range a.g.failures {
			all = append(all, failureID(f))
		}
		return all
	}
	all = append(all, a.commonLost...)
	seen := map[*trail]bool{}
	add := func(f failureID) bool { all = append(all, f); return true }
	for _, o := range c.options {
		for _, x := range o {
			all = append(all, a.g.cutting[x.step]...)
			if x.watch != nil && !seen[x.watch.on] {
				seen[x.watch.on] = true
				a.eachFailure(x.watch.on.steps, add)
			}
		}
	}
	// What breaks the paths that these lead to, whether anything watches them or not.
	gone := make([]bool, len(a.g.leaving))
	for d, o := range c.options {
		for at := model.DeviceID(d); len(o) > 0 && !gone[at] && !c.isOwner(at); {
			gone[at] = true
			s := a.decide(c, at, a.nothing)
			if s == none {
				break
			}
			all = append(all, a.g.cutting[s]...)
			at = a.g.to[s]
		}
	}
	for _, id := range a.downs { // of interfaces in segments of several routers
		if slices.ContainsFunc(c.owners, func(o owner) bool { return slices.Contains(a.g.failures[id].down, o.on) }) {
			all = append(all, id)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}
