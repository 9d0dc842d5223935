package network

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
)

// holding is an address within a broadcast domain: the same link-local address
// may be on every segment.
type holding struct {
	domain  DomainID
	address netip.Addr
}

// workOutDomains finds the broadcast domains: which routed interfaces hear one
// another. Frames are followed cable by cable and VLAN by VLAN, never by
// segment names.
func (s *State) workOutDomains() {
	spec := s.Spec
	f := newFailed(s)
	sets := newSets(s.nodes)
	for id := range spec.Interfaces {
		if i := &spec.Interfaces[id]; i.Kind == model.VLANInterface && s.status[id].Oper == Up {
			sets.join(int32(id), s.bridges[bridge{i.Device, i.Tag}])
		}
	}
	blocked := s.workOutTree(f)
	for id := range spec.Cables {
		if a, b := spec.Cables[id].Ends[0], spec.Cables[id].Ends[1]; !spec.Cables[id].Pulled && s.passes(a, f) && !blocked[model.CableID(id)] {
			joinEnds(sets, s.attached(s.carrier(a)), s.attached(s.carrier(b)))
		}
	}
	s.joinWires(sets)
	s.sets = sets
	s.workOutLost(blocked)
	s.number(sets)
}

// attachment is what frames with a tag, 0 for none, belong to at a port.
type attachment struct {
	tag  model.VLAN
	node int32
}

// attached lists what a port's frames belong to, in ascending order of tags.
func (s *State) attached(id model.InterfaceID) []attachment {
	i := &s.Spec.Interfaces[id]
	var all []attachment
	if i.Switched {
		if i.Untagged != 0 {
			all = append(all, attachment{0, s.bridges[bridge{i.Device, i.Untagged}]})
		}
		for _, v := range i.Tagged {
			all = append(all, attachment{v, s.bridges[bridge{i.Device, v}]})
		}
		return all
	}
	all = append(all, attachment{0, int32(id)})
	for _, sub := range s.subs[id] {
		if s.IsUp(sub) {
			all = append(all, attachment{s.Spec.Interfaces[sub].Tag, int32(sub)})
		}
	}
	slices.SortStableFunc(all, func(a, b attachment) int { return int(a.tag) - int(b.tag) })
	return all
}

// joinEnds joins what the two ends of a cable make of frames with the same
// tag. A tag that only one end knows is dropped at the other.
func joinEnds(sets *sets, a, b []attachment) {
	for len(a) > 0 && len(b) > 0 {
		switch {
		case a[0].tag < b[0].tag:
			a = a[1:]
		case a[0].tag > b[0].tag:
			b = b[1:]
		default:
			sets.join(a[0].node, b[0].node)
			a, b = a[1:], b[1:]
		}
	}
}

// joinWires joins all that is up on each segment that is itself the wire.
func (s *State) joinWires(sets *sets) {
	first := make(map[model.SegmentID]int32)
	for id := range s.Spec.Interfaces {
		i := &s.Spec.Interfaces[id]
		if !s.onWire(i) || s.status[id].Oper != Up || i.Kind == model.Loopback {
			continue
		}
		node := int32(id)
		if i.Switched {
			node = s.bridges[bridge{i.Device, i.Untagged}]
		}
		if other, ok := first[i.Segment]; ok {
			sets.join(node, other)
		} else {
			first[i.Segment] = node
		}
	}
}

