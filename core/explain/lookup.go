package explain

import (
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
	"ropeswing/core/workspace"
)

// deepestRecursion is how many next hops of next hops are followed; more there
// are in no table that means well.
const deepestRecursion = 16

// Lookup explains what a device does with a packet to an address: the routes
// that match, the one that decides, its next hop looked up in turn, and who
// answers on the link.
func Lookup(x *workspace.Workspace, device, address string) (Why, error) {
	w := explainer{&x.Numbers, x.Network}
	d, err := w.Device(device)
	if err != nil {
		return Why{}, err
	}
	if p, err := netip.ParsePrefix(address); err == nil {
		address = prefix.First(p.Masked()).String() // a route: what is sent to it
	}
	e, err := w.Endpoint(address)
	if err != nil {
		return Why{}, err
	}
	to := e.Address
	if !to.IsValid() {
		if to = w.Spec.MainAddress(e.Device, prefix.IPv4); !to.IsValid() {
			to = w.Spec.MainAddress(e.Device, prefix.IPv6)
		}
	}
	if !to.IsValid() {
		return Why{}, fmt.Errorf("%s has no address to look up", address)
	}
	table := w.net.Table(d)
	y := w.about(fmt.Sprintf("%s at %s", to, device))
	m, ok := table.Lookup(to)
	switch {
	case !ok:
		y.Answer = told(NoRoute)
	case m.Local:
		y.Answer = told(Delivered)
	case len(m.Hops) == 0:
		y.Answer = told(DiscardedBy, m.Prefix)
	default:
		y.Answer = told(GoesOn, hop{m.Hops[0], to})
		if len(m.Hops) > 1 {
			y.Answer = told(GoesOnOr, hop{m.Hops[0], to}, len(m.Hops)-1)
		}
	}
	y.Numbers = append(y.Numbers, Origin{told(Matching), w.matching(table, m, ok, to)})
	if steps := w.whyDerived(d, table, m, ok, to); len(steps) > 0 {
		y.Numbers = append(y.Numbers, Origin{told(Deriving), steps})
	}
	if ok && !m.Local && len(m.Hops) > 0 {
		y.Numbers = append(y.Numbers, Origin{told(ToNextHop), w.resolved(table, m, to)})
	}
	return y, nil
}

// matching is every route that matches, which decides, and why the others do
// not.
func (w explainer) matching(table routing.View, m routing.Match, found bool, to netip.Addr) []Reason {
	var steps []Reason
	for _, e := range table.Covering(to) {
		s := reason(Decides, route{table, e})
		if e.Static() != model.None {
			s.Place = w.Spec.Statics[e.Static()].Place
		}
		switch {
		case e.Usable != routing.IsUsable:
			s.Code = Unusable
		case found && e.Prefix != m.Prefix:
			s.Code = Shorter
		case !e.InUse:
			s.Code = Standby
		}
		steps = append(steps, s)
	}
	if len(steps) == 0 {
		steps = []Reason{reason(NoneMatches, to)}
	}
	return steps
}

// resolved follows the next hop of a match until a direct route, and names who
// answers there.
func (w explainer) resolved(table routing.View, m routing.Match, to netip.Addr) []Reason {
	var steps []Reason
	at := to
	for range deepestRecursion {
		next := netip.Addr{}
		for _, e := range table.Of(m) {
			if e.InUse && e.Static() != model.None && w.Spec.Statics[e.Static()].Via.IsValid() && e.Out() == model.None {
				next = w.Spec.Statics[e.Static()].Via
				break
			}
		}
		if !next.IsValid() {
			break
		}
		further, ok := table.Lookup(next)
		if !ok {
			break
		}
		steps = append(steps, reason(NextHop, next, further.Prefix))
		at, m = next, further
	}
	if len(m.Hops) == 0 {
		return append(steps, reason(Discards))
	}
	first := m.Hops[0]
	if first.Via.IsValid() {
		at = first.Via
	}
	steps = append(steps, step(w.Spec.Interfaces[first.Out].Place, LeavesBy, port{first.Out}))
	holders := forward.Receivers(w.net, first.Out, at)
	if len(holders) == 0 {
		return append(steps, reason(NobodyAnswers, at))
	}
	for _, h := range holders {
		steps = append(steps, step(w.Spec.Interfaces[h].Place, Answers, h))
	}
	return steps
}

// whyDerived says what a derived route that decides is for: what it leads to, why
// this way, and when the next one takes over.
func (w explainer) whyDerived(d model.DeviceID, table routing.View, m routing.Match, found bool, to netip.Addr) []Reason {
	if !found {
		return nil
	}
	var steps []Reason
	var inUse *model.Static
	for _, e := range table.Of(m) {
		if e.Source != routing.Derived {
			continue
		}
		s := &w.Spec.Statics[e.Static()]
		switch {
		case e.InUse:
			inUse = s
			steps = append(steps, step(s.Place, LeadsTo, destinations{m.Prefix, w.within(m.Prefix)}))
			if s.Discard {
				steps = append(steps, reason(EndsHere))
			} else if by, cost := w.path(d, to); len(by) > 0 {
				if least, ok := derive.Cheapest(w.net, d, to); ok && least < cost {
					steps = append(steps, reason(Longer, append(by, cost, least)...))
				} else {
					steps = append(steps, reason(Cheapest, append(by, cost)...))
				}
			}
		case inUse != nil && s.Distance > inUse.Distance:
			return append(steps, reason(TakesOver, takeover{inUse, s}))
		}
	}
	if inUse != nil && !inUse.Discard { // what a wider route does takes over
		for _, e := range table.Covering(to) {
			if e.Prefix.Bits() < m.Prefix.Bits() && (e.Source == routing.Derived || e.Source == routing.Static) {
				return append(steps, reason(TakesOver, takeover{inUse, &w.Spec.Statics[e.Static()]}))
			}
		}
	}
	return steps
}

// within lists the segments that have a subnet in a prefix.
func (w explainer) within(p netip.Prefix) (all []model.SegmentID) {
	for id, s := range w.Spec.Segments {
		if slices.ContainsFunc(s.Prefixes, func(q model.Prefix) bool { return prefix.Covers(p, q.Prefix) }) {
			all = append(all, model.SegmentID(id))
		}
	}
	return all
}

// path lists the devices on the path from a device to an address that forward, and
// tells what it costs; none where it branches.
func (w explainer) path(d model.DeviceID, to netip.Addr) (by []any, cost int) {
	g := forward.Walk(w.net, forward.Sender(d), forward.FlowTo(netip.Addr{}, to))
	if len(g.Endings) != 1 {
		return nil, 0
	}
	path := g.Path(g.Endings[0].Node)
	for _, n := range path[1:] {
		device := g.Nodes[n].Device
		if !w.Spec.Devices[device].Forwards {
			break
		}
		by = append(by, device)
	}
	for _, n := range path[:len(by)] {
		for _, e := range g.Nodes[n].Edges {
			if e.To >= 0 {
				cost += derive.Cost(w.net.State, e.Hop.Out, g.Nodes[e.To].In)
			}
		}
	}
	return by, cost
}
