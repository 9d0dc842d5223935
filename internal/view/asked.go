package view

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
)

// AskedAll is what came of asking devices live, in JSON.
type AskedAll struct {
	Asked    int          `json:"asked"`
	Answered int          `json:"answered"`
	Stopped  bool         `json:"stopped"` // before all was done
	Devices  []AskedOne   `json:"devices"`
	Failed   []AskedFault `json:"failed"`                   // who did not answer, and why
	Expected []Silence    `json:"silent_by_plan,omitempty"` // who did not answer either, as the plan expects; not among those asked
	Short    []AskedFault `json:"partly"`                   // what a device that answered did not tell, or by one way only
}

// AskedOne is a device that answered.
type AskedOne struct {
	Device     string   `json:"device"`
	By         []string `json:"by"` // how it was read
	Interfaces int      `json:"interfaces"`
	Addresses  int      `json:"addresses"`
	Routes     int      `json:"routes"`
	Neighbours int      `json:"neighbours"`
	Known      []string `json:"known"`           // the parts it told wholly
	Unknown    []string `json:"not_known"`       // and those it did not
	Unread     int      `json:"unread"`          // things that were not understood
	Lines      []string `json:"lines,omitempty"` // these, where asked for
	Calls      string   `json:"calls_itself,omitempty"`
	Elsewhere  string   `json:"elsewhere,omitempty"`   // the address it answered at that is not the plan's, and what tells of it
	Started    string   `json:"started,omitempty"`     // when it started last, RFC 3339
	Restarted  bool     `json:"restarted"`             // it started since it was asked last
	ClockAhead int64    `json:"clock_ahead,omitempty"` // seconds by which its clock is ahead; less than 0 behind
}

// AskedFault is why a device, or one way to it, was no use.
type AskedFault struct {
	Device string `json:"device"`
	By     string `json:"by,omitempty"`
	At     string `json:"at,omitempty"`
	Reason string `json:"reason"`
	Why    string `json:"why"`
	Plan   string `json:"by_the_plan,omitempty"` // what the plan says of the path there
	Next   string `json:"next,omitempty"`
}

// Silence is a device that the plan expects to be silent.
type Silence struct {
	Device  string `json:"device"`
	Until   string `json:"until,omitempty"` // the last day of it; for good where there is none
	Answers bool   `json:"answers"`         // it does answer
}

// byPlan tells of those that are silent as the plan expects; "" where nobody is.
func (v *AskedAll) byPlan() string {
	if v == nil {
		return ""
	}
	var names []string
	for _, s := range v.Expected {
		if !s.Answers {
			names = append(names, s.Device)
		}
	}
	if len(names) == 0 {
		return ""
	}
	if len(names) > 3 {
		return fmt.Sprintf("; %s silent by plan", Count(len(names), "device"))
	}
	return "; silent by plan: " + strings.Join(names, ", ")
}

// Silent reports whether somebody who was asked did not answer. It is false of nil: nobody was asked.
func (v *AskedAll) Silent() bool { return v != nil && v.Answered < v.Asked }

// Reasons are why devices did not answer, or did not tell all, one line a reason with those it is of.
func (v *AskedAll) Reasons() []string {
	var order []string
	of := map[string][]AskedFault{}
	for _, f := range slices.Concat(v.Failed, v.Short) {
		if len(of[f.Reason]) == 0 {
			order = append(order, f.Reason)
		}
		of[f.Reason] = append(of[f.Reason], f)
	}
	var lines []string
	for _, reason := range order {
		all := of[reason]
		var names []string
		for _, f := range all {
			if !slices.Contains(names, f.Device) {
				names = append(names, f.Device)
			}
		}
		const most = 8
		text := strings.Join(names[:min(most, len(names))], ", ")
		if n := len(names) - most; n > 0 {
			text += fmt.Sprintf(" and %d more", n)
		}
		text += ": " + reason
		if why := all[0].Why; len(names) > 1 {
			text += "; of " + all[0].Device + ": " + why
		} else {
			text += ", " + why
		}
		lines = append(lines, text)
	}
	for _, d := range v.Devices {
		if d.Elsewhere != "" {
			lines = append(lines, d.Device+" answers at "+d.Elsewhere)
		}
	}
	for _, s := range v.Expected {
		if s.Answers {
			lines = append(lines, s.Device+" answers, and the plan expects it to be silent: take 'expect' out")
		}
	}
	return lines
}

// Headline is the outcome in one line.
func (v *AskedAll) Headline() string {
	text := fmt.Sprintf("%d of %s answered", v.Answered, Count(v.Asked, "device")) + v.byPlan()
	if v.Stopped {
		text += "; stopped before all were asked"
	}
	return text
}

