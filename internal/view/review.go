package view

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/review"
	"ropeswing/core/source"
)

// Review is what a change of the plan means, judged as a whole, in JSON.
type Review struct {
	Basis       string         `json:"basis"`
	Worse       bool           `json:"worse"`              // something that worked or held does not, or an error or warning is new
	Asked       int            `json:"asked"`              // pairs, of each service for itself
	Services    []string       `json:"services"`           // that were asked
	NotAsked    []string       `json:"not_asked"`          // services that were not, since there are too many
	PathsLeft   bool           `json:"paths_not_compared"` // since there are too many pairs
	PairsCut    bool           `json:"failures_in_part"`   // a failure takes so many pairs that not all of them were compared
	HostsLeft   int            `json:"hosts_not_asked"`    // hosts that were not asked one by one, since there are too many: their segments were
	Lost        []ReviewPair   `json:"lost"`               // worked before, and will not
	Refused     []ReviewPair   `json:"refused"`            // the same, as a requirement wants it
	Gained      []ReviewPair   `json:"gained"`             // did not work, and will
	Gone        []string       `json:"gone"`               // segments and hosts that are there no more
	New         []string       `json:"new"`
	Unmet       []string       `json:"unmet"`     // requirements that do not hold, and held or are new
	Met         []string       `json:"met"`       // requirements that hold, and did not
	Dropped     []string       `json:"dropped"`   // requirements that are asked for no longer
	Added       []string       `json:"added"`     // requirements that are new, and hold
	Unmanaged   []string       `json:"unmanaged"` // devices that the operator reaches no more
	Failures    int            `json:"failures"`  // single failures of cables that were made
	Risks       []ReviewRisk   `json:"risks"`     // what one failure takes that none took before
	Paths       []ReviewPath   `json:"paths"`     // that packets take otherwise
	Found       []ReviewRemark `json:"found"`     // what 'check' finds now
	Mended      []ReviewRemark `json:"mended"`    // what 'check' finds no more
	Kept        int            `json:"numbers_kept"`
	Renamed     []string       `json:"renamed,omitempty"` // what has another name since, and is the same else
	Given       []string       `json:"numbers_given"`
	Retired     []string       `json:"numbers_retired"` // and those released
	Steps       string         `json:"steps,omitempty"` // how many there are, and what fails in between
	Differences []Difference   `json:"differences"`     // item by item: planned is before, found after

	words [2]string
	next  string
}

// ReviewPair is who asks whom, in JSON.
type ReviewPair struct {
	From        string `json:"from"`
	To          string `json:"to"`
	Family      string `json:"family"`
	Over        string `json:"over"`
	Why         string `json:"why,omitempty"`
	Finding     string `json:"finding,omitempty"`     // the kind of failure
	Requirement string `json:"requirement,omitempty"` // by which it must not work

	place source.Place
}

// ReviewRisk is a failure that takes pairs which none took before, in JSON.
type ReviewRisk struct {
	Without string       `json:"without"`
	New     bool         `json:"new"` // there is only since the change
	Pairs   []ReviewPair `json:"pairs"`
}

// ReviewPath is pairs whose packets take another path, in JSON: the devices on the way, without the ends.
type ReviewPath struct {
	From   string   `json:"from"` // the first of the pairs
	To     string   `json:"to"`
	Family string   `json:"family"`
	Before []string `json:"before"`
	After  []string `json:"after"`
	Pairs  int      `json:"pairs"`
}

// ReviewRemark is a finding that only one of the plans has, in JSON.
type ReviewRemark struct {
	Name     string `json:"name"`
	Severity string `json:"severity"`
	Reason   string `json:"reason"`
	Remedy   string `json:"remedy,omitempty"`
	File     string `json:"file,omitempty"`
	Line     int    `json:"line,omitempty"`
}

