package verify

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// Remedy is what makes a failing exchange work, tried in a copy.
type Remedy struct {
	Changes []Applied
}

// Applied is one change, with the network it is a change to.
type Applied struct {
	Change model.Change
	Before *model.Spec
}

// mostChanges is how many changes one remedy may have; a network that needs more
// is not mended by a hint.
const mostChanges = 8

// Mend looks for changes that make an exchange work. Each is made in a copy of
// the network and the exchange tried again, until it works or no further
// change is known; then there is no remedy.
func Mend(net *forward.Network, x *forward.Exchange, source netip.Addr, out model.InterfaceID) (Remedy, bool) {
	return (*Budget)(nil).mend(net, x, source, out)
}

// Budget is how often the routes of a whole network may be derived anew to try remedies, for a network of its size: a
// check of one that is broken takes no more than a few times as long as of one that is sound. None is without end.
type Budget struct {
	left  int
	Spent bool // something was not tried for want of it
}

// newBudget is what a network may take: deriving routes costs about the square of its devices.
func newBudget(spec *model.Spec) *Budget {
	n := 0
	for i := range spec.Devices {
		if spec.Devices[i].Forwards {
			n++
		}
	}
	return &Budget{left: 2 + 20000/max(1, n*n)}
}

// try is Try, or nil where the budget does not allow it.
func (b *Budget) try(net *forward.Network, c model.Change) *forward.Network {
	if b != nil && derives(net, c) {
		if b.left == 0 {
			b.Spent = true
			return nil
		}
		b.left--
	}
	return Try(net, c)
}

func (b *Budget) mend(net *forward.Network, x *forward.Exchange, source netip.Addr, out model.InterfaceID) (Remedy, bool) {
	if x.Verdict() != forward.Works && len(net.State.Failures()) == 0 {
		if change, ok := b.undone(net, x, source, out); ok {
			return Remedy{[]Applied{{change, net.Spec}}}, true
		}
	}
	var r Remedy
	whole, asked, from := net, x, source
	for range mostChanges {
		if x.Verdict() == forward.Works {
			r.Changes = b.fewest(whole, asked, r.Changes, from, out)
			return r, len(r.Changes) > 0
		}
		m := mender{net, x, net.Spec}
		changed := false
		for _, c := range m.propose() {
			next := b.try(net, c)
			if next == nil {
				continue
			}
			y := forward.PingBy(next, x.From, Followed(c, source), Followed(c, x.Target), out, x.Probe)
			if sameFailure(x, y) {
				continue
			}
			r.Changes = append(r.Changes, Applied{c, net.Spec})
			net, x, changed, source = next, y, true, Followed(c, source)
			break
		}
		if !changed {
			return Remedy{}, false
		}
	}
	return Remedy{}, false
}

// mostSingle is how many changes are tried that may mend a ping by themselves.
const mostSingle = 60

// undone looks for one change that by itself makes an exchange work, the likeliest slip undone first.
func (b *Budget) undone(net *forward.Network, x *forward.Exchange, source netip.Addr, out model.InterfaceID) (model.Change, bool) {
	h := &hunt{checker: &checker{net: net, spec: net.Spec}, net: net}
	var guesses []guess
	told := map[string]bool{}
	for _, change := range (mender{net, x, net.Spec}).guesses() {
		if _, drops := change.(model.DropPermit); drops {
			continue // nothing here says that the two must reach each other: an exception says less than no permit
		}
		if words := change.Describe(net.Spec); !told[words] && !h.foreign(change) {
			told[words] = true
			guesses = append(guesses, guess{change: change, odd: h.oddness(change)})
		}
	}
	slices.SortStableFunc(guesses, func(a, b guess) int { return cmp.Compare(a.odd, b.odd) })
	for _, g := range guesses[:min(len(guesses), mostSingle)] {
		next := b.try(net, g.change)
		if next != nil && forward.PingBy(next, x.From, Followed(g.change, source), Followed(g.change, x.Target), out,
			x.Probe).Verdict() == forward.Works {
			return g.change, true
		}
	}
	return nil, false
}

