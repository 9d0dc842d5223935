package view

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/revise"
	"ropeswing/core/source"
)

// Findings is a check's result.
type Findings struct {
	Plan     string `json:"plan"`     // the plan's name
	File     string `json:"file"`     // its file
	Usable   bool   `json:"usable"`   // false where the plan could not be understood
	Basis    string `json:"basis"`    // what the answer stands on
	Errors   int    `json:"errors"`   // how many findings of severity error
	Warnings int    `json:"warnings"` // how many of severity warning
	Advice   int    `json:"advice"`   // how many of severity advice

	Accepted int       `json:"accepted"` // how many the plan accepts, which are not among them
	Findings []Finding `json:"findings"` // in the order of the file

	Heard *AskedAll `json:"asked,omitempty"` // who answered, where the answer stands on a live look

	Summary string            `json:"-"`
	Files   []string          `json:"-"` // the plan's files
	Whole   bool              `json:"-"` // like findings are not folded
	All     []finding.Finding `json:"-"`
	prefix  string
}

// Finding is one finding in JSON and CSV.
type Finding struct {
	Name     string   `json:"name"`     // its name in the catalogue
	Severity string   `json:"severity"` // error, warning or advice
	File     string   `json:"file"`
	Line     int      `json:"line,omitempty"`    // from 1
	Column   int      `json:"column,omitempty"`  // from 1, in characters
	Subject  string   `json:"subject,omitempty"` // the device, interface, segment or key it is about
	Reason   string   `json:"reason"`            // one sentence
	Remedy   string   `json:"remedy,omitempty"`  // what to do
	Tried    bool     `json:"tried,omitempty"`   // the remedy was tried, and works
	Mends    int      `json:"mends,omitempty"`   // how many pairs that fail the remedy mends, where that was counted
	Of       int      `json:"of,omitempty"`      // how many pairs fail
	Some     bool     `json:"some,omitempty"`    // of a large network only some pairs were asked
	Because  *Spot    `json:"because,omitempty"` // where what it follows from is to be mended
	Changes  []Change `json:"changes,omitempty"` // the remedy, change by change, with the lines of the plan
	Next     string   `json:"next,omitempty"`    // a command to type next
	Also     []Spot   `json:"also,omitempty"`    // further places that have a part in it
}

// Spot is a place in a file.
type Spot struct {
	File   string `json:"file"`
	Line   int    `json:"line"`   // from 1
	Column int    `json:"column"` // from 1, in characters
}

// NewFindings gathers the findings about a plan. What is the plan's name or
// file; summary says what was looked at.
// Prefix is the start of any command that uses the same plan; fixes are a remedy's changes, or nil.
func NewFindings(name, file, basis, summary, prefix string, usable bool, all []finding.Finding,
	fixes func(finding.Finding) []revise.Advice) Findings {
	v := Findings{Plan: name, File: file, prefix: prefix, Usable: usable, Basis: basis, Summary: summary, All: all, Findings: []Finding{}}
	v.Errors = finding.Count(all, finding.Error)
	v.Warnings = finding.Count(all, finding.Warning) - v.Errors
	v.Advice = len(all) - v.Errors - v.Warnings
	for _, f := range all {
		line, column := f.Place.Position()
		x := Finding{Name: string(f.Name), Severity: f.Severity().String(), Line: line, Column: column, Subject: f.Subject, Reason: f.Reason,
			Remedy: f.Remedy, Tried: f.Tried, Next: nextOf(f, prefix)}
		if f.Place.Known() {
			x.File = f.Place.File.Name
		}
		x.Mends, x.Of, x.Some = f.Mends, f.Of, f.Some
		if f.Because.Known() {
			line, column := f.Because.Position()
			x.Because = &Spot{f.Because.File.Name, line, column}
		}
		if fixes != nil {
			for _, a := range fixes(f) {
				x.Changes = append(x.Changes, newChange(a))
			}
		}
		for _, p := range f.Also {
			line, column := p.Position()
			x.Also = append(x.Also, Spot{p.File.Name, line, column})
		}
		v.Findings = append(v.Findings, x)
	}
	return v
}

