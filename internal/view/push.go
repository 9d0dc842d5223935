package view

import (
	"fmt"
	"io"
)

// Pushed is what devices were told, or would be, in JSON.
type Pushed struct {
	Steps     []PushedStep `json:"steps"`
	Otherwise []string     `json:"otherwise,omitempty"` // what differs and no step sets
	Stopped   string       `json:"stopped,omitempty"`   // why it went no further
	Back      bool         `json:"taking_back,omitempty"`
	Next      string       `json:"next,omitempty"`
	Heard     *AskedAll    `json:"asked,omitempty"` // who answered before
}

// PushedStep is one step.
type PushedStep struct {
	Number  int    `json:"step"`
	Device  string `json:"device"`
	Set     string `json:"set"`
	Told    bool   `json:"by_netconf"`    // it can be set by NETCONF
	Why     string `json:"why,omitempty"` // it cannot
	Session string `json:"session,omitempty"`
	Outcome string `json:"outcome,omitempty"` // done, taken back, or why not
}

// Table is the steps.
func (v *Pushed) Table() Table {
	t := Table{Columns: []Column{{Key: "step", Title: "step", Right: true}, {Key: "device", Title: "device"}, {Key: "set", Title: "set"},
		{Key: "outcome", Title: "outcome"}, {Key: "why", Title: "", Below: true, Lead: "by hand: "}}, Empty: "nothing needs to be sent"}
	for _, s := range v.Steps {
		t.Rows = append(t.Rows, []string{fmt.Sprint(s.Number), s.Device, s.Set, s.Outcome, s.Why})
	}
	return t
}

// Headline is the outcome in one line.
func (v *Pushed) Headline() string {
	done, hands := 0, 0
	devices := map[string]bool{}
	for _, s := range v.Steps {
		devices[s.Device] = true
		if s.Outcome == "done" || s.Outcome == "taken back" {
			done++
		}
		if !s.Told {
			hands++
		}
	}
	steps := fmt.Sprintf("%s on %s", Count(len(v.Steps), "step"), Count(len(devices), "device"))
	switch {
	case len(v.Steps) == 0 && v.Heard.Silent():
		return v.Heard.Headline() + "; to those nothing needs to be sent"
	case len(v.Steps) == 0:
		return "the devices are as planned: nothing needs to be sent" + v.Heard.byPlan()
	case v.Stopped != "":
		return fmt.Sprintf("stopped: %d of %s done", done, steps)
	case done == len(v.Steps) && v.Back:
		return "taken back: " + steps
	case done == len(v.Steps):
		if v.Heard.Silent() {
			return fmt.Sprintf("done: %s; %s", steps, v.Heard.Headline())
		}
		return "done: " + steps
	case v.Back:
		return steps + " to take back; nothing was sent"
	}
	text := steps + " to the plan; nothing was sent"
	if hands > 0 {
		text += fmt.Sprintf("; %d of them by hand", hands)
	}
	return text
}

// Text writes where everything stands.
func (v *Pushed) Text(w io.Writer, width int) {
	style := good
	if v.Heard.Silent() {
		style = warn
	}
	if v.Stopped != "" {
		style = bad
	}
	fmt.Fprintln(w, style.Render(Clean(v.Headline())))
	if v.Stopped != "" {
		paragraph(w, width, Clean(v.Stopped), "  ")
	}
	if len(v.Steps) > 0 {
		v.Table().Text(w, width, "", false)
	}
	for _, o := range v.Otherwise {
		paragraph(w, width, warn.Render("no step sets: ")+Clean(o), "  ")
	}
	if v.Next != "" {
		fmt.Fprintln(w, "next: "+Clean(v.Next))
	}
}

// PushVisit writes what is told one device next.
func PushVisit(w io.Writer, rest []PushedStep, device string) {
	fmt.Fprintln(w, bold.Render(Clean(device)))
	for _, s := range rest {
		if s.Device != device {
			break
		}
		fmt.Fprintf(w, "  %d  %s\n", s.Number, Clean(s.Set))
	}
}
