package forward

import (
	"fmt"
	"net/netip"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// Failure is why an exchange fails: which way, at which device, and why.
type Failure struct {
	Name   finding.Name     // of the Walking stage
	Back   bool             // on the way back
	Device model.DeviceID   // where the packet ends
	Cause  model.DeviceID   // where what ends it is to be seen; most often the same
	Reason string           // one sentence without its full stop
	Brief  string           // of what many packets meet alike: the reason without this one's addresses; else empty
	Loop   []model.DeviceID // of a loop, in order
}

// Failure explains the first way that fails. It is false where none does.
func (x *Exchange) Failure(net *Network) (Failure, bool) {
	spec := net.Spec
	if !x.Source.IsValid() {
		return x.noSource(net), true
	}
	g, end, back, failing := x.Failing()
	if !failing {
		return Failure{}, false
	}
	e := explainer{net, spec, g, end}
	f := e.explain()
	f.Back = back
	f.Reason += e.fallback()
	return f, true
}

// noSource: the sender has no address of the family, or only on interfaces that
// are down.
func (x *Exchange) noSource(net *Network) Failure {
	spec := net.Spec
	if id, ok := DownWithAddress(net, x.From, x.Target.Is4()); ok {
		return Failure{Name: finding.InterfaceIsDown, Device: x.From, Cause: x.From, Reason: fmt.Sprintf("%s is down: %s", spec.Label(id), net.State.Why(id))}
	}
	return Failure{Name: finding.NoSourceAddress, Device: x.From, Cause: x.From, Reason: fmt.Sprintf("%s has no %s address", spec.Devices[x.From].Name, FamilyOf(x.Target))}
}

// DownWithAddress finds an interface of the device that is down and has an
// address of the family.
func DownWithAddress(net *Network, d model.DeviceID, is4 bool) (model.InterfaceID, bool) {
	for _, id := range net.Spec.InterfacesOf(d) {
		for _, a := range net.Spec.Interfaces[id].Addresses {
			if a.Addr().Is4() == is4 && !net.State.IsUp(id) {
				return id, true
			}
		}
	}
	return model.None, false
}

// FamilyOf is the word for an address's family.
func FamilyOf(a netip.Addr) string {
	if a.Is4() {
		return "IPv4"
	}
	return "IPv6"
}

// explainer puts the end of a walk into words.
type explainer struct {
	net  *Network
	spec *model.Spec
	g    *Graph
	end  End
}

func (e explainer) name(d model.DeviceID) string { return e.spec.Devices[d].Name }

func (e explainer) explain() Failure {
	n := e.g.Nodes[e.end.Node]
	f := Failure{Device: n.Device, Cause: n.Device}
	switch e.end.Outcome {
	case Unrouted:
		e.unrouted(&f)
	case Dropped:
		e.discarded(&f, n)
	case NotPassedOn:
		e.notPassedOn(&f)
	case Unanswered:
		e.unanswered(&f)
	case TooBig:
		e.tooBig(&f, n)
	case Oversized:
		e.oversized(&f, n)
	case Filtered, Refused:
		e.filtered(&f, n)
	case NoneLeft:
		f.Name = finding.NoAddressLeft
		t := n.Edges[e.end.Edge].Treated.Translation
		f.Reason = fmt.Sprintf("%s has no address left for %s (%s)", e.name(n.Device), n.Source, Sentence(t.Text, t.Place))
	case Unexpected:
		e.unexpected(&f, n)
	case Looped:
		f.Name = finding.ForwardingLoop
		f.Loop = loopOf(e.g, e.end)
		var names []string
		for _, d := range f.Loop {
			names = append(names, e.name(d))
		}
		f.Device, f.Cause = f.Loop[0], f.Loop[0]
		f.Reason = fmt.Sprintf("its TTL runs out in a loop between %s", And(names))
	case Expired:
		f.Name = finding.TTLRanOut
		f.Reason = fmt.Sprintf("its TTL runs out at %s", e.name(n.Device))
	}
	return f
}

// fallback tells of a device on the way that had a longer match it could not
// use: what the packet met after that is only the consequence.
func (e explainer) fallback() string {
	for _, n := range e.g.Nodes {
		if !n.Decision.Matched {
			continue
		}
		to := n.To
		table := e.net.For(n.Device, n.In)
		for _, entry := range table.Covering(to) {
			if entry.Prefix.Bits() > n.Decision.Match.Prefix.Bits() && entry.Usable != routing.IsUsable {
				return fmt.Sprintf("; before that %s could not use its route to %s: %s", e.name(n.Device), entry.Prefix, table.Why(entry))
			}
		}
	}
	return ""
}

// And joins names the way a sentence does.
func And(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// discarded: a discard route matches, or a route whose next hop is to be found
// through one. Where that is so only because the address's own subnet is down,
// that is the reason.
func (e explainer) discarded(f *Failure, n Node) {
	if n.Decision.Action == Broadcast {
		out := n.Decision.Match.Hops[0].Out
		link := e.spec.Label(out)
		if s := e.spec.Interfaces[out].Segment; s != model.None {
			link = e.spec.Segments[s].Name
		}
		f.Name = finding.AddressSilent
		f.Reason = fmt.Sprintf("%s is the broadcast address of %s, not a machine's", n.To, link)
		return
	}
	if id, ok := downIn(e.net, n.Device, n.To); ok {
		f.Name = finding.InterfaceIsDown
		f.Reason = fmt.Sprintf("%s is down: %s", e.spec.Label(id), e.net.State.Why(id))
		return
	}
	f.Name = finding.Discarded
	f.Reason = fmt.Sprintf("%s discards what it has for %s", e.name(n.Device), n.Decision.Match.Prefix)
	table := e.net.For(n.Device, n.In)
	for _, entry := range table.Of(n.Decision.Match) {
		if why := table.Why(entry); entry.InUse && why != "" {
			f.Reason += ": " + why
		}
	}
}

// unrouted: no usable route. The reason is an interface that is down, a route
// that is not usable, or simply that there is none.
func (e explainer) unrouted(f *Failure) {
	to := e.g.Nodes[e.end.Node].To
	device := e.name(f.Device)
	if id, ok := DownInterfaceTowards(e.net, f.Device, to); ok {
		f.Name = finding.InterfaceIsDown
		f.Reason = fmt.Sprintf("%s:%s is down: %s", device, e.spec.Interfaces[id].Name, e.net.State.Why(id))
		return
	}
	table := tableAt(e.net, e.g.Nodes[e.end.Node].At, Flow{Source: e.g.Nodes[e.end.Node].Source})
	for _, entry := range table.Covering(to) {
		f.Name = finding.NoRouteFound
		f.Reason = fmt.Sprintf("%s has no usable route to %s: for %s, %s", device, to, routeWord(entry.Prefix), table.Why(entry))
		return
	}
	if !e.spec.Devices[f.Device].Forwards {
		f.Name = finding.NoGateway
		f.Reason = fmt.Sprintf("%s has no gateway for %s", device, to)
		return
	}
	f.Name = finding.NoRouteFound
	f.Reason = fmt.Sprintf("%s has no route to %s", device, to)
}

func routeWord(p netip.Prefix) string {
	if p.Bits() == 0 {
		return "the default route"
	}
	return p.String()
}

// DownInterfaceTowards finds the interface of a device that is down and by
// which it would otherwise reach the address: one in the address's own subnet,
// or one that a route to it needs.
func DownInterfaceTowards(net *Network, d model.DeviceID, to netip.Addr) (model.InterfaceID, bool) {
	if id, ok := downIn(net, d, to); ok {
		return id, true
	}
	for _, entry := range net.Table(d).Covering(to) {
		if entry.Usable == routing.IsUsable || entry.Static() == model.None {
			continue
		}
		s := net.Spec.Statics[entry.Static()]
		if entry.Usable == routing.InterfaceDown {
			return s.Out, true
		}
		if id, ok := downIn(net, d, s.Via); ok {
			return id, true
		}
	}
	return model.None, false
}

// downIn finds an interface of the device that is down and has the address in
// its subnet.
func downIn(net *Network, d model.DeviceID, to netip.Addr) (model.InterfaceID, bool) {
	for _, id := range net.Spec.InterfacesOf(d) {
		if net.State.IsUp(id) {
			continue
		}
		for _, own := range net.Spec.Interfaces[id].Addresses {
			if own.Contains(to) {
				return id, true
			}
		}
	}
	return model.None, false
}

func (e explainer) notPassedOn(f *Failure) {
	f.Name = finding.NotForwarded
	path := e.g.Path(e.end.Node)
	kind := e.spec.Devices[f.Device].Kind
	if len(path) < 2 {
		f.Reason = fmt.Sprintf("%s is a %s and does not forward", e.name(f.Device), kind)
		return
	}
	before := e.g.Nodes[path[len(path)-2]].Device
	f.Reason = fmt.Sprintf("%s hands it to %s, a %s, which does not forward", e.name(before), e.name(f.Device), kind)
}

// unanswered: nobody on the link answers for the next hop, or for the
// destination itself.
func (e explainer) unanswered(f *Failure) {
	edge := e.g.Nodes[e.end.Node].Edges[e.end.Edge]
	out := &e.spec.Interfaces[edge.Hop.Out]
	link := e.spec.Label(edge.Hop.Out)
	if out.Segment != model.None {
		link = e.spec.Segments[out.Segment].Name
	}
	isTarget := edge.Address == e.g.Nodes[e.end.Node].To
	f.Name = finding.NextHopSilent
	what := fmt.Sprintf("the next hop %s of %s", edge.Address, e.name(f.Device))
	if isTarget {
		f.Name = finding.AddressSilent
		what = edge.Address.String()
	}
	holders := e.spec.HoldersOf(edge.Address)
	for _, h := range holders {
		if h == edge.Hop.Out {
			f.Reason = fmt.Sprintf("%s is its own address", what)
			return
		}
		if !e.net.State.IsUp(h) {
			f.Name, f.Cause = finding.InterfaceIsDown, e.spec.Interfaces[h].Device
			f.Reason = fmt.Sprintf("%s does not answer: %s is down: %s", what, e.spec.Label(h), e.net.State.Why(h))
			return
		}
	}
	if isTarget && e.standsFor(f, edge.Address) {
		return
	}
	if len(holders) > 0 {
		f.Reason = fmt.Sprintf("%s does not answer on %s: %s, which has it, is not on that wire", what, link, e.spec.Label(holders[0]))
		return
	}
	f.Reason = fmt.Sprintf("nobody on %s has %s", link, what)
	if near := e.nearby(out.Segment, edge); near != "" && isTarget {
		f.Reason += "; " + near
	}
}

// nearby names the address in use on the segment that is nearest to the one
// nobody has, for it is most likely the one that was meant.
func (e explainer) nearby(segment model.SegmentID, edge Edge) string {
	var addresses []string
	holder := map[string]model.InterfaceID{}
	for id := range e.spec.Interfaces {
		if i := &e.spec.Interfaces[id]; i.Segment == segment && segment != model.None && model.InterfaceID(id) != edge.Hop.Out {
			for _, a := range i.Addresses {
				addresses = append(addresses, a.Addr().String())
				holder[a.Addr().String()] = model.InterfaceID(id)
			}
		}
	}
	if near, ok := finding.Nearest(edge.Address.String(), addresses); ok {
		return fmt.Sprintf("%s has %s", e.name(e.spec.Interfaces[holder[near]].Device), near)
	}
	return ""
}

// CausedBy is the interface whose being switched off puts another one down, or
// the interface itself; false where something else does.
func CausedBy(s *network.State, id model.InterfaceID) (model.InterfaceID, bool) {
	status := s.Status(id)
	switch status.Cause {
	case network.AdminDown:
		return id, true
	case network.FarAdminDown:
		return status.Of, true
	case network.ParentDown, network.NoLivePort:
		if status.Of != model.None {
			return CausedBy(s, status.Of)
		}
	}
	return model.None, false
}

// tooBig: the packet does not fit the way out, and may not be cut up.
func (e explainer) tooBig(f *Failure, n Node) {
	out := n.Edges[e.end.Edge].Hop.Out
	f.Name = finding.PacketTooBig
	why := "it may not be fragmented"
	if !e.g.Flow.Whole {
		why = "IPv6 routers never fragment, and its error does not get back to the sender"
	}
	f.Reason = fmt.Sprintf("%s cannot send its %d bytes out of %s, which takes %d at most: %s", e.name(n.Device), n.Size, e.spec.Interfaces[out].Name, MTU(e.spec, out), why)
}

// oversized: the far end takes less than the near end sends.
func (e explainer) oversized(f *Failure, n Node) {
	edge := n.Edges[e.end.Edge]
	f.Name = finding.DroppedOversize
	for _, h := range Receivers(e.net, edge.Hop.Out, edge.Address) {
		if m := MTU(e.spec, h); h != edge.Hop.Out && m < n.Size {
			f.Cause = e.spec.Interfaces[h].Device
			f.Reason = fmt.Sprintf("%s drops it without a word: it has %d bytes, and that interface takes %d at most", e.spec.Label(h), min(n.Size, MTU(e.spec, edge.Hop.Out)), m)
			return
		}
	}
}
