package referee

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// shown is every rule of forwarding that Linux can show, by what is counted of
// each.
var shown = []string{
	"direct route", "static route", "discard route", "no route", "longest match", "lowest distance", "floating route takes over",
	"a host does not forward",
	"nobody answers", "loop", "TTL runs out", "the error's source", "an error lost on its return path", "reply from the address asked",
	"permit passes", "permit drops", "permit refuses", "permit for replies", "what no permit matches", "state passes a reply",
	"state passes an error", "state drops a stray",
	"own permit", "own refusal", "destination translated", "source translated one to one", "source shared", "source taken", "none left",
	"translation undone",
	"error translated", "error hides who is inside", "translator answers on the link", "translated address routed to", "reply from elsewhere",
}

// tally counts which rules an exchange stood on, and the answers of its trace.
func tally(net *forward.Network, x *forward.Exchange, hops []forward.TraceHop, count map[string]int) {
	graphs := append([]*forward.Graph{x.There}, x.Back...)
	for _, g := range graphs {
		tallyGraph(net, g, count)
	}
	if len(x.Back) > 0 && x.Verdict() == forward.Works {
		count["reply from the address asked"]++
	}
	for _, h := range hops {
		for _, a := range h.Answers {
			if a.Back == nil || a.ICMP.Words(prefix.FamilyOf(x.Target)) == "reply" {
				continue
			}
			count["the error's source"]++
			if a.Lost {
				count["an error lost on its return path"]++
			}
			if a.ICMP.Words(prefix.FamilyOf(x.Target)) == "time exceeded" {
				count["TTL runs out"]++
			}
			if a.Back.Flow.Source == x.Target && a.ICMP.Words(prefix.FamilyOf(x.Target)) == "time exceeded" {
				count["error hides who is inside"]++
			}
			tallyGraph(net, a.Back, count)
		}
	}
}

func tallyGraph(net *forward.Network, g *forward.Graph, count map[string]int) {
	for i := range g.Nodes {
		n := &g.Nodes[i]
		tallyRoute(net, n, count)
		if n.Treated != nil {
			tallyTreatment(net, g, n.Device, n.Treated, count)
			if n.Treated.Translation != nil {
				count["destination translated"]++
			}
		}
		for _, e := range n.Edges {
			if e.Treated != nil {
				tallyTreatment(net, g, n.Device, e.Treated, count)
				if by := e.Treated.Translation; by != nil && e.To >= 0 {
					count[[]string{"source translated one to one", "source shared", "source taken"}[by.Kind]]++
				}
			}
			if e.To >= 0 && !holds(net.Spec, g.Nodes[e.To].In, e) {
				count["translator answers on the link"]++
			}
			if d := translatorOf(net, e.Left.Destination); e.To >= 0 && e.Hop.Via.IsValid() && g.Nodes[e.To].Device == d {
				count["translated address routed to"]++
			}
		}
	}
	for _, e := range g.Endings {
		switch e.Outcome {
		case forward.Unanswered:
			count["nobody answers"]++
		case forward.Looped:
			count["loop"]++
		case forward.NoneLeft:
			count["none left"]++
		case forward.Unexpected:
			count["reply from elsewhere"]++
		}
	}
}

func holds(spec *model.Spec, id model.InterfaceID, e forward.Edge) bool {
	return slices.ContainsFunc(spec.Interfaces[id].Addresses, func(a model.Address) bool { return a.Addr() == e.Address })
}

func translatorOf(net *forward.Network, a interface{ String() string }) model.DeviceID {
	for d := range net.Spec.Devices {
		for _, x := range net.Spec.Devices[d].Translates {
			if x.Kind == model.OneToOne && x.First.String() == a.String() {
				return model.DeviceID(d)
			}
		}
	}
	return model.None
}

func tallyRoute(net *forward.Network, n *forward.Node, count map[string]int) {
	switch n.Decision.Action {
	case forward.NoRoute:
		count["no route"]++
	case forward.Discard:
		count["discard route"]++
	case forward.NotForwarding:
		count["a host does not forward"]++
	}
	if n.Decision.Action != forward.PassOn {
		return
	}
	table := net.For(n.Device, n.In)
	for _, e := range table.Covering(n.To) {
		if e.Usable == routing.IsUsable && e.Prefix != n.Decision.Match.Prefix {
			count["longest match"]++
			break
		}
	}
	all := table.Of(n.Decision.Match)
	for i, e := range all {
		switch {
		case e.InUse && e.Source == routing.Direct:
			count["direct route"]++
		case e.InUse && e.Static() != model.None:
			count["static route"]++
			for _, better := range all[:i] {
				if better.Distance < e.Distance && better.Usable != routing.IsUsable {
					count["floating route takes over"]++
				}
			}
		case e.Usable == routing.IsUsable:
			count["lowest distance"]++
		}
	}
}

func tallyTreatment(net *forward.Network, g *forward.Graph, d model.DeviceID, x *forward.Treatment, count map[string]int) {
	kind := g.Flow.Kind
	if x.Undone {
		if count["translation undone"]++; kind == policy.Error {
			count["error translated"]++
		}
	}
	j := x.Judged
	switch {
	case j.By == policy.ByOtherwise:
		count["what no permit matches"]++
	case j.By == policy.ByNoState:
		count["state drops a stray"]++
	case j.By == policy.ByState && kind == policy.Reply:
		count["state passes a reply"]++
	case j.By == policy.ByState:
		count["state passes an error"]++
	case j.By >= 0:
		if count["permit "+[]string{"passes", "drops", "refuses"}[j.Ruling]]++; !j.Own && net.Spec.Devices[d].Permits[j.By].Answers {
			count["permit for replies"]++
		}
	}
	if j.Own && j.By != policy.ByNothing {
		if count["own permit"]++; j.Ruling == model.Refuse {
			count["own refusal"]++
		}
	}
}

// counted lists how often each rule was seen to agree.
func counted(count map[string]int) string {
	var all []string
	for _, name := range shown {
		all = append(all, fmt.Sprintf("%s %d", name, count[name]))
	}
	return strings.Join(all, ", ")
}
