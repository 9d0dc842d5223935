package network

import "ropeswing/core/model"

// A group is one link where all its live members lead to one group, or single port, at the far end. One that negotiates
// (IEEE 802.1AX, LACP) takes in only members that lead to a group which negotiates too, all to the same; the others it
// leaves out. One that does not spreads what it sends over all of them, so that where they lead to different places
// some of it is lost: nothing is then said to pass for sure.

// bundles tells whether frames sent by a port go where all frames of its group go. It is true of a port in no group.
func (s *State) bundles(id model.InterfaceID) bool {
	g := s.Spec.Interfaces[id].Group
	if g == model.None {
		return true
	}
	group := &s.Spec.Interfaces[g]
	first := model.InterfaceID(model.None) // what the first live member leads to
	for _, m := range group.Members {
		far := s.peer[m]
		if far == model.None || !s.IsUp(m) || !s.IsUp(far) {
			continue
		}
		to := s.carrier(far)
		switch {
		case group.Negotiates && !s.Spec.Interfaces[to].Negotiates:
			if m == id {
				return false
			}
		case first == model.None:
			first = to
		case to != first && !group.Negotiates:
			return false
		case to != first && m == id:
			return false
		}
	}
	return group.Negotiates || !s.Spec.Interfaces[s.carrier(s.peer[id])].Negotiates
}

// OddMember is a live member of a group that does not lead where the group's first does, or to a far end that does not
// negotiate as the group does; None where all is one link.
func (s *State) OddMember(group model.InterfaceID) (odd, first model.InterfaceID) {
	first = model.None
	for _, m := range s.Spec.Interfaces[group].Members {
		far := s.peer[m]
		if far == model.None || !s.IsUp(m) {
			continue
		}
		if first == model.None {
			first = m
		}
		if s.carrier(far) != s.carrier(s.peer[first]) || s.Spec.Interfaces[s.carrier(far)].Negotiates != s.Spec.Interfaces[group].Negotiates {
			return m, first
		}
	}
	return model.None, first
}
