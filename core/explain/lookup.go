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
	y := Why{Subject: fmt.Sprintf("%s at %s", to, device)}
	m, ok := table.Lookup(to)
	switch {
	case !ok:
		y.Answer = "no route"
	case m.Local:
		y.Answer = "delivered here"
	case len(m.Hops) == 0:
		y.Answer = "discarded, by " + m.Prefix.String()
	default:
		y.Answer = "on to " + w.hopWords(m.Hops[0], to)
		if len(m.Hops) > 1 {
			y.Answer += fmt.Sprintf(", or %d other ways of equal cost", len(m.Hops)-1)
		}
	}
	y.Numbers = append(y.Numbers, Origin{"routes that match, longest first", w.matching(table, m, ok, to)})
	if steps := w.whyDerived(d, table, m, ok, to); len(steps) > 0 {
		y.Numbers = append(y.Numbers, Origin{"why it is derived", steps})
	}
	if ok && !m.Local && len(m.Hops) > 0 {
		y.Numbers = append(y.Numbers, Origin{"to the next hop", w.resolved(table, m, to)})
	}
	return y, nil
}

// matching is every route that matches, which decides, and why the others do
// not.
func (w explainer) matching(table routing.View, m routing.Match, found bool, to netip.Addr) []Step {
	var steps []Step
	for _, e := range table.Covering(to) {
		step := Step{About: "decides", Text: w.routeWords(e)}
		if e.Static() != model.None {
			step.Place = w.Spec.Statics[e.Static()].Place
		}
		switch {
		case e.Usable != routing.IsUsable:
			step.About = "unusable"
			step.Text += ": " + w.net.Why(table, e)
		case found && e.Prefix != m.Prefix:
			step.About = "shorter"
		case !e.InUse:
			step.About = "standby"
		}
		steps = append(steps, step)
	}
	if len(steps) == 0 {
		steps = []Step{{About: "none", Text: "no route of the device matches " + to.String()}}
	}
	return steps
}

func (w explainer) routeWords(e routing.Entry) string {
	text := fmt.Sprintf("%s %s", e.Prefix, e.Source)
	if e.Static() != model.None {
		s := &w.Spec.Statics[e.Static()]
		switch {
		case s.Discard:
			text += ", discard"
		case s.Via.IsValid():
			text += " via " + s.Via.String()
		}
		text += fmt.Sprintf(", distance %d", e.Distance)
		if s.Watch.IsValid() {
			text += ", watches " + s.Watch.String()
		}
	}
	if out := e.Out(); out != model.None {
		text += ", out of " + w.Spec.Interfaces[out].Name
	}
	return text
}

// resolved follows the next hop of a match until a direct route, and names who
// answers there.
func (w explainer) resolved(table routing.View, m routing.Match, to netip.Addr) []Step {
	var steps []Step
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
		steps = append(steps, Step{About: "next hop", Text: fmt.Sprintf("%s, for which %s decides", next, further.Prefix)})
		at, m = next, further
	}
	if len(m.Hops) == 0 {
		return append(steps, Step{About: "then", Text: "discarded"})
	}
	hop := m.Hops[0]
	if hop.Via.IsValid() {
		at = hop.Via
	}
	steps = append(steps, Step{"out of", w.Spec.Interfaces[hop.Out].Name, w.Spec.Interfaces[hop.Out].Place})
	holders := forward.Receivers(w.net, hop.Out, at)
	if len(holders) == 0 {
		return append(steps, Step{About: "then", Text: fmt.Sprintf("nobody on the link answers for %s", at)})
	}
	for _, h := range holders {
		steps = append(steps, Step{"answers", w.Spec.Label(h), w.Spec.Interfaces[h].Place})
	}
	return steps
}

// hopWords is a hop as one says it.
func (w explainer) hopWords(hop routing.Hop, to netip.Addr) string {
	at := to
	if hop.Via.IsValid() {
		at = hop.Via
	}
	text := at.String()
	if holders := forward.Receivers(w.net, hop.Out, at); len(holders) > 0 {
		text = fmt.Sprintf("%s (%s)", w.Spec.Devices[w.Spec.Interfaces[holders[0]].Device].Name, at)
	}
	return text + ", out of " + w.Spec.Interfaces[hop.Out].Name
}

// whyDerived says what a derived route that decides is for: what it leads to, why
// this way, and when the next one takes over.
func (w explainer) whyDerived(d model.DeviceID, table routing.View, m routing.Match, found bool, to netip.Addr) []Step {
	if !found {
		return nil
	}
	var steps []Step
	var inUse *model.Static
	for _, e := range table.Of(m) {
		if e.Source != routing.Derived {
			continue
		}
		s := &w.Spec.Statics[e.Static()]
		switch {
		case e.InUse:
			inUse = s
			steps = append(steps, Step{"for", w.leadsTo(m.Prefix), s.Place})
			if s.Discard {
				steps = append(steps, Step{About: "here", Text: "what nobody has of it, or what has no way left, ends here instead of going round"})
			} else if text, ok := w.wayWords(d, to); ok {
				steps = append(steps, Step{About: "way", Text: text})
			}
		case inUse != nil && s.Distance > inUse.Distance:
			steps = append(steps, Step{About: "behind it", Text: w.takesOver(inUse, s)})
		}
	}
	return steps
}

// leadsTo names the segments whose subnets a prefix holds.
func (w explainer) leadsTo(p netip.Prefix) string {
	if p.Bits() == 0 {
		return "what no longer prefix leads to: the world"
	}
	var names []string
	for _, s := range w.Spec.Segments {
		if slices.ContainsFunc(s.Prefixes, func(q model.Prefix) bool { return prefix.Covers(p, q.Prefix) }) {
			names = append(names, s.Name)
		}
	}
	rest := "what else lies in " + p.String()
	switch n := len(names); {
	case n == 0:
		return rest
	case n > 4:
		names = append(names[:3], fmt.Sprintf("%d more segments", n-3))
	}
	return forward.And(append(names, rest))
}

// wayWords is the way from a device to an address, and what it costs.
func (w explainer) wayWords(d model.DeviceID, to netip.Addr) (string, bool) {
	g := forward.Walk(w.net, forward.At{Device: d, In: model.None}, forward.Flow{Destination: to, Out: model.None})
	if len(g.Ends) != 1 {
		return "", false
	}
	var names []string
	cost := 0
	for _, n := range g.Path(g.Ends[0].Node)[1:] {
		node := g.Nodes[n]
		if !w.Spec.Devices[node.Device].Forwards {
			break
		}
		names = append(names, w.Spec.Devices[node.Device].Name)
	}
	for i, n := range g.Path(g.Ends[0].Node) {
		if i >= len(names) {
			break
		}
		for _, e := range g.Nodes[n].Edges {
			if e.To >= 0 {
				cost += derive.Cost(w.net.State, e.Hop.Out, g.Nodes[e.To].In)
			}
		}
	}
	if len(names) == 0 {
		return "", false
	}
	return fmt.Sprintf("the cheapest, by %s: it costs %d", forward.And(names), cost), true
}

// takesOver says when a floating route takes over from the one before it.
func (w explainer) takesOver(first, behind *model.Static) string {
	by := "discards"
	if !behind.Discard {
		by = "goes out of " + w.Spec.Interfaces[behind.Out].Name
	}
	text := fmt.Sprintf("%s when %s is down", by, w.Spec.Interfaces[first.Out].Name)
	if first.Watch.IsValid() {
		text += fmt.Sprintf(", or %s does not answer by it", w.Spec.HolderLabel(first.Watch))
	}
	return text
}
