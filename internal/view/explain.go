package view

import (
	"fmt"
	"io"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/policy"
)

// explainNode shows what an expert would look at on a device: the source chosen,
// every route that matches, longest first, and which decides, how its next hop is
// found, what is translated and permitted, and who answers on the link.
func explainNode(w io.Writer, net *forward.Network, g *forward.Graph, id, width int) {
	spec, n := net.Spec, &g.Nodes[id]
	line := func(format string, args ...any) {
		paragraph(w, width, "    "+Clean(fmt.Sprintf(format, args...)), "      ")
	}
	fmt.Fprintln(w, "  "+bold.Render(Clean(spec.Devices[n.Device].Name))+faint.Render(" on its path to "+n.Destination.String()))
	if id == 0 && g.Flow.Kind == policy.Request {
		for _, h := range g.Sent() {
			line("sends from %s: %s", orNone(address(h.Source)), forward.WhySource(net, n.Device, n.To, h.Source))
		}
	}
	if n.To != n.Destination || n.Over != n.For {
		line("translates its destination to %s: %s", ported(n.To, n.For, n.Over != n.For), whyTranslated(n.Treated))
	}
	explainRoutes(net, n, line)
	for i := range n.Edges {
		explainEdge(net, g, id, i, line)
	}
	if x := n.Treated; x != nil && x.Judged.By != policy.ByNothing {
		line("is for itself: %s (%s)", passesWord(x.Judged.Ruling), forward.JudgedBy(spec, n.Device, x.Judged))
	}
}

// explainRoutes shows the routes that match, and how the next hop of the one that
// decides is found.
func explainRoutes(net *forward.Network, n *forward.Node, line func(string, ...any)) {
	spec := net.Spec
	table := forward.TableAt(net, n)
	entries := table.Covering(n.To)
	if len(entries) == 0 {
		line("no route matches")
	}
	for _, e := range entries {
		state := routeState(net, table, e)
		decides := e.InUse && e.Prefix == n.Decision.Match.Prefix
		if e.InUse {
			state = "a longer match decides"
		}
		if decides {
			state = "decides"
		}
		line("%s %s: %s", e.Prefix, routeVia(spec, e), state)
		if !decides || e.Static() == model.None {
			continue
		}
		if s := &spec.Statics[e.Static()]; s.Via.IsValid() && s.Out == model.None {
			m, _ := table.Lookup(s.Via)
			for _, hop := range m.Hops {
				if hop.Via.IsValid() { // not on a link of its own
					line("finds %s by %s, via %s out of %s", s.Via, m.Prefix, hop.Via, ifaceName(spec, hop.Out))
				}
			}
		}
	}
}

// explainEdge shows what is done with a packet as it leaves, and who takes it.
func explainEdge(net *forward.Network, g *forward.Graph, id, edge int, line func(string, ...any)) {
	spec, n := net.Spec, &g.Nodes[id]
	e := &n.Edges[edge]
	if x := e.Treated; x != nil {
		if x.Judged.By != policy.ByNothing {
			line("out of %s: %s (%s)", ifaceName(spec, e.Hop.Out), passesWord(x.Judged.Ruling), forward.JudgedBy(spec, n.Device, x.Judged))
		}
		if e.Left.Source != e.Sent.Source || e.Over != n.For {
			line("translates its source to %s: %s", ported(e.Left.Source, e.Over, e.Over != n.For), whyTranslated(x))
		}
	}
	end := g.EndAt(id, edge)
	asks := "asks by ARP on"
	if e.Address.Is6() {
		asks = "asks by neighbour discovery on"
	}
	out := ifaceName(spec, e.Hop.Out)
	switch {
	case e.To < 0 && end.Outcome != forward.Unanswered:
		line("out of %s: %s", out, outcomeWords[end.Outcome])
	case spec.Interfaces[e.Hop.Out].Serial && e.To < 0:
		line("sends on %s, a line on which nothing is resolved: nobody is there", out)
	case spec.Interfaces[e.Hop.Out].Serial:
		line("sends on %s, a line on which nothing is resolved, to %s", out, spec.Label(g.Nodes[e.To].In))
	case e.To < 0:
		line("%s %s for %s: nobody answers", asks, out, e.Address)
	default:
		in := g.Nodes[e.To].In
		answers := spec.Label(in) + " answers"
		if !spec.Interfaces[in].Has(e.Address) {
			answers += ", which translates it"
		}
		line("%s %s for %s: %s", asks, out, e.Address, answers)
	}
}

func passesWord(r model.Ruling) string {
	return [...]string{model.Pass: "passes", model.Drop: "dropped", model.Refuse: "refused"}[r]
}

// whyTranslated is the sentence that made another address of one.
func whyTranslated(x *forward.Treatment) string {
	if x.Undone {
		return "that of what it answers is undone"
	}
	if x.Translation == nil {
		return "translated"
	}
	return forward.Sentence(x.Translation.Text, x.Translation.Place)
}
