package derive

import (
	"maps"
	"net/netip"
	"slices"
	"sync/atomic"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// space is the addresses of the plan as a binary tree, the same for every
// device: each leaf belongs to one class. What nobody has belongs to the class
// of its neighbours, if they are all of one device, or within a block in a block
// to the device with most of it, else to the sink: so that every device that
// sends it on sends it the same way, and it ends where it is discarded.
type space struct {
	nodes []spaceNode
	roots []int32
	inner []netip.Prefix             // the blocks within blocks
	alone map[model.DeviceID]classID // the class of what is on one device only
	sink  classID

	sent      []atomic.Bool // by node: somebody sends what is free there another way than the common one
	sentKnown bool
	routed    []atomic.Bool // by node: it is free, and somebody has a route just to it
	onlyFree  []bool        // by node: the same, once all routes are made

	parent  []int32     // by node; none of a root
	leaves  [][]int32   // by class: the leaves that are its own
	must    []bool      // by node: somebody in it is wanted
	subnets [][]subnet  // by class
	special [][]classID // by device: the classes that it does not treat like any other

	made  map[model.DeviceID]map[int32]must // by device and leaf: what the proof of what was emitted asks for
	exact map[classID]bool                  // of these every device does just what was worked out, though other things might do
}

type spaceNode struct {
	prefix netip.Prefix
	class  classID // of a leaf; mixed where there are children
	free   bool    // nobody has any of it
	rest   bool    // the second child is all that is not in the first, and has no prefix of its own
	child  [2]int32
}

const (
	mixed  classID = -2
	nobody classID = -3
)

// newSpace builds the tree: a root for each of the plan's blocks that lies in no
// other, and one for each subnet outside of them.
func (a *answer) newSpace(sink classID) *space {
	s := &space{sink: sink, alone: a.alone(), exact: map[classID]bool{}}
	blocks := a.blocks()
	for _, b := range blocks {
		if slices.ContainsFunc(blocks, func(o netip.Prefix) bool { return o != b && prefix.Covers(o, b) }) {
			s.inner = append(s.inner, b)
		}
	}
	blocks = prefix.Merge(blocks)
	for _, x := range a.subnets {
		if !slices.ContainsFunc(blocks, func(b netip.Prefix) bool { return prefix.Covers(b, x.Prefix) }) {
			s.roots = append(s.roots, int32(len(s.nodes)))
			s.nodes = append(s.nodes, spaceNode{prefix: x.Prefix, class: x.class})
		}
	}
	for _, b := range blocks {
		first, _ := slices.BinarySearchFunc(a.subnets, b, func(x subnet, b netip.Prefix) int { return comparePrefixes(x.Prefix, b) })
		last := first
		for last < len(a.subnets) && b.Contains(a.subnets[last].Addr()) {
			last++
		}
		if first < last {
			s.roots = append(s.roots, a.grow(s, b, a.subnets[first:last], nobody))
		}
	}
	return s
}

// grow builds the tree of a prefix from the subnets in it, in the order of
// addresses. Around is the class of the subnet that holds all of it.
func (a *answer) grow(s *space, p netip.Prefix, in []subnet, around classID) int32 {
	for len(in) > 0 && in[0].Prefix == p {
		around, in = in[0].class, in[1:]
	}
	id := int32(len(s.nodes))
	if len(in) == 0 {
		s.nodes = append(s.nodes, spaceNode{prefix: p, class: around, free: around == nobody})
		return id
	}
	if inside, ok := a.far(s, p, in); ok && around == nobody {
		return a.growFar(s, p, inside, in)
	}
	low, high := halves(p)
	cut, _ := slices.BinarySearchFunc(in, high.Addr(), func(x subnet, at netip.Addr) int { return x.Addr().Compare(at) })
	l := a.grow(s, low, in[:cut], around)
	h := a.grow(s, high, in[cut:], around)
	a.adopt(s, p, l, h)
	lc, hc := s.nodes[l].class, s.nodes[h].class
	if lc == hc && lc != mixed {
		free := s.nodes[l].free && s.nodes[h].free
		s.nodes = s.nodes[:id] // both halves are one
		s.nodes = append(s.nodes, spaceNode{prefix: p, class: lc, free: free})
		return id
	}
	s.nodes = append(s.nodes, spaceNode{prefix: p, class: mixed, child: [2]int32{l, h}})
	return int32(len(s.nodes) - 1)
}

// far is the prefix that all subnets in p lie in, or the block around them that
// lies in p, where that is much smaller than p: the levels between need no nodes.
func (a *answer) far(s *space, p netip.Prefix, in []subnet) (netip.Prefix, bool) {
	inside := in[0].Prefix
	if last := in[len(in)-1].Prefix; len(in) > 1 {
		inside = prefix.Around([]netip.Prefix{inside, last})
	}
	for _, b := range s.inner {
		if b.Bits() > p.Bits() && b.Bits() < inside.Bits() && b.Contains(inside.Addr()) {
			inside = b
		}
	}
	return inside, inside.Bits() > p.Bits()+2
}

// growFar builds the tree of a prefix all of whose subnets lie in a small part
// of it.
func (a *answer) growFar(s *space, p, inside netip.Prefix, in []subnet) int32 {
	id := int32(len(s.nodes))
	child := a.grow(s, inside, in, nobody)
	class := a.adopter(s, p, child)
	if class == s.nodes[child].class {
		s.nodes = append(s.nodes[:id], spaceNode{prefix: p, class: class})
		return id
	}
	rest := int32(len(s.nodes))
	s.nodes = append(s.nodes, spaceNode{prefix: p, class: class, free: true},
		spaceNode{prefix: p, class: mixed, child: [2]int32{child, rest}, rest: true})
	return rest + 1
}

// adopt gives a half that is not assigned a class.
func (a *answer) adopt(s *space, p netip.Prefix, l, h int32) {
	x, y := &s.nodes[l], &s.nodes[h]
	switch {
	case x.class == nobody && y.class == nobody:
	case x.class == nobody:
		x.class = a.adopter(s, p, h)
	case y.class == nobody:
		y.class = a.adopter(s, p, l)
	}
}

// adopter is the class that what nobody has beside a node belongs to.
func (a *answer) adopter(s *space, p netip.Prefix, beside int32) classID {
	c := s.nodes[beside].class
	if c != mixed && !a.classes[c].several && !a.classes[c].link {
		return c
	}
	if c == mixed && !slices.ContainsFunc(s.inner, func(b netip.Prefix) bool { return prefix.Covers(b, p) }) {
		return s.sink
	}
	weight := map[classID]float64{}
	a.weigh(s, beside, 1, weight)
	best := s.sink
	for _, id := range slices.Sorted(maps.Keys(weight)) {
		if weight[id] > weight[best] {
			best = id
		}
	}
	return best
}

// weigh adds up how much of a node each device has.
func (a *answer) weigh(s *space, n int32, share float64, weight map[classID]float64) {
	node := &s.nodes[n]
	if node.class == mixed {
		a.weigh(s, node.child[0], share/2, weight)
		a.weigh(s, node.child[1], share/2, weight)
		return
	}
	if node.class == nobody {
		return
	}
	for _, o := range a.classes[node.class].owners {
		if c, ok := s.alone[o.device]; ok {
			weight[c] += share
			return
		}
	}
}

// halves are the two prefixes one longer.
func halves(p netip.Prefix) (low, high netip.Prefix) {
	low = netip.PrefixFrom(p.Addr(), p.Bits()+1)
	high, _ = prefix.Next(low)
	return low, high
}
