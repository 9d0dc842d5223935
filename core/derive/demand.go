package derive

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/parallel"
)

// demandRoutes gives the routes that watches need to the links at their two ends. Where there is
// no room for those of a class, on a link that is reached another way already, other paths are
// tried for the class, and at last those watches are taken away.
func (a *answer) demandRoutes(w *toWork) {
	done := newServed()
	a.own = needs{devices: len(a.g.leaving), by: map[linkEnd][]stepID{}}
	defer func() { a.own = needs{} }()
	for _, id := range a.inOrder() {
		c := &a.classes[id]
		all, ok := a.needed(c, done)
		if !ok && c.behind != none && len(c.forced) == a.worldly(c) && len(a.deriving) <= manyRouters {
			all, ok = a.vary(c, done, w)
		}
		if ok {
			for _, w := range a.watchesOf(c) {
				done.add(w)
			}
			a.give(all)
			continue
		}
		less := false
		for d := range c.options {
			at := model.DeviceID(d)
			for i := 0; i < len(c.options[d]); i++ {
				_, written := c.forced[at] // that stands, whatever becomes of it
				if o := c.options[d][i]; a.asks(c, at, o) && !a.demand(o.watch, done) && !written {
					a.without(c, at, i, w)
					i, less = -1, true // begin again: they are others
				}
			}
		}
		if less {
			a.watchElsewhere(c, done, w)
		}
	}
}

// asks tells whether an option has a watch that is needed.
func (a *answer) asks(c *class, d model.DeviceID, o option) bool {
	return o.watch != nil && (a.wanted.All || a.need[d][c.id])
}

// worldly is how many devices that are left out a class has written routes of.
func (a *answer) worldly(c *class) int {
	n := 0
	for d := range c.forced {
		if a.wanted.leftOut[d] {
			n++
		}
	}
	return n
}

// inOrder lists the classes that watch anything: those that others lean on first, and those with the
// longest paths first, since they serve the shorter.
func (a *answer) inOrder() []classID {
	longest := make([]int, len(a.classes))
	var all []classID
	for id := range a.classes {
		c := &a.classes[id]
		if c.link {
			continue
		}
		for d, options := range c.options {
			for _, o := range options {
				if a.asks(c, model.DeviceID(d), o) {
					longest[id] = max(longest[id], int(o.watch.to-o.watch.from))
				}
			}
		}
		if longest[id] > 0 {
			all = append(all, classID(id))
		}
	}
	leaning := func(id classID) int {
		if a.classes[id].behind != none {
			return 1
		}
		return 0
	}
	slices.SortStableFunc(all, func(x, y classID) int {
		return cmp.Or(leaning(x)-leaning(y), longest[y]-longest[x])
	})
	return all
}

// needed lists what the watches of a class need beyond what is served already, and what that
// serves; false where there is no room for it.
func (a *answer) needed(c *class, done served) ([]demanded, bool) {
	of := newServed()
	var all []demanded
	defer func() { a.own.forget(all) }()
	for _, w := range a.watchesOf(c) {
		more := a.demands(w, done, of)
		if !a.demandable(more) {
			return nil, false
		}
		of.add(w)
		all = append(all, more...)
		for _, x := range more {
			if s := a.own.at(x); *s == nothingYet {
				*s = x.step
			} else if *s != x.step {
				return nil, false
			}
		}
	}
	return all, true
}

// watchesOf lists the watches of a class that are needed, the longest paths first.
func (a *answer) watchesOf(c *class) []*watch {
	var all []*watch
	for d, options := range c.options {
		for _, o := range options {
			if a.asks(c, model.DeviceID(d), o) {
				all = append(all, o.watch)
			}
		}
	}
	slices.SortStableFunc(all, func(x, y *watch) int { return int(y.to - y.from - x.to + x.from) })
	return all
}

// variations is how many other paths are tried for a class in a network of up to manyRouters. What trying takes grows with
// the square of the network, and in large ones it hardly ever helps.
const (
	variations  = 8
	manyRouters = 200
)

