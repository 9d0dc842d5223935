package derive

import (
	"cmp"
	"context"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/parallel"
	"ropeswing/core/prefix"
)

// centre is the router that everything goes to that a device has no longer route for: the
// one by which the preferred carrier is reached, else the one that is nearest to
// all, or one that is given. There is one in each part of the network.
func (a *answer) centres(given model.DeviceID) []owner {
	var all []owner
	done := make([]bool, len(a.g.leaving))
	if a.world != none {
		for _, o := range a.classes[a.world].owners {
			for _, s := range a.g.coming[o.device] {
				if d := a.g.steps[s].from; a.g.derives(a.wanted, d) && !done[d] {
					all = append(all, owner{d, model.None})
					a.markPart(d, done)
				}
			}
		}
	}
	if given != model.None && a.world == none && a.g.derives(a.wanted, given) {
		all = append(all, owner{given, model.None})
		a.markPart(given, done)
	}
	for d := range a.g.leaving {
		if at := model.DeviceID(d); !done[d] && a.g.derives(a.wanted, at) {
			all = append(all, owner{a.nearest(a.markPart(at, done)), model.None})
		}
	}
	return all
}

// markPart marks all that hang together with a device, and lists them.
func (a *answer) markPart(d model.DeviceID, done []bool) []model.DeviceID {
	part := []model.DeviceID{d}
	done[d] = true
	for i := 0; i < len(part); i++ {
		for _, s := range a.g.leaving[part[i]] {
			if to := a.g.to[s]; !done[to] && a.g.derives(a.wanted, to) {
				done[to] = true
				part = append(part, to)
			}
		}
	}
	return part
}

// nearest is the device from which the paths to all others of its part cost least together.
func (a *answer) nearest(part []model.DeviceID) model.DeviceID {
	in := make([]bool, len(a.g.leaving))
	for _, d := range part {
		in[d] = true
	}
	sums := make([]int64, len(part))
	_ = parallel.Workers(context.Background(), len(part), func() func(int) error {
		cost := make([]int32, len(in))
		return func(i int) error { sums[i] = a.farAway(part[i], in, cost); return nil }
	})
	best, least := part[0], sums[0]
	for i, from := range part {
		if sums[i] < least || sums[i] == least && from < best {
			best, least = from, sums[i]
		}
	}
	return best
}

// farAway is what the paths from a device to all others of its part cost together.
func (a *answer) farAway(from model.DeviceID, in []bool, cost []int32) int64 {
	var sum int64
	for i := range cost {
		cost[i] = unreached
	}
	cost[from] = 0
	q := &queue{{0, 0, from}}
	for q.Len() > 0 {
		at := q.pop()
		if at.cost > cost[at.device] {
			continue
		}
		sum += int64(at.cost)
		for _, s := range a.g.leaving[at.device] {
			if to := a.g.to[s]; in[to] && at.cost+a.g.steps[s].cost < cost[to] {
				cost[to] = at.cost + a.g.steps[s].cost
				q.push(waiting{cost[to], 0, to})
			}
		}
	}
	return sum
}

// byFork gives every device its steps to a class: the cheapest path while that is whole, and
// another when it is not.
func (a *answer) byFork(c *class) {
	n := len(a.g.leaving)
	c.options, c.ends = make([][]option, n), make([]bool, n)
	k := a.newFork(c)
	spare := make([]stepID, n)
	for d := range spare {
		spare[d] = none
	}
	main := make([]stepID, n) // by device: the first step
	for d := range main {
		main[d] = c.first[d]
	}
	paired := make([]bool, len(k.order)) // by block: main and spare steps protect each other
	short := make([]bool, len(k.order))  // by block: else the path down the order is short enough
	for b := range k.order {
		// Where a device may fail, it may be the one that has the class: then both paths have to
		// be watched, and second steps are no path.
		if paired[b] = a.wanted.Protect != model.ProtectDevices && k.spares(int32(b), spare); paired[b] {
			continue
		}
		short[b] = true
		for _, v := range k.order[b] {
			rest := c.cost[v]
			if r := k.root[b]; r != k.sink {
				rest -= c.cost[r]
			}
			if c.first[v] != none && int64(k.down[v]) > int64(a.wanted.Stretch)*int64(rest) {
				short[b] = false
			}
		}
		if short[b] {
			for _, v := range k.order[b] {
				if s := k.lower[v]; s >= 0 {
					main[v] = s
				}
			}
		}
	}
	mainWatch := a.watchesAlong(k, func(v int32) stepID { return main[v] })
	higherWatch := a.watchesAlong(k, func(v int32) stepID { return k.higher[v] })
	lowerWatch := a.watchesAlong(k, func(v int32) stepID { return k.lower[v] })
	far := make([]int, n) // the farthest first: the others lie on their paths
	for d := range far {
		far[d] = d
	}
	slices.SortStableFunc(far, func(x, y int) int { return cmp.Compare(c.cost[y], c.cost[x]) })
	for _, d := range far {
		at := model.DeviceID(d)
		if x, ok := c.forced[at]; ok {
			c.options[d] = a.written(c, at, x)
			continue
		}
		if !a.g.derives(a.wanted, at) || main[d] == none && !c.isOwner(at) {
			continue
		}
		var all []option
		add := func(s stepID, w *watch) {
			if s < 0 {
				return
			}
			for _, o := range all {
				if o.step == s && o.watch.same(w) {
					return
				}
			}
			all = append(all, option{s, w})
		}
		b := k.block[d]
		switch {
		case a.wanted.Protect == model.ProtectNone || b == none:
			add(main[d], nil)
		case paired[b]:
			add(main[d], mainWatch(int32(d)))
			add(spare[d], a.spareWatch(c, spare[d], main))
		default:
			if !short[b] {
				add(main[d], mainWatch(int32(d)))
			}
			add(k.lower[d], lowerWatch(int32(d)))
			add(k.higher[d], higherWatch(int32(d))) // silent where who has the class is dead
		}
		c.options[d] = all
	}
	c.fork = k
}

