package forward

import (
	"net/netip"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// Code is the kind of reason for which a path ends.
type Code uint8

const (
	Unexplained       Code = iota // it was not asked for
	NoSource                      // Device has no address of To's family to send from
	IsDown                        // Interface is down
	HolderIsDown                  // Interface, which has Address, is down
	AskedBroadcast                // To, or the next hop Address, is the broadcast address of the subnet on Interface, or its own
	Discards                      // Device discards what it has for Prefix; Route is why, where that is not written
	RouteUnusable                 // the longest match for To is Prefix, and not usable for Route
	WithoutGateway                // Device does not forward, and has no gateway for To
	WithoutRoute                  // Device has no route to To
	OnlyOnLink                    // Device passes nothing on from Header.Source, a link-local address, and Cause has no other
	DoesNotForward                // Device gets it, from Other where that is another, and does not forward
	OwnNextHop                    // Address is Device's own
	StandsBeyond                  // Address stands for another by Translation, for what comes in from beyond
	StandsForMany                 // Address is what others send from by Translation
	HeldElsewhere                 // Interface has Address, and is not on the link of Out
	HeldByNobody                  // nobody on the link of Out has Address
	DoesNotFit                    // Size bytes do not fit out of Out, which takes MTU
	FarEndTakesLess               // Size bytes leave, and Interface takes MTU
	ByPermit                      // Judged drops what goes from Header.Source to To
	NoneLeftToTake                // no address of Translation is left for Header.Source
	GotElsewhere                  // a reply gets to Device, which did not ask
	CameFromElsewhere             // a reply comes from Header.Source, and Address was asked
	AnotherHas                    // Device has To, and another was asked
	GoesRound                     // Loop
	RanOut                        // its TTL
	DoesNotServe                  // Device does not answer Service
)

// Failure is why an exchange fails: which way, at which device, and why. It is in
// terms of the network that the exchange was followed in.
type Failure struct {
	Name   finding.Name // of the Walking stage
	Code   Code
	Back   bool             // on the return path
	Device model.DeviceID   // where the packet ends
	Cause  model.DeviceID   // where what ends it is to be seen; most often the same
	Loop   []model.DeviceID // of a loop, in order

	Other       model.DeviceID
	Interface   model.InterfaceID
	Out         model.InterfaceID
	Header      Header
	To          netip.Addr // what was looked up
	Address     netip.Addr
	IsHop       bool // Address is a next hop, not the target itself
	Prefix      netip.Prefix
	Route       routing.Cause
	Size, MTU   int
	Whole       bool // it may not be fragmented
	Unsure      bool // its sender hears of it by some paths only
	Kind        policy.Kind
	Service     model.Service
	Judged      policy.Judgement
	Pending     *model.Permit // that would let it pass; nil where none would
	Translation *model.Translation
	Before      *Passed // what was passed over before that, of which the rest is the consequence; nil where nothing
}

// Passed is a longer match that a device on the path could not use.
type Passed struct {
	Device model.DeviceID
	Prefix netip.Prefix
	Route  routing.Cause
}

// Failure explains the first path that fails. It is false where none does.
func (x *Exchange) Failure(net *Network) (Failure, bool) {
	if !x.Source.IsValid() {
		return x.noSource(net), true
	}
	g, end, back, failing := x.Failing()
	if !failing {
		return Failure{}, false
	}
	f := explainer{net, g, end, g.Nodes[end.Node]}.explain()
	f.Back = back
	f.Before = g.passedOver(net)
	return f, true
}

// noSource: the sender has no address of the family, or only on interfaces that
// are down.
func (x *Exchange) noSource(net *Network) Failure {
	f := failureAt(x.From)
	f.Name, f.Code, f.To = finding.NoSourceAddress, NoSource, x.Target
	if id, ok := DownWithAddress(net, x.From, prefix.FamilyOf(x.Target)); ok {
		f.Name, f.Code, f.Interface = finding.InterfaceIsDown, IsDown, id
	}
	return f
}

// DownWithAddress finds an interface of the device that is down and has an
// address of the family.
func DownWithAddress(net *Network, d model.DeviceID, family prefix.Family) (model.InterfaceID, bool) {
	for _, id := range net.Spec.InterfacesOf(d) {
		for _, a := range net.Spec.Interfaces[id].Addresses {
			if prefix.FamilyOf(a.Addr()) == family && !net.State.IsUp(id) {
				return id, true
			}
		}
	}
	return model.None, false
}

// failureAt is a failure on a device, which is its cause unless found otherwise.
func failureAt(d model.DeviceID) Failure {
	return Failure{Device: d, Cause: d, Interface: model.None, Out: model.None, Other: model.None}
}

// explainer finds why a walk ends where it does.
type explainer struct {
	net  *Network
	g    *Graph
	end  Ending
	node Node
}

func (e explainer) explain() Failure {
	n := &e.node
	f := failureAt(n.Device)
	f.Header, f.To, f.Size, f.Whole, f.Kind, f.Service = n.Header, n.To, n.Size, e.g.Flow.Whole, e.g.Flow.Kind, n.For
	switch e.end.Outcome {
	case Unrouted:
		e.unrouted(&f)
	case Dropped:
		e.discarded(&f)
	case NotPassedOn:
		f.Name, f.Code, f.Other = finding.NotForwarded, DoesNotForward, n.Device
		if path := e.g.Path(e.end.Node); len(path) > 1 {
			f.Other = e.g.Nodes[path[len(path)-2]].Device
		}
	case LinkBound:
		f.Name, f.Code, f.Cause = finding.NoSourceAddress, OnlyOnLink, e.g.Nodes[0].Device
	case Unanswered:
		e.unanswered(&f)
	case TooBig:
		f.Name, f.Code, f.Out = finding.PacketTooBig, DoesNotFit, n.Edges[e.end.Edge].Hop.Out
		f.MTU = MTU(e.net.Spec, f.Out)
		if e.end.Size > 0 {
			f.Size, f.Unsure = e.end.Size, true
		}
	case Oversized:
		e.oversized(&f)
	case Filtered, Refused:
		e.filtered(&f)
	case NoneLeft:
		f.Name, f.Code, f.Translation = finding.NoAddressLeft, NoneLeftToTake, n.Edges[e.end.Edge].Treated.Translation
	case Unserved:
		f.Name, f.Code = finding.ServiceUnanswered, DoesNotServe
		f.Translation = ported(e.net.Spec, n)
	case Unexpected:
		f.Name, f.Code, f.Address = finding.ReplyFromElsewhere, CameFromElsewhere, e.g.Flow.Asked
		if n.Device != e.g.Flow.Asker {
			f.Code = GotElsewhere
		}
	case Elsewhere:
		f.Name, f.Code = finding.AnotherAnswers, AnotherHas
	case Looped:
		f.Name, f.Code, f.Loop = finding.ForwardingLoop, GoesRound, loopOf(e.g, e.end)
		f.Device, f.Cause = f.Loop[0], f.Loop[0]
	case Expired:
		f.Name, f.Code = finding.TTLRanOut, RanOut
	}
	return f
}

// passedOver finds a device on the path that had a longer match it could not use:
// what the packet met after that is only the consequence. It is nil where none had.
func (g *Graph) passedOver(net *Network) *Passed {
	for _, n := range g.Nodes {
		if !n.Decision.Matched {
			continue
		}
		table := net.For(n.Device, n.In)
		for _, entry := range table.Covering(n.To) {
			if entry.Prefix.Bits() > n.Decision.Match.Prefix.Bits() && entry.Usable != routing.IsUsable {
				return &Passed{n.Device, entry.Prefix, table.Cause(entry)}
			}
		}
	}
	return nil
}

// discarded: a discard route matches, or a route whose next hop is to be found
// through one. Where that is so only because the address's own subnet is down,
// that is the reason.
func (e explainer) discarded(f *Failure) {
	n := &e.node
	if n.Decision.Action == Broadcast {
		f.Name, f.Code, f.Interface = finding.AddressSilent, AskedBroadcast, n.Decision.Match.Hops[0].Out
		return
	}
	if id, ok := downIn(e.net, n.Device, n.To); ok {
		f.Name, f.Code, f.Interface = finding.InterfaceIsDown, IsDown, id
		return
	}
	f.Name, f.Code, f.Prefix = finding.Discarded, Discards, n.Decision.Match.Prefix
	table := e.net.For(n.Device, n.In)
	for _, entry := range table.Of(n.Decision.Match) {
		if c := table.Cause(entry); entry.InUse && c.Code != routing.NoCause {
			f.Route = c
		}
	}
}

// unrouted: no usable route. The reason is an interface that is down, a route
// that is not usable, or simply that there is none.
func (e explainer) unrouted(f *Failure) {
	if id, ok := DownInterfaceTowards(e.net, f.Device, f.To); ok {
		f.Name, f.Code, f.Interface = finding.InterfaceIsDown, IsDown, id
		return
	}
	f.Name, f.Code = finding.NoRouteFound, WithoutRoute
	table := TableAt(e.net, &e.node)
	if entries := table.Covering(f.To); len(entries) > 0 {
		f.Code, f.Prefix, f.Route = RouteUnusable, entries[0].Prefix, table.Cause(entries[0])
	} else if !e.net.Spec.Devices[f.Device].Forwards {
		f.Name, f.Code = finding.NoGateway, WithoutGateway
	}
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

// unanswered: nobody on the link answers for the next hop, or for the
// destination itself.
func (e explainer) unanswered(f *Failure) {
	edge := e.node.Edges[e.end.Edge]
	f.Out, f.Address, f.IsHop = edge.Hop.Out, edge.Address, edge.Address != e.node.To
	f.Name = finding.AddressSilent
	if f.IsHop {
		f.Name = finding.NextHopSilent
	}
	if isNoMachine(&e.net.Spec.Interfaces[edge.Hop.Out], edge.Address) {
		f.Code, f.Interface = AskedBroadcast, edge.Hop.Out
		return
	}
	holders := e.net.State.HoldersOf(edge.Address)
	for _, h := range holders {
		if h == edge.Hop.Out {
			f.Code = OwnNextHop
			return
		}
		if !e.net.State.IsUp(h) {
			f.Name, f.Code, f.Interface, f.Cause = finding.InterfaceIsDown, HolderIsDown, h, e.net.Spec.Interfaces[h].Device
			return
		}
	}
	switch t := standingFor(e.net.Spec, edge.Address); {
	case t != nil && !f.IsHop:
		f.Code, f.Translation = StandsForMany, t
		if t.Kind == model.OneToOne || t.Kind == model.Porting {
			f.Code = StandsBeyond
		}
	case len(holders) > 0:
		f.Code, f.Interface = HeldElsewhere, holders[0]
	default:
		f.Code = HeldByNobody
	}
}

// ported is a translation of the ports of a device, by which what came to it is for another where it comes from beyond;
// nil where there is none.
func ported(spec *model.Spec, n *Node) *model.Translation {
	for i := range spec.Devices[n.Device].Translates {
		t := &spec.Devices[n.Device].Translates[i]
		if _, is := t.Ported(n.For); is && spec.Interfaces[t.Beyond].Has(n.To) {
			return t
		}
	}
	return nil
}

// standingFor is a translation by which an address stands for others; nil where there
// is none.
func standingFor(spec *model.Spec, a netip.Addr) *model.Translation {
	for d := range spec.Devices {
		for i := range spec.Devices[d].Translates {
			if t := &spec.Devices[d].Translates[i]; t.Range.Contains(a) {
				return t
			}
		}
	}
	return nil
}

// oversized: the far end takes less than the near end sends.
func (e explainer) oversized(f *Failure) {
	edge := e.node.Edges[e.end.Edge]
	f.Name, f.Code, f.Out = finding.DroppedOversize, FarEndTakesLess, edge.Hop.Out
	for _, h := range Receivers(e.net, edge.Hop.Out, edge.Address) {
		if m := MTU(e.net.Spec, h); h != edge.Hop.Out && m < e.node.Size {
			f.Cause, f.Interface, f.MTU = e.net.Spec.Interfaces[h].Device, h, m
			f.Size = min(e.node.Size, MTU(e.net.Spec, edge.Hop.Out))
			return
		}
	}
}

// filtered: a permit, or that there is none, drops it.
func (e explainer) filtered(f *Failure) {
	treated := e.node.Treated
	if e.end.Edge >= 0 {
		treated = e.node.Edges[e.end.Edge].Treated
	}
	f.Name, f.Code, f.Judged = finding.FilteredOut, ByPermit, treated.Judged
	if f.Judged.Ruling == model.Refuse {
		f.Name = finding.RefusedByPermit
	}
	if f.Judged.By == policy.ByNoState {
		f.Name = finding.StateUnknown
	}
	f.Pending = e.pending(f.Judged)
}

// pending is the first permit that would let the packet pass if it were in force,
// nil where none would.
func (e explainer) pending(j policy.Judgement) *model.Permit {
	if j.Own || e.end.Edge < 0 {
		return nil
	}
	x := policy.Packet{Source: e.node.Source, Destination: e.node.To, Service: e.g.Flow.Service, Kind: e.g.Flow.Kind}
	all := e.net.Spec.Devices[e.node.Device].Permits
	if i, ok := policy.Pending(all, e.node.In, e.node.Edges[e.end.Edge].Hop.Out, &x); ok && (j.By < 0 || i < j.By) {
		return &all[i]
	}
	return nil
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
