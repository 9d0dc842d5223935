package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/revise"
)

// Change is one change of a remedy and, where the plan can be edited for it,
// the lines to take out and put in.
type Change struct {
	Change string   `json:"change"`         // in words
	Device string   `json:"device"`         // that changes
	File   string   `json:"file,omitempty"` // absent where the plan has no one obvious place for it
	Line   int      `json:"line,omitempty"` // of the first line taken out or put in
	Out    []string `json:"out,omitempty"`  // lines to take out
	In     []string `json:"in,omitempty"`   // lines to put in
}

// newChange shows an edit as the whole lines it takes out and puts in.
func newChange(a revise.Advice) Change {
	c := Change{Change: a.Text, Device: a.Device}
	if !a.InPlan {
		return c
	}
	c.File = a.Edit.Place.File.Name
	before, marked, after := a.Edit.Place.Excerpt()
	line, _ := a.Edit.Place.Position()
	if a.Edit.Place.Start == a.Edit.Place.End && strings.HasPrefix(strings.TrimPrefix(a.Edit.Text, "\r"), "\n") {
		c.Line = line + 1
		c.In = strings.Split(strings.TrimLeft(a.Edit.Text, "\r\n"), "\n")
		return c
	}
	c.Line = line
	if text := a.Edit.Place.Text(); a.Edit.Text == "" && before == "" && strings.HasSuffix(text, "\n") {
		c.Out = []string{strings.TrimRight(text, "\r\n")} // the whole line goes
		return c
	}
	c.Out = []string{before + marked + after}
	c.In = strings.Split(before+a.Edit.Text+after, "\n")
	return c
}

// changeText writes an edit of the plan as lines taken out and put in.
func changeText(w io.Writer, c Change, indent string) {
	if c.File == "" {
		return
	}
	fmt.Fprintln(w, indent+faint.Render(fmt.Sprintf("%s:%d", Clean(c.File), c.Line)))
	for _, l := range c.Out {
		fmt.Fprintln(w, indent+bad.Render("-")+Clean(l))
	}
	for _, l := range c.In {
		fmt.Fprintln(w, indent+good.Render("+")+Clean(strings.TrimRight(l, "\r")))
	}
}
