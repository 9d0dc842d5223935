package forward

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// MeasuredHop is what came back for one TTL of a real traceroute.
type MeasuredHop struct {
	TTL     int
	Answers []MeasuredAnswer // of those who answered, in the order in which they did
}

// MeasuredAnswer is one who answered.
type MeasuredAnswer struct {
	From   netip.Addr
	ICMP   ICMP
	Millis float64 // milliseconds there and back, of its quickest answer
}

// Telling is what a real traceroute tells beside its prediction.
type Telling struct {
	Differs  string           // where the way is not the predicted one, and what that says; "" where it is
	Suspects []model.DeviceID // whose doing that most likely is; none where that cannot be told
	LookAt   string           // what of the suspects to look at: routes, interfaces or permits
	Remarks  []string         // what is not as predicted and says nothing of the way
}

// Tell sets a real traceroute beside the predicted one. Who is silent though a later one
// answers, and who answers from another of its addresses, is on the way all the same.
func (tr *Trace) Tell(spec *model.Spec, measured []MeasuredHop) Telling {
	x := &telling{spec: spec, trace: tr, measured: measured}
	if len(tr.Hops) == 0 && tr.Exchange.Verdict() == Works {
		return x.Telling // to itself
	}
	x.Suspects, x.LookAt = []model.DeviceID{tr.Exchange.From}, "routes"
	for ttl := 1; ttl <= max(len(tr.Hops), len(measured)); ttl++ {
		var hop *TraceHop
		if i := slices.IndexFunc(tr.Hops, func(h TraceHop) bool { return h.TTL == ttl }); i >= 0 {
			hop = &tr.Hops[i]
		} else if len(tr.Loop) > 0 {
			return x.Telling // both went round
		}
		if hop != nil && x.outside(hop) {
			return x.beyond(hop)
		}
		if over := x.hop(ttl, hop); over {
			return x.Telling
		}
		if hop != nil {
			x.before, x.Suspects = x.names(hop), devices(hop)
		}
	}
	x.Suspects = nil
	return x.Telling
}

type telling struct {
	Telling
	spec     *model.Spec
	trace    *Trace
	measured []MeasuredHop
	before   string // who is at the last hop that was as predicted
}

// hop compares one TTL; it tells whether that is the end of comparing.
func (x *telling) hop(ttl int, hop *TraceHop) bool {
	got := x.answers(ttl)
	if len(got) == 0 {
		return x.silent(ttl, hop)
	}
	for _, m := range got {
		if hop == nil {
			x.Differs = fmt.Sprintf("hop %d is %s, and by the plan there is none: look at %s", ttl, x.who(m.From), x.last())
			return true
		}
		if x.answer(ttl, hop, m); x.Differs != "" {
			return true
		}
	}
	return false
}

// silent compares a TTL that nobody answered.
func (x *telling) silent(ttl int, hop *TraceHop) bool {
	if hop == nil || !slices.ContainsFunc(hop.Answers, func(a Answer) bool { return !a.Silent && !a.Lost }) {
		return false
	}
	for _, h := range x.measured {
		if h.TTL > ttl && len(h.Answers) > 0 {
			x.Remarks = append(x.Remarks, fmt.Sprintf("hop %d, %s, says nothing, but lets the probes by", ttl, x.names(hop)))
			return false
		}
	}
	x.Differs = fmt.Sprintf("nothing comes back from hop %d on, which is %s by the plan: look at %s, at %s, and at the way back from there", ttl, x.names(hop), x.last(), x.names(hop))
	x.Suspects = append(x.Suspects, devices(hop)...)
	return true
}