// Followed is the address that stands for another after a change: who was pinged by its name
// is, by then, at the address it was given.
func Followed(c model.Change, a netip.Addr) netip.Addr {
	if moved, ok := c.(model.MoveAddress); ok && moved.Old.Addr() == a {
		return moved.New.Addr()
	}
	return a
}

// fewest leaves out what an exchange works without, of changes made one after the other.
func (b *Budget) fewest(net *forward.Network, asked *forward.Exchange, all []Applied, source netip.Addr, out model.InterfaceID) []Applied {
	for i := 0; i < len(all) && len(all) > 1; {
		if adds(all[i]) && slices.ContainsFunc(all[i+1:], counted) {
			i++ // the later ones count with it
			continue
		}
		next, rest, to, source := net, make([]Applied, 0, len(all)-1), asked.Target, source
		for n, a := range all {
			if n != i {
				rest = append(rest, Applied{a.Change, next.Spec})
				if next = b.try(next, a.Change); next == nil {
					return all // as it is it works
				}
				to, source = Followed(a.Change, to), Followed(a.Change, source)
			}
		}
		if forward.PingBy(next, asked.From, source, to, out, asked.Probe).Verdict() == forward.Works {
			all, i = rest, 0
		} else {
			i++
		}
	}
	return all
}

// adds tells whether a change adds to a list in which others are counted.
func adds(a Applied) bool {
	switch a.Change.(type) {
	case model.AddRoute, model.AddPermit:
		return true
	}
	return false
}

// counted tells whether a change is of the one with a number in a list.
func counted(a Applied) bool {
	switch a.Change.(type) {
	case model.SetNextHop, model.DropWatch, model.AddPermit, model.PutInForce:
		return true
	}
	return false
}

// Try makes a change in a copy of the network, with the same parts out of
// order. Where routes are derived, they may come out otherwise.
func Try(net *forward.Network, c model.Change) *forward.Network {
	if !derives(net, c) {
		return net.Changed(c)
	}
	spec, next, _ := derive.Resolve(c.Apply(net.Spec))
	if len(net.State.Failures()) == 0 {
		return next
	}
	return forward.Resolve(network.Build(spec).State(net.State.Failures()...))
}

// derives reports whether routes are derived anew after a change.
func derives(net *forward.Network, c model.Change) bool {
	return net.Spec.Wants != nil && !net.Spec.RoutesStand && c.Touches() != model.TouchesPermits
}

// sameFailure tells whether two exchanges fail in the same way at the same
// place: then what was changed in between was no help.
func sameFailure(a, b *forward.Exchange) bool {
	if b.Verdict() == forward.Works || a.Source.IsValid() != b.Source.IsValid() {
		return false
	}
	ga, ea, backA, _ := a.Failing()
	gb, eb, backB, _ := b.Failing()
	if ga == nil || gb == nil {
		return ga == gb
	}
	return backA == backB && ea.Outcome == eb.Outcome && ga.Nodes[ea.Node].Device == gb.Nodes[eb.Node].Device
}

// mender proposes changes against the first failing way of an exchange.
type mender struct {
	net  *forward.Network
	x    *forward.Exchange
	spec *model.Spec
}

