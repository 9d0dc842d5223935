package network

import (
	"slices"

	"ropeswing/core/model"
)

// Leg is a frame passing a port on its path through a broadcast domain.
type Leg struct {
	Port model.InterfaceID
	In   bool       // it comes in there; else it goes out
	Tag  model.VLAN // with which, 0 for none
}

// Crossing is the ports that a frame passes from one routed interface to another
// in the same broadcast domain, by the fewest cables. Where a segment is itself the
// wire, these are the two interfaces. It is false where nothing gets through.
func (s *State) Crossing(from, to model.InterfaceID) ([]Leg, bool) {
	if s.domain[from] == NoDomain || s.domain[from] != s.domain[to] {
		return s.line(from, to)
	}
	spec := s.Spec
	if s.onWire(&spec.Interfaces[from]) && spec.Interfaces[from].Segment == spec.Interfaces[to].Segment {
		return []Leg{{s.port(from), false, s.tagOf(from)}, {s.port(to), true, s.tagOf(to)}}, true
	}
	type step struct {
		before int32
		legs   [2]Leg
	}
	came := map[int32]step{int32(from): {-1, [2]Leg{}}}
	edges := s.frames()
	queue := []int32{int32(from)}
	for len(queue) > 0 && !has(came, int32(to)) {
		n := queue[0]
		queue = queue[1:]
		for _, e := range edges[n] {
			if !has(came, e.to) {
				came[e.to] = step{n, e.legs}
				queue = append(queue, e.to)
			}
		}
	}
	if !has(came, int32(to)) {
		return nil, false
	}
	var legs []Leg
	for n := int32(to); n != int32(from); n = came[n].before {
		if x := came[n].legs; x[0] != x[1] {
			legs = append(legs, x[1], x[0])
		}
	}
	slices.Reverse(legs)
	return legs, true
}

func has[V any](m map[int32]V, k int32) bool { _, ok := m[k]; return ok }

// line is the two ends of a serial line.
func (s *State) line(from, to model.InterfaceID) ([]Leg, bool) {
	if s.Peer(from) != to || to == model.None || !s.IsUp(from) || !s.IsUp(to) {
		return nil, false
	}
	return []Leg{{from, false, 0}, {to, true, 0}}, true
}

// port is the port that frames of a routed interface pass: its parent, for a
// subinterface of one.
func (s *State) port(id model.InterfaceID) model.InterfaceID {
	if i := &s.Spec.Interfaces[id]; i.Kind == model.Subinterface && i.Parent != model.None {
		return i.Parent
	}
	return id
}

// tagOf is the tag of frames of a routed interface on its port.
func (s *State) tagOf(id model.InterfaceID) model.VLAN {
	if i := &s.Spec.Interfaces[id]; i.Kind == model.Subinterface {
		return i.Tag
	}
	return 0
}

// frameEdge is a way for frames between two nodes, by the ports of a cable.
type frameEdge struct {
	to   int32
	legs [2]Leg
}

// frames lists where frames get from each interface and bridge.
func (s *State) frames() map[int32][]frameEdge {
	all := map[int32][]frameEdge{}
	spec := s.Spec
	join := func(a, b int32, x, y Leg) {
		all[a] = append(all[a], frameEdge{b, [2]Leg{x, y}})
		x.In, y.In = !x.In, !y.In
		all[b] = append(all[b], frameEdge{a, [2]Leg{y, x}})
	}
	for id := range spec.Interfaces {
		if i := &spec.Interfaces[id]; i.Kind == model.VLANInterface && s.status[id].Oper == Up {
			join(int32(id), s.bridges[bridge{i.Device, i.Tag}], Leg{}, Leg{}) // within the switch
		}
	}
	blocked := map[model.CableID]bool{}
	for _, l := range s.loops {
		blocked[l.Cable] = l.Blocked
	}
	f := newFailed(s)
	for id := range spec.Cables {
		a, b := spec.Cables[id].Ends[0], spec.Cables[id].Ends[1]
		if spec.Cables[id].Pulled || !s.passes(a, f) || blocked[model.CableID(id)] {
			continue
		}
		near, far := s.attached(s.carrier(a)), s.attached(s.carrier(b))
		for _, x := range near {
			for _, y := range far {
				if x.tag == y.tag {
					join(x.node, y.node, Leg{a, false, x.tag}, Leg{b, true, y.tag})
				}
			}
		}
	}
	s.onWires(join)
	return all
}

// mostOnWire is how many interfaces on one wire are joined each with each.
const mostOnWire = 64

// onWires joins what is on a segment that is itself the wire, each with each.
func (s *State) onWires(join func(a, b int32, x, y Leg)) {
	on := map[model.SegmentID][]model.InterfaceID{}
	for id := range s.Spec.Interfaces {
		if i := &s.Spec.Interfaces[id]; s.onWire(i) && s.status[id].Oper == Up && i.Kind != model.Loopback && len(on[i.Segment]) < mostOnWire {
			on[i.Segment] = append(on[i.Segment], model.InterfaceID(id))
		}
	}
	node := func(id model.InterfaceID) int32 {
		if i := &s.Spec.Interfaces[id]; i.Switched {
			return s.bridges[bridge{i.Device, i.Untagged}]
		}
		return int32(id)
	}
	for _, all := range on {
		for n, a := range all {
			for _, b := range all[n+1:] {
				join(node(a), node(b), Leg{s.port(a), false, s.tagOf(a)}, Leg{s.port(b), true, s.tagOf(b)})
			}
		}
	}
}
