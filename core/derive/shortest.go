package derive

import "ropeswing/core/model"

// carrierStep is by how much each further carrier is dearer than the one
// before: more than any path within the plan.
const carrierStep = 1 << 24

const unreached = int32(1<<31 - 1)

// findShortest finds the cheapest path to the class from every device. Of paths that
// cost the same the one over fewer devices is taken, then the one whose step
// comes first in the plan's order: the same each time.
func (g *graph) findShortest(c *class) {
	n := len(g.leaving)
	c.cost, c.first = make([]int32, n), make([]stepID, n)
	hops := make([]int32, n)
	for d := range n {
		c.cost[d], hops[d], c.first[d] = unreached, unreached, none
	}
	q := &queue{}
	for i, o := range c.owners {
		c.cost[o.device], hops[o.device] = 0, 0
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
			continue // nobody's path leads through the world
		}
		for _, id := range g.coming[at.device] {
			s := &g.steps[id]
			if done[s.from] || c.isOwner(s.from) || !c.mayTake(s.from, id) {
				continue
			}
			cost, h := c.cost[at.device]+s.cost, hops[at.device]+1
			old := c.first[s.from]
			switch {
			case cost > c.cost[s.from]:
				continue
			case cost < c.cost[s.from], h < hops[s.from]:
			case h > hops[s.from], old != none && old < id:
				continue
			}
			c.cost[s.from], hops[s.from], c.first[s.from] = cost, h, id
			q.push(waiting{cost, h, s.from})
		}
	}
	for d, x := range c.forced {
		c.first[d] = none
		if len(x.steps) > 0 {
			c.first[d] = x.steps[0]
		}
	}
}

// mayTake tells whether a device may take a step: one with a written route takes
// that and no other.
func (c *class) mayTake(d model.DeviceID, s stepID) bool {
	x, ok := c.forced[d]
	return !ok || len(x.steps) > 0 && x.steps[0] == s
}
