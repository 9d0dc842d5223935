package derive

import (
	"cmp"
	"slices"

	"ropeswing/core/model"
)

// toward gives a class routes of its own where the common ones do not lead to it: along a
// path from the centre, and along another that shares as little with it as may be. Each
// device on them takes its path while what is left of it is whole, and else does what it
// does with everything: the centre is reached in any failure, and one of its two paths
// is whole.
func (a *answer) toward(c *class, w *toWork) {
	n := len(a.g.leaving)
	c.options, c.ends = make([][]option, n), make([]bool, n)
	c.behind = a.common
	centre, first := a.firstPath(c)
	if centre == model.None {
		return
	}
	second := a.secondPath(c, centre, first, w)
	if second != nil && a.sharesWithoutNeed(first, second, c) {
		k := a.classes[a.common].fork
		o := c.owners[0].device
		first, second = a.turned(k.path(o, false)), a.turned(k.path(o, true))
	}
	if c.variation%2 == 1 && second != nil {
		first, second = second, first
	}
	a.layPaths(c, centre, first, second, w)
	a.shorten(c, w)
}

// firstPath is the path from the centre to the class: that of common routes turned round.
func (a *answer) firstPath(c *class) (model.DeviceID, []stepID) {
	common := &a.classes[a.common]
	best := model.DeviceID(model.None)
	for _, o := range c.owners {
		if x := common.cost[o.device]; x != unreached && (best == model.None || x < common.cost[best]) {
			best = o.device
		}
	}
	if best == model.None {
		return model.None, nil
	}
	up := a.pathOf(common, best)
	if up == nil && !common.isOwner(best) {
		return model.None, nil
	}
	if len(up) == 0 {
		return best, nil
	}
	return a.g.to[up[len(up)-1]], a.turned(up)
}

// turned is a path the other path.
func (a *answer) turned(steps []stepID) []stepID {
	var back []stepID
	for _, s := range slices.Backward(steps) {
		back = append(back, a.g.back[s])
	}
	return back
}

// toWork is what finding paths needs, kept between one and the next.
type toWork struct {
	walker       *walker
	still        still
	then         still // with options that are tried
	queue        queue
	cost         []int32
	came         []stepID
	costs        []int32
	asked        []uint32 // by failure: in which round it was asked of
	round        uint32
	others       []*toWork // of what is worked on beside this
	varied       variedPaths
	requiredOnly bool                              // failures count that are to be outlasted, and no others
	used         map[int32]bool                    // units of the first path
	start        map[model.DeviceID]model.DeviceID // by device on a path: where the two parted before it
}

// variedPaths is the first steps of the cheapest paths to a class by costs as one of its variations has them.
type variedPaths struct {
	class     classID
	variation int32
	first     []stepID
}

func newToWork(a *answer) *toWork {
	n := len(a.g.leaving)
	return &toWork{walker: newWalker(a), cost: make([]int32, n), came: make([]stepID, n), costs: make([]int32, n), used: map[int32]bool{},
		start: map[model.DeviceID]model.DeviceID{}}
}

// begin begins a round in which each failure is asked of once.
func (w *toWork) begin(failures int) {
	if w.asked == nil {
		w.asked = make([]uint32, failures)
	}
	w.round++
}

// isNew reports whether a failure was not asked of in this round before.
func (w *toWork) isNew(id failureID) bool {
	before := w.asked[id]
	w.asked[id] = w.round
	return before != w.round
}

// shared is what a step costs more that is on the first path too.
const shared = 1 << 20

