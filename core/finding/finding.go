// Package finding holds the one diagnostic type of Rope Swing, used for all
// that can be wrong from a slip of the pen in a plan to two devices with one
// address, and the catalogue of everything it can say.
package finding

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/source"
)

// Severity orders findings by how much they matter.
type Severity uint8

const (
	Advice  Severity = iota // works, and could be better
	Warning                 // works now, and may not tomorrow
	Error                   // does not work
)

// Severities are the words for the severities, least first.
var Severities = []string{Advice: "advice", Warning: "warning", Error: "error"}

func (s Severity) String() string { return Severities[s] }

// Name is the kebab-case name of a kind of finding, as in the catalogue.
type Name string

// Finding is one thing wrong or doubtful.
type Finding struct {
	Name    Name
	Place   source.Place   // what to look at first
	Subject string         // the device, interface, segment or key it is about
	Reason  string         // one sentence, without the place
	Remedy  string         // what to do, where it can be told
	Tried   bool           // the remedy was tried, and works
	Fix     any            // the remedy as changes of the network, for who can write them into the plan; nil where it is words only
	Mends   int            // how many pairs that fail the remedy mends, by itself; 0 where that was not looked for
	Of      int            // how many fail
	Some    bool           // of a large network only some pairs were asked
	Because source.Place   // where what it follows from is to be mended; not known where it stands for itself
	Next    []string       // the words of a command to type next, without the program's name
	Also    []source.Place // further places that have a part in it
}

// Severity is the one the catalogue gives this kind of finding.
func (f Finding) Severity() Severity { return Lookup(f.Name).Severity }

// Stops tells whether the plan cannot be used until this is mended.
func (f Finding) Stops() bool { return Lookup(f.Name).Stage == Reading }

func (f Finding) String() string { return fmt.Sprintf("%s: %s (%s)", f.Place, f.Reason, f.Name) }

// New is a finding of the named kind at a place, its reason made as by
// fmt.Sprintf.
func New(name Name, place source.Place, reason string, args ...any) Finding {
	return Finding{Name: name, Place: place, Reason: fmt.Sprintf(reason, args...)}
}

// About returns the finding with its subject set.
func (f Finding) About(subject string) Finding {
	f.Subject = subject
	return f
}

// Mend returns the finding with its remedy set, made as by fmt.Sprintf.
func (f Finding) Mend(remedy string, args ...any) Finding {
	f.Remedy = fmt.Sprintf(remedy, args...)
	return f
}

// Works returns the finding with its remedy said to have been tried.
func (f Finding) Works() Finding {
	f.Tried = true
	return f
}

// By returns the finding with its remedy as changes, as Fix holds them.
func (f Finding) By(fix any) Finding {
	f.Fix = fix
	return f
}

// Then returns the finding with the words of a command to type next, without the
// program's name.
func (f Finding) Then(words ...string) Finding {
	f.Next = words
	return f
}

// With returns the finding with further places; those that are not known (of what no file says) are left out.
func (f Finding) With(also ...source.Place) Finding {
	for _, p := range also {
		if p.Known() {
			f.Also = append(f.Also, p)
		}
	}
	return f
}

// Sort orders findings by place, then by name, and drops those that are the
// same in every word. Those whose remedy is known to mend pairs come first, the most first, each with what follows from it.
func Sort(all []Finding) []Finding {
	slices.SortStableFunc(all, func(a, b Finding) int {
		switch {
		case a.Place.Before(b.Place):
			return -1
		case b.Place.Before(a.Place):
			return 1
		case a.Name != b.Name:
			if a.Name < b.Name {
				return -1
			}
			return 1
		}
		return 0
	})
	return ranked(slices.CompactFunc(all, func(a, b Finding) bool {
		return a.Name == b.Name && a.Place == b.Place && a.Subject == b.Subject && a.Reason == b.Reason
	}))
}

// ranked puts those first that mend the most, each with what follows from it behind it.
func ranked(all []Finding) []Finding {
	var causes []Finding
	for _, f := range all {
		if f.Mends > 0 {
			causes = append(causes, f)
		}
	}
	if len(causes) == 0 {
		return all
	}
	slices.SortStableFunc(causes, func(a, b Finding) int { return b.Mends - a.Mends })
	follows := func(f, cause *Finding) bool { return f.Mends == 0 && f.Because.Known() && f.Because == cause.Place }
	order := make([]Finding, 0, len(all))
	put := make([]bool, len(all))
	for c := range causes {
		order = append(order, causes[c])
		for i := range all {
			if !put[i] && follows(&all[i], &causes[c]) {
				put[i] = true
				order = append(order, all[i])
			}
		}
	}
	for i := range all {
		if !put[i] && all[i].Mends == 0 {
			order = append(order, all[i])
		}
	}
	return order
}

// Stops tells whether any of the findings makes the plan unusable.
func Stops(all []Finding) bool { return slices.ContainsFunc(all, Finding.Stops) }

// Count is the number of findings of at least the given severity.
func Count(all []Finding, least Severity) int {
	n := 0
	for _, f := range all {
		if f.Severity() >= least {
			n++
		}
	}
	return n
}

// Replacement is what to write in the finding's place, where the remedy is another word there. It
// is false where the remedy is more than that.
func (f Finding) Replacement() (string, bool) {
	word, ok := strings.CutPrefix(f.Remedy, "did you mean ")
	if !ok || !strings.HasSuffix(word, "?") || f.Place.End == 0 {
		return "", false
	}
	word = strings.TrimSuffix(word, "?")
	return word, word != "" && !strings.ContainsAny(word, " ?") && !strings.ContainsAny(f.Place.Text(), "\n{[")
}
