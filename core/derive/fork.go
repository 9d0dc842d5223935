package derive

import (
	"slices"

	"ropeswing/core/model"
)

// fork is two steps from every device towards a class, such that the paths by the one and
// by the other share no more than they must. The network falls into blocks, within each
// of which no single device parts it; in each, the devices are put in an order from its root,
// the device nearest to the class, to a neighbour of that, so that everyone else has a
// neighbour before and one behind it (an st-order: R. E. Tarjan, Two streamlined
// depth-first search algorithms, 1986). The paths down the order and up it never meet
// within the block. The class itself is a vertex behind all that have it.
type fork struct {
	a      *answer
	c      *class
	sink   int32   // the vertex of the class
	block  []int32 // by vertex: the block in which it is not the root; none where it is not joined
	root   []int32 // by block
	order  [][]int32
	num    []int32  // by vertex: its position in its block
	into   []stepID // by vertex: the step of the search that found it; towards the class
	lower  []stepID // by device: down the order; direct where it has the class itself
	higher []stepID // by device: up the order
	down   []int32  // by device: what the path down the order costs within the block
}

// direct is not a step: the class is on the device itself.
const direct stepID = -2

// edge leads from a vertex to another.
type edge struct {
	to   int32
	step stepID // from the vertex to the other: none from the class outwards
	id   int32  // the same in both directions
}

// newFork makes the fork of a class from the devices that may be given routes.
func (a *answer) newFork(c *class) *fork {
	n := int32(len(a.g.leaving))
	k := &fork{a: a, c: c, sink: n, block: make([]int32, n+1), num: make([]int32, n+1), into: make([]stepID, n+1), lower: make([]stepID, n),
		higher: make([]stepID, n), down: make([]int32, n)}
	for v := range k.block {
		k.block[v], k.into[v] = none, none
	}
	for d := range k.lower {
		k.lower[d], k.higher[d] = none, none
	}
	k.search()
	for b := range k.order {
		k.choose(int32(b))
	}
	return k
}

// edges lists where one comes to from a vertex.
func (k *fork) edges(v int32, all []edge) []edge {
	all = all[:0]
	n := k.sink
	if v == n {
		for i, o := range k.c.owners {
			if k.joins(o.device) {
				all = append(all, edge{int32(o.device), none, -int32(i) - 2})
			}
		}
		return all
	}
	for i, o := range k.c.owners {
		if int32(o.device) == v {
			all = append(all, edge{n, direct, -int32(i) - 2})
		}
	}
	for _, s := range k.a.g.leaving[v] {
		if back := k.a.g.back[s]; back != none && k.joins(k.a.g.to[s]) {
			all = append(all, edge{int32(k.a.g.to[s]), s, int32(min(s, back))})
		}
	}
	return all
}

// joins tells whether a device may be on a path: it can be given routes, and no written
// one decides for it, or it has the class.
func (k *fork) joins(d model.DeviceID) bool {
	if k.c.isOwner(d) {
		return true
	}
	_, written := k.c.forced[d]
	return !written && k.a.g.derives(k.a.wanted, d)
}