// spareWatch is a watch along a spare step and the path that everybody takes from there; nil where it is none.
func (a *answer) spareWatch(c *class, spare stepID, main []stepID) *watch {
	if spare < 0 {
		return nil
	}
	steps := []stepID{spare}
	for at := a.g.to[spare]; !c.isOwner(at); at = a.g.to[main[at]] {
		if main[at] < 0 || len(steps) > len(main) {
			return nil
		}
		steps = append(steps, main[at])
	}
	return a.watchOn(a.newTrail(steps), 0, len(steps))
}

// watchesAlong makes watches along the steps that everybody takes, each up to the root of the
// device's block. Devices on one path share a trail.
func (a *answer) watchesAlong(k *fork, step func(int32) stepID) func(int32) *watch {
	type place struct {
		on *trail
		at int
	}
	known := map[int32]place{}
	return func(v int32) *watch {
		p, ok := known[v]
		if !ok {
			var steps []stepID
			b := k.block[v]
			for at := v; k.block[at] == b && at != k.root[b] && len(steps) <= len(k.lower); {
				s := step(at)
				if s < 0 {
					break
				}
				steps = append(steps, s)
				at = int32(a.g.to[s])
			}
			if len(steps) == 0 || len(steps) > len(k.lower) {
				return nil
			}
			p = place{a.newTrail(steps), 0}
			for i, s := range steps {
				if from := int32(a.g.steps[s].from); known[from].on == nil {
					known[from] = place{p.on, i}
				}
			}
		}
		return a.watchOn(p.on, p.at, len(p.on.steps))
	}
}

// written is the options that a device's written routes give it.
func (a *answer) written(c *class, d model.DeviceID, x forced) []option {
	var all []option
	for i, s := range x.steps {
		o := option{step: s}
		if i == 0 && x.watch.IsValid() {
			at := d
			var steps []stepID
			for range len(c.first) {
				next := c.first[at]
				if next == none {
					break
				}
				steps = append(steps, next)
				if a.g.steps[next].via == x.watch {
					o.watch = a.watchOn(a.newTrail(steps), 0, len(steps))
					break
				}
				at = a.g.to[next]
			}
		}
		all = append(all, o)
	}
	return all
}

// fewRouters is up to how many routers every one of them is tried as the centre.
const fewRouters = 8

// bestCentre is the router with which as the centre most written routes are what would be derived, so that
// those that are pinned change nothing; of these the one that leaves least unprotected, and then the one that
// makes fewest lines, where the routers are few and no preferred carrier says which it is; none
// where the nearest to all will do.
func bestCentre(net *forward.Network) model.DeviceID {
	if len(deriving(newGraph(net, prefix.IPv4), newWanted(net.Spec))) > fewRouters {
		return model.None
	}
	a := newAnswer(net, prefix.IPv4, model.None)
	if a.world != none || a.common == none || len(a.deriving) < 2 {
		return model.None
	}
	best, least := model.DeviceID(model.None), [3]int{}
	for _, c := range append([]model.DeviceID{a.classes[a.common].owners[0].device}, a.deriving...) {
		x := newAnswer(net, prefix.IPv4, c)
		x.derive()
		lines := x.emitted().count()
		var r Result
		x.listOpen(&r)
		others := 0
		for _, d := range x.deriving {
			if x.writes(d) && !x.isPinned(d) {
				others++
			}
		}
		if n := [3]int{others, len(r.Open), lines}; best == model.None || slices.Compare(n[:], least[:]) < 0 {
			best, least = c, n
		}
	}
	return best
}