// Headline is the result in one line.
func (v Findings) Headline() string {
	what := v.Plan
	if what == "" {
		what = v.File
	}
	if !v.Usable {
		return fmt.Sprintf("%s cannot be used: %s", v.File, Count(v.Errors, "error"))
	}
	var counts []string
	for _, c := range []struct {
		n    int
		word string
	}{{v.Errors, "error"}, {v.Warnings, "warning"}} {
		if c.n > 0 {
			counts = append(counts, Count(c.n, c.word))
		}
	}
	if v.Advice > 0 {
		counts = append(counts, fmt.Sprintf("%d advice", v.Advice))
	}
	text := "nothing wrong"
	if v.Heard.Silent() {
		text = v.Heard.Headline() + "; with the others taken to be as planned, nothing wrong"
	}
	if len(counts) > 0 {
		text = strings.Join(counts, ", ")
		if v.Heard.Silent() {
			text = v.Heard.Headline() + "; " + text
		}
	}
	if !v.Heard.Silent() {
		text += v.Heard.byPlan()
	}
	causes, mends, of, asked := 0, 0, 0, ""
	for _, f := range v.All {
		if f.Mends > 0 {
			causes, mends, of = causes+1, mends+f.Mends, f.Of
			if f.Some {
				asked = ", of those asked"
			}
		}
	}
	if causes > 1 {
		some := fmt.Sprintf("%d of ", mends)
		if mends >= of {
			some = "all "
		}
		text += fmt.Sprintf("; %d changes mend %s%s that fail%s", causes, some, Count(of, "pair"), asked)
	}
	if v.Accepted > 0 {
		text += fmt.Sprintf(", %d accepted", v.Accepted)
	}
	return what + ": " + text
}

// Text writes the headline and each finding with its line of the plan.
func (v Findings) Text(w io.Writer, width int, explain bool) {
	style := good
	if v.Heard.Silent() {
		style = warn
	}
	if v.Errors > 0 {
		style = bad
	} else if v.Warnings > 0 {
		style = warn
	}
	basis := ""
	if v.Basis != "" {
		basis = faint.Render(Clean(" · " + v.Basis))
	}
	fmt.Fprintln(w, style.Render(Clean(v.Headline()))+basis)
	if v.Summary != "" {
		paragraph(w, width, faint.Render(Clean(v.Summary)), "")
	}
	alike := map[finding.Name][]finding.Finding{}
	so := map[source.Place][]finding.Finding{} // by where it follows from
	for _, f := range v.All {
		if f.Because.Known() && !v.Whole {
			so[f.Because] = append(so[f.Because], f)
			continue
		}
		alike[f.Name] = append(alike[f.Name], f)
	}
	said := map[finding.Name]int{}
	for i, f := range v.All {
		if f.Because.Known() && !v.Whole {
			continue
		}
		n := len(alike[f.Name])
		if said[f.Name]++; v.Whole || n < foldFrom || said[f.Name] <= shownAlike {
			fmt.Fprintln(w)
			FindingText(w, f, v.prefix, width, explain)
			typedText(w, f, v.Findings[i].Changes, width)
			followText(w, so[f.Place], v.prefix, width)
			delete(so, f.Place)
		}
		if !v.Whole && n >= foldFrom && said[f.Name] == shownAlike {
			foldedText(w, alike[f.Name][shownAlike:], v.prefix, width)
		}
	}
	if len(v.All) > manyFindings {
		fmt.Fprintln(w, "\n"+style.Render(Clean(v.Headline())))
	}
}

// manyFindings is after how many the headline has gone off most screens, and
// stands at the end too.
const manyFindings = 4

// From so many findings of one name on only the first are told in full.
const (
	foldFrom   = 6
	shownAlike = 2
)

