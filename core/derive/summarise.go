package derive

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// summarise adds the fewest routes that do with every address of the plan's
// space what the device is to do with its class. From the leaves up, each node
// of the tree keeps the labels that a route there may have at no further cost:
// those both halves may have, or where there are none those either may; then
// from the root down a route is set wherever what is inherited is not among
// them.
func (t *table) summarise(s *space) {
	x := &summary{table: t, space: s, sets: make([][]label, len(s.nodes))}
	inherited := t.beyond()
	for _, e := range t.g.net.Table(t.device).Entries() {
		switch {
		case e.Source != routing.Static || t.g.spec.Statics[e.Static()].Origin != model.Written || prefix.FamilyOf(e.Prefix.Addr()) != t.g.family:
		case e.Prefix.Bits() == 0:
			if t.answer.world == none || !t.forcedHere(t.answer.world) {
				inherited = -1 // nothing derived is like it
			}
		case t.g.spec.Statics[e.Static()].Discard:
			x.discarded = append(x.discarded, e.Prefix)
		default:
			x.written = append(x.written, e.Prefix)
		}
	}
	for _, root := range s.roots {
		x.collect(root)
		x.place(root, inherited)
	}
}

type summary struct {
	*table
	space     *space
	sets      [][]label      // by node: sorted; nil where anything will do
	written   []netip.Prefix // of written routes that lead on
	discarded []netip.Prefix // of written routes that discard
}

// collect works out the labels a node may have, its halves first, and returns
// those that a route from above may give it.
func (x *summary) collect(n int32) []label {
	node := &x.space.nodes[n]
	switch {
	case x.decided(n):
		return nil
	case node.class != mixed:
		x.sets[n] = x.leaf(node)
	default:
		a, b := x.collect(node.child[0]), x.collect(node.child[1])
		if x.sets[n] = meet(a, b); node.rest && !slices.ContainsFunc(a, func(l label) bool { return slices.Contains(b, l) }) {
			x.sets[n] = b // what is not in the small part cannot have routes of its own
		}
	}
	return x.upward(n)
}

// decided tells whether a written route decides for all of a node.
func (x *summary) decided(n int32) bool {
	p := x.space.nodes[n].prefix
	return slices.ContainsFunc(x.written, func(w netip.Prefix) bool { return prefix.Covers(w, p) })
}

// leaf is the labels for the addresses of a leaf. What nobody has, or nobody
// wants from here, may be discarded anywhere on its way.
func (x *summary) leaf(node *spaceNode) []label {
	c := node.class
	switch {
	case c == nobody || x.of[c] == drop:
		return []label{drop}
	case node.free || !x.need[c]:
		return []label{drop, x.of[c]}
	}
	return []label{x.of[c]}
}

// meet is the labels that both may have, or where there are none those of
// either. Nil is every label.
func meet(a, b []label) []label {
	if a == nil {
		return b
	}
	if b == nil {
		return a
	}
	var both []label
	for _, l := range a {
		if slices.Contains(b, l) {
			both = append(both, l)
		}
	}
	if len(both) > 0 {
		return both
	}
	either := append(slices.Clone(a), b...)
	slices.Sort(either)
	return slices.Compact(either)
}

// place sets routes from a node down, as low as costs no more: there they follow
// the plan's own blocks, and change with nothing but their own subnets. Of
// several labels that one is taken that comes first: they are numbered in the
// order of the plan's subnets, the same each time.
func (x *summary) place(n int32, inherited label) {
	set, node := x.sets[n], &x.space.nodes[n]
	switch {
	case x.decided(n):
		return
	case slices.Contains(x.discarded, node.prefix):
		inherited = drop
	case set != nil && !slices.Contains(set, inherited) && !x.canWait(n, inherited):
		wider := inherited
		inherited = x.choose(set)
		if !(inherited == drop && x.ownRoute(n)) {
			x.within(node.prefix, inherited, wider)
		}
	}
	if node.class == mixed {
		x.place(node.child[0], inherited)
		if !node.rest {
			x.place(node.child[1], inherited)
		}
	}
}

// canWait tells whether routes in the halves of a node cost no more than one for
// all of it: where the halves have no label in common, so that one of them needs
// a route of its own anyway, or where one of them may keep what is inherited.
func (x *summary) canWait(n int32, inherited label) bool {
	node := &x.space.nodes[n]
	if node.class != mixed {
		return false
	}
	l, h := x.upward(node.child[0]), x.upward(node.child[1])
	if node.rest {
		return h == nil || slices.Contains(h, inherited)
	}
	if l == nil || h == nil {
		return true
	}
	return !slices.ContainsFunc(l, func(a label) bool { return slices.Contains(h, a) }) || slices.Contains(l, inherited) || slices.Contains(h, inherited)
}

// upward is the labels that a route from above may give a node.
func (x *summary) upward(n int32) []label {
	if slices.Contains(x.discarded, x.space.nodes[n].prefix) {
		return nil
	}
	return x.sets[n]
}

// choose takes the label to set: one that leads somewhere before one that
// discards.
func (x *summary) choose(set []label) label {
	if set[0] == drop && len(set) > 1 {
		return set[1]
	}
	return set[0]
}

// ownRoute tells whether a node is one single address of the device itself: it
// is delivered there, and needs no route.
func (x *summary) ownRoute(n int32) bool {
	p := x.space.nodes[n].prefix
	if !p.IsSingleIP() {
		return false
	}
	for _, id := range x.g.spec.InterfacesOf(x.device) {
		for _, a := range x.g.spec.Interfaces[id].Addresses {
			if a.Prefix == p && prefix.Covers(p, a.Prefix) && x.g.spec.Interfaces[id].Kind == model.Loopback {
				return true
			}
		}
	}
	return false
}
