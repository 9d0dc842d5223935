package forward

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Trace is what a traceroute shows.
type Trace struct {
	Exchange *Exchange
	Hops     []TraceHop
	Loop     []model.DeviceID // the devices that pass it round, where it loops
}

// TraceHop is what comes back for one TTL.
type TraceHop struct {
	TTL     int
	Answers []Answer // several where equal-cost paths lead to different devices
}

// Answer is what one device sends back for one TTL.
type Answer struct {
	Device  model.DeviceID
	In      model.InterfaceID // by which the probe came in
	Node    int               // in the graph of the forward path
	Silent  bool              // it sends nothing
	Lost    bool              // what it sends does not arrive
	Address netip.Addr        // from which it answers; invalid while silent
	ICMP    ICMP
	Back    *Graph // the answer's own way
}

// Final tells whether the probe got where it was meant to, or met its end.
func (a Answer) Final(family prefix.Family) bool { return a.Silent || a.ICMP != timeExceeded(family) }

// Follow predicts a traceroute along an exchange.
func Follow(net *Network, x *Exchange) *Trace {
	tr := &Trace{Exchange: x}
	g := x.There
	front := []int{0}
	var seen [][]int
	for ttl := 1; ttl <= DefaultTTL && len(front) > 0; ttl++ {
		hop := TraceHop{TTL: ttl}
		var next []int
		for _, n := range front {
			if e := g.EndAt(n, -1); n != 0 && e.Outcome == LinkBound {
				hop.Answers = append(hop.Answers, answer(net, g, n, e, x.Back))
			}
			for e, edge := range g.Nodes[n].Edges {
				if edge.To < 0 {
					if n != 0 { // the sender's own failure is no hop
						hop.Answers = append(hop.Answers, answer(net, g, n, g.EndAt(n, e), x.Back))
					}
					continue
				}
				if !slices.Contains(next, edge.To) {
					next = append(next, edge.To)
					hop.Answers = append(hop.Answers, answer(net, g, edge.To, arrival(g, edge.To), x.Back))
				}
			}
		}
		if len(hop.Answers) > 0 {
			tr.Hops = append(tr.Hops, hop)
		}
		slices.Sort(next)
		if slices.ContainsFunc(seen, func(s []int) bool { return slices.Equal(s, next) }) {
			if i := slices.IndexFunc(g.Endings, func(e Ending) bool { return e.Outcome == Looped }); i >= 0 {
				tr.Loop = loopOf(g, g.Endings[i])
				break
			}
		}
		seen = append(seen, next)
		front = next
	}
	return tr
}

// EndAt is how a way ends on a step that leads to nobody.
func (g *Graph) EndAt(node, edge int) Ending {
	for _, e := range g.Endings {
		if e.Node == node && e.Edge == edge {
			return e
		}
	}
	return Ending{Outcome: Unanswered, Node: node, Edge: edge}
}

// loopOf is the devices that pass a packet round, each once, in the order in
// which it first came to them.
func loopOf(g *Graph, e Ending) []model.DeviceID {
	var in, ordered []model.DeviceID
	for _, n := range e.Loop {
		in = append(in, g.Nodes[n].Device)
	}
	for _, n := range g.Nodes {
		if slices.Contains(in, n.Device) && !slices.Contains(ordered, n.Device) {
			ordered = append(ordered, n.Device)
		}
	}
	return ordered
}

// arrival is what a probe that has just the TTL to get to a node meets there.
// The route is looked up before the TTL is lowered.
func arrival(g *Graph, n int) Ending {
	for _, e := range g.Endings {
		if e.Node == n && e.Edge < 0 && e.Outcome != Looped && e.Outcome != Expired && e.Outcome != LinkBound {
			return e
		}
	}
	return Ending{Outcome: Expired, Node: n, Edge: -1}
}

// answer is what a device says of an end, and whether it gets back to the
// sender.
func answer(net *Network, g *Graph, n int, e Ending, replies []*Graph) Answer {
	node := g.Nodes[n]
	family := prefix.FamilyOf(node.Destination)
	a := Answer{Device: node.Device, In: node.In, Node: n, Silent: true}
	if e.Outcome == Delivered {
		a.ICMP = echoReply(family)
		for _, b := range replies {
			if b.Flow.Destination != node.Source {
				continue
			}
			if a.Back = b; b.Nodes[0].Device == node.Device && b.Verdict() != Fails {
				break
			}
		}
		if a.Silent = a.Back == nil; !a.Silent {
			a.Address = g.Flow.Destination
		}
	} else if m, ok := errorFor(e.Outcome, family); ok {
		if back, ok := errorBack(net, g, n); ok {
			a.ICMP, a.Back, a.Silent, a.Address = m, back, false, back.arrivesFrom()
		}
	}
	a.Lost = a.Back != nil && a.Back.Verdict() == Fails
	return a
}

// arrivesFrom is the address from which what was sent comes to who gets it; where
// nobody does, from which it was sent.
func (g *Graph) arrivesFrom() netip.Addr {
	for _, e := range g.Endings {
		if e.Outcome == Delivered {
			return g.Nodes[e.Node].Source
		}
	}
	return g.Flow.Source
}