// secondPath is the cheapest path from the centre to the class that shares as little with
// the first as may be; nil where the plan wants none.
func (a *answer) secondPath(c *class, centre model.DeviceID, first []stepID, w *toWork) []stepID {
	if a.wanted.Protect == model.ProtectNone {
		return nil
	}
	clear(w.used)
	at := centre
	for _, s := range first {
		w.used[a.g.unit[s]] = true
		at = a.g.to[s]
	}
	firstOwner := at
	for d := range w.cost {
		w.cost[d], w.came[d] = unreached, none
	}
	q := &w.queue
	*q = (*q)[:0]
	w.cost[centre] = 0
	q.push(waiting{0, 0, centre})
	best, least := model.DeviceID(model.None), unreached
	for q.Len() > 0 {
		at := q.pop()
		d := at.device
		if at.cost > w.cost[d] {
			continue
		}
		if c.isOwner(d) {
			cost := at.cost
			if c.several && d == firstOwner {
				cost += shared
			}
			if cost < least {
				best, least = d, cost
			}
			if d != centre {
				continue // it delivers what comes to it
			}
		}
		for _, s := range a.g.leaving[d] {
			to := a.g.to[s]
			if a.g.back[s] == none || !c.isOwner(to) && !a.g.derives(a.wanted, to) {
				continue
			}
			cost := at.cost + a.g.varied(c, s)
			if w.used[a.g.unit[s]] {
				cost += shared
			}
			if cost < w.cost[to] {
				w.cost[to], w.came[to] = cost, s
				q.push(waiting{cost, 0, to})
			}
		}
	}
	if best == model.None {
		return nil
	}
	var path []stepID
	for d := best; d != centre; d = a.g.steps[path[0]].from {
		path = append([]stepID{w.came[d]}, path...)
	}
	return path
}

// sharesWithoutNeed tells whether two paths to a device share something whose failure does
// not part the network.
func (a *answer) sharesWithoutNeed(first, second []stepID, c *class) bool {
	if len(c.owners) > 1 {
		return false
	}
	k := a.classes[a.common].fork
	for _, s := range second {
		if !slices.Contains(first, s) {
			continue
		}
		from, to := a.g.steps[s].from, a.g.to[s]
		b := k.block[to]
		if b == none || k.root[b] != int32(from) || len(k.order[b]) > 1 {
			return true
		}
	}
	return false
}

// layPaths gives the devices on two paths their options.
func (a *answer) layPaths(c *class, centre model.DeviceID, first, second []stepID, w *toWork) {
	clear(w.start)
	if second == nil {
		for _, s := range first {
			a.addOption(c, a.g.steps[s].from, option{step: s})
			c.ends[a.g.steps[s].from] = true
		}
		return
	}
	for _, cut := range a.cuts(centre, first, second) {
		one, two := first[cut.first:cut.nextFirst], second[cut.second:cut.nextSecond]
		at := centre
		if cut.first > 0 {
			at = a.g.to[first[cut.first-1]]
		}
		c.ends[at] = true
		if slices.Equal(one, two) {
			for _, s := range one {
				a.addOption(c, a.g.steps[s].from, option{step: s})
				c.ends[a.g.steps[s].from] = true
			}
			continue
		}
		on := a.newTrail(one)
		for i, s := range one {
			w.start[a.g.to[s]] = at
			a.addOption(c, a.g.steps[s].from, option{s, a.watchOn(on, i, len(one))})
		}
		on = a.newTrail(two)
		for i, s := range two {
			w.start[a.g.to[s]] = at
			// Where a device is dead both paths to what it has are broken: it is discarded where they begin.
			o := option{s, a.watchOn(on, i, len(two))}
			a.addOption(c, a.g.steps[s].from, o)
		}
	}
}

// addOption adds an option behind those a device has.
func (a *answer) addOption(c *class, d model.DeviceID, o option) {
	if !a.g.derives(a.wanted, d) || slices.ContainsFunc(c.options[d],
		func(x option) bool { return x.step == o.step && (x.watch.same(o.watch) || x.watch == nil) }) {
		return
	}
	c.options[d] = append(c.options[d], o)
}

// cut is a device that two paths both come by, from which what follows on one does not
// meet what came before on the other; and where the next such is.
type cut struct{ first, second, nextFirst, nextSecond int }

