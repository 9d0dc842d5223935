package forward

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Words says where a real traceroute to a target of a family is not as predicted, and
// what that says; empty where it is.
func (d Divergence) Words(net *Network, family prefix.Family) string {
	name := func() string { return net.Spec.Devices[d.Device].Name }
	switch d.Code {
	case HopTooMany:
		return fmt.Sprintf("hop %d is %s, and by the plan there is none: look at %s", d.TTL, net.whoHas(d.From), net.routesOf(d.Before))
	case SilentFromHere:
		return fmt.Sprintf("nothing comes back from hop %d on, which is %s by the plan: look at %s, at %s, and at the return path from there",
			d.TTL, net.oneOf(d.Planned), net.routesOf(d.Before), net.oneOf(d.Planned))
	case SpeaksUp:
		return fmt.Sprintf("hop %d, %s, says '%s', and by the plan it drops the packet silently", d.TTL, name(), d.Measured.Words(family))
	case SpeaksElse:
		return fmt.Sprintf("hop %d, %s, says '%s', and by the plan it says '%s'", d.TTL, name(), d.Measured.Words(family),
			d.Predicted.Words(family))
	case NotLost:
		return fmt.Sprintf("the answer of hop %d, %s, comes back, and by the plan it does not", d.TTL, name())
	case AnotherDevice:
		text := fmt.Sprintf("hop %d is %s, and by the plan it is %s: ", d.TTL, net.whoHas(d.From), net.oneOf(d.Planned))
		return text + net.roundWords(d.Loop) + "look at " + net.routesOf(d.Before)
	case EndedBy:
		return d.endWords(net, family)
	case TargetIsSilent:
		return fmt.Sprintf("the packet leaves the plan at hop %d as it should, and %s does not answer", d.TTL, d.From)
	case TargetReplies:
		return fmt.Sprintf("%s answers, and by the plan it does not", d.From)
	}
	return ""
}

func (d Divergence) endWords(net *Network, family prefix.Family) string {
	text := fmt.Sprintf("%s says '%s'", net.whoHas(d.From), d.Measured.Words(family))
	if !d.AtPlanned {
		text += fmt.Sprintf(", and by the plan hop %d is %s", d.TTL, net.oneOf(d.Planned))
	}
	unrouted, _ := errorFor(Unrouted, family)
	unanswered, _ := errorFor(Unanswered, family)
	refused, _ := errorFor(Refused, family)
	switch d.Measured {
	case unrouted:
		return text + ": it has no route there"
	case unanswered:
		return text + fmt.Sprintf(": nobody answers it on the link, so look at %s, its address and the cable", net.oneOf(d.Planned))
	case refused:
		return text + ": it does not let the probe pass"
	}
	return text + ": the fault is there or beyond it"
}

// Words says what is not as predicted and says nothing of the path.
func (r Remark) Words(net *Network) string {
	if !r.From.IsValid() {
		return fmt.Sprintf("hop %d, %s, says nothing, but lets the probes by", r.TTL, net.oneOf(r.Devices))
	}
	return fmt.Sprintf("hop %d, %s, answers from %s, another of its addresses than predicted", r.TTL, net.oneOf(r.Devices), r.From)
}

// Words says how far a ping without a reply got.
func (n NoReply) Words(net *Network) string {
	switch {
	case !n.From.IsValid():
		return "nothing came back: something on the forward or return path, or the target, is not as planned"
	case n.Hop > 0:
		return fmt.Sprintf("the answer came from hop %d, %s: the fault is there or beyond it", n.Hop, net.Spec.Devices[n.Device].Name)
	}
	return "the answer came from " + net.State.HolderLabel(n.From) + ", which is not on the path by the plan"
}

// roundWords says who passes packets round; empty where nobody does.
func (net *Network) roundWords(loop []netip.Addr) string {
	var names []string
	for _, a := range loop {
		if name := net.whoHas(a); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	switch len(names) {
	case 0:
		return ""
	case 1:
		return names[0] + " is reached again and again, so the packet loops; "
	}
	return And(names) + " pass it round; "
}

// whoHas is the device that has an address.
func (net *Network) whoHas(a netip.Addr) string {
	holders := net.State.HoldersOf(a)
	if len(holders) == 0 {
		return a.String() + " (nobody of the plan)"
	}
	return net.Spec.Devices[net.Spec.Interfaces[holders[0]].Device].Name
}

// oneOf is the names of devices of which each may be at a hop.
func (net *Network) oneOf(all []model.DeviceID) string {
	var names []string
	for _, d := range all {
		names = append(names, net.Spec.Devices[d].Name)
	}
	return strings.Join(names, " or ")
}

func (net *Network) routesOf(all []model.DeviceID) string { return "the routes of " + net.oneOf(all) }
