package view

import (
	"fmt"
	"io"

	"ropeswing/core/explain"
)

// Why is where the numbers of something come from, in JSON.
type Why struct {
	Subject string   `json:"subject"`
	Answer  string   `json:"answer"`          // in one line
	State   []Step   `json:"state,omitempty"` // of an interface
	Numbers []Origin `json:"numbers"`
}

// Origin is where one number comes from.
type Origin struct {
	Number string `json:"number"` // or the interface that has it
	Steps  []Step `json:"steps"`  // in the order in which it came about
}

// Step is one reason for a number.
type Step struct {
	About string `json:"about"` // need, growth, its own, rounding, block, beside, segment, rule, fixed, ledger and so on
	Text  string `json:"text"`
	Place string `json:"place,omitempty"` // where that stands: file:line:column
}

// NewWhy puts an explanation into its JSON form.
func NewWhy(y explain.Why) Why {
	v := Why{Subject: y.Subject, Answer: y.Words(y.Answer), Numbers: []Origin{}, State: newSteps(y, y.State)}
	for _, o := range y.Numbers {
		v.Numbers = append(v.Numbers, Origin{y.Words(o.Number), newSteps(y, o.Steps)})
	}
	return v
}

func newSteps(y explain.Why, all []explain.Reason) []Step {
	steps := []Step{}
	for _, s := range all {
		steps = append(steps, Step{s.About(), y.Words(s.Told), s.Place.String()})
	}
	return steps
}

// Table is every step of every number.
func (v Why) Table() Table {
	t := Table{Columns: []Column{{Key: "number", Title: "number"}, {Key: "about", Title: "about"}, {Key: "text", Title: "why"},
		{Key: "place", Title: "written at"}}}
	for _, o := range v.Numbers {
		for _, s := range o.Steps {
			t.Rows = append(t.Rows, []string{o.Number, s.About, s.Text, lineOf(s.Place)})
		}
	}
	return t
}

// Text writes the answer, and each number with its steps.
func (v Why) Text(w io.Writer, width int) {
	labelled(w, width, "", bold.Render(Clean(v.Subject)+": "+Clean(v.Answer)), "  ")
	stepsText(w, width, v.State)
	for _, o := range v.Numbers {
		if len(v.Numbers) > 1 || o.Number != v.Subject && o.Number != v.Answer {
			fmt.Fprintln(w, Clean(o.Number))
		}
		stepsText(w, width, o.Steps)
	}
}

func stepsText(w io.Writer, width int, steps []Step) {
	for _, s := range steps {
		text := Clean(s.Text)
		if s.Place != "" {
			text += " " + faint.Render("("+Clean(lineOf(s.Place))+")")
		}
		labelled(w, width, fmt.Sprintf("  %-9s ", s.About), text, "            ")
	}
}
