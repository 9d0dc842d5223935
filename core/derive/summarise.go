package derive

import (
	"net/netip"
	"slices"
	"sync"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// summarise adds the fewest lines that do with every address of the plan's
// space what the device is to do with its class. From the leaves up, each node
// of the tree learns what its routes cost for each label it may inherit; then from the root
// down a route is set wherever that is cheaper than none.
func (t *table) summarise(s *space) {
	scratch := prices.Get().(*pricing)
	defer prices.Put(scratch)
	scratch.reset(len(s.nodes))
	x := &summary{table: t, pricing: scratch, beyondLabel: t.beyond(), connected: t.connected()}
	for _, e := range t.g.net.Table(t.device).Entries() {
		switch {
		case t.asDerived || e.Source != routing.Static || t.g.spec.Statics[e.Static()].Origin != model.Written ||
			prefix.FamilyOf(e.Prefix.Addr()) != t.g.family:
		case e.Prefix.Bits() == 0:
			if t.answer.world == none || !t.forcedHere(t.answer.world) {
				x.beyondLabel = foreign // nothing derived is like it
			}
		case t.g.spec.Statics[e.Static()].Discard:
			x.discarded = append(x.discarded, e.Prefix)
		default:
			x.written = append(x.written, e.Prefix)
		}
	}
	if w := t.answer.world; t.forcedHere(w) {
		if _, other := t.classes[w].forced[t.device]; other {
			x.beyondLabel = foreign
		}
	}
	if t.common != none && len(x.written)+len(x.discarded) == 0 {
		x.marked = s.look(s.special[t.device], s.made[t.device])
	}
	for _, root := range s.roots {
		x.price(root)
		if lines := x.costs(&x.nodes[root], x.beyondLabel); lines < impossible {
			t.routes, t.by = slices.Grow(t.routes, int(lines)), slices.Grow(t.by, int(lines))
		}
		x.place(root, x.beyondLabel)
	}
}

// prices holds what one device's nodes were priced in, for the next: there are as many nodes as the
// whole plan has.
var prices = sync.Pool{New: func() any { return new(pricing) }}

type summary struct {
	*table
	*pricing
	beyondLabel label
	marked      []bool         // by node: there is something special in it; nil where all have to be looked at
	written     []netip.Prefix // of written routes that lead on
	discarded   []netip.Prefix // of written routes that discard
	connected   []netip.Prefix // the subnets of links that the device is on
}

// pricing is what the nodes of the tree cost, and of each label that matters to one: all nodes' one after another.
type pricing struct {
	nodes   []priced
	choices []label // of one node in ascending order
	keep    []int32 // by these: with no route at the node itself
	best    []int32 // by these: with or without
}

// reset makes room for so many nodes. What is priced is written before it is read.
func (x *pricing) reset(nodes int) {
	x.nodes = slices.Grow(x.nodes[:0], nodes)[:nodes]
	x.choices, x.keep, x.best = x.choices[:0], x.keep[:0], x.best[:0]
}

// priced is what the routes from a node down cost, in lines, for each label that may be
// inherited.
type priced struct {
	from, to int32 // its labels, among all
	// The same for any other label that is inherited; without a route at the node it may be
	// impossible.
	otherKeep, otherBest int32
	any                  bool // whatever is inherited will do, at no cost
}

const impossible = 1 << 20

// price works out what a node costs, its halves first.
func (x *summary) price(n int32) {
	node := &x.space.nodes[n]
	if x.decided(n) {
		x.nodes[n] = priced{any: true}
		return
	}
	if node.class == mixed && (x.marked == nil || x.marked[n]) && !x.isConnected(n) {
		x.price(node.child[0])
		if !node.rest {
			x.price(node.child[1])
		}
	}
	p := &x.nodes[n]
	*p = priced{from: int32(len(x.choices))}
	switch {
	case node.class != mixed || x.marked != nil && !x.marked[n] || x.isConnected(n):
		var set []label
		if x.marked != nil && !x.marked[n] && node.class == mixed {
			set = x.plain(n)
		} else if set = x.whole(n); set == nil {
			*p = priced{any: true}
			return
		}
		x.addLabels(p, set)
		for _, l := range x.choices[p.from:] {
			cost := int32(0)
			if !slices.Contains(set, l) {
				cost = impossible
			}
			x.keep = append(x.keep, cost)
		}
		p.otherKeep = impossible
	case node.rest:
		x.priceRest(n)
	default:
		a, b := &x.nodes[node.child[0]], &x.nodes[node.child[1]]
		if a.any && b.any {
			*p = priced{any: true}
			return
		}
		x.join(a, b)
		p.otherKeep = min(impossible, a.otherBest+b.otherBest)
	}
	p.to = int32(len(x.choices))
	if slices.Contains(x.discarded, node.prefix) { // what is inherited ends here
		keep := x.keepOf(p, drop)
		for i := p.from; i < p.to; i++ {
			x.keep[i] = keep
		}
		p.otherKeep = keep
	}
	x.priceRoutes(n)
}

// join adds the labels of two halves, and what both cost together.
func (x *summary) join(a, b *priced) {
	i, j := a.from, b.from
	for i < a.to || j < b.to {
		ca, cb := a.otherBest, b.otherBest
		l := label(impossible)
		if i < a.to {
			l = x.choices[i]
		}
		if j < b.to {
			l = min(l, x.choices[j])
		}
		if i < a.to && x.choices[i] == l {
			ca = x.best[i]
			i++
		}
		if j < b.to && x.choices[j] == l {
			cb = x.best[j]
			j++
		}
		x.choices, x.keep = append(x.choices, l), append(x.keep, min(impossible, ca+cb))
	}
}

// addLabels adds to a node's labels those of a set, what is left of each behind each of its lines, that which ends it, and
// what the device does with all else.
func (x *summary) addLabels(p *priced, set []label) {
	for _, l := range set {
		for ; l > drop; l = x.rest[l] {
			x.choices = append(x.choices, l)
		}
	}
	x.choices = append(x.choices, drop, x.beyondLabel)
	own := x.choices[p.from:]
	slices.Sort(own)
	x.choices = x.choices[:int(p.from)+len(slices.Compact(own))]
}

// priceRoutes works out what a node costs where a route may be set at it: the cheapest of all, in
// full, or of those behind whose first lines follows just what is inherited.
func (x *summary) priceRoutes(n int32) {
	p := &x.nodes[n]
	x.best = append(x.best, x.keep[p.from:p.to]...)
	own := int32(1)
	if x.ownRoute(x.space.nodes[n].prefix) {
		own = 0
	}
	dropAt := x.find(p, drop)
	least := int32(2 * impossible)
	for i := p.from; i < p.to; i++ {
		l, keep := x.choices[i], x.keep[i]
		if l == foreign || keep >= impossible {
			continue
		}
		if l == drop {
			least = min(least, keep+own)
			continue
		}
		full := keep + x.full[l]
		if dropAt >= 0 {
			x.best[dropAt] = min(x.best[dropAt], full)
		}
		if x.mayFail(l) {
			full++
		}
		least = min(least, full)
		lines := int32(1)
		for at := x.rest[l]; at != drop; at = x.rest[at] {
			if j := x.find(p, at); j >= 0 {
				x.best[j] = min(x.best[j], keep+lines)
			}
			lines++
		}
	}
	for i := p.from; i < p.to; i++ {
		if x.choices[i] != drop {
			x.best[i] = min(x.best[i], least)
		}
	}
	p.otherBest = min(p.otherKeep, least)
}

// priceRest prices a node whose second child is all that is not in the first and cannot
// have routes of its own.
func (x *summary) priceRest(n int32) {
	node, p := &x.space.nodes[n], &x.nodes[n]
	a := &x.nodes[node.child[0]]
	set := x.leaf(node.child[1])
	x.choices = append(x.choices, x.choices[a.from:a.to]...)
	x.addLabels(p, set)
	for _, l := range x.choices[p.from:] {
		cost := x.costs(a, l)
		if set != nil && !slices.Contains(set, l) {
			cost = impossible
		}
		x.keep = append(x.keep, cost)
	}
	if p.otherKeep = a.otherBest; set != nil {
		p.otherKeep = impossible
	}
}

// find is where a label of a node stands among all; -1 where it is not one of its own.
func (x *pricing) find(p *priced, l label) int32 {
	for i := p.from; i < p.to; i++ {
		if x.choices[i] >= l {
			if x.choices[i] == l {
				return i
			}
			break
		}
	}
	return -1
}

func (x *pricing) keepOf(p *priced, l label) int32 {
	if i := x.find(p, l); i >= 0 {
		return x.keep[i]
	}
	return p.otherKeep
}

// costs is what a node costs where a label is inherited.
func (x *pricing) costs(p *priced, l label) int32 {
	if i := x.find(p, l); i >= 0 {
		return x.best[i]
	}
	return p.otherBest
}

// setting is a label to set at a node, and what that and everything below costs.
type setting struct {
	label label
	cost  int32
}

// cheapest is the best route to set at a node where a label is inherited. Of several that cost
// the same one that leads somewhere comes before one that discards, and then that which comes
// first: they are numbered in the order of the plan's subnets, the same each time.
func (x *summary) cheapest(n int32, inherited label) setting {
	p, best := &x.nodes[n], setting{drop, 2 * impossible}
	for i := p.from; i < p.to; i++ {
		l := x.choices[i]
		if l == foreign || l == inherited || x.keep[i] >= impossible {
			continue
		}
		cost := x.keep[i] + x.lines(n, l, inherited)
		if cost < best.cost || cost == best.cost && best.label == drop {
			best = setting{l, cost}
		}
	}
	return best
}

// lines is how many lines a route of a label takes where another is inherited.
func (x *summary) lines(node int32, l, inherited label) int32 {
	if l == drop {
		if x.ownRoute(x.space.nodes[node].prefix) {
			return 0
		}
		return 1
	}
	n := int32(0)
	for at := l; at != drop; at = x.rest[at] {
		if at == inherited {
			return n
		}
		n++
	}
	if inherited != drop && x.mayFail(l) {
		return x.full[l] + 1
	}
	return x.full[l]
}

// place sets routes from a node down, as low as costs no more: there they follow
// the plan's own blocks, and change with nothing but their own subnets.
func (x *summary) place(n int32, inherited label) {
	node, p := &x.space.nodes[n], &x.nodes[n]
	if p.any {
		return
	}
	if x.costs(p, inherited) < x.keepOf(p, inherited) {
		c := x.cheapest(n, inherited)
		if !(c.label == drop && x.ownRoute(node.prefix)) {
			x.route(node.prefix, c.label, inherited)
			if node.free && c.label != drop {
				x.space.routed[n].Store(true)
			}
		}
		inherited = c.label
	}
	if slices.Contains(x.discarded, node.prefix) {
		inherited = drop
	}
	if node.free && inherited != drop && inherited != x.commonLabel() {
		x.space.sent[n].Store(true)
	}
	if node.class == mixed && (x.marked == nil || x.marked[n]) && !x.isConnected(n) {
		x.place(node.child[0], inherited)
		if !node.rest {
			x.place(node.child[1], inherited)
		}
	}
}

// isConnected reports whether a node is the subnet of a link that the device is on. Its direct route decides for every
// address of it while the interface is up, and a longer one, though it discards, would take that away.
func (x *summary) isConnected(n int32) bool {
	return x.space.nodes[n].class == mixed && slices.Contains(x.connected, x.space.nodes[n].prefix)
}

// whole is the labels that all leaves of a node allow; nil where anything will do.
func (x *summary) whole(n int32) []label {
	node := &x.space.nodes[n]
	if node.class != mixed {
		return x.leaf(n)
	}
	a, b := x.whole(node.child[0]), x.whole(node.child[1])
	if a == nil {
		return b
	}
	if b == nil {
		return a
	}
	both := slices.DeleteFunc(slices.Clone(a), func(l label) bool { return !slices.Contains(b, l) })
	if len(both) == 0 {
		return []label{drop}
	}
	return both
}

// plain is the labels for a node in which there is nothing special: all of it goes the common way,
// and what nobody has or wants may end here.
func (x *summary) plain(n int32) []label {
	l := x.of[x.common]
	if l == drop || x.space.must[n] {
		return []label{l}
	}
	return []label{drop, l}
}

// decided tells whether a written route decides for all of a node.
func (x *summary) decided(n int32) bool {
	p := x.space.nodes[n].prefix
	return slices.ContainsFunc(x.written, func(w netip.Prefix) bool { return prefix.Covers(w, p) })
}

// leaf is the labels for the addresses of a leaf; nil where anything will do.
func (x *summary) leaf(n int32) []label {
	node := &x.space.nodes[n]
	made := x.space.made[x.device][n]
	if node.class == nobody || made == discards {
		return []label{drop}
	}
	if made == endsThere && x.classes[node.class].isOwner(x.device) {
		return []label{drop} // its direct route comes before that
	}
	if made == endsThere {
		lines, _ := x.until(x.of[node.class], drop)
		return []label{x.make(lines[:min(1, len(lines))])}
	}
	if x.ownRoute(node.prefix) {
		return nil
	}
	set := x.allowed(node.class, node.prefix, node.free)
	if node.free && x.space.sentKnown && !x.space.sent[n].Load() {
		set = append(set, x.commonLabel()) // nobody sends it here: it may go the common way too
	}
	return set
}

// commonLabel is what the device does with what it has no longer route for.
func (t *table) commonLabel() label {
	if t.common != none {
		return t.of[t.common]
	}
	return t.beyond()
}

// allowed is what the device may do with a class, or with what nobody has beside it. What
// nobody has, or nobody wants from here, may be discarded anywhere on its path.
func (t *table) allowed(id classID, p netip.Prefix, free bool) []label {
	c := &t.classes[id]
	l := t.of[id]
	switch {
	case t.space.exact[id]:
		return []label{l}
	case t.routesWhileUp(id, p):
		return []label{drop, t.beyond()}
	case l != drop && (free || !t.need[id]) && !c.demanded:
		return []label{drop, l}
	case c.link && c.options == nil || c.demanded && c.options[t.device] == nil && !c.isOwner(t.device):
		// Nothing is asked of it here: it may go with what it lies in, and what lies in no
		// block with the world.
		set := []label{drop}
		if c.home != none {
			set = append(set, t.of[c.home])
		}
		if c.outside {
			set = append(set, t.beyond())
		}
		return set
	case c.demanded && slices.Contains(c.loose, t.device):
		tail := t.commonLabel()
		if c.outside {
			tail = t.beyond()
		}
		return []label{l, t.behind(l, tail)}
	case c.either[t.device]:
		lines, _ := t.until(l, drop)
		return []label{l, t.make(lines[:min(len(lines), len(c.options[t.device]))])}
	}
	return []label{l}
}

// routesWhileUp tells whether a prefix is a subnet of the device's own, and what it does with
// everything goes out of the very interface it is on: when that is down, so is all of it, and
// nothing leads elsewhere.
func (t *table) routesWhileUp(id classID, p netip.Prefix) bool {
	w := t.beyond()
	if w <= drop || !t.classes[id].isOwner(t.device) ||
		!slices.ContainsFunc(t.space.subnets[id], func(x subnet) bool { return x.Prefix == p }) {
		return false
	}
	lines, _ := t.until(w, drop)
	return !slices.ContainsFunc(lines, func(l line) bool {
		return !slices.ContainsFunc(t.g.spec.Interfaces[t.g.steps[l.step].out].Addresses, func(a model.Address) bool { return a.Masked() == p })
	})
}

// connected lists the subnets of links that the device is on.
func (t *table) connected() []netip.Prefix {
	var all []netip.Prefix
	for _, s := range t.g.leaving[t.device] {
		if c := t.linkClass[s]; c != none {
			for _, a := range t.g.spec.Interfaces[t.g.steps[s].out].Addresses {
				if p := a.Masked(); t.byPrefix[p] == c && !slices.Contains(all, p) {
					all = append(all, p)
				}
			}
		}
	}
	return all
}

// choose takes the label to set: one that leads somewhere before one that
// discards.
func (t *table) choose(set []label) label {
	if set[0] == drop && len(set) > 1 {
		return set[1]
	}
	return set[0]
}

// ownRoute tells whether a prefix is one single address of the device itself: it
// is delivered there, and needs no route.
func (t *table) ownRoute(p netip.Prefix) bool {
	if !p.IsSingleIP() {
		return false
	}
	for _, id := range t.g.spec.InterfacesOf(t.device) {
		for _, a := range t.g.spec.Interfaces[id].Addresses {
			if a.Prefix == p && t.g.spec.Interfaces[id].Kind == model.Loopback {
				return true
			}
		}
	}
	return false
}
