package reach

import (
	"cmp"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// spot is where an interface is plugged in: a switch, or the cable that is all there is of its wire; both are None where
// the segment is itself the wire.
type spot struct {
	device model.DeviceID
	cable  model.CableID
}

// spots finds where the interfaces of a network are plugged in.
func spots(spec *model.Spec) func(model.InterfaceID) spot {
	cable := make([]model.CableID, len(spec.Interfaces))
	for id := range cable {
		cable[id] = model.None
	}
	for id, c := range spec.Cables {
		cable[c.Ends[0]], cable[c.Ends[1]] = model.CableID(id), model.CableID(id)
	}
	return func(id model.InterfaceID) spot {
		i := &spec.Interfaces[id]
		if i.Kind == model.VLANInterface {
			return spot{i.Device, model.None}
		}
		if i.Kind == model.Subinterface && i.Parent != model.None {
			id = i.Parent
		}
		ports := []model.InterfaceID{id}
		if spec.Interfaces[id].Kind == model.Group {
			ports = spec.Interfaces[id].Members
		}
		for _, p := range ports {
			c := cable[p]
			if c == model.None {
				continue
			}
			far := spec.Cables[c].Ends[0]
			if far == p {
				far = spec.Cables[c].Ends[1]
			}
			x := &spec.Interfaces[far]
			if x.Switched || x.Group != model.None && spec.Interfaces[x.Group].Switched {
				return spot{x.Device, model.None}
			}
			return spot{model.None, c}
		}
		return spot{model.None, model.None}
	}
}

// Ends lists who stands for each segment, IPv4 before IPv6: one of each place of it, which are the switches and wires
// that its members are plugged into, for what fails may cut one place off from another. At a place hosts come before
// others, and the world last; so do the places of a segment.
func Ends(spec *model.Spec) []*End {
	type stand struct {
		end  *End
		rank int
	}
	where := spots(spec)
	at := make([][2]map[spot]*stand, len(spec.Segments))
	order := make([][2][]*stand, len(spec.Segments))
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		if i.Segment == model.None || !i.Routed() || i.Table != "" {
			continue
		}
		rank := rankOf(spec.Devices[i.Device].Kind)
		for _, a := range i.Addresses {
			if a.Addr().IsLinkLocalUnicast() || a.OnTop() {
				continue
			}
			family := 0
			if a.Addr().Is6() {
				family = 1
			}
			known := &at[i.Segment][family]
			if *known == nil {
				*known = map[spot]*stand{}
			}
			e := &End{Segment: i.Segment, Device: i.Device, Interface: model.InterfaceID(id), Address: a.Addr()}
			k := where(model.InterfaceID(id))
			switch x := (*known)[k]; {
			case x == nil:
				x = &stand{e, rank}
				(*known)[k] = x
				order[i.Segment][family] = append(order[i.Segment][family], x)
			case rank > x.rank:
				*x = stand{e, rank}
			}
		}
	}
	var all []*End
	for s := range order {
		for _, stands := range order[s] {
			slices.SortStableFunc(stands, func(x, y *stand) int { return cmp.Compare(y.rank, x.rank) })
			for n, x := range stands {
				x.end.Place = n + 1
				all = append(all, x.end)
			}
		}
	}
	return all
}

// IsNear reports whether two ends stand for different places of one segment, in one family.
func (e *End) IsNear(to *End) bool {
	return e.Segment != model.None && e.Segment == to.Segment && e.Place > 0 && to.Place > 0 && e.Place != to.Place &&
		e.Address.Is4() == to.Address.Is4()
}

// nearOf calls visit for each end, by its place in Ends, that stands for another place of an end's segment.
func (m *Matrix) nearOf(i int, visit func(j int)) {
	if m.Ends[i].Place == 0 {
		return
	}
	for _, q := range m.on[m.Ends[i].lan()] {
		if j := int(m.end[q]); m.Ends[i].IsNear(m.Ends[j]) {
			visit(j)
		}
	}
}

// hears is whether two places of one segment reach each other in a state: frames pass between them. Where devices have
// permits a ping tells.
func hears(net *forward.Network, from, to *End, over model.Service) forward.Verdict {
	switch {
	case net.Policy != nil && (net.Policy.Touches(from.Device) || net.Policy.Touches(to.Device)), !net.Spec.Devices[to.Device].Serves(over):
		return ask(net, from, to, over).Verdict
	case net.State.IsUp(from.Interface) && net.State.IsUp(to.Interface) &&
		net.State.Domain(from.Interface) == net.State.Domain(to.Interface) && net.State.Domain(from.Interface) != network.NoDomain:
		return forward.Works
	}
	return forward.Fails
}

// Works reports whether a pair of ends works, by their places in Ends; of two places of one segment by a ping, since their
// addresses need not be of one subnet.
func (m *Matrix) Works(from, to int) bool {
	if m.Ends[from].IsNear(m.Ends[to]) {
		return m.ask(from, to).Verdict == forward.Works
	}
	return m.Verdict(from, to) == forward.Works
}

// nearLost adds to a loss the pairs of places of one segment that failures part.
func (s *sweep) nearLost(l *Loss, of func(from, to *End) bool) {
	for i, from := range s.Ends {
		s.nearOf(i, func(j int) {
			to := s.Ends[j]
			if of != nil && !of(from, to) || hears(s.net, from, to, s.over) != forward.Works ||
				hears(l.After, from, to, s.over) == forward.Works {
				return
			}
			l.Lost++
			l.Cannot++
			if len(l.Pairs) == mostPairs {
				return
			}
			p := Pair{From: from, To: to, Verdict: forward.Fails}
			if len(l.Pairs) < s.reasons {
				p = ask(l.After, from, to, s.over)
			}
			l.Pairs = append(l.Pairs, p)
		})
	}
}

// CutOff lists those whom a loss parts from most others, the worst first.
func (l *Loss) CutOff() []*End {
	type who struct {
		lan   lan
		place int
	}
	n, first := map[who]int{}, map[who]*End{}
	var order []who
	for i := range l.Pairs {
		for _, e := range []*End{l.Pairs[i].From, l.Pairs[i].To} {
			k := who{e.lan(), e.Place}
			if n[k]++; n[k] == 1 {
				first[k] = e
				order = append(order, k)
			}
		}
	}
	most := 0
	for _, k := range order {
		most = max(most, n[k])
	}
	slices.SortStableFunc(order, func(a, b who) int { return cmp.Compare(n[b], n[a]) })
	var all []*End
	for _, k := range order {
		if 4*n[k] >= 3*most {
			all = append(all, first[k])
		}
	}
	return all
}
