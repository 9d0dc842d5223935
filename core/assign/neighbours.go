package assign

import (
	"cmp"
	"slices"

	"ropeswing/core/model"
)

// near is the blocks of a level as they hang together in the network: what is cut off
// together when one device fails is a cluster, and those of a ring follow one another.
func (g *blockGiver) near(level []model.BlockID) *cluster {
	site := g.sites(level)
	w := &walker{spec: g.spec, beside: neighbours(g.spec), at: make([]int, len(g.spec.Devices)), low: make([]int, len(g.spec.Devices)),
		site: site, seen: map[model.BlockID]bool{}}
	for _, root := range w.roots() {
		if w.at[root] == 0 {
			w.walk(root, model.None)
		}
	}
	for _, b := range level { // those that no device is in
		w.meet(b)
	}
	c := nested(w.order, w.groups)
	c.arrange(adjacent(w.beside, site))
	return c
}

// adjacent tells which blocks have devices next to each other.
func adjacent(beside [][]model.DeviceID, site []model.BlockID) map[[2]model.BlockID]bool {
	all := map[[2]model.BlockID]bool{}
	for d, others := range beside {
		for _, other := range others {
			if a, b := site[d], site[other]; a != model.None && b != model.None && a != b {
				all[[2]model.BlockID{a, b}] = true
			}
		}
	}
	return all
}

// arrange puts the parts of clusters in the order of the plan, unless in the order in which
// they were come to more of them follow a neighbour.
func (c *cluster) arrange(adjacent map[[2]model.BlockID]bool) {
	for _, part := range c.parts {
		part.arrange(adjacent)
	}
	inPlan := slices.Clone(c.parts)
	slices.SortStableFunc(inPlan, func(a, b *cluster) int { return cmp.Compare(slices.Min(a.all()), slices.Min(b.all())) })
	follow := func(parts []*cluster) int {
		n := 0
		for i := 1; i < len(parts); i++ {
			if adjacent[[2]model.BlockID{parts[i-1].block, parts[i].block}] {
				n++
			}
		}
		return n
	}
	if follow(inPlan) >= follow(c.parts) {
		c.parts = inPlan
	}
}

// sites is by device in which block of the level it is; None where it is in none.
func (g *blockGiver) sites(level []model.BlockID) []model.BlockID {
	top := make([]model.BlockID, len(g.spec.Blocks)) // by block: the one of the level around it
	for b := range top {
		top[b] = model.None
	}
	var mark func(b, around model.BlockID)
	mark = func(b, around model.BlockID) {
		top[b] = around
		for _, c := range g.children[b] {
			mark(c, around)
		}
	}
	for _, b := range level {
		mark(b, b)
	}
	site := make([]model.BlockID, len(g.spec.Devices))
	for d := range g.spec.Devices {
		site[d] = model.None
		if from := g.spec.Devices[d].From; len(from) > 0 {
			site[d] = top[from[0]]
		}
		for _, id := range g.spec.InterfacesOf(model.DeviceID(d)) {
			if s := g.spec.Interfaces[id].Segment; site[d] == model.None && s != model.None && len(g.spec.Segments[s].From) > 0 &&
				g.spec.Devices[d].Kind != model.Host {
				site[d] = top[g.spec.Segments[s].From[0]]
			}
		}
	}
	return site
}

// neighbours is by device those it has a cable to, or is on a segment with that has no
// cable, in the order of the plan.
func neighbours(spec *model.Spec) [][]model.DeviceID {
	beside := make([][]model.DeviceID, len(spec.Devices))
	join := func(a, b model.DeviceID) {
		if a != b {
			beside[a], beside[b] = append(beside[a], b), append(beside[b], a)
		}
	}
	cabled := map[model.InterfaceID]bool{}
	for _, c := range spec.Cables {
		join(spec.Interfaces[c.Ends[0]].Device, spec.Interfaces[c.Ends[1]].Device)
		cabled[c.Ends[0]], cabled[c.Ends[1]] = true, true
	}
	first := map[model.SegmentID]model.DeviceID{}
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		if i.Segment == model.None || !i.Routed() || i.Parent != model.None || cabled[model.InterfaceID(id)] {
			continue
		}
		if d, ok := first[i.Segment]; ok {
			join(d, i.Device)
		} else {
			first[i.Segment] = i.Device
		}
	}
	for d := range beside {
		slices.Sort(beside[d])
		beside[d] = slices.Compact(beside[d])
	}
	return beside
}

// walker goes through the network depth first.
type walker struct {
	spec   *model.Spec
	beside [][]model.DeviceID
	site   []model.BlockID
	at     []int // by device: when it was come to, from 1 on
	low    []int // the first device come to that it has a path to but by the one before it
	now    int
	seen   map[model.BlockID]bool
	order  []model.BlockID // as they are reached
	groups [][2]int        // from which to before which of the order hang together
}

// roots is where to begin: at what is next to the world, else where most meet.
func (w *walker) roots() []model.DeviceID {
	all := make([]model.DeviceID, len(w.spec.Devices))
	rank := make([]int, len(all))
	for d := range all {
		all[d] = model.DeviceID(d)
		rank[d] = -len(w.beside[d])
		if !w.spec.Devices[d].Forwards {
			rank[d] = 1
		}
		for _, other := range w.beside[d] {
			if w.spec.Devices[other].Kind == model.World && w.spec.Devices[d].Kind != model.World {
				rank[d] = -len(all) - 1
			}
		}
	}
	slices.SortStableFunc(all, func(a, b model.DeviceID) int { return cmp.Compare(rank[a], rank[b]) })
	return all
}

func (w *walker) meet(b model.BlockID) {
	if b != model.None && !w.seen[b] {
		w.seen[b] = true
		w.order = append(w.order, b)
	}
}

// walk goes on from a device that was come to from another.
func (w *walker) walk(d, from model.DeviceID) {
	w.now++
	w.at[d], w.low[d] = w.now, w.now
	w.meet(w.site[d])
	for _, next := range w.beside[d] {
		switch {
		case next == from:
		case w.at[next] > 0:
			w.low[d] = min(w.low[d], w.at[next])
		default:
			first := len(w.order)
			w.walk(next, d)
			w.low[d] = min(w.low[d], w.low[next])
			if w.low[next] >= w.at[d] {
				w.groups = append(w.groups, [2]int{first, len(w.order)})
			}
		}
	}
}

// nested makes clusters of an order, in which groups lie within one another or apart.
func nested(order []model.BlockID, groups [][2]int) *cluster {
	groups = slices.DeleteFunc(groups, func(g [2]int) bool { return g[1]-g[0] < 2 || g[1]-g[0] == len(order) })
	slices.SortFunc(groups, func(a, b [2]int) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(b[1], a[1])) })
	groups = slices.Compact(groups)
	at := 0
	var within func(first, end int) *cluster
	within = func(first, end int) *cluster {
		c := &cluster{block: model.None}
		for n := first; n < end; {
			if at < len(groups) && groups[at][0] == n && groups[at][1] <= end {
				g := groups[at]
				at++
				c.parts = append(c.parts, within(g[0], g[1]))
				n = g[1]
				continue
			}
			c.parts = append(c.parts, &cluster{block: order[n]})
			n++
		}
		return c
	}
	return within(0, len(order))
}
