package derive

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// mostTriedWithout is how many routes are tried without, one by one.
const mostTriedWithout = 3000

// fate is how a packet ends.
type fate uint8

const (
	amiss   fate = iota // in circles, beyond the plan, or with somebody whose routes are not derived
	dropped             // on its path
	there               // at who has its subnet
)

// lookup finds how packets fare by the routes as they are emitted.
type lookup struct {
	*answer
	emitted
	nodes  map[netip.Prefix]int32 // of the space
	groups []map[int32]*group     // by device, then by node; nil where it has written ones of another kind
}

// group is the lines to one prefix, the preferred first: a discard is one too, and the last.
type group struct {
	node      int32 // of the space; none, the default route
	lines     []line
	distances []uint8
	written   bool // in part
}

// dropIdle takes lines away that make no odds: without them every packet fares as with them, with
// nothing broken and in every failure that counts, and no path is longer than is wanted. They
// are tried one after the other, for of two that do the same one has to stay.
func (a *answer) dropIdle(e *emitted) {
	if e.count() > mostTriedWithout {
		return
	}
	nodes := map[netip.Prefix]int32{}
	for n := range e.space.nodes { // what is all that another is not comes before what holds both
		nodes[e.space.nodes[n].prefix] = int32(n)
	}
	x := &lookup{answer: a, emitted: *e, nodes: nodes, groups: make([]map[int32]*group, len(e.made))}
	for _, d := range a.deriving {
		x.groups[d] = x.groupsOf(e.made[d])
	}
	for changed := true; changed; {
		changed = false
		for _, d := range a.deriving {
			changed = x.dropIdleOf(d) || changed
		}
	}
}

// groupsOf are the routes of a device by node, written ones among them; nil where one of these is
// like none that could be derived.
func (x *lookup) groupsOf(t *table) map[int32]*group {
	groups := map[int32]*group{}
	add := func(r *model.Static, l line) bool {
		n, ok := x.nodes[r.To]
		if !ok {
			if n = none; r.To.Bits() > 0 {
				return slices.ContainsFunc(x.space.roots, func(root int32) bool { return x.space.nodes[root].prefix.Overlaps(r.To) })
			}
		}
		g := groups[n]
		if g == nil {
			g = &group{node: n}
			groups[n] = g
		}
		at := len(g.lines)
		for ; at > 0 && g.distances[at-1] > r.Distance; at-- {
		}
		g.lines, g.distances = slices.Insert(g.lines, at, l), slices.Insert(g.distances, at, r.Distance)
		return true
	}
	for i := range t.routes {
		add(&t.routes[i], t.by[i])
	}
	first, last := t.g.spec.StaticsOf(t.device)
	for i := range t.g.spec.Statics[first:last] {
		r := &t.g.spec.Statics[first+i]
		if r.Origin != model.Written || r.Table != "" || prefix.FamilyOf(r.To.Addr()) != t.g.family {
			continue
		}
		if l, ok := t.lineOf(r); !ok || !add(r, l) {
			return nil
		}
		if n, ok := x.nodes[r.To]; ok {
			groups[n].written = true
		}
	}
	return groups
}

// lineOf is the line that a written route is; false where it is none that could be derived.
func (t *table) lineOf(r *model.Static) (line, bool) {
	if r.Discard {
		return nowhere, true
	}
	for _, s := range t.g.leaving[t.device] {
		step := &t.g.steps[s]
		if r.Via != step.via || r.Out != model.None && r.Out != step.out || !r.Via.IsValid() && r.Out == model.None {
			continue
		}
		if !r.Watch.IsValid() {
			return line{s, none}, true
		}
		for l := range t.watches { // at most one is by this step and asks this address
			if l.step == s && t.g.steps[l.watch].via == r.Watch && !r.WatchFrom.IsValid() {
				return l, true
			}
		}
	}
	return line{}, false
}

// dropIdleOf takes the idle lines of one device away; false where there are none.
func (x *lookup) dropIdleOf(d model.DeviceID) bool {
	t, found := x.made[d], false
	for at := len(t.routes) - 1; at >= 0; at-- {
		p := t.routes[at].To
		n, ok := x.nodes[p]
		g := x.groups[d][n]
		if !ok || g == nil || g.written {
			continue
		}
		i := slices.Index(g.lines, t.by[at])
		if !x.isIdle(d, g, i, x.fallTo(d, n, n)) {
			continue
		}
		found = true
		t.routes, t.by = slices.Delete(t.routes, at, at+1), slices.Delete(t.by, at, at+1)
		g.lines, g.distances = slices.Delete(g.lines, i, i+1), slices.Delete(g.distances, i, i+1)
		if len(g.lines) == 0 {
			delete(x.groups[d], n)
		}
		nth := 0
		for k := range t.routes {
			if t.routes[k].To == p {
				t.routes[k].Distance = distance(nth)
				g.distances[nth] = distance(nth)
				nth++
			}
		}
	}
	x.tables[d] = t.routes
	return found
}