// answer compares one who answered with those that are predicted.
func (x *telling) answer(ttl int, hop *TraceHop, m MeasuredAnswer) {
	is4 := x.trace.Exchange.Target.Is4()
	if !m.ICMP.Passing(is4) && !m.ICMP.Arrived(is4) && !slices.ContainsFunc(hop.Answers, func(p Answer) bool { return x.holds(p, m.From) && p.ICMP == m.ICMP }) {
		x.ended(ttl, hop, m)
		return
	}
	for _, p := range hop.Answers {
		if !x.holds(p, m.From) {
			continue
		}
		name := x.spec.Devices[p.Device].Name
		switch {
		case p.Silent:
			x.Differs = fmt.Sprintf("hop %d, %s, says '%s', and by the plan it drops the packet without a word", ttl, name, m.ICMP.Words(is4))
		case p.ICMP != m.ICMP && !(p.ICMP.Arrived(is4) && m.ICMP.Arrived(is4)):
			x.Differs = fmt.Sprintf("hop %d, %s, says '%s', and by the plan it says '%s'", ttl, name, m.ICMP.Words(is4), p.ICMP.Words(is4))
		case p.Lost:
			x.Differs = fmt.Sprintf("the answer of hop %d, %s, comes back, and by the plan it does not", ttl, name)
		case p.Address != m.From:
			x.Remarks = append(x.Remarks, fmt.Sprintf("hop %d, %s, answers from %s, another of its addresses than predicted", ttl, name, m.From))
		}
		if x.Differs != "" {
			x.Suspects = []model.DeviceID{p.Device}
		}
		return
	}
	x.Differs = fmt.Sprintf("hop %d is %s, and by the plan it is %s: look at %s", ttl, x.who(m.From), x.names(hop), x.last())
	if round := x.round(); round != "" {
		x.Differs = fmt.Sprintf("hop %d is %s, and by the plan it is %s: %s", ttl, x.who(m.From), x.names(hop), round)
	}
}

// ended is what an error tells that ends a way where by the plan it goes on.
func (x *telling) ended(ttl int, hop *TraceHop, m MeasuredAnswer) {
	is4 := x.trace.Exchange.Target.Is4()
	x.Suspects = nil
	if holders := x.spec.HoldersOf(m.From); len(holders) > 0 {
		x.Suspects = []model.DeviceID{x.spec.Interfaces[holders[0]].Device}
	}
	x.Differs = fmt.Sprintf("%s says '%s'", x.who(m.From), m.ICMP.Words(is4))
	if !slices.ContainsFunc(hop.Answers, func(p Answer) bool { return x.holds(p, m.From) }) {
		x.Differs += fmt.Sprintf(", and by the plan hop %d is %s", ttl, x.names(hop))
	}
	x.Differs += ": "
	unrouted, _ := errorFor(Unrouted, is4)
	unanswered, _ := errorFor(Unanswered, is4)
	refused, _ := errorFor(Refused, is4)
	switch m.ICMP {
	case unrouted:
		x.Differs += "it has no route there"
	case unanswered:
		x.Differs += fmt.Sprintf("nobody answers it on the link, so look at %s, its address and the cable", x.names(hop))
		x.Suspects, x.LookAt = devices(hop), "interfaces"
	case refused:
		x.Differs += "it does not let the probe pass"
		x.LookAt = "permits"
	default:
		x.Differs += "the fault is there or beyond it"
	}
}

// round is the words for a loop that was measured; "" where there is none.
func (x *telling) round() string {
	first := map[netip.Addr]int{}
	var names []string
	for i, h := range x.measured {
		for _, a := range h.Answers {
			from, again := first[a.From]
			if !again {
				first[a.From] = i
			} else if i-from >= 2 && len(names) == 0 {
				for _, between := range x.measured[from:i] {
					for _, b := range between.Answers {
						if name := x.who(b.From); !slices.Contains(names, name) {
							names = append(names, name)
						}
					}
				}
			}
		}
	}
	if len(names) == 0 {
		return ""
	}
	if len(names) == 1 {
		return names[0] + " is met again and again, so the packet goes round; look at " + x.last()
	}
	return And(names) + " pass it round; look at " + x.last()
}