// search finds the blocks and their orders.
func (k *fork) search() {
	n := len(k.block)
	pre, low, parent := make([]int32, n), make([]int32, n), make([]int32, n)
	for v := range pre {
		pre[v] = none
	}
	var order []int32
	// A vertex of the search, and how far it has got with its edges.
	type frame struct {
		v, by int32 // by: the edge it came by
		edges []edge
	}
	stack := []frame{{v: k.sink, by: none, edges: k.edges(k.sink, nil)}}
	pre[k.sink], parent[k.sink] = 0, none
	order = append(order, k.sink)
	for len(stack) > 0 {
		top := &stack[len(stack)-1]
		if len(top.edges) == 0 {
			v := top.v
			stack = stack[:len(stack)-1]
			if p := parent[v]; p != none {
				low[p] = min(low[p], low[v])
			}
			continue
		}
		e := top.edges[0]
		top.edges = top.edges[1:]
		switch {
		case e.id == top.by:
		case pre[e.to] == none:
			pre[e.to], parent[e.to], low[e.to] = int32(len(order)), top.v, int32(len(order))
			k.into[e.to] = k.reverse(e)
			order = append(order, e.to)
			stack = append(stack, frame{e.to, e.id, k.edges(e.to, nil)})
		default:
			low[top.v] = min(low[top.v], pre[e.to])
		}
	}
	minus := make([]bool, n)
	next, before := make([]int32, n), make([]int32, n)
	var head []int32
	for _, v := range order[1:] {
		p := parent[v]
		next[v], before[v] = none, none
		if low[v] >= pre[p] {
			k.block[v] = int32(len(k.root))
			k.root, head = append(k.root, p), append(head, v)
			continue
		}
		b := k.block[p]
		k.block[v] = b
		if l := order[low[v]]; l == k.root[b] || minus[l] {
			if before[v], next[v] = before[p], p; before[p] == none {
				head[b] = v
			} else {
				next[before[p]] = v
			}
			before[p], minus[p] = v, false
		} else {
			if before[v], next[v] = p, next[p]; next[p] != none {
				before[next[p]] = v
			}
			next[p], minus[p] = v, true
		}
	}
	k.order = make([][]int32, len(k.root))
	for b, v := range head {
		for i := int32(0); v != none; v, i = next[v], i+1 {
			k.order[b] = append(k.order[b], v)
			k.num[v] = i
		}
	}
}

// reverse is the step by which one comes back over an edge.
func (k *fork) reverse(e edge) stepID {
	if e.step == none {
		return direct
	}
	if e.step == direct {
		return none
	}
	return k.a.g.back[e.step]
}

// within tells whether an edge to a vertex lies in a block, and its position in the order
// there: -1 is the root.
func (k *fork) within(b, to int32) (int32, bool) {
	if to == k.root[b] {
		return -1, true
	}
	return k.num[to], k.block[to] == b
}

func (k *fork) stepCost(s stepID) int32 {
	if s < 0 {
		return 0
	}
	return k.a.g.steps[s].cost
}

// choose takes the cheapest step down the order of a block, and the cheapest up.
func (k *fork) choose(b int32) {
	order := k.order[b]
	var edges []edge
	last := order[len(order)-1]
	cost := make([]int32, len(order))
	for i, v := range order {
		if v == k.sink {
			continue
		}
		best, least := none, unreached
		edges = k.edges(v, edges)
		for _, e := range edges {
			at, ok := k.within(b, e.to)
			if !ok || at >= int32(i) || v == last && e.step == k.into[v] && k.root[b] == e.to && k.other(b, v, edges) {
				continue
			}
			c := k.stepCost(e.step)
			if at >= 0 {
				c += cost[at]
			}
			if c < least {
				best, least = int(e.step), c
			}
		}
		k.lower[v], cost[i], k.down[v] = stepID(best), least, least
	}
	for i, v := range slices.Backward(order) {
		if v == last {
			k.higher[v], cost[i] = k.into[v], k.stepCost(k.into[v])
			continue
		}
		best, least := none, unreached
		edges = k.edges(v, edges)
		for _, e := range edges {
			at, ok := k.within(b, e.to)
			if !ok || at <= int32(i) {
				continue
			}
			if c := k.stepCost(e.step) + cost[at]; c < least {
				best, least = int(e.step), c
			}
		}
		k.higher[v], cost[i] = stepID(best), least
	}
}

// other tells whether a vertex has another edge within its block than that by which it
// was found.
func (k *fork) other(b, v int32, edges []edge) bool {
	return slices.ContainsFunc(edges, func(e edge) bool {
		_, ok := k.within(b, e.to)
		return ok && e.step != k.into[v]
	})
}

// pathDown lists the steps from a device down the orders to the class, or with up those up
// them.
func (k *fork) path(d model.DeviceID, up bool) []stepID {
	var steps []stepID
	for range len(k.lower) {
		s := k.lower[d]
		if up {
			s = k.higher[d]
		}
		if s < 0 {
			return steps
		}
		steps = append(steps, s)
		d = k.a.g.to[s]
	}
	return nil
}
