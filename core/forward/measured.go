package forward

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
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

// DivergenceCode is the kind of way in which a real traceroute is not as predicted.
type DivergenceCode uint8

const (
	AsPredicted    DivergenceCode = iota
	HopTooMany                    // From is at hop TTL, and none is predicted
	SilentFromHere                // nothing comes back from hop TTL on, where Planned are
	SpeaksUp                      // Device at hop TTL sends Measured, and is predicted to drop the packet
	SpeaksElse                    // Device at hop TTL sends Measured, and Predicted is predicted
	NotLost                       // what Device at hop TTL sends comes back, and is predicted not to
	AnotherDevice                 // From is at hop TTL, where Planned are predicted; Loop is who passes it round
	EndedBy                       // From sends Measured, and the path is predicted to go on to Planned at hop TTL
	TargetIsSilent                // the path leaves the plan at hop TTL as predicted, and the target does not answer
	TargetReplies                 // the target answers, and is predicted not to
)

// Divergence is where a real traceroute is not as predicted.
type Divergence struct {
	Code                DivergenceCode
	TTL                 int
	From                netip.Addr
	Device              model.DeviceID
	Planned             []model.DeviceID // at hop TTL
	Before              []model.DeviceID // who sent it there: the last that was as predicted
	Measured, Predicted ICMP
	AtPlanned           bool // From is of one of Planned
	Loop                []netip.Addr
}

// Look is what of a device to look at.
type Look uint8

const (
	LookAtRoutes Look = iota
	LookAtInterfaces
	LookAtPermits
)

func (l Look) String() string { return [...]string{"routes", "interfaces", "permits"}[l] }

// Remark is what is not as predicted and says nothing of the path: who is at hop TTL is
// silent, or answers From another of its addresses.
type Remark struct {
	TTL     int
	Devices []model.DeviceID
	From    netip.Addr // invalid where it is silent
}

// Telling is what a real traceroute tells beside its prediction.
type Telling struct {
	Differs  Divergence
	Suspects []model.DeviceID // whose doing that most likely is; none where that cannot be told
	LookAt   Look             // what of the suspects to look at
	Remarks  []Remark
}

// Tell sets a real traceroute beside the predicted one. Who is silent though a later one
// answers, and who answers from another of its addresses, is on the path all the same.
func (tr *Trace) Tell(net *Network, measured []MeasuredHop) Telling {
	x := &telling{net: net, trace: tr, measured: measured}
	if len(tr.Hops) == 0 && tr.Exchange.Verdict() == Works {
		return x.Telling // to itself
	}
	x.Suspects = []model.DeviceID{tr.Exchange.From}
	x.before = x.Suspects
	for ttl := 1; ttl <= max(len(tr.Hops), len(measured)); ttl++ {
		var hop *TraceHop
		if i := slices.IndexFunc(tr.Hops, func(h TraceHop) bool { return h.TTL == ttl }); i >= 0 {
			hop = &tr.Hops[i]
		} else if len(tr.Loop) > 0 {
			return x.Telling // both looped
		}
		if hop != nil && x.outside(hop) {
			return x.beyond(hop)
		}
		if over := x.hop(ttl, hop); over {
			return x.Telling
		}
		if hop != nil {
			x.before, x.Suspects = devices(hop), devices(hop)
		}
	}
	x.Suspects = nil
	return x.Telling
}

type telling struct {
	Telling
	net      *Network
	trace    *Trace
	measured []MeasuredHop
	before   []model.DeviceID // at the last hop that was as predicted
}

func (x *telling) family() prefix.Family { return prefix.FamilyOf(x.trace.Exchange.Target) }

// differ notes where the path is not the predicted one.
func (x *telling) differ(d Divergence) {
	d.Before = x.before
	x.Differs = d
}

// hop compares one TTL; it tells whether that is the end of comparing.
func (x *telling) hop(ttl int, hop *TraceHop) bool {
	got := x.answers(ttl)
	if len(got) == 0 {
		return x.silent(ttl, hop)
	}
	for _, m := range got {
		if hop == nil {
			x.differ(Divergence{Code: HopTooMany, Device: model.None, TTL: ttl, From: m.From})
			return true
		}
		if x.answer(ttl, hop, m); x.Differs.Code != AsPredicted {
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
			x.Remarks = append(x.Remarks, Remark{TTL: ttl, Devices: devices(hop)})
			return false
		}
	}
	x.differ(Divergence{Code: SilentFromHere, Device: model.None, TTL: ttl, Planned: devices(hop)})
	x.Suspects = append(slices.Clip(x.Suspects), devices(hop)...)
	return true
}