// propose lists changes worth trying, the likeliest first: what mends a slip near to where
// it fails, and what the failure itself asks for.
func (m mender) propose() []model.Change {
	if !m.x.Source.IsValid() {
		var changes []model.Change
		if id, ok := forward.DownWithAddress(m.net, m.x.From, prefix.FamilyOf(m.x.Target)); ok {
			changes = m.bringUp(id)
		}
		return append(append(changes, m.nearSlips(m.x.From)...), m.cabling(m.x.From)...)
	}
	g, end, back, failing := m.x.Failing()
	if !failing {
		return nil
	}
	n := g.Nodes[end.Node]
	near := []model.DeviceID{n.Device}
	if end.Edge >= 0 && end.Outcome == forward.Unanswered {
		for _, h := range m.net.State.HoldersOf(n.Edges[end.Edge].Address) {
			near = append(near, m.spec.Interfaces[h].Device)
		}
	}
	for _, i := range end.Loop {
		near = append(near, g.Nodes[i].Device)
	}
	for _, h := range m.net.State.HoldersOf(n.To) {
		near = append(near, m.spec.Interfaces[h].Device)
	}
	var before []model.Change
	for _, i := range append(g.Path(end.Node), end.Loop...) {
		if d := g.Nodes[i].Device; m.passedOver(d, g.Nodes[i].To) {
			near = append(near, d)
			before = append(append(append(before, m.bringUpTowards(d, n.To)...), m.watchless(d, n.To)...), m.cabling(d)...)
		}
	}
	return append(append(m.nearSlips(near...), before...), m.atFailure(g, n, end, back)...)
}

// passedOver tells whether a device has a route to an address that it cannot use.
func (m mender) passedOver(d model.DeviceID, to netip.Addr) bool {
	if _, down := forward.DownInterfaceTowards(m.net, d, to); down {
		return true
	}
	return slices.ContainsFunc(m.net.Table(d).Covering(to), func(e routing.Entry) bool { return e.Usable != routing.IsUsable })
}

// atFailure lists what the failure itself asks for.
func (m mender) atFailure(g *forward.Graph, n forward.Node, end forward.Ending, back bool) []model.Change {
	to := n.To
	switch end.Outcome {
	case forward.Unrouted:
		changes := append(m.bringUpTowards(n.Device, to), m.shareAddress(back)...)
		changes = append(append(changes, m.watchless(n.Device, to)...), m.cabling(n.Device)...)
		return append(changes, m.route(n.Device, to)...)
	case forward.Dropped:
		return append(append(m.shareAddress(back), m.watchless(n.Device, to)...), m.route(n.Device, to)...)
	case forward.Unserved:
		return m.answering(n.Device, n.For)
	case forward.Unanswered:
		edge := n.Edges[end.Edge]
		changes := append(m.bringUpHolder(edge.Address), m.onWire(edge.Hop.Out, edge.Address)...)
		for _, h := range m.net.State.HoldersOf(edge.Address) {
			changes = append(changes, m.cabling(m.spec.Interfaces[h].Device)...)
		}
		if edge.Address != to {
			changes = append(changes, m.redirect(n, to)...)
		}
		return changes
	case forward.NotPassedOn:
		changes := m.forwarding(n)
		if path := g.Path(end.Node); len(path) > 1 {
			changes = append(changes, m.redirect(g.Nodes[path[len(path)-2]], to)...)
		}
		return changes
	case forward.Filtered, forward.Refused:
		return m.permit(g, n, end)
	case forward.Looped:
		changes := m.shareAddress(back)
		for _, i := range end.Loop {
			changes = append(changes, m.redirect(g.Nodes[i], to)...)
		}
		return changes
	}
	return nil
}

// bringUpTowards switches on what keeps a device's way to the address down.
func (m mender) bringUpTowards(d model.DeviceID, to netip.Addr) []model.Change {
	if id, ok := forward.DownInterfaceTowards(m.net, d, to); ok {
		return m.bringUp(id)
	}
	return nil
}

// bringUp switches on what keeps an interface down, if that is switched off.
func (m mender) bringUp(id model.InterfaceID) []model.Change {
	if cause, ok := forward.CausedBy(m.net.State, id); ok {
		if both, down := m.bothDown(cause); down {
			return []model.Change{both}
		}
		return []model.Change{model.BringUp{Interface: cause}}
	}
	return nil
}

