package view

import (
	"fmt"
	"io"

	"ropeswing/core/finding"
)

// FindingsChange is what a change of the plan did to its findings, in JSON.
type FindingsChange struct {
	Time     string    `json:"time"`     // RFC 3339
	Headline string    `json:"headline"` // as it is now
	New      []Finding `json:"new"`
	Gone     []Finding `json:"gone"`
	Stay     int       `json:"stay"` // how many are as they were

	new    []finding.Finding
	prefix string
	worse  bool
}

// NewFindingsChange compares two checks. A finding is the same one though it moved to another line.
func NewFindingsChange(before, after Findings, at string) FindingsChange {
	v := FindingsChange{Time: at, Headline: after.Headline(), New: []Finding{}, Gone: []Finding{}, prefix: after.prefix,
		worse: after.Errors > 0}
	key := func(f Finding) [3]string { return [3]string{f.Name, f.Subject, f.Reason} }
	had := map[[3]string]int{}
	for _, f := range before.Findings {
		had[key(f)]++
	}
	for i, f := range after.Findings {
		if had[key(f)] > 0 {
			had[key(f)]--
			v.Stay++
			continue
		}
		v.New, v.new = append(v.New, f), append(v.new, after.All[i])
	}
	for _, f := range before.Findings {
		if had[key(f)] > 0 {
			had[key(f)]--
			v.Gone = append(v.Gone, f)
		}
	}
	return v
}

// Nothing tells whether all is as it was.
func (v FindingsChange) Nothing() bool { return len(v.New)+len(v.Gone) == 0 }

// Text writes the headline, what is new in full, and what is gone in a line each.
func (v FindingsChange) Text(w io.Writer, width int, explain bool) {
	style := good
	if v.worse {
		style = bad
	}
	fmt.Fprintf(w, "\n%s %s\n", faint.Render(v.Time), style.Render(Clean(v.Headline))+
		faint.Render(fmt.Sprintf(" · %d new, %d gone", len(v.New), len(v.Gone))))
	for _, f := range v.new {
		FindingText(w, f, v.prefix, width, explain)
	}
	for _, f := range v.Gone {
		paragraph(w, width, good.Render("gone:")+" "+Clean(f.Reason)+" "+faint.Render("("+f.Name+")"), "  ")
	}
}
