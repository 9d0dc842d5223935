package network

import (
	"slices"

	"ropeswing/core/model"
)

// leavesDown is the state with further failures that put nothing down but
// leaves: interfaces that hear others and through which nobody hears anybody. It
// shares all but two numbers an interface with the state before, and is false
// where more than that changes: links between switches, groups, cables that hide
// faults, shared addresses, segments.
func (s *State) leavesDown(all, further []Failure) (*State, bool) {
	ports, ok := s.touched(further)
	if !ok {
		return nil, false
	}
	next := *s
	next.failures = all
	next.status, next.domain = slices.Clone(s.status), slices.Clone(s.domain)
	f := newFailed(&next)
	var bridges []bridge // in which a port may have gone down
	for _, id := range ports {
		i := &s.Spec.Interfaces[id]
		if i.Kind != model.Port && i.Kind != model.Loopback {
			continue
		}
		next.status[id] = next.portStatus(id, f)
		for _, v := range vlansOf(i) {
			bridges = append(bridges, bridge{i.Device, v})
		}
	}
	check := ports
	for _, id := range ports {
		for _, sub := range s.subs[id] {
			next.status[sub] = next.subinterfaceStatus(sub, f)
			check = append(check, sub)
		}
	}
	for _, id := range ports {
		switch i := &s.Spec.Interfaces[id]; i.Kind {
		case model.Subinterface:
			next.status[id] = next.subinterfaceStatus(id, f)
		case model.VLANInterface:
			next.status[id] = next.vlanInterfaceStatus(id, f)
		}
	}
	for _, b := range bridges {
		for _, id := range s.Spec.InterfacesOf(b.device) {
			if i := &s.Spec.Interfaces[id]; i.Kind == model.VLANInterface && i.Tag == b.vlan {
				next.status[id] = next.vlanInterfaceStatus(id, f)
				check = append(check, id)
			}
		}
	}
	for _, id := range check {
		if next.status[id].Oper == Up {
			continue
		}
		if s.followed[id] || slices.ContainsFunc(s.Spec.Interfaces[id].Addresses, func(a model.Address) bool { return a.Virtual }) {
			return nil, false
		}
		next.domain[id] = NoDomain
	}
	return &next, true
}

// touched lists the interfaces that failures bear on at once: those that fail
// and the far ends of their cables. It is false where a failure may change who
// hears whom beyond them.
func (s *State) touched(failures []Failure) ([]model.InterfaceID, bool) {
	var all []model.InterfaceID
	for _, x := range failures {
		switch {
		case x.Segment != model.None:
			return nil, false
		case x.Device != model.None:
			all = append(all, s.Spec.InterfacesOf(x.Device)...)
		case x.Cable != model.None:
			all = append(all, s.Spec.Cables[x.Cable].Ends[0], s.Spec.Cables[x.Cable].Ends[1])
		default:
			all = append(all, x.Interface)
		}
	}
	for _, id := range all[:len(all):len(all)] {
		if far := s.peer[id]; far != model.None {
			all = append(all, far)
		}
	}
	for _, id := range all {
		i := &s.Spec.Interfaces[id]
		far, cable := s.peer[id], s.cable[id]
		switch {
		case i.Kind == model.Group || i.Group != model.None:
			return nil, false
		case cable != model.None && s.Spec.Cables[cable].Hidden:
			return nil, false
		case i.Switched && far != model.None && s.Spec.Interfaces[far].Switched:
			return nil, false
		case i.Switched && s.onWire(i):
			return nil, false
		}
	}
	return all, true
}
