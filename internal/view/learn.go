package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/form"
)

// Learning is what was learnt of a gear's language, in JSON.
type Learning struct {
	Lines      int              `json:"lines"`      // of the texts that are not empty
	Understood int              `json:"understood"` // of them
	Devices    []LearntFrom     `json:"devices"`
	Alone      bool             `json:"alone,omitempty"` // by kinds of values alone: nothing was known of the devices
	Form       string           `json:"form"`            // as its file has it
	Guesses    []string         `json:"guesses"`         // lines that were never seen so: they are read, and not written
	Questions  []LearntQuestion `json:"questions"`
	Next       string           `json:"next,omitempty"` // the device to learn from next
	Shows      []string         `json:"shows"`          // what that has to show which was not seen yet
}

// LearntFrom is a device that was learnt from, in JSON.
type LearntFrom struct {
	Device   string        `json:"device"`
	Values   int           `json:"values"`    // that the plan, or the state, has of it
	Found    int           `json:"found"`     // of them
	NotFound []LearntValue `json:"not_found"` // nowhere in the text
	Other    []LearntValue `json:"other"`     // the text says otherwise than the plan
	Unread   []NotRead     `json:"unread"`
	Differs  []string      `json:"differs"` // lines that the form does not print as they are
}

// LearntValue is a value of something of a device, in JSON.
type LearntValue struct {
	Of    string `json:"of"`
	Fact  string `json:"fact"`
	Value string `json:"value"`
}

// LearntQuestion is what the texts leave open, in JSON.
type LearntQuestion struct {
	Line string `json:"line,omitempty"`
	Says string `json:"says"`

	kept bool
}

// NewLearning puts what was learnt into its JSON form.
func NewLearning(l *form.Learnt, devices []string, trials []form.Trial) Learning {
	v := Learning{Lines: l.Lines, Understood: l.Understood, Form: l.Form.Text(), Guesses: []string{}, Questions: []LearntQuestion{},
		Devices: []LearntFrom{}, Shows: []string{}}
	for _, g := range l.Form.Guesses() {
		v.Guesses = append(v.Guesses, g.Text())
	}
	seen := map[LearntQuestion]bool{}
	for _, q := range l.Questions {
		if x := (LearntQuestion{q.Line, questionWords(q), q.Ask == form.Kept}); !seen[x] {
			seen[x] = true
			v.Questions = append(v.Questions, x)
		}
	}
	values := func(all []form.Value) []LearntValue {
		out := []LearntValue{}
		for _, x := range all {
			out = append(out, LearntValue(x))
		}
		return out
	}
	for n, t := range trials {
		d := LearntFrom{Device: devices[n], Values: t.Values, Found: t.Values - len(t.NotFound), NotFound: values(t.NotFound),
			Other: values(t.Other), Unread: []NotRead{}, Differs: append([]string{}, t.Missing...)}
		for _, u := range t.Unread {
			d.Unread = append(d.Unread, NotRead{Line: u.Line, Text: u.Text, Why: u.Why})
		}
		v.Devices = append(v.Devices, d)
	}
	return v
}

// questionWords says what a question asks.
func questionWords(q form.Question) string {
	switch q.Ask {
	case form.WhichValue:
		return "may also be read as " + strings.Join(q.Of, ", or ") + ": a second device settles it"
	case form.WhenWritten:
		return "it is not known for what this line is written: it is read, and not written"
	case form.NoLineTells:
		if words, ok := neverSeen[q.Line]; ok {
			return words
		}
		return fmt.Sprintf("no line tells of %s", q.Line)
	case form.HowRun:
		return "no text shows how a run of " + strings.Join(q.Of, ", ") + " is written: any way is read, and each is written out"
	case form.AlwaysSo:
		return fmt.Sprintf("%s is %s in all %s of these texts: it may be a value, or always stand so", q.Of[0], q.Of[1], q.Of[2])
	case form.NotKnown:
		return "this line names something of the plan, and is not understood"
	case form.KeepOrPass:
		return "this line holds nothing of the plan, and stands in some blocks only: it is read, and not written"
	case form.Blanked:
		return "what looks like a secret is left out: the line is passed over, and not written"
	case form.Kept:
		return fmt.Sprintf("this line holds nothing of the plan, and is written so for every %s; put {any} in it and it is passed over",
			q.Of[0])
	}
	return ""
}

