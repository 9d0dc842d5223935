package derive

import "sync/atomic"

// findSpecial notes for each device which classes it does not treat like any other, and of the
// tree what it takes to look at the leaves of these only: most devices send most of it the
// common way.
func (a *answer) findSpecial(s *space) {
	s.parent, s.must = make([]int32, len(s.nodes)), make([]bool, len(s.nodes))
	s.sent, s.routed, s.sentKnown = make([]atomic.Bool, len(s.nodes)), make([]atomic.Bool, len(s.nodes)), false
	s.leaves, s.subnets = make([][]int32, len(a.classes)), make([][]subnet, len(a.classes))
	for n := range s.parent {
		s.parent[n] = none
	}
	for n := range s.nodes {
		node := &s.nodes[n]
		switch {
		case node.class == mixed:
			s.parent[node.child[0]], s.parent[node.child[1]] = int32(n), int32(n)
		case node.class >= 0:
			s.leaves[node.class] = append(s.leaves[node.class], int32(n))
			s.must[n] = !node.free && a.classes[node.class].wanted
		}
	}
	for n := range s.must {
		for at := s.parent[n]; s.must[n] && at != none && !s.must[at]; at = s.parent[at] {
			s.must[at] = true
		}
	}
	for _, x := range a.subnets {
		s.subnets[x.class] = append(s.subnets[x.class], x)
	}
	byHome := map[classID][]classID{} // the links that go with a class
	for id := range a.classes {
		if c := &a.classes[id]; c.link && c.home >= 0 && c.home != a.common {
			byHome[c.home] = append(byHome[c.home], classID(id))
		}
	}
	s.special = make([][]classID, len(a.g.leaving))
	for id := range a.classes {
		c := &a.classes[id]
		if classID(id) == a.common || c.world {
			continue
		}
		own := c.behind == none && c.options != nil && !c.demanded // nothing of it is common
		for _, d := range a.deriving {
			if own || c.isOwner(d) || c.options != nil && (len(c.options[d]) > 0 || c.ends[d]) {
				s.special[d] = append(append(s.special[d], classID(id)), byHome[classID(id)]...)
			}
		}
	}
}

// look marks the nodes that a device has to look at: those of special leaves and of those that something is made of, and
// what is above them.
func (s *space) look(special []classID, made map[int32]must) []bool {
	marked := make([]bool, len(s.nodes))
	mark := func(n int32) {
		for at := n; at != none && !marked[at]; at = s.parent[at] {
			marked[at] = true
		}
	}
	for n := range made {
		mark(n)
	}
	for _, c := range special {
		for _, n := range s.leaves[c] {
			mark(n)
		}
	}
	return marked
}