// typedText writes the lines of the plan as they are with a remedy, where they were counted to mend something.
func typedText(w io.Writer, f finding.Finding, changes []Change, width int) {
	if !f.Tried {
		return
	}
	line, _ := f.Place.Position()
	for _, c := range changes {
		if c.File == "" {
			return
		}
		mark := func(sign, text string, n int, style look) {
			fmt.Fprintln(w, style.Render(fmt.Sprintf("  %4d %s ", n, sign))+cutText(Clean(strings.TrimRight(text, "\r")), width-9))
		}
		if c.Line != line || len(c.In) == 0 {
			for i, l := range c.Out {
				mark("-", l, c.Line+i, bad)
			}
		}
		for i, l := range c.In {
			mark("+", l, c.Line+i, good)
		}
	}
}

// cutText is a text that fits, with a sign where it was cut.
func cutText(s string, width int) string {
	if r := []rune(s); len(r) > width && width > 1 {
		return string(r[:width-1]) + "…"
	}
	return s
}

// shownFollowing is how many of what follows from a finding are told with it.
const shownFollowing = 3

// followText tells what follows from a finding: in short, the first few.
func followText(w io.Writer, all []finding.Finding, prefix string, width int) {
	for i, f := range all {
		if i == shownFollowing && len(all) > shownFollowing+1 {
			paragraph(w, width, "  and so: "+faint.Render(Clean(fmt.Sprintf("%d more (%s check --all tells each)", len(all)-i, prefix))),
				"          ")
			return
		}
		line, _ := f.Place.Position()
		short, _, _ := strings.Cut(f.Reason, ": ")
		paragraph(w, width, "  and so: "+Clean(fmt.Sprintf("line %d: %s", line, short))+" "+faint.Render("("+string(f.Name)+")"), "          ")
	}
}

// foldedText tells in one line of further findings of a name: how many, and of what.
func foldedText(w io.Writer, more []finding.Finding, prefix string, width int) {
	var names []string
	for _, f := range more {
		if f.Subject != "" && !slices.Contains(names, f.Subject) {
			names = append(names, f.Subject)
		}
	}
	text := fmt.Sprintf("and %d more %s", len(more), more[0].Name)
	const most = 8
	if len(names) > most {
		names = append(names[:most], fmt.Sprintf("%d more", len(names)-most))
	}
	if len(names) > 0 {
		text += ": " + strings.Join(names, ", ")
	}
	paragraph(w, width, bold.Render(Clean(text))+faint.Render(" ("+prefix+" check --all tells each)"), "  ")
}

// FindingText writes one finding: where, what, the line with a caret, what to
// do, and the command to type next, which begins with prefix. Explain adds what the
// catalogue says of it.
func FindingText(w io.Writer, f finding.Finding, prefix string, width int, explain bool) {
	style := map[finding.Severity]look{finding.Error: bad, finding.Warning: warn, finding.Advice: bold}[f.Severity()]
	where := ""
	if f.Place.Known() {
		where = f.Place.String() + ": "
	}
	paragraph(w, width, bold.Render(Clean(where))+style.Render(f.Severity().String()+":")+" "+Clean(f.Reason)+" "+
		faint.Render("("+string(f.Name)+")"), "  ")
	excerpt(w, f.Place, width)
	if f.Remedy != "" {
		paragraph(w, width, "  remedy: "+Clean(remedyOf(f)), "          ")
	}
	if next := nextOf(f, prefix); next != "" {
		paragraph(w, width, "  next: "+Clean(next), "        ")
	}
	if explain {
		e := finding.Lookup(f.Name)
		paragraph(w, width, "  "+faint.Render(Clean(e.Means+" "+e.Why)), "  ")
	}
}

// remedyOf is what to do, and that it was tried.
func remedyOf(f finding.Finding) string {
	asked := ""
	if f.Some {
		asked = ", of those asked"
	}
	switch {
	case f.Mends > 1 && f.Mends >= f.Of:
		return fmt.Sprintf("%s (tried: it mends all %d pairs that fail%s)", f.Remedy, f.Mends, asked)
	case f.Of > 1 && f.Mends > 0:
		return fmt.Sprintf("%s (tried: it mends %d of %d pairs that fail%s)", f.Remedy, f.Mends, f.Of, asked)
	case f.Tried:
		return f.Remedy + " (tried: it works)"
	}
	return f.Remedy
}

