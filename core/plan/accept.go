package plan

import (
	"regexp"
	"sync"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// Accept is a finding that the team lives with.
type Accept struct {
	Finding Text // its name in the catalogue
	Of      Text // what it is about; of all where nothing is said
	Because Text
	Until   Text // a date, YYYY-MM-DD, up to which it is accepted; "" is always
	Place   source.Place
}

var acceptKeys = []key[Accept]{
	{"finding", "the name of a finding", "What is accepted. Required.", func(r *reader, a *Accept, n *yaml.Node, what string) {
		a.Finding = r.choice(n, what, finding.Names()...)
	}},
	{"of", "a device, an interface, a segment, or whatever the finding is about",
		"Of what it is accepted: of a device also what is about its interfaces. Unless set: wherever it is found.",
		text(func(a *Accept) *Text { return &a.Of })},
	{"because", "text", "Why the team lives with it. Required.", prose(func(a *Accept) *Text { return &a.Because })},
	{"until", "a date such as `2027-03-31`", "The last day on which it is accepted. Unless set: for good.", (*reader).day},
}

var dayForm = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^\d{4}-((0[1-9]|1[0-2])-(0[1-9]|1\d|2[0-8])|(0[13-9]|1[0-2])-(29|30)|02-29|(0[13578]|1[02])-31)$`)
})

func (r *reader) day(a *Accept, n *yaml.Node, what string) {
	if t, ok := r.word(n, what); ok && r.isDay(t, t.Value, what) {
		a.Until = t
	}
}

// isDay reports whether a word is a day of the calendar, and says so where it is none.
func (r *reader) isDay(t Text, word, what string) bool {
	if !dayForm().MatchString(word) {
		r.report(finding.New(finding.BadValue, t.Place, "%s is a date such as 2027-03-31, not %s", what, word))
		return false
	}
	return true
}

// accepts reads the findings that are accepted.
func (r *reader) accepts(d *Document, n *yaml.Node, what string) {
	r.each(n, what, func(v *yaml.Node) {
		var of *yaml.Node
		if v.Kind == yaml.MappingNode {
			of = child(v, "of")
		}
		r.madeFrom(of, func() { r.accept(d, v) })
	})
}

func (r *reader) accept(d *Document, v *yaml.Node) {
	a := Accept{Place: r.place(v)}
	before := len(r.found)
	fields(r, v, "an accepted finding", acceptKeys, &a)
	if len(r.found) > before {
		return
	}
	for _, missing := range []struct {
		has  bool
		what string
		add  string
	}{{a.Finding.Written(), "which finding is accepted", "finding: no-route-out"},
		{a.Because.Written(), "why the finding is accepted", "because: it is closed on purpose"}} {
		if !missing.has {
			r.report(finding.New(finding.MissingKey, a.Place, "it is not said %s", missing.what).Mend("add '%s'", missing.add))
		}
	}
	d.Accepts = append(d.Accepts, a)
}