// cuts lists the cuts of two paths from the centre, but for the end.
func (a *answer) cuts(centre model.DeviceID, first, second []stepID) []cut {
	nodes := func(steps []stepID) []model.DeviceID {
		all := []model.DeviceID{centre}
		for _, s := range steps {
			all = append(all, a.g.to[s])
		}
		return all
	}
	one, two := nodes(first), nodes(second)
	at := map[model.DeviceID]int{}
	for k, d := range two {
		at[d] = k
	}
	// The furthest on the second path that anything up to here on the first is met at, and the
	// nearest that anything from here on is.
	least := make([]int, len(one)+1)
	least[len(one)] = len(two)
	for i := len(one) - 1; i >= 0; i-- {
		least[i] = least[i+1]
		if k, ok := at[one[i]]; ok {
			least[i] = min(least[i], k)
		}
	}
	var all []cut
	most := -1
	for i, d := range one {
		k, ok := at[d]
		if ok && most < k && least[i+1] > k && i < len(one) {
			if n := len(all); n > 0 {
				all[n-1].nextFirst, all[n-1].nextSecond = i, k
			}
			all = append(all, cut{i, k, len(one) - 1, len(two) - 1})
		}
		if ok {
			most = max(most, k)
		}
	}
	return slices.DeleteFunc(all, func(x cut) bool { return x.first == len(first) && x.second == len(second) })
}

// shorten gives the class routes along the cheapest path from wherever the path as it is
// costs more than the plan allows.
func (a *answer) shorten(c *class, w *toWork) {
	a.costs(c, w.costs)
	var order []waiting
	for d := range w.costs {
		at := model.DeviceID(d)
		if c.first[d] != none && a.g.derives(a.wanted, at) && c.cost[d] != unreached && a.tooLong(c, at, w.costs[d]) {
			order = append(order, waiting{c.cost[d], 0, at})
		}
	}
	slices.SortFunc(order, func(x, y waiting) int { // the farthest first: the others lie on their paths
		return cmp.Or(cmp.Compare(y.cost, x.cost), cmp.Compare(x.device, y.device))
	})
	for _, x := range order {
		if !a.tooLong(c, x.device, a.pathCost(c, x.device)) {
			continue
		}
		a.layCheapest(c, x.device, w)
	}
}

// tooLong tells whether a path of some cost is longer than the plan allows.
func (a *answer) tooLong(c *class, d model.DeviceID, cost int32) bool {
	return int64(cost) > int64(a.wanted.Stretch)*int64(c.cost[d])
}

// layCheapest gives the class routes along the cheapest path from a device, up to where one
// follows such a path already.
func (a *answer) layCheapest(c *class, d model.DeviceID, w *toWork) {
	var steps []stepID
	at := d
	via := c.first
	if c.variation > 1 {
		if w.varied.class != c.id || w.varied.variation != c.variation {
			w.varied = variedPaths{c.id, c.variation, a.g.variedFirst(c)}
		}
		via = w.varied.first
	}
	for !c.isOwner(at) && via[at] != none && len(steps) <= len(c.first) {
		if o := c.options[at]; len(o) > 0 && a.pathCost(c, at) == c.cost[at] {
			break
		}
		steps = append(steps, via[at])
		at = a.g.to[via[at]]
	}
	rest := a.pathOf(c, at)
	whole := slices.Concat(steps, rest)
	on := a.newTrail(whole)
	for i, s := range steps {
		from := a.g.steps[s].from
		o := option{s, a.watchOn(on, i, i+len(a.upToCut(c, whole[i:], w)))}
		if a.wanted.Protect == model.ProtectNone {
			c.options[from], c.ends[from] = []option{o}, true
			continue
		}
		others := slices.DeleteFunc(slices.Clone(c.options[from]),
			func(x option) bool { return x.step == s && (x.watch.same(o.watch) || x.watch == nil) })
		c.options[from] = append([]option{o}, others...)
	}
}

// upToCut is a path up to the first device on it that chooses for itself, and not such that
// it may choose what comes back.
func (a *answer) upToCut(c *class, steps []stepID, w *toWork) []stepID {
	start, onPath := w.start[a.g.steps[steps[0]].from]
	for i, s := range steps {
		if to := a.g.to[s]; c.ends[to] && !(onPath && to == start) {
			return steps[:i+1]
		}
	}
	return steps
}
