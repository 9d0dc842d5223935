package view

import (
	"fmt"
	"io"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/routing"
)

var walkColumns = []Column{
	{Key: "device", Title: "device"}, {Key: "in", Title: "in by"}, {Key: "matched", Title: "longest match"},
	{Key: "next_hop", Title: "next hop"}, {Key: "out", Title: "out of"},
}

// walkRows is a walk as rows: a step each, and a row for each end.
func walkRows(t *routing.Tables, g *forward.Graph) [][]string {
	spec := t.State.Spec
	var rows [][]string
	for i, n := range g.Nodes {
		device, in := spec.Devices[n.Device].Name, ifaceName(spec, n.In)
		matched := subnet(n.Decision.Match.Prefix)
		for _, e := range n.Edges {
			next := address(e.Address)
			if e.To < 0 {
				next += ": nobody answers"
			}
			rows = append(rows, []string{device, in, matched, next, ifaceName(spec, e.Hop.Out)})
		}
		if len(n.Edges) > 0 {
			continue
		}
		word := actionWords[n.Decision.Action]
		for _, e := range g.Ends {
			if e.Node == i {
				word = outcomeWords[e.Outcome]
			}
		}
		rows = append(rows, []string{device, in, matched, word, ""})
	}
	for _, e := range g.Ends {
		if e.Outcome == forward.Looped {
			n := g.Nodes[e.Node]
			rows = append(rows, []string{spec.Devices[n.Device].Name, ifaceName(spec, n.In), "", "here again: a loop", ""})
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
func walkText(w io.Writer, t *routing.Tables, title string, g *forward.Graph, width int, explain bool) {
	fmt.Fprintln(w, bold.Render(title)+faint.Render(fmt.Sprintf(", %s to %s", orNone(address(g.Flow.Source)), g.Flow.Destination)))
	Table{Columns: walkColumns, Rows: walkRows(t, g)}.Text(w, width, "  ", false)
	if explain {
		for _, n := range g.Nodes {
			explainNode(w, t, g, n, width)
		}
	}
}

// explainNode shows what an expert would look at on a device: every route that
// matches, longest first, and which decides.
func explainNode(w io.Writer, t *routing.Tables, g *forward.Graph, n forward.Node, width int) {
	spec := t.State.Spec
	table := t.For(n.Device, n.In)
	fmt.Fprintln(w, "  "+bold.Render(spec.Devices[n.Device].Name)+faint.Render(" on its way to "+n.To.String()))
	entries := table.Covering(n.To)
	if len(entries) == 0 {
		fmt.Fprintln(w, "    no route matches")
	}
	for _, e := range entries {
		state := routeState(table, e)
		if e.InUse && e.Prefix != n.Decision.Match.Prefix {
			state = "a longer match decides"
		} else if e.InUse {
			state = "decides"
		}
		paragraph(w, width, "    "+e.Prefix.String()+" "+routeVia(spec, e)+": "+state, "      ")
	}
	for _, e := range n.Edges {
		switch {
		case e.To < 0:
			fmt.Fprintf(w, "    asks on %s for %s: nobody answers\n", ifaceName(spec, e.Hop.Out), e.Address)
		default:
			to := g.Nodes[e.To]
			fmt.Fprintf(w, "    asks on %s for %s: %s answers\n", ifaceName(spec, e.Hop.Out), e.Address, spec.Label(to.In))
		}
	}
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
func routeState(table routing.View, e routing.Entry) string {
	word := stateWord(e)
	why := table.Why(e)
	if why == "" {
		return word
	}
	return word + ": " + why
}
