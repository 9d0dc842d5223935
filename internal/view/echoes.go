package view

import (
	"fmt"
	"io"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/frames"
)

// Echoes is what some echoes in a row have in common.
type Echoes struct {
	First  int      `json:"first"`
	Last   int      `json:"last"`
	Waits  []string `json:"waits"`  // for which neighbours to be resolved, in order
	Silent []string `json:"silent"` // which of them nobody answers for
}

// Count adds what each of several echoes waits for: the first for every neighbour on the path
// there and back, the next ones for those only that nobody answers for.
func (p *Ping) Count(net *forward.Network, count int) {
	for i := range p.Families {
		f := &p.Families[i]
		first, later := Echoes{First: 1, Last: 1, Waits: []string{}, Silent: []string{}}, Echoes{First: 2, Last: count, Waits: []string{},
			Silent: []string{}}
		for _, r := range frames.Resolutions(net, f.trial.Exchange) {
			text := fmt.Sprintf("%s asks for %s", net.Spec.Label(r.Out), net.Spec.HolderLabel(r.Address))
			first.Waits = append(first.Waits, text)
			if !r.Answered {
				first.Silent, later.Silent, later.Waits = append(first.Silent, text), append(later.Silent, text), append(later.Waits, text)
			}
		}
		f.Echoes = append(f.Echoes, first)
		if count > 1 {
			f.Echoes = append(f.Echoes, later)
		}
	}
}

// echoesText writes what echoes wait for.
func echoesText(w io.Writer, f PingFamily) {
	family := forward.FamilyOf(f.trial.Target)
	for _, e := range f.Echoes {
		which, verb := fmt.Sprintf("%s echo %d", family, e.First), "is"
		if e.Last > e.First {
			which, verb = fmt.Sprintf("%s echoes %d to %d", family, e.First, e.Last), "are"
		}
		if len(e.Waits) == 0 {
			fmt.Fprintf(w, "%s %s quick: every neighbour is known\n", which, verb)
			continue
		}
		fmt.Fprintf(w, "%s %s slower: %s to resolve first\n", which, verb, Count(len(e.Waits), "neighbour"))
		for _, x := range e.Waits {
			if slices.Contains(e.Silent, x) {
				x += "; nobody answers"
			}
			fmt.Fprintln(w, "  "+Clean(x))
		}
	}
}
