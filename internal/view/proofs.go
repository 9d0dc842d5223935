package view

import (
	"fmt"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/verify"
)

// Proofs is the requirements of a plan, each with a path that shows it.
func Proofs(all []verify.Proof) Table {
	t := Table{Columns: []Column{{Key: "requirement", Title: "requirement"}, {Key: "holds", Title: "holds"},
		{Key: "pairs", Title: "pairs", Right: true}, {Key: "states", Title: "states tried", Right: true}, {Key: "shown_by",
			Title: "shown by"}, {Key: "without", Title: "while out of order"}}, Empty: "the plan has no requirements"}
	for _, p := range all {
		holds := "no"
		if p.Holds {
			holds = "yes"
		}
		var without []string
		for _, f := range p.Without {
			without = append(without, f.Name(p.Net.Spec))
		}
		shown := "there is nobody to try it with"
		switch {
		case p.Err != nil:
			shown = p.Err.Error()
		case p.Exchange != nil:
			shown = pathOf(p.Net, p.Exchange)
		}
		t.Rows = append(t.Rows, []string{p.Of.Text, holds, fmt.Sprint(p.Pairs), fmt.Sprint(p.States), shown, forward.And(without)})
	}
	return t
}

// pathOf is the devices that a ping goes by, and where it ends if it does not come back.
func pathOf(net *forward.Network, x *forward.Exchange) string {
	text := devicesOf(net.Spec, x.There)
	if f, fails := x.Failure(net); fails {
		return strings.TrimPrefix(text+": "+f.Words(net), ": ")
	}
	if len(x.Back) > 0 {
		if back := devicesOf(net.Spec, x.Back[0]); back != reversed(text) {
			text += ", back by " + back
		}
	}
	return text
}

const arrow = " → "

func reversed(path string) string {
	words := strings.Split(path, arrow)
	for i, j := 0, len(words)-1; i < j; i, j = i+1, j-1 {
		words[i], words[j] = words[j], words[i]
	}
	return strings.Join(words, arrow)
}

func devicesOf(spec *model.Spec, g *forward.Graph) string {
	if len(g.Nodes) == 0 || len(g.Endings) == 0 {
		return ""
	}
	end, fails := g.Failing()
	if !fails {
		end = g.Endings[0]
	}
	var names []string
	for _, n := range g.Path(end.Node) {
		names = append(names, spec.Devices[g.Nodes[n].Device].Name)
	}
	return strings.Join(names, arrow)
}