// NewReview puts a review into its JSON form. Steps is how it goes to carry it out, "" where that is not known; next is the command that
// shows them.
func NewReview(r *review.Review, basis string, words [2]string, steps, next string) Review {
	v := Review{Basis: basis, Worse: r.Worse(), Asked: r.Asked, HostsLeft: r.HostsLeft,
		PathsLeft: r.PathsLeft, PairsCut: r.PairsCut, Failures: r.Failures, Kept: r.Numbers.Kept,
		Gone: list(r.Gone), New: list(r.New), Unmet: list(r.Unmet), Met: list(r.Met), Dropped: list(r.Dropped), Added: list(r.Added), Unmanaged: list(r.Unmanaged),
		Given: list(r.Numbers.Given), Retired: list(r.Numbers.Retired), Services: services(r.Services), NotAsked: services(r.ServicesLeft),
		Lost: reviewPairs(r.Lost), Refused: reviewPairs(r.Refused), Gained: reviewPairs(r.Gained), Risks: []ReviewRisk{},
		Paths: []ReviewPath{}, Found: remarks(r.Found), Mended: remarks(r.Mended), Steps: steps,
		Differences: NewComparison(r.Compared, basis, words).Differences, words: words, next: next}
	for _, x := range r.Risks {
		v.Risks = append(v.Risks, ReviewRisk{x.Without, x.New, reviewPairs(x.Pairs)})
	}
	for _, p := range r.Rerouted {
		v.Paths = append(v.Paths, ReviewPath{p.From, p.To, families(p.IPv4), list(p.Before), list(p.After), p.Pairs})
	}
	return v
}

func list(all []string) []string { return append([]string{}, all...) }

func families(four bool) string {
	if four {
		return "ipv4"
	}
	return "ipv6"
}

func services(all []model.Service) []string {
	words := []string{}
	for _, s := range all {
		words = append(words, s.String())
	}
	return words
}

func reviewPairs(all []review.Pair) []ReviewPair {
	pairs := []ReviewPair{}
	for _, p := range all {
		pairs = append(pairs, ReviewPair{p.From, p.To, families(p.IPv4), p.Over.String(), p.Why, string(p.Finding), p.Wanted, p.Place})
	}
	return pairs
}

func remarks(all []finding.Finding) []ReviewRemark {
	out := []ReviewRemark{}
	for _, f := range all {
		x := ReviewRemark{Name: string(f.Name), Severity: f.Severity().String(), Reason: f.Reason, Remedy: f.Remedy}
		x.File, x.Line = written(f.Place)
		out = append(out, x)
	}
	slices.SortStableFunc(out, func(a, b ReviewRemark) int {
		return cmp.Compare(slices.Index(finding.Severities, b.Severity), slices.Index(finding.Severities, a.Severity))
	})
	return out
}

// Headline is the review in one line.
func (v Review) Headline() string {
	var bad []string
	add := func(n int, noun, after string) {
		if n > 0 {
			bad = append(bad, Count(n, noun)+" "+after)
		}
	}
	add(len(v.Lost), "pair", "will not work any more")
	add(len(v.Unmet), "requirement", "will not hold")
	add(len(v.Unmanaged), "device", "will not be reached by the operator")
	risky := 0
	for _, r := range v.Risks {
		risky += len(r.Pairs)
	}
	add(risky, "pair", "will be lost by one failure, and would not be now")
	grave := 0
	for _, f := range v.Found {
		if f.Severity != finding.Advice.String() {
			grave++
		}
	}
	add(grave, "finding", "will be new")
	switch {
	case v.Worse:
		return strings.Join(bad, ", ")
	case len(v.Differences) == 0:
		if len(v.Renamed) > 0 {
			return "the two plans say the same, names and remarks aside"
		}
		return "the two plans say the same, remarks aside"
	}
	text := "nothing that works or holds now is lost"
	if len(v.Gained)+len(v.Met) > 0 {
		text += fmt.Sprintf("; %s and %s more", Count(len(v.Gained), "pair"), Count(len(v.Met), "requirement"))
	}
	for _, x := range []struct {
		n          int
		noun, says string
	}{{len(v.Dropped), "requirement", "no longer asked for"}, {len(v.Gone), "segment or host", "gone"}} {
		if x.n == 1 {
			text += "; 1 " + x.noun + " is " + x.says
		} else if x.n > 1 {
			text += fmt.Sprintf("; %d %ss are %s", x.n, strings.Replace(x.noun, " or ", "s or ", 1), x.says)
		}
	}
	return text
}

// row is a line of a review: under which heading, what it says, and what is said below it.
type reviewRow struct{ head, text, below string }

