package derive

import (
	"slices"

	"ropeswing/core/model"
)

// carrierStep is by how much each further carrier is dearer than the one
// before: more than any path within the plan.
const carrierStep = 1 << 24

const unreached = int32(1<<31 - 1)

// findShortest finds the cheapest path to the class from every device. Of paths that
// cost the same the one over fewer devices is taken, then by the names of the ports: the
// same each time, wherever the plan has them, and the same there and back.
func (g *graph) findShortest(c *class) {
	n := len(g.leaving)
	c.cost, c.first = make([]int32, n), make([]stepID, n)
	ties := make([]int64, n)
	for d := range n {
		c.cost[d], c.first[d] = unreached, none
	}
	q := &queue{}
	for i, o := range c.owners {
		c.cost[o.device] = 0
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
			cost, tie := c.cost[at.device]+s.cost, ties[at.device]+s.tie
			if cost > c.cost[s.from] || cost == c.cost[s.from] && tie >= ties[s.from] {
				continue
			}
			c.cost[s.from], ties[s.from], c.first[s.from] = cost, tie, id
			q.push(waiting{cost, tie, s.from})
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

// varied is what a step costs where other paths are tried for a class: up to half as much
// again, another share of it for each step and variation.
func (g *graph) varied(c *class, s stepID) int32 {
	cost := g.steps[s].cost
	if c.variation < 2 {
		return cost
	}
	x := uint32(g.steps[s].tie) ^ uint32(c.variation/2)*0x9e3779b9
	x ^= x >> 15
	x *= 0x85ebca6b
	x ^= x >> 13
	return cost + int32(x%uint32(cost/2+2))
}

// variedFirst is the first step of the cheapest path from every device by varied costs.
func (g *graph) variedFirst(c *class) []stepID {
	other := *g
	other.steps = slices.Clone(g.steps)
	for s := range other.steps {
		other.steps[s].cost = g.varied(c, stepID(s))
	}
	x := class{owners: c.owners, several: c.several, forced: c.forced}
	other.findShortest(&x)
	return x.first
}