// answer compares one who answered with those that are predicted.
func (x *telling) answer(ttl int, hop *TraceHop, m MeasuredAnswer) {
	if !m.ICMP.Passing(x.family()) && !m.ICMP.Arrived(x.family()) &&
		!slices.ContainsFunc(hop.Answers, func(p Answer) bool { return x.holds(p, m.From) && p.ICMP == m.ICMP }) {
		x.ended(ttl, hop, m)
		return
	}
	for _, p := range hop.Answers {
		if !x.holds(p, m.From) {
			continue
		}
		d := Divergence{TTL: ttl, From: m.From, Device: p.Device, Measured: m.ICMP, Predicted: p.ICMP}
		switch {
		case p.Silent:
			d.Code = SpeaksUp
		case p.ICMP != m.ICMP && !(p.ICMP.Arrived(x.family()) && m.ICMP.Arrived(x.family())):
			d.Code = SpeaksElse
		case p.Lost:
			d.Code = NotLost
		case p.Address != m.From:
			x.Remarks = append(x.Remarks, Remark{TTL: ttl, Devices: []model.DeviceID{p.Device}, From: m.From})
		}
		if d.Code != AsPredicted {
			x.differ(d)
			x.Suspects = []model.DeviceID{p.Device}
		}
		return
	}
	x.differ(Divergence{Code: AnotherDevice, Device: model.None, TTL: ttl, From: m.From, Planned: devices(hop), Loop: x.round()})
}

// ended is what an error tells that ends a way where by the plan it goes on.
func (x *telling) ended(ttl int, hop *TraceHop, m MeasuredAnswer) {
	x.Suspects = nil
	if holders := x.net.State.HoldersOf(m.From); len(holders) > 0 {
		x.Suspects = []model.DeviceID{x.net.Spec.Interfaces[holders[0]].Device}
	}
	x.differ(Divergence{
		Code: EndedBy, Device: model.None, TTL: ttl, From: m.From, Planned: devices(hop), Measured: m.ICMP,
		AtPlanned: slices.ContainsFunc(hop.Answers, func(p Answer) bool { return x.holds(p, m.From) }),
	})
	switch m.ICMP {
	case x.errorOf(Unanswered):
		x.Suspects, x.LookAt = devices(hop), LookAtInterfaces
	case x.errorOf(Refused):
		x.LookAt = LookAtPermits
	}
}

func (x *telling) errorOf(o Outcome) ICMP {
	m, _ := errorFor(o, x.family())
	return m
}

// round is who passes packets round in a loop that was measured; nobody where there is
// none.
func (x *telling) round() []netip.Addr {
	first := map[netip.Addr]int{}
	for i, h := range x.measured {
		for _, a := range h.Answers {
			from, again := first[a.From]
			if !again {
				first[a.From] = i
			} else if i-from >= 2 {
				var all []netip.Addr
				for _, between := range x.measured[from:i] {
					for _, b := range between.Answers {
						all = append(all, b.From)
					}
				}
				return all
			}
		}
	}
	return nil
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
	return p.Address == a || x.net.isOf(a, p.Device)
}

// isOf tells whether a device has an address.
func (net *Network) isOf(a netip.Addr, d model.DeviceID) bool {
	return slices.ContainsFunc(net.State.HoldersOf(a), func(id model.InterfaceID) bool { return net.Spec.Interfaces[id].Device == d })
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

// outside tells whether a hop is beyond the plan: of what is there it knows only that
// somebody answers.
func (x *telling) outside(hop *TraceHop) bool {
	return slices.ContainsFunc(hop.Answers, func(a Answer) bool { return x.net.Spec.Devices[a.Device].Kind == model.World })
}

// beyond compares what is beyond the plan: whether the target answered.
func (x *telling) beyond(hop *TraceHop) Telling {
	target := x.trace.Exchange.Target
	reached := slices.ContainsFunc(x.measured, func(h MeasuredHop) bool {
		return slices.ContainsFunc(h.Answers,
			func(a MeasuredAnswer) bool { return a.From == target && a.ICMP.Arrived(prefix.FamilyOf(target)) })
	})
	planned := slices.ContainsFunc(x.trace.Hops, func(h TraceHop) bool {
		return slices.ContainsFunc(h.Answers, func(a Answer) bool { return a.ICMP.Arrived(prefix.FamilyOf(target)) && !a.Silent && !a.Lost })
	})
	switch {
	case planned && !reached && len(x.answers(hop.TTL)) == 0:
		x.silent(hop.TTL, hop)
	case planned && !reached:
		x.differ(Divergence{Code: TargetIsSilent, Device: model.None, TTL: hop.TTL, From: target})
		x.Suspects = nil
	case !planned && reached:
		x.differ(Divergence{Code: TargetReplies, Device: model.None, From: target})
	default:
		x.Suspects = nil
	}
	return x.Telling
}

// NoReply is what a real ping tells that should work and gets no reply: who sent an
// error in its stead, and so how far it got.
type NoReply struct {
	From   netip.Addr     // invalid where nobody sent any
	Hop    int            // at which the sender is on the forward path; 0 where it is on none
	Device model.DeviceID // the sender
}

// TellUnanswered is what a real ping tells that should work and gets no reply, but an
// error from an address, which is invalid where nothing came back.
func (x *Exchange) TellUnanswered(net *Network, from netip.Addr) NoReply {
	for _, end := range x.There.Endings {
		for hop, n := range x.There.Path(end.Node) {
			if d := x.There.Nodes[n].Device; hop > 0 && from.IsValid() && net.isOf(from, d) {
				return NoReply{from, hop, d}
			}
		}
	}
	return NoReply{From: from, Device: model.None}
}