// mostTold is how many lines a heading has where a person reads; all are in JSON and CSV.
const mostTold = 12

// rows is all that is told, under headings, the worst first.
func (v Review) rows(most int) []reviewRow {
	var all []reviewRow
	under := func(head string, lines []reviewRow) {
		for i, l := range lines {
			if i == most {
				all = append(all, reviewRow{head, fmt.Sprintf("and %d more", len(lines)-most), ""})
				break
			}
			l.head = head
			all = append(all, l)
		}
	}
	words := func(texts []string, quoted bool) (lines []reviewRow) {
		for _, t := range texts {
			if quoted {
				t = "'" + t + "'"
			}
			lines = append(lines, reviewRow{text: t})
		}
		return lines
	}
	under("will not work any more", v.pairRows(v.Lost))
	under("requirement that will not hold", words(v.Unmet, true))
	under("not reached by the operator any more", words(v.Unmanaged, false))
	for _, r := range v.Risks {
		is := ""
		if r.New {
			is = ", which is new,"
		}
		// Failures are of a ping.
		under("lost without "+r.Without+is+" and by no single failure now", Review{Services: []string{model.Echo.String()}}.pairRows(r.Pairs))
	}
	found := func(remarks []ReviewRemark) (lines []reviewRow) {
		for _, f := range remarks {
			x := reviewRow{text: f.Severity + ": " + f.Reason, below: f.Remedy}
			if f.File != "" {
				x.text += fmt.Sprintf(" (%s:%d)", f.File, f.Line)
			}
			lines = append(lines, x)
		}
		return lines
	}
	under("check finds, and does not now", found(v.Found))
	under("requirement that is not asked for any more", words(v.Dropped, true))
	under("will not work any more, as required", v.pairRows(v.Refused))
	under("will work, and does not now", v.pairRows(v.Gained))
	under("requirement that will hold, and does not now", words(v.Met, true))
	under("requirement that is new, and holds", words(v.Added, true))
	mended := found(v.Mended)
	for i := range mended {
		mended[i].below = ""
	}
	under("check finds now, and not any more", mended)
	var paths []reviewRow
	for _, p := range v.Paths {
		x := reviewRow{text: fmt.Sprintf("%s to %s: %s", p.From, p.To, byWay(p.After)), below: "now " + byWay(p.Before)}
		if p.Pairs > 1 {
			x.text += fmt.Sprintf(", and %s more", Count(p.Pairs-1, "pair"))
		}
		paths = append(paths, x)
	}
	under("another path", paths)
	for _, x := range []struct {
		head  string
		names []string
	}{{"renamed", v.Renamed}, {"there will be", v.New}, {"there will not be any more", v.Gone}, {"numbers given", v.Given}, {"numbers no longer held", v.Retired}} {
		if len(x.names) > 0 {
			under(x.head, []reviewRow{{text: Some(x.names, 20)}})
		}
	}
	return all
}

func byWay(devices []string) string {
	if len(devices) == 0 {
		return "with nobody between"
	}
	return "by " + strings.Join(devices, ", ")
}

// asked is what one asks another, and how it fails: the families and services, each once.
type asked struct {
	from, to, families, over, why string
}