// neverSeen says of facts what it means that no line tells of them.
var neverSeen = map[string]string{
	"admin":     "no interface is down in these texts: what stands there then is not known",
	"secondary": "no interface has a second address in these texts: what stands there then is not known",
	"discard":   "no route is one that discards in these texts: what stands there then is not known",
	"distance":  "all distances are alike in these texts: what stands there else is not known",
}

// Text writes what was learnt: the answer first, then the form, then what is open.
func (l Learning) Text(w io.Writer, width int) {
	for n, d := range l.Devices {
		head := fmt.Sprintf("%d of %d lines understood; %d of %s of %s found", l.Understood, l.Lines, d.Found, Count(d.Values, "value"),
			d.Device)
		if l.Alone {
			head = fmt.Sprintf("%d of %d lines of %s understood by kinds of values alone: all of it is a guess", l.Understood, l.Lines, d.Device)
		} else if n > 0 {
			head = fmt.Sprintf("%d of %s of %s found", d.Found, Count(d.Values, "value"), d.Device)
		}
		fmt.Fprintln(w, bold.Render(Clean(head)))
		for _, u := range d.Unread {
			paragraph(w, width, fmt.Sprintf("  line %d %s, %s: %s", u.Line, warn.Render("not read"), Clean(u.Why), Clean(u.Text)), "    ")
		}
		if len(d.NotFound) > 0 {
			paragraph(w, width, "  "+warn.Render("not found:")+" "+Clean(foldedValues(d.NotFound)), "    ")
		}
		for _, x := range d.Other {
			paragraph(w, width, fmt.Sprintf("  %s the text says %s %s of %s", warn.Render("other than planned:"), Clean(x.Fact), Clean(x.Value),
				Clean(x.Of)), "    ")
		}
		if l.Alone {
			continue // nothing is written yet
		}
		for n, x := range d.Differs {
			if n == mostDiffer {
				fmt.Fprintf(w, "  and %s more\n", Count(len(d.Differs)-n, "line"))
				break
			}
			paragraph(w, width, fmt.Sprintf("  %s %s", warn.Render("not printed as it stands:"), Clean(x)), "    ")
		}
	}
	fmt.Fprintln(w)
	Raw(w, []byte(l.Form))
	if len(l.Questions)+len(l.Guesses) > 0 || l.Next != "" {
		fmt.Fprintln(w)
	}
	for _, g := range l.Guesses {
		paragraph(w, width, warn.Render("guess")+": "+Clean(g), "  ")
	}
	if len(l.Guesses) > 0 {
		paragraph(w, width, "  a guess is read, and not written, until {guess} is taken away", "  ")
	}
	var kept []string
	for _, q := range l.Questions {
		if q.kept {
			kept = append(kept, q.Line)
			continue
		}
		text := q.Says
		if strings.ContainsAny(q.Line, " {") {
			text = q.Line + ": " + q.Says
		}
		paragraph(w, width, warn.Render("open")+": "+Clean(text), "  ")
	}
	if len(kept) > 0 {
		paragraph(w, width, warn.Render("kept")+" as they are, for they hold nothing of the plan: "+Clean(strings.Join(kept, " · "))+
			"; put {any} in one and it is passed over", "  ")
	}
	if l.Next != "" {
		paragraph(w, width, bold.Render("next")+": a text of "+Clean(l.Next)+" shows "+strings.Join(l.Shows, "; "), "  ")
	}
}

// mostDiffer is how many lines that are not printed as they stand are shown; all are in JSON.
const mostDiffer = 3

// foldedValues are values, those of one fact by the first of them.
func foldedValues(all []LearntValue) string {
	count, first := map[string]int{}, map[string]LearntValue{}
	var order, words []string
	for _, x := range all {
		if count[x.Fact] == 0 {
			order, first[x.Fact] = append(order, x.Fact), x
		}
		count[x.Fact]++
	}
	for _, fact := range order {
		text := fmt.Sprintf("%s of %s (%s)", fact, first[fact].Of, first[fact].Value)
		if n := count[fact] - 1; n > 0 {
			text += fmt.Sprintf(" and %d more", n)
		}
		words = append(words, text)
	}
	return strings.Join(words, ", ")
}

// LearningTable is what was learnt as a table: the form, line by line.
func LearningTable(l Learning) Table {
	t := Table{Columns: []Column{{Key: "form", Title: "form"}}}
	for line := range strings.Lines(l.Form) {
		t.Rows = append(t.Rows, []string{strings.TrimRight(line, "\n")})
	}
	return t
}