// Table is the devices that answered.
func (v *AskedAll) Table(wide bool) Table {
	t := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "by", Title: "by"}, {Key: "interfaces", Title: "interfaces", Right: true}, {Key: "addresses",
			Title: "addresses", Right: true},
		{Key: "routes", Title: "routes", Right: true}, {Key: "neighbours", Title: "neighbours", Right: true}, {Key: "unread", Title: "not read",
			Right: true}, {Key: "not_known", Title: "not known", Wide: true}, {Key: "calls_itself", Title: "", Below: true,
			Lead: "it calls itself "},
		{Key: "restarted", Title: "", Below: true}, {Key: "clock", Title: "", Below: true},
		{Key: "elsewhere", Title: "", Below: true, Lead: "it answers at "},
	}}
	for _, d := range v.Devices {
		t.Rows = append(t.Rows, []string{d.Device, strings.Join(d.By, ", "), counted(d.Interfaces), counted(d.Addresses), counted(d.Routes),
			counted(d.Neighbours), counted(d.Unread), strings.Join(d.Unknown, ", "), d.Calls, d.restart(), ClockWords(d.ClockAhead), d.Elsewhere})
	}
	return t
}

// restart tells of a restart since the device was asked last.
func (d *AskedOne) restart() string {
	if !d.Restarted {
		return ""
	}
	return "it restarted since it was asked last, at " + d.Started
}

// ClockWords says how far off a clock is.
func ClockWords(ahead int64) string {
	if ahead == 0 {
		return ""
	}
	side := "ahead"
	if ahead < 0 {
		side, ahead = "behind", -ahead
	}
	return fmt.Sprintf("its clock is %s %s", Duration(time.Duration(ahead)*time.Second), side)
}

// Text writes who answered, and last who did not, with what to do next.
func (v *AskedAll) Text(w io.Writer, width int, wide bool) {
	style := good
	if v.Answered < v.Asked {
		style = bad
	}
	fmt.Fprintln(w, style.Render(Clean(v.Headline()))+faint.Render(" · asked live"))
	v.Table(wide).Text(w, width, "", wide)
	for _, d := range v.Devices {
		for _, l := range d.Lines {
			paragraph(w, width, Clean(d.Device)+": "+warn.Render("not read")+", "+Clean(l), "  ")
		}
	}
	fault := func(f AskedFault, also []string, style look) {
		by := ""
		if f.By != "" {
			by = " by " + f.By
			if f.At != "" {
				by += " at " + f.At
			}
		}
		paragraph(w, width, style.Render(Clean(f.Device))+Clean(others(also)+by)+": "+Clean(f.Reason)+", "+Clean(f.Why), "  ")
		if f.Plan != "" {
			paragraph(w, width, "  "+Clean(f.Plan), "  ")
		}
		if f.Next != "" {
			fmt.Fprintln(w, "  next: "+Clean(f.Next))
		}
	}
	if len(v.Short) > 0 {
		fmt.Fprintln(w)
		for _, g := range alikeFaults(v.Short) {
			fault(g.AskedFault, g.also, warn)
		}
	}
	if len(v.Failed) > 0 {
		fmt.Fprintln(w)
		for _, g := range alikeFaults(v.Failed) {
			fault(g.AskedFault, g.also, bad)
		}
	}
}

// faultGroup is a fault that several devices have alike.
type faultGroup struct {
	AskedFault
	also []string
}

// alikeFaults puts together what several devices have alike, where there are many.
func alikeFaults(all []AskedFault) []faultGroup {
	const few = 3
	var groups []faultGroup
	count := map[[3]string]int{}
	for _, f := range all {
		count[[3]string{f.By, f.Reason, f.Why}]++
	}
	at := map[[3]string]int{}
	for _, f := range all {
		key := [3]string{f.By, f.Reason, f.Why}
		if i, ok := at[key]; ok && count[key] > few {
			groups[i].also = append(groups[i].also, f.Device)
			groups[i].At = ""
			continue
		}
		at[key] = len(groups)
		groups = append(groups, faultGroup{AskedFault: f})
	}
	return groups
}

// others are the devices that go with the first one.
func others(also []string) string {
	if len(also) == 0 {
		return ""
	}
	if len(also) > 4 {
		return fmt.Sprintf(" and %d others", len(also))
	}
	return ", " + strings.Join(also, ", ")
}

// Changed is one thing that is otherwise than a moment ago, as one line of JSON.
type Changed struct {
	Time   string `json:"time"`
	Device string `json:"device"`
	What   string `json:"what"`
	Was    string `json:"was"`
	Is     string `json:"is"`
}

// ChangedText writes it as a line.
func ChangedText(w io.Writer, at, device, what, was, is string) {
	or := func(s string) string {
		if s == "" {
			return "nothing"
		}
		return s
	}
	fmt.Fprintf(w, "%s  %s  %s: was %s, is %s\n", faint.Render(at), bold.Render(Clean(device)), Clean(what), Clean(or(was)), Clean(or(is)))
}