// pairRows tells pairs in few lines: who asks the same, over the same, and fails alike stands in one. Of services nothing is said where
// all that were asked are meant.
func (v Review) pairRows(pairs []ReviewPair) []reviewRow {
	merge := func(all []asked, same func(asked) asked, into func(*asked, asked)) []asked {
		var out []asked
		at := map[asked]int{}
		for _, g := range all {
			k := same(g)
			if i, ok := at[k]; ok {
				into(&out[i], g)
				continue
			}
			at[k] = len(out)
			out = append(out, g)
		}
		return out
	}
	joined := func(a, b string) string {
		if slices.Contains(strings.Split(a, ", "), b) {
			return a
		}
		return a + ", " + b
	}
	var all []asked
	for _, p := range pairs {
		why := p.Why
		if p.Requirement != "" {
			why = "'" + p.Requirement + "'"
		}
		all = append(all, asked{p.From, p.To, map[string]string{"ipv4": "IPv4", "ipv6": "IPv6"}[p.Family], p.Over, why})
	}
	all = merge(all, func(g asked) asked { return asked{from: g.from, to: g.to, families: g.families} },
		func(into *asked, g asked) { into.over = joined(into.over, g.over) })
	all = merge(all, func(g asked) asked { return asked{from: g.from, to: g.to, over: g.over} },
		func(into *asked, g asked) { into.families = joined(into.families, g.families) })
	all = merge(all, func(g asked) asked { g.to = ""; return g }, func(into *asked, g asked) { into.to = joined(into.to, g.to) })
	all = merge(all, func(g asked) asked { g.from = ""; return g }, func(into *asked, g asked) { into.from = joined(into.from, g.from) })
	var rows []reviewRow
	for _, g := range all {
		text := Some(strings.Split(g.from, ", "), 6) + " to " + Some(strings.Split(g.to, ", "), 6)
		var only []string
		if !strings.Contains(g.families, ", ") {
			only = append(only, g.families)
		}
		if g.over != strings.Join(v.Services, ", ") {
			only = append(only, "over "+g.over)
		}
		if len(only) > 0 {
			text += " (" + strings.Join(only, ", ") + ")"
		}
		rows = append(rows, reviewRow{text: text, below: g.why})
	}
	return rows
}

// changed counts the differences by device and kind.
func (v Review) changed() string {
	devices, kinds := map[string]bool{}, map[string]int{}
	var order []string
	for _, d := range v.Differences {
		if d.Device != "" {
			devices[d.Device] = true
		}
		if kinds[d.What]++; kinds[d.What] == 1 {
			order = append(order, d.What)
		}
	}
	slices.SortStableFunc(order, func(a, b string) int { return cmp.Compare(kinds[b], kinds[a]) })
	for i, what := range order {
		order[i] = fmt.Sprintf("%s %d", what, kinds[what])
	}
	text := Count(len(v.Differences), "change")
	if len(devices) > 0 {
		text += " on " + Count(len(devices), "device")
	}
	return text + ": " + Some(order, 8)
}

// limits says what was not looked at.
func (v Review) limits() string {
	var all []string
	if v.HostsLeft > 0 {
		all = append(all, fmt.Sprintf("%d hosts one by one, since there are so many: their segments were", v.HostsLeft))
	}
	if len(v.NotAsked) > 0 {
		all = append(all, "the services "+Some(v.NotAsked, 8))
	}
	if v.PathsLeft {
		all = append(all, "which paths change, since there are so many pairs")
	}
	if v.PairsCut {
		all = append(all, "all pairs of a failure that takes more than a thousand")
	}
	if v.Steps == "" && len(v.Differences) > 0 {
		all = append(all, "how many steps it is, since nobody is named who sits anywhere, or there is so much to set")
	}
	return strings.Join(all, "; ")
}

// basis is what the review stands on, with how much was asked.
func (v Review) basis() string {
	return fmt.Sprintf("%s · %s asked over %s, %s made",
		v.Basis, Count(v.Asked, "pair"), forward.And(v.Services), Count(v.Failures, "failure"))
}

// Text writes the review as a colleague reads it: what gets worse, what gets better, what changes.
func (v Review) Text(w io.Writer, width int, wide bool) {
	style := good
	if v.Worse {
		style = bad
	}
	labelled(w, width, "", style.Render(Clean(v.Headline()))+faint.Render(" · "+Clean(v.basis())), "  ")
	most := mostTold
	if wide {
		most = len(v.Lost) + len(v.Gained) + len(v.Refused) + len(v.Paths) + len(v.Found) + len(v.Mended) + mostTold
	}
	head := ""
	for _, r := range v.rows(most) {
		if r.head != head {
			fmt.Fprintln(w, bold.Render(Clean(r.head)))
			head = r.head
		}
		paragraph(w, width, "  "+Clean(r.text), "    ")
		if r.below != "" {
			paragraph(w, width, "    "+faint.Render(Clean(r.below)), "    ")
		}
	}
	if len(v.Differences) > 0 {
		labelled(w, width, "", bold.Render(Clean(v.changed())), "  ")
		t := v.Table()
		if !wide && len(t.Rows) > mostTold {
			t.Rows = t.Rows[:mostTold]
		}
		t.Text(w, width, "  ", wide)
		if n := len(v.Differences) - len(t.Rows); n > 0 {
			fmt.Fprintf(w, "  and %d more: --wide lists all\n", n)
		}
	}
	if v.Steps != "" {
		labelled(w, width, faint.Render("steps: "), Clean(v.Steps), "  ")
	}
	if limits := v.limits(); limits != "" {
		labelled(w, width, faint.Render("not asked: "), Clean(limits), "  ")
	}
	if v.next != "" {
		labelled(w, width, faint.Render("next: "), Clean(v.next), "  ")
	}
}

