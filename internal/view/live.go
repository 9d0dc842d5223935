package view

import (
	"fmt"
	"io"
)

// Live is what came of pinging for real, beside what was predicted, in JSON.
type Live struct {
	From     string     `json:"from,omitempty"` // the host of the plan that this machine stands in for
	Asked    int        `json:"asked"`
	Replied  int        `json:"replied"`
	Differ   int        `json:"differ"`  // answers that are not as predicted
	Stopped  bool       `json:"stopped"` // before all was done
	Echoes   []LiveEcho `json:"echoes"`
	Silenced []string   `json:"silenced,omitempty"` // what answered in the baseline and does not now
}

// LiveEcho is what came of one address.
type LiveEcho struct {
	Target    string  `json:"target"` // as asked
	Address   string  `json:"address"`
	Replied   bool    `json:"replied"`
	Millis    float64 `json:"milliseconds,omitempty"` // there and back
	Answer    string  `json:"answer,omitempty"`       // who said that it cannot be, and what
	Predicted string  `json:"predicted,omitempty"`    // works, fails, depends on the flow; absent where the plan does not tell
	Tells     string  `json:"meaning,omitempty"`      // what a difference between the two means
}

// Headline is the outcome in one line.
func (v *Live) Headline() string {
	text := fmt.Sprintf("%d of %d reply", v.Replied, v.Asked)
	if v.Asked == 1 {
		text = v.Echoes[0].Target + " replies"
		if v.Replied == 0 {
			text = v.Echoes[0].Target + " does not reply"
		}
	}
	if v.Differ > 0 {
		text += fmt.Sprintf(", %d not as predicted", v.Differ)
	} else if v.From != "" {
		text += ", as predicted"
	}
	if v.Stopped {
		text += "; stopped before all was done"
	}
	return text + " · measured live"
}

// Table is the answers.
func (v *Live) Table() Table {
	t := Table{Columns: []Column{
		{Key: "target", Title: "target"}, {Key: "address", Title: "address"}, {Key: "replied", Title: "measured"}, {Key: "milliseconds",
			Title: "ms", Right: true}, {Key: "predicted", Title: "predicted"},
		{Key: "answer", Title: "answer", Below: true}, {Key: "meaning", Title: "meaning", Below: true},
	}}
	for _, e := range v.Echoes {
		word, ms := "no reply", ""
		if e.Replied {
			word, ms = "reply", fmt.Sprintf("%.2f", e.Millis)
		}
		t.Rows = append(t.Rows, []string{e.Target, e.Address, word, ms, e.Predicted, e.Answer, e.Tells})
	}
	return t
}

// Text writes the answers, with what differs from the prediction.
func (v *Live) Text(w io.Writer, width int) {
	style := good
	if v.Replied < v.Asked || v.Differ > 0 {
		style = bad
	}
	head, basis, _ := cutLast(v.Headline(), " · ")
	fmt.Fprintln(w, style.Render(Clean(head))+faint.Render(" · "+basis))
	v.Table().Text(w, width, "", false)
	silencedText(w, v.Silenced)
}

// silencedText lists what answered in the baseline and does not now.
func silencedText(w io.Writer, all []string) {
	for _, s := range all {
		fmt.Fprintln(w, bad.Render("answered before, and does not now: ")+Clean(s))
	}
}

func cutLast(s, separator string) (before, after string, found bool) {
	for i := len(s) - len(separator); i >= 0; i-- {
		if s[i:i+len(separator)] == separator {
			return s[:i], s[i+len(separator):], true
		}
	}
	return s, "", false
}

// LiveCheck is which requirements hold by real pings, in JSON.
type LiveCheck struct {
	From         string            `json:"from"`     // the host of the plan that this machine stands in for
	Measured     int               `json:"measured"` // requirements
	Hold         int               `json:"hold"`     // of them
	Requirements []LiveRequirement `json:"requirements"`
	Silenced     []string          `json:"silenced,omitempty"` // what answered in the baseline and does not now
}

// LiveRequirement is one requirement by real pings.
type LiveRequirement struct {
	Requirement string   `json:"requirement"`
	Outcome     string   `json:"outcome"` // holds, does not hold, or not measured
	Targets     int      `json:"targets"` // addresses
	Against     []string `json:"against"` // those that contradict it
	Why         string   `json:"why,omitempty"`
}

// NewLiveCheck has nothing in it yet.
func NewLiveCheck(from string) *LiveCheck {
	return &LiveCheck{From: from, Requirements: []LiveRequirement{}}
}

// Add takes in one requirement; not measured where something is said to be why.
func (v *LiveCheck) Add(text string, not bool, passed string, targets int, against []string) {
	r := LiveRequirement{Requirement: text, Outcome: "not measured", Targets: targets, Against: []string{}, Why: passed}
	if passed == "" {
		v.Measured++
		if r.Outcome = "holds"; len(against) > 0 {
			r.Outcome, r.Against = "does not hold", against
			word := "no reply of "
			if not {
				word = "a reply of "
			}
			r.Why = word + against[0]
			if len(against) > 1 {
				r.Why += fmt.Sprintf(", and %d more", len(against)-1)
			}
		} else {
			v.Hold++
		}
	}
	v.Requirements = append(v.Requirements, r)
}

// Table is the requirements.
func (v *LiveCheck) Table() Table {
	t := Table{Columns: []Column{{Key: "requirement", Title: "requirement"}, {Key: "outcome", Title: "measured"},
		{Key: "targets", Title: "targets", Right: true}, {Key: "why", Title: "why", Below: true}}}
	for _, r := range v.Requirements {
		t.Rows = append(t.Rows, []string{r.Requirement, r.Outcome, fmt.Sprint(r.Targets), r.Why})
	}
	return t
}

// Text writes how many hold, and each.
func (v *LiveCheck) Text(w io.Writer, width int) {
	style := good
	text := fmt.Sprintf("%d of %s that start at %s hold", v.Hold, Count(v.Measured, "requirement"), v.From)
	if v.Measured == 1 {
		text = fmt.Sprintf("%d of 1 requirement that starts at %s holds", v.Hold, v.From)
	}
	passed := len(v.Requirements) - v.Measured
	switch {
	case v.Measured == 0:
		style = warn
		text = fmt.Sprintf("nothing measured: a ping can try none of the requirements that start at %s (%d)", v.From, passed)
	case v.Hold < v.Measured:
		style = bad
	case passed > 0:
		style = warn
	}
	if v.Measured > 0 && passed > 0 {
		text += fmt.Sprintf(", %d not measured", passed)
	}
	fmt.Fprintln(w, style.Render(Clean(text))+faint.Render(" · measured live"))
	v.Table().Text(w, width, "", false)
	silencedText(w, v.Silenced)
}
