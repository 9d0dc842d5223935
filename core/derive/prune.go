package derive

import (
	"slices"

	"ropeswing/core/model"
)

// prune takes away from a class what it can do without: watches where nobody would go
// astray, the far end of watches, and options. What arrived under some failure still does.
func (a *answer) prune(c *class, w *toWork) {
	order := a.withOptions(c)
	for _, roomless := range []bool{true, false} { // those first for whose probes there is no room
		for _, d := range order {
			for i := len(c.options[d]) - 1; i >= 0; i-- {
				if x := c.options[d][i].watch; x != nil && (!roomless || !a.eachDemand(x, a.mayHave)) {
					a.shortenWatch(c, d, i, w)
				}
			}
		}
	}
	if c.behind != none {
		for _, d := range order {
			if c.ends[d] {
				_ = a.follow(c, d, c.options[d][:len(c.options[d])-1], w) || a.follow(c, d, c.options[d], w)
			}
		}
	}
	a.pruneOptions(c, w)
}

// withOptions lists the devices that have options of a class, but for written ones, the nearest
// first.
func (a *answer) withOptions(c *class) []model.DeviceID {
	var order []model.DeviceID
	for d, all := range c.options {
		if _, written := c.forced[model.DeviceID(d)]; len(all) > 0 && !written {
			order = append(order, model.DeviceID(d))
		}
	}
	slices.SortStableFunc(order, func(x, y model.DeviceID) int { return int(c.cost[x]) - int(c.cost[y]) })
	return order
}

// pruneOptions takes away the options that nobody needs, beginning far away.
func (a *answer) pruneOptions(c *class, w *toWork) {
	order := a.withOptions(c)
	for _, d := range slices.Backward(order) {
		for i := len(c.options[d]) - 1; i >= 0; i-- {
			next := slices.Delete(slices.Clone(c.options[d]), i, i+1)
			a.try(c, d, next, w)
		}
	}
}

// follow has a device that stops behind its options do what it does with everything, where
// nothing that counts is the worse for it.
func (a *answer) follow(c *class, d model.DeviceID, next []option, w *toWork) bool {
	if a.classes[c.behind].isOwner(d) {
		return false // nothing follows there
	}
	old := c.options[d]
	put := func(options []option, ends bool) { c.options[d], c.ends[d] = options, ends }
	was := a.decide(c, d, a.nothing)
	put(next, false)
	if a.decide(c, d, a.nothing) != was && !a.shortEnough(c, d, w) {
		put(old, true)
		return false
	}
	for _, id := range a.failuresOf(c) {
		f := &a.g.failures[id]
		if f.fails == d {
			continue
		}
		put(old, true)
		before := w.walker.under(c, f).walk(d)
		put(next, false)
		if now := w.walker.under(c, f).walk(d); now != arrives && (now == circles || f.required && before == arrives) {
			put(old, true)
			return false
		}
	}
	if len(next) == len(old) {
		if c.either == nil {
			c.either = map[model.DeviceID]bool{}
		}
		c.either[d] = true
	}
	c.proven = false
	c.renew()
	return true
}

// shortenWatch takes away as much of a watch as nobody needs: all that lies behind the last step
// whose failure somebody would come to grief by.
func (a *answer) shortenWatch(c *class, d model.DeviceID, i int, w *toWork) {
	whole := c.options[d][i].watch
	steps := whole.steps()
	needed := len(steps)
	without := slices.Clone(c.options[d])
	without[i].watch = nil
	for ; needed > 0; needed-- {
		ok := a.eachFailure(steps[needed-1:needed], func(id failureID) bool { return a.fares(c, d, without, &a.g.failures[id], w) })
		if !ok {
			break
		}
	}
	for ; needed < len(steps); needed++ {
		without[i].watch = nil
		if needed > 0 {
			if without[i].watch = a.shorter(whole, needed); without[i].watch == nil {
				continue
			}
		}
		c.options[d], c.proven = without, false
		return
	}
}

// fares tells whether a device's packets fare no worse under a failure with other options.
func (a *answer) fares(c *class, d model.DeviceID, next []option, f *failure, w *toWork) bool {
	if f.fails == d || w.requiredOnly && !f.required {
		return true
	}
	old := c.options[d]
	before := a.decide(c, d, f)
	c.options[d] = next
	defer func() { c.options[d] = old }()
	if a.decide(c, d, f) == before {
		return true
	}
	switch w.walker.under(c, f).walk(d) {
	case arrives:
		return true
	case stops:
		if !f.required {
			return true
		}
		c.options[d] = old
		return w.walker.under(c, f).walk(d) != arrives
	}
	return false
}

// try gives a device other options, and keeps them where nothing that counts is the
// worse for it.
func (a *answer) try(c *class, d model.DeviceID, next []option, w *toWork) bool {
	old := c.options[d]
	w.begin(len(a.g.failures))
	fares := func(id failureID) bool { return !w.isNew(id) || a.fares(c, d, next, &a.g.failures[id], w) }
	was := a.decide(c, d, a.nothing)
	c.options[d] = next
	changed := a.decide(c, d, a.nothing) != was
	if changed && !a.shortEnough(c, d, w) {
		c.options[d] = old
		return false
	}
	c.options[d] = old
	var behind []option
	if c.behind != none {
		behind = a.classes[c.behind].options[d]
	}
	for _, o := range slices.Concat(old, next, behind) {
		steps := []stepID{o.step}
		if o.watch != nil {
			steps = o.watch.steps()
		}
		if !a.eachFailure(steps, fares) || !a.eachFailure([]stepID{o.step}, fares) {
			return false
		}
	}
	if changed { // it is another path in all of them
		for _, id := range a.failuresOf(c) {
			if !fares(id) {
				return false
			}
		}
	}
	c.options[d], c.proven = next, false
	return true
}

// shortEnough tells whether all paths to a class are as short as the plan wants them.
func (a *answer) shortEnough(c *class, changed model.DeviceID, w *toWork) bool {
	if c.first[changed] != none && a.tooLong(c, changed, a.pathCost(c, changed)) {
		return false
	}
	a.costs(c, w.costs)
	for d, cost := range w.costs {
		if at := model.DeviceID(d); c.first[d] != none && a.g.derives(a.wanted, at) && a.tooLong(c, at, cost) {
			return false
		}
	}
	return true
}