// bringUpHolder switches on whoever has the address and is down.
func (m mender) bringUpHolder(a netip.Addr) []model.Change {
	var changes []model.Change
	for _, h := range m.net.State.HoldersOf(a) {
		changes = append(changes, m.bringUp(h)...)
	}
	return changes
}

// onWire puts right the VLANs of switch ports between an interface and whoever of its
// segment has an address, where the two do not hear each other.
func (m mender) onWire(out model.InterfaceID, a netip.Addr) []model.Change {
	segment := m.spec.Interfaces[out].Segment
	if segment == model.None || m.spec.Segments[segment].VLAN == 0 {
		return nil
	}
	state, vlan := m.net.State, m.spec.Segments[segment].VLAN
	apart := slices.ContainsFunc(state.HoldersOf(a), func(h model.InterfaceID) bool {
		return m.spec.Interfaces[h].Segment == segment && state.IsUp(h) && state.Domain(h) != state.Domain(out)
	})
	if !apart {
		return nil
	}
	var access, trunks []model.Change
	for id := range m.spec.Interfaces {
		port := model.InterfaceID(id)
		i, far := &m.spec.Interfaces[port], state.Peer(port)
		if !i.Switched || far == model.None || i.Group != model.None {
			continue
		}
		peer := &m.spec.Interfaces[far]
		switch {
		case len(i.Tagged) == 0 && i.Untagged != vlan &&
			(peer.Routed() && peer.Segment == segment || peer.Switched && len(peer.Tagged) == 0 && peer.Untagged == vlan):
			access = append(access, model.SetAccess{Port: port, VLAN: vlan})
		case len(i.Tagged) > 0 && !slices.Contains(i.Tagged, vlan) &&
			(slices.Contains(peer.Tagged, vlan) || peer.Routed() && m.hasTag(far, vlan)):
			trunks = append(trunks, model.AddTagged{Port: port, VLAN: vlan})
		}
	}
	return append(access, trunks...)
}

// hasTag tells whether a port has a subinterface with a tag.
func (m mender) hasTag(port model.InterfaceID, tag model.VLAN) bool {
	for _, id := range m.spec.InterfacesOf(m.spec.Interfaces[port].Device) {
		if i := &m.spec.Interfaces[id]; i.Parent == port && i.Tag == tag {
			return true
		}
	}
	return false
}

// route adds a route to where an address is, or sets right one that is there
// and cannot be used.
func (m mender) route(d model.DeviceID, to netip.Addr) []model.Change {
	next, ok := m.towards(d, to)
	if !ok {
		return nil
	}
	p := m.destination(d, to)
	static := model.Static{Device: d, To: p, Via: next.address, Out: model.None, Distance: 1, Key: p.String()}
	if p.Bits() == 0 {
		static.Key = "default"
	}
	if !m.spec.Devices[d].Forwards {
		static.Origin = model.HostGateway
	}
	first, last := m.spec.StaticsOf(d)
	for id := first; id < last; id++ {
		s := m.spec.Statics[id]
		if s.To != p {
			continue
		}
		if len(m.net.State.Failures()) == 0 && (s.Via.IsValid() || s.Discard && s.Origin == model.Written) {
			return []model.Change{model.SetNextHop{Static: model.StaticID(id), Via: next.address}}
		}
		static.Distance = max(static.Distance, min(s.Distance, 244)+10) // floating behind it
	}
	return []model.Change{model.AddRoute{Static: static}}
}

// destination is the prefix a route to an address should have: everything for
// who does not forward, else the address's own subnet, else what the world
// holds beyond.
func (m mender) destination(d model.DeviceID, to netip.Addr) netip.Prefix {
	everything := prefix.FamilyOf(to).Everything()
	if !m.spec.Devices[d].Forwards {
		return everything
	}
	if m.spec.Devices[d].Kind == model.World {
		if block, ok := m.spec.WidestBlock(to); ok {
			return block // the world is told of the whole of it, not of every segment
		}
	}
	if s := m.spec.SegmentOf(to); s != model.None {
		for _, p := range m.spec.Segments[s].Prefixes {
			if p.Contains(to) {
				return p.Prefix
			}
		}
	}
	if len(m.net.State.HoldersOf(to)) > 0 {
		return netip.PrefixFrom(to, to.BitLen())
	}
	return everything
}

