package policy

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
)

// Kind is what a packet is to the flow it belongs to.
type Kind uint8

const (
	Request Kind = iota
	Reply
	Error // of ICMP, about one of the flow's packets
)

// Packet is what permits look at. The service is that of the flow: of a reply,
// what it was asked for.
type Packet struct {
	Source, Destination netip.Addr
	Service             model.Service
	Kind                Kind
}

// By is what decided about a packet, where no permit did.
const (
	ByNothing   = -1 - iota // nothing is judged there
	ByOtherwise             // no permit matches it
	ByState                 // it belongs to what passed before
	ByNoState               // it says it belongs to something that was never seen
)

// Judgement is what a device decides about a packet, and by what.
type Judgement struct {
	Ruling model.Ruling
	By     int // the permit's place in the device's list, or one of the constants
	Own    bool
}

// errorMark is what an ICMP error is marked with in IPv4: internetwork control (RFC 1812 §4.3.2.5).
const errorMark = 48 + 1

// ephemeral are the ports that requests are sent from (RFC 6335 §6).
var ephemeral = [2]uint16{49152, 65535}

// speaksOf tells whether a permit matches a packet.
func speaksOf(p *model.Permit, x *Packet, in, out model.InterfaceID) bool {
	switch {
	case p.Pending, p.Answers && x.Kind != Reply,
		len(p.In) > 0 && !slices.Contains(p.In, in), len(p.Out) > 0 && !slices.Contains(p.Out, out),
		!p.From.Itself && !p.From.Contains(x.Source), !p.To.Itself && !p.To.Contains(x.Destination):
		return false
	}
	return len(p.Over) == 0 || slices.ContainsFunc(p.Over, func(s model.Service) bool { return isOf(s, x, p.Answers) })
}

// isOf tells whether a packet is of a service. To a port it is sent to, not from:
// a reply is sent to one of those that requests come from, unless the sentence
// covers replies.
func isOf(s model.Service, x *Packet, answers bool) bool {
	service := x.Service
	if x.Kind == Reply && service.Protocol != model.ICMP {
		service.Mark = 0 // an echo is answered as it was marked, and nothing else (RFC 1122 §3.2.1.6)
	}
	switch {
	case x.Kind == Error:
		if service = model.Echo; x.Source.Is4() {
			service.Mark = errorMark
		}
	case x.Kind == Reply && !answers && service.Protocol != model.ICMP:
		service.First, service.Last = ephemeral[0], ephemeral[1]
	}
	return s.Covers(service)
}

// Through judges what passes through a device, its destination translated and its
// source not yet. Known tells whether it belongs to a flow that passed before.
func (p *Policy) Through(d model.DeviceID, in, out model.InterfaceID, x *Packet, known bool) Judgement {
	if !p.Touches(d) || !p.devices[d].judges {
		return Judgement{By: ByNothing}
	}
	device := p.devices[d]
	if j, ok := device.byState(x, known); ok {
		return j
	}
	for i := range device.Permits {
		if speaksOf(&device.Permits[i], x, in, out) {
			return Judgement{Ruling: device.Permits[i].Ruling, By: i}
		}
	}
	return Judgement{Ruling: device.Otherwise, By: ByOtherwise}
}

// byState decides what state decides.
func (x *device) byState(packet *Packet, known bool) (Judgement, bool) {
	switch {
	case !x.KeepsState:
		return Judgement{}, false
	case known:
		return Judgement{By: ByState}, true
	case packet.Kind == Error, packet.Kind == Reply && packet.Service.Protocol != model.UDP:
		return Judgement{Ruling: model.Drop, By: ByNoState}, true
	}
	return Judgement{}, false
}

// ToItself judges what is for the device itself.
func (p *Policy) ToItself(d model.DeviceID, in model.InterfaceID, x *Packet, known bool) Judgement {
	if !p.Touches(d) {
		return Judgement{By: ByNothing}
	}
	return p.devices[d].own(p.devices[d].to, in, model.None, x, known)
}

// FromItself judges what the device itself sends.
func (p *Policy) FromItself(d model.DeviceID, out model.InterfaceID, x *Packet, known bool) Judgement {
	if !p.Touches(d) {
		return Judgement{By: ByNothing}
	}
	return p.devices[d].own(p.devices[d].from, model.None, out, x, known)
}

// own judges by some of the device's own permits; where there are none, all
// passes.
func (x *device) own(among []int, in, out model.InterfaceID, packet *Packet, known bool) Judgement {
	if len(among) == 0 {
		return Judgement{By: ByNothing}
	}
	if j, ok := x.byState(packet, known); ok {
		j.Own = true
		return j
	}
	for _, i := range among {
		if speaksOf(&x.OwnPermits[i], packet, in, out) {
			return Judgement{Ruling: x.OwnPermits[i].Ruling, By: i, Own: true}
		}
	}
	return Judgement{Ruling: x.Otherwise, By: ByOtherwise, Own: true}
}

// Pending finds the first pending permit that would let a packet pass if it were in
// force.
func Pending(all []model.Permit, in, out model.InterfaceID, x *Packet) (int, bool) {
	for i := range all {
		if p := all[i]; p.Pending && p.Ruling == model.Pass {
			if p.Pending = false; speaksOf(&p, x, in, out) {
				return i, true
			}
		}
	}
	return 0, false
}