// nextOf is the command to type next; "" where there is none.
func nextOf(f finding.Finding, prefix string) string {
	if len(f.Next) == 0 {
		return ""
	}
	words := []string{prefix}
	for _, w := range f.Next {
		words = append(words, ShellWord(w))
	}
	return strings.Join(words, " ")
}

// paragraph writes text broken at spaces, further lines behind the indent.
func paragraph(w io.Writer, width int, text, indent string) {
	lead := text[:len(text)-len(strings.TrimLeft(text, " "))]
	labelled(w, width, lead, strings.TrimLeft(text, " "), indent)
}

// labelled is paragraph with a label in front whose spaces are kept.
func labelled(w io.Writer, width int, label, text, indent string) {
	for i, l := range wrap(text, max(20, width-max(len(label), len(indent)))) {
		if i == 0 {
			fmt.Fprintln(w, label+l)
		} else {
			fmt.Fprintln(w, indent+l)
		}
	}
}

// farOff is how many bytes from its place a line is no longer worth looking at.
const farOff = 1000

// excerpt writes the line of a place with a caret under what is meant. A line
// too long for the width is cut on both sides.
func excerpt(w io.Writer, p source.Place, width int) {
	line, _ := p.Position()
	if line == 0 {
		return
	}
	before, marked, after := p.Excerpt()
	if len(before) > farOff { // a line may be megabytes long
		before = "…" + strings.ToValidUTF8(before[len(before)-farOff:], "")
	}
	marked, after = strings.ToValidUTF8(marked[:min(len(marked), farOff)], ""), strings.ToValidUTF8(after[:min(len(after), farOff)], "")
	before, marked, after = Clean(tabless(before)), Clean(tabless(marked)), Clean(tabless(after))
	gutter := fmt.Sprintf("  %4d | ", line)
	room := max(20, width-columns(gutter))
	carets := max(1, columns(marked))
	if over := columns(before+marked+after) - room; over > 0 {
		trimmed := strings.TrimLeft(before, " ")
		if spare := columns(before) - room/3; spare > 0 {
			before = "… " + cutLeft(before, spare+2)
		} else if trimmed == "" {
			before = cutLeft(before, over)
		}
		marked = cutRight(marked, room-columns(before))
		carets = max(1, columns(marked))
		after = cutRight(after, room-columns(before)-columns(marked))
	}
	fmt.Fprintln(w, faint.Render(gutter)+before+bold.Render(marked)+after)
	fmt.Fprintln(w, faint.Render("       | ")+strings.Repeat(" ", columns(before))+strings.Repeat("^", carets))
}

func tabless(s string) string { return strings.ReplaceAll(s, "\t", "    ") }

// cutLeft drops n characters at the start.
func cutLeft(s string, n int) string {
	r := []rune(s)
	return string(r[min(n, len(r)):])
}

// cutRight shortens to width, with a sign that there was more.
func cutRight(s string, width int) string {
	if columns(s) <= width {
		return s
	}
	return measure.TruncateString(s, max(1, width), "…")
}

// Table is the findings for CSV and Markdown.
func (v Findings) Table() Table {
	t := Table{Columns: []Column{{Key: "severity", Title: "severity"}, {Key: "name", Title: "finding"}, {Key: "file", Title: "file"},
		{Key: "line", Title: "line", Right: true}, {Key: "column", Title: "column", Right: true}, {Key: "subject",
			Title: "about"}, {Key: "reason", Title: "reason"}, {Key: "remedy", Title: "remedy"}, {Key: "tried", Title: "tried"}, {Key: "next",
			Title: "next"}}}
	for _, f := range v.Findings {
		t.Rows = append(t.Rows, []string{f.Severity, f.Name, f.File, fmt.Sprint(f.Line), fmt.Sprint(f.Column), f.Subject, f.Reason, f.Remedy,
			yesIf(f.Tried), f.Next})
	}
	return t
}