// redirect gives the route that a node used another next hop, or adds a more
// specific one.
func (m mender) redirect(n forward.Node, to netip.Addr) []model.Change {
	next, ok := m.towards(n.Device, to)
	if !ok {
		return nil
	}
	var changes []model.Change
	if p := n.Decision.Match.Prefix; p.IsValid() && len(m.net.State.Failures()) == 0 && (p.Bits() > 0 || !m.spec.Devices[n.Device].Forwards) {
		for _, e := range m.net.For(n.Device, n.In).Of(n.Decision.Match) {
			if !e.InUse || e.Source != routing.Static {
				continue
			}
			if s := &m.spec.Statics[e.Static()]; s.Via != next.address || s.Out != model.None && s.Out != next.link {
				changes = append(changes, model.SetNextHop{Static: e.Static(), Via: next.address})
			}
		}
	}
	if len(changes) == 0 && n.Decision.Match.Prefix != m.destination(n.Device, to) {
		changes = m.route(n.Device, to)
	}
	return changes
}

// towards is the neighbour by which a device should reach an address: one from
// which the packet arrives already without coming back, by the shortest way;
// else the first on the shortest way through devices that forward.
func (m mender) towards(d model.DeviceID, to netip.Addr) (neighbour, bool) {
	var best neighbour
	least := -1
	for _, n := range neighbours(m.net, d, prefix.FamilyOf(to)) {
		if !m.spec.Devices[n.device].Forwards && !m.holds(n.device, to) {
			continue
		}
		g := forward.Walk(m.net, forward.Sender(n.device), forward.FlowTo(m.x.Source, to).ByRoutes())
		if g.Verdict() != forward.Works || slices.ContainsFunc(g.Nodes, func(x forward.Node) bool { return x.Device == d }) {
			continue
		}
		if least < 0 || len(g.Nodes) < least {
			best, least = n, len(g.Nodes)
		}
	}
	if least >= 0 {
		return best, true
	}
	return m.shortest(d, to)
}

// holds tells whether the device answers for the address.
func (m mender) holds(d model.DeviceID, a netip.Addr) bool {
	match, ok := m.net.Table(d).Lookup(a)
	return ok && match.Local
}

// shortest searches the links outwards from a device for whoever answers for
// the address, and tells the first step.
func (m mender) shortest(d model.DeviceID, to netip.Addr) (neighbour, bool) {
	type visit struct {
		device model.DeviceID
		first  neighbour
	}
	seen := map[model.DeviceID]bool{d: true}
	queue := []visit{{device: d}}
	for len(queue) > 0 {
		v := queue[0]
		queue = queue[1:]
		for _, n := range neighbours(m.net, v.device, prefix.FamilyOf(to)) {
			if seen[n.device] {
				continue
			}
			seen[n.device] = true
			first := v.first
			if v.device == d {
				first = n
			}
			if m.holds(n.device, to) || m.onLink(n.device, to) {
				return first, true
			}
			if m.spec.Devices[n.device].Forwards {
				queue = append(queue, visit{n.device, first})
			}
		}
	}
	return neighbour{}, false
}

// onLink tells whether a device that forwards is on the address's own subnet.
func (m mender) onLink(d model.DeviceID, to netip.Addr) bool {
	if !m.spec.Devices[d].Forwards {
		return false
	}
	match, ok := m.net.Table(d).Lookup(to)
	return ok && !match.Local && len(match.Hops) > 0 && !match.Hops[0].Via.IsValid()
}