// number gives each domain its number and lists who is in it and who holds
// which address there.
func (s *State) number(sets *sets) {
	s.domain = make([]DomainID, len(s.Spec.Interfaces))
	s.holding = make(map[holding][]model.InterfaceID, len(s.Spec.Interfaces))
	numbers := map[int32]DomainID{}
	for id := range s.Spec.Interfaces {
		i := &s.Spec.Interfaces[id]
		if i.Switched || s.status[id].Oper != Up || i.Kind == model.Loopback {
			s.domain[id] = NoDomain
			continue
		}
		root := sets.root(int32(id))
		d, ok := numbers[root]
		if !ok {
			d = DomainID(len(numbers))
			numbers[root] = d
			s.members = append(s.members, nil)
		}
		s.domain[id] = d
		s.members[d] = append(s.members[d], model.InterfaceID(id))
		for _, a := range i.Addresses {
			key := holding{d, a.Addr()}
			if a.Virtual && len(s.holding[key]) > 0 && s.virtualAt(s.holding[key][0], a.Addr()) {
				// Of those that share it, the master alone answers.
				if s.before(model.InterfaceID(id), s.holding[key][0]) {
					s.holding[key][0] = model.InterfaceID(id)
				}
				continue
			}
			s.holding[key] = append(s.holding[key], model.InterfaceID(id))
		}
		for _, a := range s.Spec.Borrowed(model.InterfaceID(id)) {
			key := holding{d, a.Addr()}
			if !slices.ContainsFunc(s.holding[key], func(o model.InterfaceID) bool { return s.Spec.Interfaces[o].Device == i.Device }) {
				s.holding[key] = append(s.holding[key], model.InterfaceID(id))
			}
		}
	}
}

// virtualAt tells whether the interface shares the address.
func (s *State) virtualAt(id model.InterfaceID, a netip.Addr) bool {
	for _, x := range s.Spec.Interfaces[id].Addresses {
		if x.Addr() == a && x.Virtual {
			return true
		}
	}
	return false
}

// before tells whether a becomes master before b (RFC 9568 §6.4): the higher
// priority, then the higher primary address.
func (s *State) before(a, b model.InterfaceID) bool {
	if x, y := s.Priority(a), s.Priority(b); x != y {
		return x > y
	}
	return s.Spec.Interfaces[b].Primary().Less(s.Spec.Interfaces[a].Primary())
}

// Priority is that of an interface for becoming master, in this state: lower where what it follows is down.
func (s *State) Priority(id model.InterfaceID) int {
	i := &s.Spec.Interfaces[id]
	p := int(i.Priority)
	for _, f := range i.Follows {
		if f.Watch.IsValid() && s.unheard[Watched{i.Device, f.Watch}] || f.Interface != model.None && s.status[f.Interface].Oper != Up {
			p -= int(f.By)
		}
	}
	return max(p, 1)
}

// Holds tells whether the interface answers for an address of its own: always,
// but for one that is shared, which only the master does.
func (s *State) Holds(id model.InterfaceID, a model.Address) bool {
	return !a.Virtual || slices.Contains(s.Holders(id, a.Addr()), id)
}

// Domain is the broadcast domain of a routed interface; NoDomain while it is
// down.
func (s *State) Domain(id model.InterfaceID) DomainID { return s.domain[id] }

// Neighbours lists the other routed interfaces in the same broadcast domain.
func (s *State) Neighbours(id model.InterfaceID) []model.InterfaceID {
	d := s.domain[id]
	if d == NoDomain {
		return nil
	}
	return slices.DeleteFunc(slices.Clone(s.members[d]), func(other model.InterfaceID) bool { return other == id || s.domain[other] != d })
}

// Holders lists who answers for the address in the broadcast domain of the
// interface. More than one is a duplicate.
func (s *State) Holders(from model.InterfaceID, address netip.Addr) []model.InterfaceID {
	d := s.domain[from]
	if d == NoDomain {
		return nil
	}
	all := s.holding[holding{d, address}]
	for n, id := range all {
		if s.domain[id] != d { // it has left since the domains were worked out
			left := slices.Clone(all[:n])
			for _, id := range all[n+1:] {
				if s.domain[id] == d {
					left = append(left, id)
				}
			}
			return left
		}
	}
	return all
}

// sets are disjoint sets of nodes.
type sets struct{ parent []int32 }

func newSets(n int) *sets {
	s := &sets{make([]int32, n)}
	for i := range s.parent {
		s.parent[i] = int32(i)
	}
	return s
}

func (s *sets) root(x int32) int32 {
	for s.parent[x] != x {
		s.parent[x] = s.parent[s.parent[x]]
		x = s.parent[x]
	}
	return x
}

// join makes one set of two; the lower root stays, so that the outcome does
// not depend on the order of joining.
func (s *sets) join(a, b int32) {
	a, b = s.root(a), s.root(b)
	if a < b {
		s.parent[b] = a
	} else {
		s.parent[a] = b
	}
}
