package derive

import "ropeswing/core/model"

// spares finds for every device of a block a second step, so that whoever's cheapest path
// is broken somewhere comes out of what hangs below the break by second steps alone: by an
// edge into what hangs on another neighbour of the root, or to somebody that comes out. It
// tells whether everybody has one; then cheapest paths and these protect each other.
func (k *fork) spares(b int32, spare []stepID) bool {
	c, g := k.c, k.a.g
	root := k.root[b]
	top := make(map[int32]int32, len(k.order[b])) // by vertex: what it hangs on below the root
	var find func(v int32) int32
	find = func(v int32) int32 {
		if t, ok := top[v]; ok {
			return t
		}
		top[v] = none
		t := int32(none)
		switch s := k.cheapest(v); {
		case s == none:
		case k.toward(s) == root:
			t = v
		default:
			if to := k.toward(s); k.block[to] == b {
				t = find(to)
			}
		}
		top[v] = t
		return t
	}
	for _, v := range k.order[b] {
		if v == k.sink {
			continue
		}
		if find(v) == none {
			return false // the cheapest path is not in the block: by a written route
		}
	}
	q := &queue{}
	best := map[int32]int32{}
	offer := func(v int32, s stepID, cost int32) {
		if old, ok := best[v]; ok && (old < cost || old == cost && spare[v] <= s) {
			return
		}
		best[v], spare[v] = cost, s
		q.push(waiting{cost, 0, model.DeviceID(v)})
	}
	var edges []edge
	for _, v := range k.order[b] {
		if v == k.sink {
			continue
		}
		edges = k.edges(v, edges)
		for _, e := range edges {
			if _, ok := k.within(b, e.to); !ok || e.step == k.cheapest(v) {
				continue
			}
			if e.to == root || top[e.to] != top[v] {
				cost := k.stepCost(e.step)
				if e.to != k.sink {
					cost += c.cost[e.to]
				}
				offer(v, e.step, cost)
			}
		}
	}
	done := map[int32]bool{}
	for q.Len() > 0 {
		at := q.pop()
		v := int32(at.device)
		if done[v] {
			continue
		}
		done[v] = true
		edges = k.edges(v, edges)
		for _, e := range edges {
			z := e.to
			if z == k.sink || z == root || k.block[z] != b || done[z] || e.step < 0 {
				continue
			}
			if s := g.back[e.step]; s != k.cheapest(z) {
				offer(z, s, at.cost+g.steps[s].cost)
			}
		}
	}
	for _, v := range k.order[b] {
		if v != k.sink && !done[v] {
			return false
		}
	}
	return true
}

// cheapest is the first step of a device's cheapest path to the class.
func (k *fork) cheapest(v int32) stepID {
	if k.c.isOwner(model.DeviceID(v)) {
		return direct
	}
	return k.c.first[v]
}

// toward is the vertex a step leads to.
func (k *fork) toward(s stepID) int32 {
	if s == direct {
		return k.sink
	}
	return int32(k.a.g.to[s])
}
