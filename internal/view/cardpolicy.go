package view

import (
	"fmt"
	"io"
	"strings"
)

// permits writes what the device lets pass, with the addresses that its names stand for.
func (c Card) permits(w io.Writer, width int) {
	if len(c.Permits) == 0 && c.Otherwise == "pass" {
		return
	}
	t := Table{Columns: []Column{{Title: "no.", Right: true}, {Title: "of"}, {Title: "permit"}, {Title: "in by"}, {Title: "out of"},
		{Title: "state"}, {Title: "note", Below: true}, {Title: "that is", Below: true}}}
	number := map[string]int{}
	for _, p := range c.Permits {
		number[p.Of]++
		state := ""
		if p.Pending {
			state = "pending: leave it out"
		}
		t.Rows = append(t.Rows, []string{fmt.Sprint(number[p.Of]), p.Of, p.Sentence, foldNames(p.In), foldNames(p.Out), state, p.Note,
			p.inAddresses()})
	}
	fmt.Fprintln(w, "\n"+bold.Render("Permits"))
	t.Text(w, width, "  ", false)
	rest := map[string]string{"pass": "it passes", "drop": "it drops", "refuse": "it refuses"}[c.Otherwise]
	if c.KeepsState {
		rest += "; replies to what passed pass"
	} else {
		rest += "; it keeps no state"
	}
	if c.SharesState != "" {
		rest += "; it shares its state with " + c.SharesState
	}
	paragraph(w, width, "  the rest "+rest, "  ")
}

// inAddresses is what a permit says, in addresses.
func (p ExportedPermit) inAddresses() string {
	verb := map[string]string{"pass": "pass", "drop": "drop", "refuse": "refuse"}[p.Effect]
	if p.Answers {
		verb = "pass replies"
	}
	text := verb + " from " + p.From.words() + " to " + p.To.words()
	over := make([]string, len(p.Over))
	for i, s := range p.Over {
		over[i] = s.words()
	}
	if len(over) > 0 {
		text += " over " + strings.Join(over, ", ")
	}
	return text
}

func (c Card) translations(w io.Writer, width int) {
	t := Table{Columns: []Column{{Title: "beyond"}, {Title: "inside"}, {Title: "is, beyond"}, {Title: "kind"}}}
	for _, x := range c.Translations {
		outside := strings.Join(x.Outside, ", ")
		if x.First != "" && x.First != x.Last {
			outside = x.First + ".." + x.Last
		}
		t.Rows = append(t.Rows, []string{x.Beyond, x.Inside.words(), outside, x.Kind})
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(w, "\n"+bold.Render("Translations"))
		t.Text(w, width, "  ", false)
	}
}

func (c Card) leases(w io.Writer, width int) {
	t := Table{Columns: []Column{{Title: "for"}, {Title: "from"}, {Title: "to"}, {Title: "mask"}, {Title: "gateway"}}}
	for _, l := range c.Leases {
		mask := l.Mask
		if mask == "" {
			mask = fmt.Sprintf("/%d", l.PrefixLength)
		}
		t.Rows = append(t.Rows, []string{l.Segment, l.First, l.Last, mask, l.Gateway})
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(w, "\n"+bold.Render("Leases it gives"))
		t.Text(w, width, "  ", false)
	}
}