// fallTo lists the leaves below a node whose packets a device may send by the routes to a prefix: all but
// those that a longer one discards.
func (x *lookup) fallTo(d model.DeviceID, n, top int32) []int32 {
	node := &x.space.nodes[n]
	if g := x.groups[d][n]; g != nil && n != top && g.lines[len(g.lines)-1] == nowhere {
		return nil
	}
	if node.class != mixed {
		return []int32{n}
	}
	return append(x.fallTo(d, node.child[0], top), x.fallTo(d, node.child[1], top)...)
}

// without is a packet to a leaf that a device may send by a line of a group, and how it fares without
// that line.
type without struct {
	*lookup
	device model.DeviceID
	group  *group
	i      int
	leaf   int32
	owner  *class // of the leaf's subnet, where it is the device's own
}

// isIdle tells whether all that a device may send to some leaves by a line of a group fares the same
// without, in every state: nothing broken, any one failure that counts, and the device's own interface down.
func (x *lookup) isIdle(d model.DeviceID, g *group, i int, leaves []int32) bool {
	var all []without
	for _, leaf := range leaves {
		w := without{x, d, g, i, leaf, nil}
		if c := x.classOf(leaf); c != nil && c.demanded && g.lines[i] != nowhere {
			return false // watches rely on it, whatever others say
		} else if c != nil && c.isOwner(d) && !x.space.nodes[leaf].free {
			w.owner = c
		}
		all = append(all, w)
	}
	for _, holds := range []func(*without) bool{(*without).asThingsStand, (*without).inFailures, (*without).isShort} { // the quickest first
		for k := range all {
			if !holds(&all[k]) {
				return false
			}
		}
	}
	return true
}

// classOf is the class of a leaf; nil where it is nobody's.
func (x *lookup) classOf(leaf int32) *class {
	if c := x.space.nodes[leaf].class; c >= 0 {
		return &x.classes[c]
	}
	return nil
}

// holds tells whether a class's subnets are on the device, and its interface there is up.
func (x *lookup) holds(c *class, d model.DeviceID, f *failure) bool {
	return c.owns(d, f) && !slices.ContainsFunc(x.g.leaving[d], func(s stepID) bool {
		return f.effect[s] == seen && slices.ContainsFunc(c.owners, func(o owner) bool { return o.device == d && o.on == x.g.steps[s].out })
	})
}

// asThingsStand tells whether a packet fares the same with nothing broken; to an own subnet, with the interface
// there down.
func (w *without) asThingsStand() bool {
	if _, other := w.preferred(w.device, w.leaf, w.group, w.i); other || w.owner != nil && w.owner.several {
		return true // the line is not taken
	}
	return w.same(w.nothing)
}

// inFailures tells whether a packet fares the same in any one failure that counts.
func (w *without) inFailures() bool {
	var matter []failureID
	note := func(l line) {
		of := func(f failureID) bool { matter = append(matter, f); return true }
		if l.watch != none {
			w.eachFailure(w.made[w.g.steps[l.step].from].watches[l].steps(), of)
		}
		if l != nowhere {
			w.eachFailure([]stepID{l.step}, of)
		}
	}
	if first, other := w.preferred(w.device, w.leaf, w.group, w.i); other {
		note(first) // only what takes that away
	} else { // what leads elsewhere than with nothing broken
		matter = append(matter, w.downs...)
		if c := w.classOf(w.leaf); c != nil {
			for _, o := range c.owners {
				for _, s := range w.g.leaving[o.device] {
					if w.g.steps[s].out == o.on {
						matter = append(matter, w.g.cutting[s]...)
					}
				}
			}
		}
		first := w.group.lines[w.i]
		note(first)
		w.from(w.device, first, w.leaf, w.nothing, note)
		if l, ok := w.takenBehind(w.device, w.group, w.i, w.nothing); ok {
			note(l)
			w.from(w.device, l, w.leaf, w.nothing, note)
		}
	}
	slices.Sort(matter)
	for _, id := range slices.Compact(matter) {
		f := &w.g.failures[id]
		if f.fails != w.device && (w.owner == nil || !w.holds(w.owner, w.device, f)) && !w.same(f) {
			return false
		}
	}
	return true
}

