package network

import (
	"slices"

	"ropeswing/core/model"
)

// Loop is a cable that closes a loop of switches.
type Loop struct {
	Cable   model.CableID
	Blocked bool // by a spanning tree
}

// Lost is a VLAN that a blocked cable was the only way for.
type Lost struct {
	Cable model.CableID
	VLAN  model.VLAN
}

// Loops lists the cables that close loops of switches, in the plan's order.
func (s *State) Loops() []Loop { return s.loops }

// Lost lists the VLANs that the spanning tree leaves in pieces.
func (s *State) Lost() []Lost { return s.lost }

// link is a cable between two switches, or several that work as one.
type link struct {
	ends   [2]model.DeviceID
	cables []model.CableID
}

// links lists the links between switches that frames pass, in the order of
// their first cables.
func (s *State) links(f *failed) []link {
	var all []link
	at := map[[2]model.InterfaceID]int{}
	for id := range s.Spec.Cables {
		a, b := s.Spec.Cables[id].Ends[0], s.Spec.Cables[id].Ends[1]
		if s.Spec.Cables[id].Pulled || !s.passes(a, f) {
			continue
		}
		ends := [2]model.InterfaceID{s.carrier(a), s.carrier(b)}
		i, j := &s.Spec.Interfaces[ends[0]], &s.Spec.Interfaces[ends[1]]
		if !i.Switched || !j.Switched {
			continue
		}
		grouped := ends[0] != a && ends[1] != b
		if n, again := at[ends]; again && grouped {
			all[n].cables = append(all[n].cables, model.CableID(id))
			continue
		}
		at[ends] = len(all)
		all = append(all, link{[2]model.DeviceID{i.Device, j.Device}, []model.CableID{model.CableID(id)}})
	}
	return all
}

// workOutTree finds the links that close loops, and with one tree for all VLANs
// which cables it blocks: those off the shortest paths to the root, by the number
// of links. Among paths as short the one by the switch, then by the cable that
// stands first in the plan.
func (s *State) workOutTree(f *failed) map[model.CableID]bool {
	links := s.links(f)
	inTree := s.treeOf(links)
	blocked := map[model.CableID]bool{}
	setting := s.Spec.Settings.Tree
	for n, l := range links {
		if inTree[n] {
			continue
		}
		for _, c := range l.cables {
			if setting == model.SingleTree {
				blocked[c] = true
			}
		}
		if setting == model.SingleTree || s.sharesLoop(links, n) {
			s.loops = append(s.loops, Loop{l.cables[0], setting != model.NoTree})
		}
	}
	return blocked
}

// sharesLoop tells whether some VLAN is carried all round a loop that the link
// closes: without it there is no loop for frames.
func (s *State) sharesLoop(links []link, closing int) bool {
	for _, v := range s.carriedBy(links[closing]) {
		sets := newSets(len(s.Spec.Devices))
		for n, l := range links {
			if n != closing && slices.Contains(s.carriedBy(l), v) {
				sets.join(int32(l.ends[0]), int32(l.ends[1]))
			}
		}
		if sets.root(int32(links[closing].ends[0])) == sets.root(int32(links[closing].ends[1])) {
			return true
		}
	}
	return false
}

// carriedBy lists the VLANs whose frames get through a link under one number.
func (s *State) carriedBy(l link) []model.VLAN {
	ends := s.Spec.Cables[l.cables[0]].Ends
	a, b := &s.Spec.Interfaces[s.carrier(ends[0])], &s.Spec.Interfaces[s.carrier(ends[1])]
	var all []model.VLAN
	for _, v := range a.Tagged {
		if _, ok := slices.BinarySearch(b.Tagged, v); ok {
			all = append(all, v)
		}
	}
	if a.Untagged != 0 && a.Untagged == b.Untagged {
		all = append(all, a.Untagged)
	}
	return all
}

// treeOf marks the links that are in the spanning trees: of the root's part of
// the network, and of each part apart from it.
func (s *State) treeOf(links []link) []bool {
	inTree := make([]bool, len(links))
	at := map[model.DeviceID][]int{} // the links of each switch
	var switches []model.DeviceID
	for n, l := range links {
		for _, d := range l.ends {
			if at[d] == nil {
				switches = append(switches, d)
			}
			at[d] = append(at[d], n)
		}
	}
	slices.Sort(switches)
	if root := s.Spec.Settings.TreeRoot; root != model.None {
		switches = append([]model.DeviceID{root}, switches...)
	}
	reached := map[model.DeviceID]bool{}
	for _, root := range switches {
		if reached[root] {
			continue
		}
		reached[root] = true
		level := []model.DeviceID{root}
		for len(level) > 0 {
			slices.Sort(level)
			var next []model.DeviceID
			for _, d := range level {
				for _, n := range at[d] {
					far := links[n].ends[0]
					if far == d {
						far = links[n].ends[1]
					}
					if !reached[far] {
						reached[far] = true
						inTree[n] = true
						next = append(next, far)
					}
				}
			}
			level = next
		}
	}
	return inTree
}

// workOutLost finds the VLANs that a blocked cable carries and nothing else
// brings together.
func (s *State) workOutLost(blocked map[model.CableID]bool) {
	for id := range s.Spec.Cables {
		if !blocked[model.CableID(id)] {
			continue
		}
		ends := s.Spec.Cables[id].Ends
		a, b := &s.Spec.Interfaces[s.carrier(ends[0])], &s.Spec.Interfaces[s.carrier(ends[1])]
		for _, v := range s.carriedBy(link{cables: []model.CableID{model.CableID(id)}}) {
			near, far := s.bridges[bridge{a.Device, v}], s.bridges[bridge{b.Device, v}]
			if s.sets.root(near) != s.sets.root(far) {
				s.lost = append(s.lost, Lost{model.CableID(id), v})
			}
		}
	}
}

// Joined tells whether frames of a VLAN pass between two switches that both
// have it.
func (s *State) Joined(a, b model.DeviceID, v model.VLAN) bool {
	x, okX := s.bridges[bridge{a, v}]
	y, okY := s.bridges[bridge{b, v}]
	return okX && okY && s.sets.root(x) == s.sets.root(y)
}

// Wire numbers what frames at an interface are part of: equal for all that hear
// one another, switch ports among them. It is false for a trunk, and where
// nothing is heard.
func (s *State) Wire(id model.InterfaceID) (int32, bool) {
	i := &s.Spec.Interfaces[id]
	switch {
	case s.status[id].Oper != Up || i.Kind == model.Loopback:
		return 0, false
	case i.Switched && len(i.Tagged) == 0 && i.Untagged != 0:
		return s.sets.root(s.bridges[bridge{i.Device, i.Untagged}]), true
	case i.Switched:
		return 0, false
	}
	return s.sets.root(int32(id)), true
}

// Domains lists the routed interfaces of each broadcast domain.
func (s *State) Domains() [][]model.InterfaceID {
	all := make([][]model.InterfaceID, len(s.members))
	for d, members := range s.members {
		for _, id := range members {
			if s.domain[id] == DomainID(d) {
				all[d] = append(all[d], id)
			}
		}
	}
	return all
}
