package reach

import (
	"slices"

	"ropeswing/core/forward"
)

// fate is what may become of a packet: several where paths branch.
type fate uint8

const (
	arrive fate = 1 << iota
	fail
	circle
	change // it comes by a node whose step is another than before
	meet   // it comes by a node that judges or translates
	known
	onPath
)

// columnWork solves one destination at a time.
type columnWork struct {
	steps []step
	fates []fate
	path  []int32
	forks [][]int32
	meets []bool // by node: it judges or translates; nil where none does

	changed []bool // by node: its step is another than before
}

// solve works out the fates of every node. While no step forks, each path is
// followed until something known; else by going over all until nothing changes.
func (c *columnWork) solve() {
	for n := range c.steps {
		if c.steps[n] < lastStep {
			c.spread()
			return
		}
	}
	for n := range c.steps {
		at := int32(n)
		c.path = c.path[:0]
		var end fate
		for {
			f := c.fates[at]
			if f&known != 0 {
				end = f &^ (known | onPath)
				break
			}
			if f&onPath != 0 {
				end = fail | circle
				break
			}
			c.fates[at] |= onPath
			c.path = append(c.path, at)
			if s := c.steps[at]; s >= 0 {
				at = int32(s)
				continue
			} else if s == delivers {
				end = arrive
			} else {
				end = fail
			}
			break
		}
		if len(c.path) > forward.DefaultTTL-2 && end&fail == 0 {
			end = fail // its TTL ends first
		}
		for i := len(c.path) - 1; i >= 0; i-- {
			if c.changed[c.path[i]] {
				end |= change
			}
			if c.meets != nil && c.meets[c.path[i]] {
				end |= meet
			}
			c.fates[c.path[i]] = end | known
		}
	}
}

// spread works out the fates where steps fork: from the ends backwards, over and
// over until nothing is new. Whoever cannot get to an end only goes in circles.
func (c *columnWork) spread() {
	of := func(s step) []int32 {
		if s < lastStep {
			return c.forks[lastStep-1-s]
		}
		return []int32{int32(s)}
	}
	for again := true; again; {
		again = false
		for n, s := range c.steps {
			f := c.fates[n]
			if c.changed[n] {
				f |= change
			}
			if c.meets != nil && c.meets[n] {
				f |= meet
			}
			for _, to := range of(s) {
				switch {
				case step(to) == delivers:
					f |= arrive
				case to < 0:
					f |= fail
				default:
					f |= c.fates[to]
				}
			}
			if f != c.fates[n] {
				c.fates[n], again = f, true
			}
		}
	}
	// A node is free of circles when all it leads to is.
	free := make([]bool, len(c.steps))
	for again := true; again; {
		again = false
		for n, s := range c.steps {
			if !free[n] && !slices.ContainsFunc(of(s), func(to int32) bool { return to >= 0 && !free[to] }) {
				free[n], again = true, true
			}
		}
	}
	for n := range c.fates {
		if !free[n] {
			c.fates[n] |= fail | circle
		}
	}
}