// vary tries other paths for a class until there is room for what its watches need, and lists
// that.
func (a *answer) vary(c *class, done served, w *toWork) ([]demanded, bool) {
	saved := *c
	for len(w.others) < atOnce {
		w.others = append(w.others, newToWork(a))
	}
	for first := int32(1); first <= variations; first += atOnce {
		var tried [atOnce]class
		parallel.Each(atOnce, func(i int) {
			x := &tried[i]
			*x = saved
			x.either, x.gaveUp = maps.Clone(saved.either), maps.Clone(saved.gaveUp)
			x.variation = first + int32(i)
			a.choose(x, w.others[i])
		})
		for i := range tried { // the first of them that will do, as if they were tried in turn
			if tried[i].proven || !saved.proven {
				if all, ok := a.needed(&tried[i], done); ok {
					*c = tried[i]
					return all, true
				}
			}
		}
	}
	*c = saved
	return nil, false
}

// atOnce is how many variations are tried at a time.
const atOnce = 2

// served is the paths along which watches have the routes they need: to the link at the near
// end, by the first step, and to that at the far end, by the last.
type served struct{ near, far map[stepID][][]stepID }

func newServed() served { return served{map[stepID][][]stepID{}, map[stepID][][]stepID{}} }

// add notes that a path is served, unless it is part of one that is.
func (s served) add(w *watch) {
	steps := w.steps()
	near, far := s.has(steps)
	if !near {
		s.near[steps[0]] = append(s.near[steps[0]], steps)
	}
	if !far {
		s.far[w.target()] = append(s.far[w.target()], steps)
	}
}

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
	for _, w.requiredOnly = range []bool{false, true} { // what circles where a device is dead is blamed on somebody later
		for n := range len(whole.steps()) {
			next[i].watch = a.shorter(whole, n)
			if (n == 0 || next[i].watch != nil && a.eachDemand(next[i].watch, a.mayHave)) && a.try(c, d, next, w) {
				w.requiredOnly = false
				return
			}
		}
	}
	w.requiredOnly = false
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

// demanded is a device and a step it has to take to an end of a link.
type demanded struct {
	device model.DeviceID
	link   classID
	end    model.DeviceID
	step   stepID
}

// needs is the steps that the watches of the class at hand need: by the end of a link, then by device.
type needs struct {
	devices int
	by      map[linkEnd][]stepID
	last    linkEnd // what was asked of at last is mostly what is asked of next
	row     []stepID
}

type linkEnd struct {
	link classID
	end  model.DeviceID
}

const nothingYet stepID = none - 1

// at is the place for what a device needs.
func (n *needs) at(x demanded) *stepID {
	if e := (linkEnd{x.link, x.end}); n.row == nil || e != n.last {
		n.last = e
		if n.row = n.by[e]; n.row == nil {
			n.row = make([]stepID, n.devices)
			for d := range n.row {
				n.row[d] = nothingYet
			}
			n.by[e] = n.row
		}
	}
	return &n.row[x.device]
}

// forget takes away what was noted of a class.
func (n *needs) forget(all []demanded) {
	for _, x := range all {
		*n.at(x) = nothingYet
	}
}

// demands lists what a watch needs: from every device on its path but the sender a step on
// to the link at its far end, and back from it to the link at the near end. Where probes go by tables the sender needs
// one too.
func (a *answer) demands(w *watch, done ...served) []demanded {
	var all []demanded
	a.eachDemand(w, func(x demanded) bool { all = append(all, x); return true }, done...)
	return all
}

// eachDemand visits what a watch needs, until visit says false; it reports whether it never did.
func (a *answer) eachDemand(w *watch, visit func(demanded) bool, done ...served) bool {
	steps := w.steps()
	last := len(steps) - 1
	near, far := false, false
	for _, s := range done {
		n, f := s.has(steps)
		near, far = near || n, far || f
	}
	begin := 1 // the sender's own probe leaves by its next hop
	if a.g.spec.Settings.ProbesByTable {
		begin = 0
	}
	for i := begin; i < last && !far; i++ {
		if !visit(demanded{a.g.steps[steps[i]].from, a.linkClass[steps[last]], a.g.to[steps[last]], steps[i]}) {
			return false
		}
	}
	for i := last; i > 0 && !near; i-- {
		if !visit(demanded{a.g.to[steps[i]], a.linkClass[steps[0]], a.g.steps[steps[0]].from, a.g.back[steps[i]]}) {
			return false
		}
	}
	return true
}

// demandable tells whether nothing contradicts what a watch needs.
func (a *answer) demandable(demands []demanded) bool {
	return !slices.ContainsFunc(demands, func(x demanded) bool { return !a.mayHave(x) })
}

