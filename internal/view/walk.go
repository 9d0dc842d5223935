package view

import (
	"fmt"
	"io"
	"net/netip"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/routing"
)

var walkColumns = []Column{
	{Key: "path", Title: "path"}, {Key: "device", Title: "device"}, {Key: "in", Title: "in by"}, {Key: "matched", Title: "longest match"},
	{Key: "next_hop", Title: "next hop"}, {Key: "out", Title: "out of"}, {Key: "translates", Title: "translates", Below: true,
		Lead: "translates "},
}

// rewritten is what a device makes of a packet's addresses; with no edge, of those
// of what it keeps.
func rewritten(n *forward.Node, e *forward.Edge) string {
	var parts []string
	if n.To != n.Destination {
		parts = append(parts, fmt.Sprintf("to %s, now %s", ported(n.Destination, n.Over, n.Over != n.For), ported(n.To, n.For, n.Over != n.For)))
	}
	if e != nil && e.Left.Source.IsValid() && e.Left.Source != e.Sent.Source {
		parts = append(parts, fmt.Sprintf("from %s, now %s",
			ported(e.Sent.Source, n.For, n.For != e.Over), ported(e.Left.Source, e.Over, n.For != e.Over)))
	}
	return strings.Join(parts, "; ")
}

// walkRows is a walk as rows: a step each, and a row for each end, equal-cost paths
// apart.
func walkRows(net *forward.Network, g *forward.Graph) [][]string {
	spec := net.Spec
	var rows [][]string
	b := branchesOf(g)
	for _, i := range b.order {
		n := &g.Nodes[i]
		device, in := spec.Devices[n.Device].Name, ifaceName(spec, n.In)
		matched := subnet(n.Decision.Match.Prefix)
		for j, e := range n.Edges {
			next := address(e.Address)
			if e.To < 0 {
				next += ": " + outcomeWords[g.EndAt(i, j).Outcome]
			}
			rows = append(rows, []string{b.after(i, j, len(n.Edges)), device, in, matched, next, ifaceName(spec, e.Hop.Out), rewritten(n, &e)})
		}
		if len(n.Edges) > 0 {
			continue
		}
		word := actionWords[n.Decision.Action]
		for _, e := range g.Endings {
			if e.Node == i {
				word = outcomeWords[e.Outcome]
			}
		}
		rows = append(rows, []string{b.of[i], device, in, matched, word, "", rewritten(n, nil)})
	}
	for _, e := range g.Endings {
		if e.Outcome == forward.Looped {
			n := g.Nodes[e.Node]
			rows = append(rows, []string{b.of[e.Node], spec.Devices[n.Device].Name, ifaceName(spec, n.In), "", "here again: a loop", "", ""})
		}
	}
	return rows
}

// orNone is an address, or the words for having none.
func orNone(a string) string {
	if a == "" {
		return "no address"
	}
	return a
}

// walkText writes one walk.
func walkText(w io.Writer, net *forward.Network, title string, g *forward.Graph, width int, explain bool) {
	fmt.Fprintln(w, bold.Render(title)+faint.Render(fmt.Sprintf(", %s to %s", sourcesOf(g), g.Flow.Destination)))
	table := Table{Columns: walkColumns, Rows: walkRows(net, g)}
	table.Text(w, width, "  ", false)
	if explain {
		for _, i := range branchesOf(g).order {
			explainNode(w, net, g, i, width)
		}
	}
}

// sourcesOf is what a walk is sent from: "10.1.0.1 or 10.2.0.1" where it depends on the hop that is taken.
func sourcesOf(g *forward.Graph) string {
	var all []string
	for _, h := range g.Sent() {
		all = append(all, orNone(address(h.Source)))
	}
	return strings.Join(all, " or ")
}

// routeVia says where a route leads: "direct on lan0", "via 10.48.0.1".
func routeVia(spec *model.Spec, e routing.Entry) string {
	switch {
	case e.Source == routing.Local && e.Out() == model.None:
		return "answered here"
	case e.Source == routing.Local:
		return "its own, on " + ifaceName(spec, e.Out())
	case e.Source == routing.Direct:
		return "direct on " + ifaceName(spec, e.Out())
	}
	s := spec.Statics[e.Static()]
	switch {
	case s.Discard:
		return "discard"
	case !s.Via.IsValid():
		return e.Source.String() + " out of " + ifaceName(spec, s.Out)
	case s.Out != model.None:
		return e.Source.String() + " via " + s.Via.String() + " out of " + ifaceName(spec, s.Out)
	}
	return e.Source.String() + " via " + s.Via.String()
}

// stateWord says whether a route is in use.
func stateWord(e routing.Entry) string {
	switch {
	case e.InUse:
		return "in use"
	case e.Usable == routing.IsUsable:
		return "standby"
	}
	return "unusable"
}

// routeState says whether a route is in use, and why not.
func routeState(net *forward.Network, table routing.View, e routing.Entry) string {
	word := stateWord(e)
	why := net.Why(table, e)
	if why == "" {
		return word
	}
	return word + ": " + why
}

// ported is an address, with the ports at it where these are translated.
func ported(a netip.Addr, over model.Service, translated bool) string {
	if translated {
		return a.String() + " " + over.String()
	}
	return a.String()
}
