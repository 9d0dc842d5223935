package derive

import (
	"container/heap"
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
func (g *graph) findWays(c *class) {
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
		heap.Push(q, waiting{c.cost[o.device], 0, o.device})
	}
	done := make([]bool, n)
	for q.Len() > 0 {
		at := heap.Pop(q).(waiting)
		if done[at.device] {
			continue
		}
		done[at.device] = true
		if g.spec.Devices[at.device].Kind == model.World && !c.isOwner(at.device) {
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
			heap.Push(q, waiting{cost, hops, s.from})
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

type queue []waiting

func (q queue) Len() int { return len(q) }
func (q queue) Less(i, j int) bool {
	a, b := q[i], q[j]
	if a.cost != b.cost {
		return a.cost < b.cost
	}
	if a.hops != b.hops {
		return a.hops < b.hops
	}
	return a.device < b.device
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(x any)   { *q = append(*q, x.(waiting)) }
func (q *queue) Pop() any {
	old := *q
	last := old[len(old)-1]
	*q = old[:len(old)-1]
	return last
}

// result is how a walk ends.
type result uint8

const (
	arrives result = iota
	stops          // dropped, or sent into a broken link
	circles
)

// watches tells whether what a route watches is lost: by device, class.
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

// walk follows a packet for the class from a device.
func (g *graph) walk(c *class, from model.DeviceID, f *failure, lost watches) result {
	at := from
	for range len(g.leaving) + 1 {
		if c.owns(at, f) {
			return arrives
		}
		if at == f.fails || at != from && g.spec.Devices[at].Kind == model.World && len(c.forced[at].steps) == 0 {
			return stops
		}
		s := g.decide(c, at, f, lost)
		if s == none || f.effect[s] != whole {
			return stops
		}
		at = g.steps[s].to
	}
	return circles
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
			at = g.steps[s].to
		}
		return false
	}
}