// mayHave tells whether nothing contradicts that a device takes a step to an end of a link.
func (a *answer) mayHave(x demanded) bool {
	l := &a.classes[x.link]
	if x.step == none || l.isOwner(x.device) {
		return true // it is on the link
	}
	if f, written := l.said[x.device]; written {
		return len(f.steps) > 0 && f.steps[0] == x.step
	}
	if !a.g.derives(a.wanted, x.device) || l.nearest != nil && (!a.wanted.Links || l.nearest[x.device] != x.step) {
		return false
	}
	have, ok := l.wants[x.end][x.device]
	return !ok || have == x.step
}

// demand gives a watch what it needs; false where something contradicts it.
func (a *answer) demand(w *watch, done served) bool {
	demands := a.demands(w, done)
	if !a.demandable(demands) {
		return false
	}
	done.add(w)
	a.give(demands)
	return true
}

// give notes what watches need.
func (a *answer) give(all []demanded) {
	for _, x := range all {
		l := &a.classes[x.link]
		if x.step == none || l.isOwner(x.device) {
			continue
		}
		if l.wants == nil {
			l.wants = map[model.DeviceID]map[model.DeviceID]stepID{}
		}
		if l.wants[x.end] == nil {
			l.wants[x.end] = map[model.DeviceID]stepID{}
		}
		l.wants[x.end][x.device] = x.step
	}
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
			comes := !a.eachFailure(a.ownSteps(c, d), func(id failureID) bool {
				f := &a.g.failures[id]
				if f.fails == d || owner && c.owns(d, f) || !owner && f.effect[c.step(d)] == whole {
					return true
				}
				r := w.under(c, f).walk(d)
				return r == stops || r == arrives && owner
			})
			if c.ends[d] = ends; !comes {
				c.loose = append(c.loose, d)
			}
		}
		c.behind = none
	}
}

// ownSteps lists the steps of a device towards a link: its one step, or those over the link itself
// where it is on it.
func (a *answer) ownSteps(c *class, d model.DeviceID) []stepID {
	if !c.isOwner(d) {
		return []stepID{c.step(d)}
	}
	var all []stepID
	for _, s := range a.g.leaving[d] {
		if a.linkClass[s] == c.base {
			all = append(all, s)
		}
	}
	return all
}

// settleLinks turns what watches need into routes to links. Where the paths to the two ends of a
// link part somewhere, each end gets routes of its own.
func (a *answer) settleLinks() {
	n := len(a.g.leaving)
	prefixes := map[classID]netip.Prefix{}
	for _, s := range a.subnets {
		prefixes[s.class] = s.Prefix
	}
	put := func(c *class, wants map[model.DeviceID]stepID) bool {
		if c.options == nil {
			c.options, c.ends = make([][]option, n), make([]bool, n)
		}
		for d, s := range wants {
			if have := c.step(d); have != none && have != s {
				return false
			}
			c.options[d], c.ends[d] = []option{{step: s}}, true
		}
		return true
	}
	for id := range a.plain {
		l := &a.classes[id]
		if len(l.wants) == 0 {
			continue
		}
		ends := slices.Sorted(maps.Keys(l.wants))
		l.demanded, l.base = true, classID(id)
		if !slices.ContainsFunc(ends, func(d model.DeviceID) bool { return !put(l, l.wants[d]) }) {
			continue
		}
		of := *l
		l.options, l.ends, l.demanded = nil, nil, false
		for _, d := range ends {
			c := class{id: classID(len(a.classes)), owners: of.owners, several: of.several, link: true, forced: of.forced, said: of.said, writes: of.writes,
				behind: none, home: of.home, outside: of.outside, demanded: true, base: of.base}
			put(&c, of.wants[d])
			for _, i := range a.g.spec.InterfacesOf(d) {
				for _, x := range a.g.spec.Interfaces[i].Addresses {
					if x.Masked() == prefixes[of.base] && a.g.usual(x) { // what routers share is nobody's end
						a.subnets = append(a.subnets, subnet{netip.PrefixFrom(x.Addr(), x.Addr().BitLen()), c.id})
					}
				}
			}
			a.classes = append(a.classes, c)
		}
	}
	slices.SortFunc(a.subnets, func(x, y subnet) int { return comparePrefixes(x.Prefix, y.Prefix) })
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
