package derive

import (
	"net/netip"

	"ropeswing/core/model"
)

// carrierStep is by how much each further carrier is dearer than the one
// before: more than any way within the plan.
const carrierStep = 1 << 24

const unreached = int32(1<<31 - 1)

// findWays finds the cheapest way to the class from every device. Of ways that
// cost the same the one over fewer devices is taken, then the one whose step
// comes first in the plan's order: the same each time.
func (g *graph) findWays(c *class, _ *walker) {
	n := len(g.leaving)
	c.cost, c.hops, c.first = make([]int32, n), make([]int32, n), make([]stepID, n)
	c.further, c.watch = make([][]stepID, n), make([]stepID, n)
	for d := range n {
		c.cost[d], c.hops[d], c.first[d], c.watch[d] = unreached, unreached, none, none
	}
	q := &queue{}
	for i, o := range c.owners {
		c.cost[o.device], c.hops[o.device] = 0, 0
		if c.world {
			c.cost[o.device] = int32(i) * carrierStep
		}
		q.push(waiting{c.cost[o.device], 0, o.device})
	}
	done := make([]bool, n)
	for q.Len() > 0 {
		at := q.pop()
		if done[at.device] {
			continue
		}
		done[at.device] = true
		if g.beyond[at.device] && !c.isOwner(at.device) {
			continue // nobody's way leads through the world
		}
		for _, id := range g.coming[at.device] {
			s := &g.steps[id]
			if done[s.from] || c.isOwner(s.from) || !c.mayTake(s.from, id) {
				continue
			}
			cost, hops := c.cost[at.device]+s.cost, c.hops[at.device]+1
			old := c.first[s.from]
			switch {
			case cost > c.cost[s.from]:
				continue
			case cost < c.cost[s.from], hops < c.hops[s.from]:
			case hops > c.hops[s.from], old != none && old < id:
				continue
			}
			c.cost[s.from], c.hops[s.from], c.first[s.from] = cost, hops, id
			q.push(waiting{cost, hops, s.from})
		}
	}
	for d, x := range c.forced {
		c.first[d] = none
		if len(x.steps) > 0 {
			c.first[d] = x.steps[0]
			c.further[d] = x.steps[1:]
		}
	}
	for d, x := range c.forced {
		c.watch[d] = g.watched(c, d, x.watch)
	}
}

// watched is the step on a device's way whose far end has an address.
func (g *graph) watched(c *class, d model.DeviceID, a netip.Addr) stepID {
	at := d
	for range len(c.first) {
		s := c.first[at]
		if s == none || !a.IsValid() {
			return none
		}
		if g.steps[s].via == a {
			return s
		}
		at = g.steps[s].to
	}
	return none
}

// mayTake tells whether a device may take a step: one with a written route takes
// that and no other.
func (c *class) mayTake(d model.DeviceID, s stepID) bool {
	x, ok := c.forced[d]
	return !ok || len(x.steps) > 0 && x.steps[0] == s
}

// waiting is a device to be looked at, the nearest first.
type waiting struct {
	cost, hops int32
	device     model.DeviceID
}

func (a waiting) before(b waiting) bool {
	if a.cost != b.cost {
		return a.cost < b.cost
	}
	if a.hops != b.hops {
		return a.hops < b.hops
	}
	return a.device < b.device
}

// queue is a heap of devices to be looked at.
type queue []waiting

func (q queue) Len() int { return len(q) }

func (q *queue) push(x waiting) {
	h := append(*q, x)
	for i := len(h) - 1; i > 0; {
		up := (i - 1) / 2
		if !h[i].before(h[up]) {
			break
		}
		h[i], h[up] = h[up], h[i]
		i = up
	}
	*q = h
}

func (q *queue) pop() waiting {
	h := *q
	top, last := h[0], len(h)-1
	h[0] = h[last]
	h = h[:last]
	for i := 0; ; {
		child := 2*i + 1
		if child >= last {
			break
		}
		if child+1 < last && h[child+1].before(h[child]) {
			child++
		}
		if !h[child].before(h[i]) {
			break
		}
		h[i], h[child] = h[child], h[i]
		i = child
	}
	*q = h
	return top
}

// result is how a walk ends.
type result uint8

const (
	arrives result = iota
	stops          // dropped, or sent into a broken link
	circles
)

// watches tells whether what a route watches is lost: by class and device.
type watches func(c *class, d model.DeviceID) bool

// decide is the step a device takes under a failure; none where it takes none.
func (g *graph) decide(c *class, d model.DeviceID, f *failure, lost watches) stepID {
	s := c.first[d]
	if s == none {
		if !c.isOwner(d) {
			return none
		}
	} else if f.effect[s] != seen && !(c.watch[d] != none && lost(c, d)) {
		return s
	}
	for _, s := range c.further[d] {
		if f.effect[s] != seen {
			return s
		}
	}
	return none
}

// walker follows packets, and remembers how it went: as long as neither what
// devices do nor what fails is changed, each is followed once.
type walker struct {
	g     *graph
	c     *class
	f     *failure
	lost  watches
	known []uint32 // by device: in which epoch it was found
	found []result
	path  []model.DeviceID
	epoch uint32
	way   wayWork
}

func newWalker(g *graph) *walker {
	n := len(g.leaving)
	return &walker{g: g, known: make([]uint32, n), found: make([]result, n), way: newWayWork(n)}
}

// under begins anew: with a class, a failure and the watches that are lost.
func (w *walker) under(c *class, f *failure, lost watches) *walker {
	w.c, w.f, w.lost = c, f, lost
	w.epoch++
	return w
}

// at is under, but for the same class and failure as before goes on with what is
// known.
func (w *walker) at(c *class, f *failure, lost watches) *walker {
	if w.c == c && w.f == f {
		return w
	}
	return w.under(c, f, lost)
}

// again forgets what was found, since something was changed.
func (w *walker) again() { w.epoch++ }

// walk follows a packet for the class from a device.
func (w *walker) walk(from model.DeviceID) result {
	g, c, f := w.g, w.c, w.f
	w.path = w.path[:0]
	at, r := from, circles
	for range len(g.leaving) + 1 {
		if w.known[at] == w.epoch {
			r = w.found[at]
			break
		}
		w.path = append(w.path, at)
		if c.owns(at, f) {
			r = arrives
			break
		}
		if at == f.fails || g.beyond[at] && at != from && len(c.forced[at].steps) == 0 {
			r = stops
			break
		}
		s := g.decide(c, at, f, w.lost)
		if s == none || f.effect[s] != whole {
			r = stops
			break
		}
		at = g.to[s]
	}
	for _, d := range w.path {
		w.known[d], w.found[d] = w.epoch, r
	}
	return r
}

// lostOnWay tells whether a failure breaks the way of a device up to the step it
// watches: what a watch is to notice.
func (g *graph) lostOnWay(f *failure) watches {
	return func(c *class, d model.DeviceID) bool {
		at := d
		for range len(g.leaving) {
			s := c.first[at]
			if s == none {
				return false
			}
			if f.effect[s] != whole {
				return true
			}
			if s == c.watch[d] {
				return false
			}
			at = g.to[s]
		}
		return false
	}
}