// last is whose doing a difference at the present hop is: that of who sent it there.
func (x *telling) last() string {
	if x.before == "" {
		return "the routes of " + x.spec.Devices[x.trace.Exchange.From].Name
	}
	return "the routes of " + x.before
}

func (x *telling) answers(ttl int) []MeasuredAnswer {
	for _, h := range x.measured {
		if h.TTL == ttl {
			return h.Answers
		}
	}
	return nil
}

// holds tells whether an address is of the device of a predicted answer.
func (x *telling) holds(p Answer, a netip.Addr) bool {
	return p.Address == a || slices.ContainsFunc(x.spec.HoldersOf(a), func(id model.InterfaceID) bool { return x.spec.Interfaces[id].Device == p.Device })
}

// devices are those at a predicted hop, each once.
func devices(hop *TraceHop) []model.DeviceID {
	var all []model.DeviceID
	for _, a := range hop.Answers {
		if !slices.Contains(all, a.Device) {
			all = append(all, a.Device)
		}
	}
	return all
}

// names are the devices at a predicted hop.
func (x *telling) names(hop *TraceHop) string {
	var names []string
	for _, d := range devices(hop) {
		names = append(names, x.spec.Devices[d].Name)
	}
	return strings.Join(names, " or ")
}

// who is the device that has an address.
func (x *telling) who(a netip.Addr) string {
	holders := x.spec.HoldersOf(a)
	if len(holders) == 0 {
		return a.String() + " (nobody of the plan)"
	}
	return x.spec.Devices[x.spec.Interfaces[holders[0]].Device].Name
}

// outside tells whether a hop is beyond the plan: of what is there it knows only that
// somebody answers.
func (x *telling) outside(hop *TraceHop) bool {
	return slices.ContainsFunc(hop.Answers, func(a Answer) bool { return x.spec.Devices[a.Device].Kind == model.World })
}

// beyond compares what is beyond the plan: whether the target answered.
func (x *telling) beyond(hop *TraceHop) Telling {
	target := x.trace.Exchange.Target
	reached := slices.ContainsFunc(x.measured, func(h MeasuredHop) bool {
		return slices.ContainsFunc(h.Answers, func(a MeasuredAnswer) bool { return a.From == target && a.ICMP.Arrived(target.Is4()) })
	})
	planned := slices.ContainsFunc(x.trace.Hops, func(h TraceHop) bool {
		return slices.ContainsFunc(h.Answers, func(a Answer) bool { return a.ICMP.Arrived(target.Is4()) && !a.Silent && !a.Lost })
	})
	switch {
	case planned && !reached && len(x.answers(hop.TTL)) == 0:
		x.silent(hop.TTL, hop)
	case planned && !reached:
		x.Differs = fmt.Sprintf("the packet leaves the plan at hop %d as it should, and %s does not answer", hop.TTL, target)
		x.Suspects = nil
	case !planned && reached:
		x.Differs = fmt.Sprintf("%s answers, and by the plan it does not", target)
	default:
		x.Suspects = nil
	}
	return x.Telling
}

// TellUnanswered is what a real ping tells that should work and gets no reply: who sent an
// error in its stead, and so how far it got. From is invalid where nobody did.
func (x *Exchange) TellUnanswered(spec *model.Spec, from netip.Addr) string {
	if !from.IsValid() {
		return "nothing came back: something on the way there or back, or the target, is not as planned"
	}
	for _, end := range x.There.Ends {
		for hop, n := range x.There.Path(end.Node) {
			d := x.There.Nodes[n].Device
			if hop > 0 && slices.ContainsFunc(spec.HoldersOf(from), func(id model.InterfaceID) bool { return spec.Interfaces[id].Device == d }) {
				return fmt.Sprintf("the answer came from hop %d, %s: the fault is there or beyond it", hop, spec.Devices[d].Name)
			}
		}
	}
	return "the answer came from " + spec.HolderLabel(from) + ", which is not on the way by the plan"
}
