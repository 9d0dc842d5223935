package rehearse

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// MostTTL is up to which hop is traced.
const MostTTL = 6

// Probe is one probe of a trace.
type Probe struct {
	Target netip.Addr
	TTL    int
}

// Heard is who answered, and what.
type Heard struct {
	From netip.Addr
	Word string
}

// Answers is what came back to one device.
type Answers struct {
	Targets []netip.Addr
	Replied map[netip.Addr]bool
	Hops    map[Probe]Heard
}

// Outcome is how what was measured stands to what was predicted.
type Outcome uint8

const (
	AsPredicted Outcome = iota
	NotSaid             // the prediction is that it depends on the flow, or cannot be told
	Otherwise           // a ping gets a reply that should not, or none that should
	AtHop               // at a hop of the trace somebody else answers, or something else
)

// Comparison is one ping, and trace, beside its prediction.
type Comparison struct {
	Outcome   Outcome
	Replied   bool
	Hop       int            // AtHop: which
	Device    model.DeviceID // AtHop: who is predicted to answer there
	Want, Got Heard          // AtHop; without an address where nobody answers
	Agreed    []forward.TraceHop
}

// Compare sets what came back beside what was predicted. With traces hops are compared too:
// those that are answered at once, for that nobody is at an address is told after seconds.
func Compare(net *forward.Network, x *forward.Exchange, a *Answers, traces bool) Comparison {
	c := Comparison{Replied: a.Replied[x.Target], Device: model.None}
	verdict := x.Verdict()
	switch {
	case TranslatedAgain(net.Spec, x), verdict == forward.Depends, verdict == forward.Unclear:
		c.Outcome = NotSaid
	case (verdict == forward.Works) != c.Replied:
		c.Outcome = Otherwise
	case traces:
		c.hops(net, x, a)
	}
	return c
}

// hops compares who answers at each hop.
func (c *Comparison) hops(net *forward.Network, x *forward.Exchange, a *Answers) {
	for i, n := range x.There.Nodes {
		if i > 0 && n.Device == x.From {
			return // Linux drops what comes back to its sender
		}
	}
	for _, hop := range forward.Follow(net, x).Hops {
		if hop.TTL > MostTTL || len(hop.Answers) != 1 {
			continue
		}
		if d := hop.Answers[0].Device; hop.Answers[0].Address != x.Target && holds(net.Spec, d, x.Target) {
			continue // to the kernel an address of another table is its own all the same
		}
		answer := hop.Answers[0]
		word := answer.ICMP.Words(prefix.FamilyOf(x.Target))
		if !answer.Silent && late(word) {
			continue
		}
		got, did := a.Hops[Probe{x.Target, hop.TTL}]
		want := !answer.Silent && !answer.Lost && answer.Back != nil && answer.Back.Verdict() == forward.Works
		switch {
		case did && late(got.Word) && !want:
			continue // told of an earlier probe's neighbour
		case want && !did && word == "network unreachable":
			continue // Linux tells a peer of it only now and then, whatever the settings
		case want == did && (!want || got.Word == word && got.From == answer.Address):
			c.Agreed = append(c.Agreed, hop)
			continue
		}
		c.Outcome, c.Hop, c.Device, c.Got = AtHop, hop.TTL, answer.Device, got
		if want {
			c.Want = Heard{answer.Address, word}
		}
		return
	}
}

func holds(spec *model.Spec, d model.DeviceID, a netip.Addr) bool {
	return slices.ContainsFunc(spec.InterfacesOf(d), func(i model.InterfaceID) bool { return spec.Interfaces[i].Has(a) })
}

// late tells whether a word is told only after a neighbour was asked in vain.
func late(word string) bool { return word == "host unreachable" || word == "address unreachable" }

// TranslatedAgain tells whether packets come by a translator for a second time, which is to
// Linux a flow that it has decided about, or another with a number of its own.
func TranslatedAgain(spec *model.Spec, x *forward.Exchange) bool {
	for _, g := range append([]*forward.Graph{x.There}, x.Back...) {
		seen := map[model.DeviceID]bool{}
		for _, n := range g.Nodes {
			if seen[n.Device] && len(spec.Devices[n.Device].Translates) > 0 {
				return true
			}
			seen[n.Device] = true
		}
		for _, e := range g.Endings {
			for _, n := range e.Loop {
				if len(spec.Devices[g.Nodes[n].Device].Translates) > 0 {
					return true
				}
			}
		}
	}
	return false
}