// Markdown writes the review as the page of a merge request.
func (v Review) Markdown(w io.Writer) {
	fmt.Fprintf(w, "**%s** (%s)\n", Clean(v.Headline()), Clean(v.basis()))
	head := ""
	for _, r := range v.rows(mostTold) {
		if r.head != head {
			fmt.Fprintf(w, "\n### %s%s\n\n", strings.ToUpper(r.head[:1]), Clean(r.head[1:]))
			head = r.head
		}
		fmt.Fprintf(w, "- %s\n", markdownText(r.text))
		if r.below != "" {
			fmt.Fprintf(w, "  - %s\n", markdownText(r.below))
		}
	}
	if len(v.Differences) > 0 {
		fmt.Fprintf(w, "\n<details><summary>%s</summary>\n\n", markdownText(v.changed()))
		v.Table().Markdown(w)
		fmt.Fprint(w, "\n</details>\n")
	}
	if v.Steps != "" {
		fmt.Fprintf(w, "\nSteps: %s\n", markdownText(v.Steps))
	}
	if limits := v.limits(); limits != "" {
		fmt.Fprintf(w, "\nNot asked: %s\n", markdownText(limits))
	}
}

// Table is the changes, item by item.
func (v Review) Table() Table {
	t := Table{Columns: []Column{{Key: "device", Title: "device"}, {Key: "what", Title: "what"}, {Key: "subject", Title: "of"},
		{Key: "kind", Title: "it is", Wide: true}, {Key: "planned", Title: v.words[0]}, {Key: "found", Title: v.words[1]}, {Key: "line", Title: "plan's line", Wide: true}}}
	for _, d := range v.Differences {
		t.Rows = append(t.Rows, []string{d.Device, d.What, d.Subject, d.Kind, d.Planned, d.Found, counted(d.Line)})
	}
	return t
}

// Report is what gets worse, for machines; nothing where nothing does.
func (v Review) Report(name, version string) Report {
	r := Report{Name: name, Version: version, Passed: slices.Clone(v.Met)}
	pair := func(rule, means, level, lead string, p ReviewPair) {
		text := fmt.Sprintf("%s%s to %s (%s, %s)", lead, p.From, p.To, p.Family, p.Over)
		if p.Why != "" {
			text += ": " + p.Why
		}
		file, line := written(p.place)
		r.Entries = append(r.Entries, ReportEntry{rule, means, level, p.From + " to " + p.To, text, file, line, 1})
	}
	for _, p := range v.Lost {
		pair("pair-lost", "A pair that worked before the change does not work after it.", "error", "", p)
	}
	for _, text := range v.Unmet {
		r.Entries = append(r.Entries, ReportEntry{Rule: "requirement-lost", Means: "A requirement does not hold after the change.",
			Level: "error", Subject: text, Text: "the requirement '" + text + "' does not hold"})
	}
	for _, name := range v.Unmanaged {
		r.Entries = append(r.Entries, ReportEntry{Rule: "management-lost", Means: "The operator does not reach a device after the change.",
			Level: "error", Subject: name, Text: "the operator does not reach " + name})
	}
	for _, x := range v.Risks {
		for _, p := range x.Pairs {
			pair("failure-takes-more", "A single failure takes a pair that none took before the change.", "warning",
				"without "+x.Without+": ", p)
		}
	}
	for _, f := range v.Found {
		if f.Severity == finding.Advice.String() {
			continue
		}
		r.Entries = append(r.Entries, ReportEntry{f.Name, finding.Lookup(finding.Name(f.Name)).Means, f.Severity, f.Name, f.Reason, f.File,
			f.Line, 1})
	}
	return r
}
