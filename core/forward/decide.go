// Package forward follows packets: one decision at one device, one walk from
// device to device, and what a ping or a traceroute makes of walks there and
// back.
package forward

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// Flow is what a packet is, as far as the way it takes depends on it.
type Flow struct {
	Source netip.Addr
	// Unbound is set where the sender was not told its source: Source is then that of the first of
	// its equally good hops, and by each other it sends from what suits that hop.
	Unbound bool
	// Ties is set where by one hop too it may send from several that are equally good.
	Ties        bool
	Destination netip.Addr
	// Out is the interface the sender was told to send by, None to choose. A
	// link-local destination needs it.
	Out model.InterfaceID
	// Size is how many bytes the packet has with its IP header; 0 is one that fits
	// everywhere. Whole is set where it may not be fragmented on its path.
	Size  int
	Whole bool
	// Service is what it is for: an echo request unless said. Kind tells a reply
	// and an error from what began the flow.
	Service model.Service
	Kind    policy.Kind
	// AnyPort is set where it does not matter whether who gets it answers the service: a
	// port that is closed tells a traceroute as much.
	AnyPort bool
	// Inner is, of an error, the header of the packet it is about.
	Inner Header
	// Origin is, of an error, the headers with which its asker may have sent what it is about;
	// none where that does not matter.
	Origin []Header
	// Passed is what devices remember of the flow so far, for its replies and
	// errors.
	Passed []Passage
	// Asked is, of a reply, the address it is to come from, and Asker the device
	// that it is for; Asked is invalid where that does not matter.
	Asked netip.Addr
	Asker model.DeviceID
	// RoutesOnly leaves permits and translations out of account.
	RoutesOnly bool
}

// FlowTo is a flow that is sent as the sender chooses. The source may be invalid:
// permits and translations are then left out.
func FlowTo(source, destination netip.Addr) Flow {
	return Flow{Source: source, Destination: destination, Out: model.None, Asker: model.None}
}

// ByRoutes is the flow as if there were no permits and no translations.
func (f Flow) ByRoutes() Flow {
	f.RoutesOnly = true
	return f
}

// Header is the two addresses of a packet.
type Header struct{ Source, Destination netip.Addr }

// Passage is what a device remembers of a packet that it passed on: how it came
// and how it left, of which one may be translated.
type Passage struct {
	Device     model.DeviceID
	Came, Left Header
	// CameFor and LeftFor are what it was for, as it came and as it left: another where ports are translated.
	CameFor, LeftFor model.Service
}

// At is where a packet is: at a device, come in by an interface. In is None
// where the device itself sends it.
type At struct {
	Device model.DeviceID
	In     model.InterfaceID
}

// Sender is where a packet is that a device itself sends.
func Sender(d model.DeviceID) At { return At{d, model.None} }

// Action is what a device does with a packet.
type Action uint8

const (
	Deliver       Action = iota // it is for the device
	PassOn                      // on to the hops of the match
	NoRoute                     // nothing usable matches
	Discard                     // a discard route matches
	NotForwarding               // it is for another, and the device does not forward
	KeepOnLink                  // its source is link-local, and means nothing beyond the link it came by (RFC 4291 §2.5.6)
	Broadcast                   // it is for all on a subnet of the device, which is not passed on (RFC 2644)
)

// Decision is what a device does with a packet, and by which match.
type Decision struct {
	Action  Action
	Matched bool
	Match   routing.Match
}

// Decide is what a device does with a packet. It depends on nothing but its
// arguments.
func Decide(net *Network, at At, f Flow) Decision {
	table := tableAt(net, at, f)
	if f.Destination.IsLinkLocalUnicast() && f.Destination.Is6() {
		return decideLinkLocal(net, at, f)
	}
	m, ok := table.Lookup(f.Destination)
	switch {
	case ok && m.Local:
		return Decision{Deliver, true, m}
	case at.In != model.None && !net.Spec.Devices[at.Device].Forwards:
		return Decision{NotForwarding, ok, m}
	case !ok:
		return Decision{Action: NoRoute}
	case len(m.Hops) == 0:
		return Decision{Discard, true, m}
	case at.In != model.None && f.Source.Is6() && f.Source.IsLinkLocalUnicast() &&
		!slices.ContainsFunc(m.Hops, func(h routing.Hop) bool { return h.Out == at.In }):
		return Decision{KeepOnLink, ok, m}
	}
	if !m.Hops[0].Via.IsValid() && forAll(net.Spec, m, f.Destination) {
		return Decision{Broadcast, true, m}
	}
	return Decision{PassOn, true, m}
}

// forAll tells whether the address is the broadcast address of the direct route
// that matches it.
func forAll(spec *model.Spec, m routing.Match, to netip.Addr) bool {
	if b, ok := prefix.Broadcast(m.Prefix); !ok || b != to {
		return false
	}
	for _, own := range spec.Interfaces[m.Hops[0].Out].Addresses {
		if own.Masked() == m.Prefix {
			return true
		}
	}
	return false
}

// tableAt is the table a device looks a packet up in: that of the interface it
// came in by, or that of the source address it sends from.
func tableAt(net *Network, at At, f Flow) routing.View {
	if at.In == model.None {
		return net.ForSource(at.Device, f.Source)
	}
	return net.For(at.Device, at.In)
}

// TableAt is the table that a packet at a node is looked up in.
func TableAt(net *Network, n *Node) routing.View {
	return tableAt(net, n.At, FlowTo(n.Source, n.To))
}

// decideLinkLocal handles a destination that means something on one link only
// (RFC 4291 §2.5.6): it is delivered on the link it came from, sent by its
// originator out of the interface it was told, and never forwarded.
func decideLinkLocal(net *Network, at At, f Flow) Decision {
	spec := net.Spec
	for _, id := range spec.InterfacesOf(at.Device) {
		if at.In != model.None && at.In != id || !net.State.IsUp(id) {
			continue
		}
		for _, a := range spec.Interfaces[id].Addresses {
			if a.Addr() == f.Destination {
				return Decision{Action: Deliver}
			}
		}
	}
	switch {
	case at.In != model.None:
		return Decision{Action: NotForwarding}
	case f.Out == model.None || !net.State.IsUp(f.Out):
		return Decision{Action: NoRoute}
	}
	return Decision{Action: PassOn, Match: routing.Match{
		Prefix: netip.PrefixFrom(f.Destination, 128), Hops: []routing.Hop{{Out: f.Out}},
	}}
}