// Short is the findings for people: what, where in the plan, and what mends it.
func (v Findings) Short() Table {
	t := Table{Columns: []Column{{Key: "severity", Title: "severity"}, {Key: "reason", Title: "what"}, {Key: "remedy", Title: "what to do"},
		{Key: "subject", Title: "about"}, {Key: "line", Title: "line", Right: true}, {Key: "name", Title: "finding"}}}
	for _, f := range v.Findings {
		remedy := f.Remedy
		switch {
		case f.Tried:
			remedy += " (tried: it works)"
		case remedy == "":
			remedy = f.Next
		}
		line := ""
		if f.Line > 0 {
			line = fmt.Sprintf("%s:%d", f.File, f.Line)
		}
		t.Rows = append(t.Rows, []string{f.Severity, f.Reason, remedy, f.Subject, line, f.Name})
	}
	return t
}

// Entry writes what the catalogue says of one kind of finding.
func Entry(w io.Writer, e finding.Entry, width int) {
	fmt.Fprintf(w, "%s %s\n", bold.Render(string(e.Name)), faint.Render(fmt.Sprintf("(%s, found when %s)", e.Severity, e.Stage)))
	paragraph(w, width, e.Means, "")
	fmt.Fprintln(w)
	labelled(w, width, "why     ", e.Why, "        ")
	labelled(w, width, "remedy  ", e.Remedy, "        ")
	fmt.Fprintln(w, "\nThe smallest plan that shows it"+pingOf(e)+":")
	for _, l := range strings.Split(strings.TrimSuffix(e.Example, "\n"), "\n") {
		fmt.Fprintln(w, "    "+Clean(tabsShown(l)))
	}
	if e.Ledger != "" {
		fmt.Fprintln(w, "\nwith the ledger beside it:")
		for _, l := range strings.Split(strings.TrimSuffix(e.Ledger, "\n"), "\n") {
			fmt.Fprintln(w, "    "+Clean(l))
		}
	}
}

// tabsShown makes a tab visible, for an example whose point it is.
func tabsShown(s string) string { return strings.ReplaceAll(s, "\t", "⇥   ") }

func pingOf(e finding.Entry) string {
	if e.Ping[0] == "" {
		return ""
	}
	ttl := ""
	if e.TTL > 0 {
		ttl = fmt.Sprintf("--ttl %d ", e.TTL)
	}
	return fmt.Sprintf(", by 'ping %s%s %s'", ttl, e.Ping[0], e.Ping[1])
}

// CatalogueEntry is one kind of finding in JSON.
type CatalogueEntry struct {
	Name     string `json:"name"`
	Severity string `json:"severity"`         // error, warning or advice
	Stage    string `json:"stage"`            // when it is found
	Means    string `json:"means"`            // what it is
	Why      string `json:"why"`              // why it matters, and how it comes about
	Remedy   string `json:"remedy"`           // what to do
	Example  string `json:"example"`          // the smallest plan that shows it
	Ledger   string `json:"ledger,omitempty"` // beside it, where the finding is about one
}

// Catalogue is the kinds of findings for any format.
func Catalogue(entries []finding.Entry) ([]CatalogueEntry, Table) {
	t := Table{Columns: []Column{{Key: "name", Title: "finding"}, {Key: "severity", Title: "severity"}, {Key: "stage", Title: "found when"},
		{Key: "means", Title: "means"}}}
	var data []CatalogueEntry
	for _, e := range entries {
		data = append(data, CatalogueEntry{string(e.Name), e.Severity.String(), e.Stage.String(), e.Means, e.Why, e.Remedy, e.Example,
			e.Ledger})
		t.Rows = append(t.Rows, []string{string(e.Name), e.Severity.String(), e.Stage.String(), e.Means})
	}
	return data, t
}
