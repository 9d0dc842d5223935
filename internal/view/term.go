package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/explain"
	"ropeswing/core/plan"
)

// Term is a word of the glossary, in JSON.
type Term struct {
	Term    string   `json:"term"`
	Also    []string `json:"also"` // other words for the same
	Means   string   `json:"means"`
	Key     string   `json:"key,omitempty"`     // the plan's key that stands for it
	Where   string   `json:"where,omitempty"`   // where in the plan that key stands
	Command string   `json:"command,omitempty"` // what shows more of it, on the demo
	Source  string   `json:"source,omitempty"`  // the standard it is from
	doc     plan.KeyDoc
}

// NewTerm is a word in its JSON form.
func NewTerm(t explain.Term) Term {
	v := Term{Term: t.Name, Also: append([]string{}, t.Also...), Means: t.Means, Command: t.Command, Source: t.RFC}
	if k, where, ok := t.KeyOf(); ok {
		v.Key, v.Where, v.doc = k.Name, where, k
	}
	return v
}

// Terms is words as a table.
func Terms(all []Term) Table {
	t := Table{Columns: []Column{{Key: "term", Title: "term"}, {Key: "means", Title: "means"}, {Key: "key", Title: "key"},
		{Key: "where", Title: "where", Wide: true}, {Key: "also", Title: "also called"}, {Key: "command", Title: "in the demo", Wide: true},
		{Key: "source", Title: "source", Wide: true}}}
	for _, x := range all {
		t.Rows = append(t.Rows, []string{x.Term, x.Means, x.Key, x.Where, strings.Join(x.Also, ", "), x.Command, x.Source})
	}
	return t
}

// Text writes what a word means, and the key of the plan that stands for it.
func (t Term) Text(w io.Writer, width int) {
	head := bold.Render(t.Term)
	if len(t.Also) > 0 {
		head += faint.Render(" (also: " + strings.Join(t.Also, ", ") + ")")
	}
	paragraph(w, width, head, "")
	paragraph(w, width, t.Means, "")
	if t.Key != "" {
		KeyText(w, t.doc, t.Where, width)
	}
	if t.Command != "" {
		fmt.Fprintf(w, "\n%s  ropeswing %s\n", faint.Render("in the demo"), t.Command)
	}
	if t.Source != "" {
		fmt.Fprintln(w, faint.Render("from "+t.Source))
	}
}

// KeyText writes what the reference says of a key of the plan.
func KeyText(w io.Writer, k plan.KeyDoc, where string, width int) {
	plain := strings.NewReplacer("`", "").Replace
	fmt.Fprintln(w)
	paragraph(w, width, fmt.Sprintf("%s: %s", bold.Render(k.Name), plain(k.Form)), "")
	paragraph(w, width, "  "+faint.Render(plain(where)), "  ")
	paragraph(w, width, "  "+plain(k.Doc), "  ")
}
