package reach

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// fate is what may become of a packet: several where paths branch.
type fate uint8

const (
	arrive fate = 1 << iota
	fail
	circle
	change // it comes by a node whose step is another than before
	meet   // it comes by a node that judges or translates
	late   // its TTL just lasts, if the node itself sends it
	known
	onPath
)

// column is what becomes of packets to one class, by node.
type column struct {
	fates []fate
	far   []uint8 // how many must pass on what comes to a node, the fewest where paths branch; mostFar or more is all one
}

// A packet is passed on by DefaultTTL-1 devices, the sender not counted.
const mostFar = forward.DefaultTTL + 2

func newColumn(nodes int) column { return column{make([]fate, nodes), make([]uint8, nodes)} }

// fate is what becomes of a packet that comes to a node.
func (c *column) fate(n onward) fate {
	f := c.fates[n]
	if f&late != 0 {
		f |= fail
	}
	if c.far[n] >= forward.DefaultTTL {
		f &^= arrive
	}
	return f
}

// Circles tells whether packets from a device, by its main table, to an end, by its place
// in Ends, loop in a loop, there or on a branch.
func (m *Matrix) Circles(d model.DeviceID, end int) bool {
	n, forwards := m.node[routing.Key{Device: d}]
	return forwards && m.columns[m.of[m.place[end]]].fates[n]&circle != 0
}

// columnWork solves one destination at a time.
type columnWork struct {
	column
	steps []onward
	path  []int32
	forks [][]int32
	meets []bool // by node: it judges or translates; nil where none does

	changed []int32 // the nodes whose step is another than before
}

// solve works out the fates of every node. While no step forks, each path is
// followed until something known; else by going over all until nothing changes.
func (c *columnWork) solve() {
	if slices.ContainsFunc(c.steps, func(s onward) bool { return s < lastStep }) {
		c.spread()
		return
	}
	for n := range c.steps {
		c.follow(int32(n))
	}
}

// solveAgain is solve where the column is that of a state in which only some nodes had
// other steps, and how paths hung together in it: only those that came by them are
// followed anew.
func (c *columnWork) solveAgain(before *tree) {
	if before == nil || slices.ContainsFunc(c.changed, func(n int32) bool { return c.steps[n] < lastStep }) {
		clear(c.fates)
		c.solve()
		return
	}
	for _, n := range c.changed {
		for _, by := range before.by(n) {
			c.fates[by] = 0
		}
	}
	for _, n := range c.changed {
		for _, by := range before.by(n) {
			c.follow(by)
		}
	}
}

// follow follows the path of a node until something known. No step forks.
func (c *columnWork) follow(at int32) {
	c.path = c.path[:0]
	end, far := fail, uint8(0)
	for {
		f := c.fates[at]
		if f&known != 0 {
			end, far = f&^(known|onPath), c.far[at]
			if far = min(far+1, mostFar); len(c.path) == 0 {
				return
			}
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
		} else if s == delivers || s == hands {
			end, far = arrive, farOf(s)
		}
		break
	}
	for i := len(c.path) - 1; i >= 0; i-- {
		n := c.path[i]
		if len(c.changed) > 0 && slices.Contains(c.changed, n) {
			end |= change
		}
		if c.meets != nil && c.meets[n] {
			end |= meet
		}
		if end &^= late; end&arrive != 0 && far >= forward.DefaultTTL {
			if end |= late; far > forward.DefaultTTL {
				end = end&^(arrive|late) | fail
			}
		}
		c.fates[n], c.far[n] = end|known, far
		far = min(far+1, mostFar)
	}
}

// farOf is how many must pass on what comes to a node with a last step: itself, where
// it hands a packet to a device that does not forward.
func farOf(last onward) uint8 {
	if last == hands {
		return 1
	}
	return 0
}

// spread works out the fates where steps fork: from the ends backwards, over and
// over until nothing is new. Whoever cannot get to an end only goes in circles.
func (c *columnWork) spread() {
	of := func(s onward) []int32 {
		if s < lastStep {
			return c.forks[lastForked-s]
		}
		return []int32{int32(s)}
	}
	for n := range c.far {
		c.far[n] = mostFar
	}
	for again := true; again; {
		again = false
		for n, s := range c.steps {
			f, far := c.fates[n], c.far[n]
			if slices.Contains(c.changed, int32(n)) {
				f |= change
			}
			if c.meets != nil && c.meets[n] {
				f |= meet
			}
			for _, to := range of(s) {
				switch {
				case onward(to) == delivers || onward(to) == hands:
					f, far = f|arrive, min(far, farOf(onward(to)))
				case to < 0:
					f |= fail
				default:
					f, far = f|c.fates[to], min(far, c.far[to]+1)
				}
			}
			if f != c.fates[n] || far != c.far[n] {
				c.fates[n], c.far[n], again = f, far, true
			}
		}
	}
	// A node is free of circles when all it leads to is.
	free, most := make([]bool, len(c.steps)), make([]uint8, len(c.steps))
	for again := true; again; {
		again = false
		for n, s := range c.steps {
			if !free[n] && !slices.ContainsFunc(of(s), func(to int32) bool { return to >= 0 && !free[to] }) {
				free[n], again = true, true
				for _, to := range of(s) {
					if to < 0 {
						most[n] = max(most[n], farOf(onward(to)))
					} else {
						most[n] = max(most[n], min(most[to]+1, mostFar))
					}
				}
			}
		}
	}
	for n := range c.fates {
		switch {
		case !free[n]:
			c.fates[n] |= fail | circle
		case most[n] > forward.DefaultTTL:
			c.fates[n] |= fail
		case most[n] == forward.DefaultTTL:
			c.fates[n] |= late
		}
		if c.far[n] > forward.DefaultTTL {
			c.fates[n] &^= arrive
		}
	}
}