// same tells whether a packet fares the same in one state.
func (w *without) same(f *failure) bool {
	if by, k := w.taken(w.device, w.leaf, f); by != w.group || k != w.i {
		return true // the line is not taken
	}
	nobody := func(line) {}
	before, after := w.from(w.device, w.group.lines[w.i], w.leaf, f, nobody), dropped
	if l, ok := w.takenBehind(w.device, w.group, w.i, f); ok {
		after = w.from(w.device, l, w.leaf, f, nobody)
	}
	return before == after && before != amiss
}

// preferred is the line a device takes to a leaf before all others, where that is not the one at a
// place of a group.
func (x *lookup) preferred(d model.DeviceID, leaf int32, g *group, i int) (line, bool) {
	for n := leaf; n != g.node; n = x.space.parent[n] {
		if longer := x.groups[d][n]; longer != nil {
			return longer.lines[0], true
		}
	}
	return g.lines[0], i > 0
}

// takes tells whether a line is usable under a failure; a discard always is.
func (t *table) takes(l line, f *failure) bool {
	return l == nowhere || f.effect[l.step] != seen && (l.watch == none || !t.isSilent(t.watches[l], f))
}

// takenBehind is the line a device takes when the first lines of a group, up to one, are out of use; false where there is none.
func (x *lookup) takenBehind(d model.DeviceID, g *group, i int, f *failure) (line, bool) {
	for _, l := range g.lines[i+1:] {
		if x.made[d].takes(l, f) {
			return l, true
		}
	}
	return x.takenAbove(d, x.space.parent[g.node], f)
}

// takenAbove is the line a device takes by the longest prefix from a node up; false where there is
// none.
func (x *lookup) takenAbove(d model.DeviceID, n int32, f *failure) (line, bool) {
	if g, i := x.taken(d, n, f); g != nil {
		return g.lines[i], true
	}
	return line{}, false
}

// taken is which line of which group that is; nil where there is none.
func (x *lookup) taken(d model.DeviceID, n int32, f *failure) (*group, int) {
	for {
		if g := x.groups[d][n]; g != nil { // that of no node is the default route
			for i, l := range g.lines {
				if x.made[d].takes(l, f) {
					return g, i
				}
			}
		}
		if n == none {
			return nil, 0
		}
		n = x.space.parent[n]
	}
}

// from is how a packet to a leaf fares that a device sends by a line; the lines it is sent by from there
// on are told.
func (x *lookup) from(d model.DeviceID, l line, leaf int32, f *failure, tell func(line)) fate {
	c, ok := x.classOf(leaf), true
	if x.space.nodes[leaf].free {
		c = nil
	}
	for range len(x.g.leaving) {
		if !ok || l == nowhere || f.effect[l.step] != whole {
			return dropped
		}
		at := x.g.to[l.step]
		switch {
		case at == f.fails:
			return dropped
		case at == d:
			return amiss
		case c != nil && x.holds(c, at, f):
			return there
		case x.groups[at] == nil:
			return amiss
		}
		if l, ok = x.takenAbove(at, leaf, f); ok {
			tell(l)
		}
	}
	return amiss
}

// isShort tells whether all paths to a leaf are as short as the plan wants them without the line, with
// nothing broken.
func (w *without) isShort() bool {
	c := w.classOf(w.leaf)
	if _, other := w.preferred(w.device, w.leaf, w.group, w.i); other || w.space.nodes[w.leaf].free || c == nil || len(c.first) == 0 {
		return true
	}
	for _, from := range w.deriving {
		cost, at := int32(0), from
		for range len(w.g.leaving) {
			if c.owns(at, w.nothing) {
				break
			}
			l, ok := w.takenAbove(at, w.leaf, w.nothing)
			if at == w.device {
				l, ok = w.takenBehind(w.device, w.group, w.i, w.nothing)
			}
			if !ok || l == nowhere {
				cost = 0
				break
			}
			cost += w.g.steps[l.step].cost
			at = w.g.to[l.step]
		}
		if c.first[from] != none && w.tooLong(c, from, cost) {
			return false
		}
	}
	return true
}
