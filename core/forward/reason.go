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
	Name   finding.Name // of the Walking stage
	Back   bool         // on the way back
	Device model.DeviceID
	Reason string           // one sentence without its full stop
	Loop   []model.DeviceID // of a loop, in order
}

// Failure explains the first way that fails. It is false where none does.
func (x *Exchange) Failure(t *routing.Tables) (Failure, bool) {
	spec := t.State.Spec
	if !x.Source.IsValid() {
		return Failure{
			Name: finding.NoSourceAddress, Device: x.From,
			Reason: fmt.Sprintf("%s has no %s address on an interface that is up", spec.Devices[x.From].Name, FamilyOf(x.Target)),
		}, true
	}
	g, end, back, failing := x.Failing()
	if !failing {
		return Failure{}, false
	}
	e := explainer{t, spec, g, end}
	f := e.explain()
	f.Back = back
	return f, true
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
	t    *routing.Tables
	spec *model.Spec
	g    *Graph
	end  End
}

func (e explainer) name(d model.DeviceID) string { return e.spec.Devices[d].Name }

func (e explainer) explain() Failure {
	n := e.g.Nodes[e.end.Node]
	f := Failure{Device: n.Device}
	switch e.end.Outcome {
	case Unrouted:
		e.unrouted(&f)
	case Dropped:
		f.Name = finding.Discarded
		f.Reason = fmt.Sprintf("%s discards what it has for %s", e.name(n.Device), n.Decision.Match.Prefix)
	case NotPassedOn:
		e.notPassedOn(&f)
	case Unanswered:
		e.unanswered(&f)
	case Looped:
		f.Name = finding.ForwardingLoop
		var names []string
		for _, i := range e.end.Loop {
			f.Loop = append(f.Loop, e.g.Nodes[i].Device)
			names = append(names, e.name(e.g.Nodes[i].Device))
		}
		f.Reason = fmt.Sprintf("its TTL runs out in a loop between %s", And(names))
	case Expired:
		f.Name = finding.TTLRanOut
		f.Reason = fmt.Sprintf("its TTL runs out at %s", e.name(n.Device))
	}
	return f
}

// And joins names the way a sentence does.
func And(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// unrouted: no usable route. The reason is an interface that is down, a route
// that is not usable, or simply that there is none.
func (e explainer) unrouted(f *Failure) {
	to := e.g.Flow.Destination
	device := e.name(f.Device)
	if id, ok := DownInterfaceTowards(e.t, f.Device, to); ok {
		f.Name = finding.InterfaceIsDown
		f.Reason = fmt.Sprintf("%s:%s is down: %s", device, e.spec.Interfaces[id].Name, e.t.State.Why(id))
		return
	}
	table := e.t.Table(f.Device)
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
func DownInterfaceTowards(t *routing.Tables, d model.DeviceID, to netip.Addr) (model.InterfaceID, bool) {
	if id, ok := downIn(t, d, to); ok {
		return id, true
	}
	for _, entry := range t.Table(d).Covering(to) {
		if entry.Usable == routing.IsUsable || entry.Static() == model.None {
			continue
		}
		s := t.State.Spec.Statics[entry.Static()]
		if entry.Usable == routing.InterfaceDown {
			return s.Out, true
		}
		if id, ok := downIn(t, d, s.Via); ok {
			return id, true
		}
	}
	return model.None, false
}

// downIn finds an interface of the device that is down and has the address in
// its subnet.
func downIn(t *routing.Tables, d model.DeviceID, to netip.Addr) (model.InterfaceID, bool) {
	for _, id := range t.State.Spec.InterfacesOf(d) {
		if t.State.IsUp(id) {
			continue
		}
		for _, own := range t.State.Spec.Interfaces[id].Addresses {
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
	isTarget := edge.Address == e.g.Flow.Destination
	f.Name = finding.NextHopSilent
	what := fmt.Sprintf("the next hop %s of %s", edge.Address, e.name(f.Device))
	if isTarget {
		f.Name = finding.AddressSilent
		what = edge.Address.String()
	}
	if isTarget && isBroadcast(e.t, f.Device, edge.Address) {
		f.Reason = fmt.Sprintf("%s is the broadcast address of %s, not a machine's", edge.Address, link)
		return
	}
	holders := e.spec.HoldersOf(edge.Address)
	for _, h := range holders {
		if h == edge.Hop.Out {
			f.Reason = fmt.Sprintf("%s is its own address", what)
			return
		}
		if !e.t.State.IsUp(h) {
			f.Name = finding.InterfaceIsDown
			f.Reason = fmt.Sprintf("%s does not answer: %s is down: %s", what, e.spec.Label(h), e.t.State.Why(h))
			return
		}
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
