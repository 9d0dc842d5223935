package view

import (
	"fmt"
	"io"
	"math/big"
	"net/netip"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/reach"
)

// Rehearsal is what came of a plan's network made real on this machine, beside what was
// predicted, in JSON.
type Rehearsal struct {
	Basis             string                `json:"basis"` // what was rehearsed
	Without           []string              `json:"without,omitempty"`
	Devices           int                   `json:"devices"`
	Watches           int                   `json:"watches"` // probes at work
	Pings             int                   `json:"pings"`   // compared
	PingsAsPredicted  int                   `json:"pings_as_predicted"`
	Replies           int                   `json:"replies"`
	Traces            int                   `json:"traces"` // compared
	TracesAsPredicted int                   `json:"traces_as_predicted"`
	NotCompared       int                   `json:"not_compared"`        // pings that the prediction leaves open
	MainOnly          bool                  `json:"main_addresses_only"` // of each device one address was asked, as there would be too many
	Requirements      []RehearsedMust       `json:"requirements"`
	Failures          []RehearsedFailure    `json:"failures,omitempty"`
	Differ            []RehearsedDifference `json:"differ"`
	Unsettled         bool                  `json:"unsettled,omitempty"` // watches did not come to rest
	Unlike            []string              `json:"unlike"`              // what is made in another way than devices do
	Stopped           bool                  `json:"stopped"`             // before all was done
	Next              string                `json:"next,omitempty"`
}

// RehearsedMust is one requirement of the plan, done for real.
type RehearsedMust struct {
	Requirement string `json:"requirement"`
	Outcome     string `json:"outcome"` // holds, does not hold, or not asked
	Pairs       int    `json:"pairs"`
	Why         string `json:"why,omitempty"`
}

// RehearsedFailure is one part out of order.
type RehearsedFailure struct {
	Part             string `json:"part"`
	Pings            int    `json:"pings"`
	PingsAsPredicted int    `json:"pings_as_predicted"`
	Replies          int    `json:"replies"`

	Lost   int      `json:"lost"`    // paths between places that it takes, as 'reach --failures' counts them
	CutOff []string `json:"cut_off"` // whom it parts from most others, the worst first
}

// CutsOff notes of a failure that was rehearsed whom it cuts off.
func (v *Rehearsal) CutsOff(net *forward.Network, l reach.Loss) {
	name := l.Failures[0].Name(net.Spec)
	for i := range v.Failures {
		if f := &v.Failures[i]; f.Part == name {
			f.Lost, f.CutOff = l.Lost, namesCutOff(net.Spec, &l)
		}
	}
}

// RehearsedDifference is a ping or trace that is not as predicted.
type RehearsedDifference struct {
	From      string   `json:"from"`
	To        string   `json:"to"`
	Without   string   `json:"without,omitempty"`
	Predicted string   `json:"predicted"`
	Measured  string   `json:"measured"`
	Packets   []string `json:"packets,omitempty"` // where it was seen
}

// Headline is the outcome in one line.
func (v *Rehearsal) Headline() string {
	text := fmt.Sprintf("%s of %s as predicted", grouped(big.NewInt(int64(v.PingsAsPredicted))), groupedCount(v.Pings, "ping"))
	if v.Traces > 0 && v.TracesAsPredicted == v.Traces && v.PingsAsPredicted == v.Pings {
		text = fmt.Sprintf("%s of %s and %s as predicted", grouped(big.NewInt(int64(v.PingsAsPredicted))), groupedCount(v.Pings, "ping"),
			groupedCount(v.Traces, "trace"))
	} else if v.Traces > 0 {
		text += fmt.Sprintf(", %s of %s", grouped(big.NewInt(int64(v.TracesAsPredicted))), groupedCount(v.Traces, "trace"))
	}
	if v.Pings == 0 {
		text = "no ping could be compared"
	}
	if n := len(v.Failures); n > 0 {
		text += ", with each of " + groupedCount(n, "cable") + " cut in turn"
		cuts := 0
		for _, f := range v.Failures {
			if f.Lost > 0 {
				cuts++
			}
		}
		text += fmt.Sprintf(", %d of which cut somebody off", cuts)
	}
	if v.Stopped {
		text += "; stopped before all was done"
	}
	return "rehearsed: " + text
}

// Well tells whether all was as predicted, and every requirement holds.
func (v *Rehearsal) Well() bool {
	for _, m := range v.Requirements {
		if m.Outcome == "does not hold" {
			return false
		}
	}
	return len(v.Differ) == 0 && !v.Unsettled && v.Pings > 0
}

// Table is what differs.
func (v *Rehearsal) Table() Table {
	t := Table{Columns: []Column{
		{Key: "from", Title: "from"}, {Key: "to", Title: "to"}, {Key: "without", Title: "without"}, {Key: "predicted",
			Title: "predicted"}, {Key: "measured", Title: "measured"}, {Key: "packets", Title: "packets", Below: true},
	}}
	for _, d := range v.Differ {
		t.Rows = append(t.Rows, []string{d.From, d.To, d.Without, d.Predicted, d.Measured, strings.Join(d.Packets, "; ")})
	}
	return t
}

// Text writes the outcome, what differs first.
func (v *Rehearsal) Text(w io.Writer, width int) {
	style := good
	if !v.Well() {
		style = bad
	}
	fmt.Fprintln(w, style.Render(Clean(v.Headline()))+faint.Render(" · "+Clean(v.Basis)))
	if v.Unsettled {
		fmt.Fprintln(w, bad.Render("watches did not come to rest: what was asked is of one moment"))
	}
	if len(v.Differ) > 0 {
		v.Table().Text(w, width, "", false)
	}
	for _, m := range v.Requirements {
		line := fmt.Sprintf("%s  %s", m.Outcome, m.Requirement)
		if m.Why != "" {
			line += ": " + m.Why
		}
		switch m.Outcome {
		case "holds":
			fmt.Fprintln(w, good.Render("holds")+Clean(line[len("holds"):]))
		case "does not hold":
			fmt.Fprintln(w, bad.Render(Clean(line)))
		default:
			fmt.Fprintln(w, faint.Render(Clean(line)))
		}
	}
	if len(v.Failures) > 0 {
		t := Table{Columns: []Column{{Key: "part", Title: "cut"}, {Key: "pings", Title: "pings", Right: true},
			{Key: "pings_as_predicted", Title: "as predicted", Right: true}, {Key: "replies", Title: "replies", Right: true},
			{Key: "lost", Title: "paths lost", Right: true}, {Key: "cut_off", Title: "cuts off"}}}
		for _, f := range v.Failures {
			t.Rows = append(t.Rows, []string{f.Part, grouped(big.NewInt(int64(f.Pings))), grouped(big.NewInt(int64(f.PingsAsPredicted))),
				grouped(big.NewInt(int64(f.Replies))), grouped(big.NewInt(int64(f.Lost))), strings.Join(f.CutOff, ", ")})
		}
		fmt.Fprintln(w)
		t.Text(w, width, "", false)
	}
	about := fmt.Sprintf("%s as network namespaces, %s at work; %s of %s got a reply", groupedCount(v.Devices, "device"),
		groupedCount(v.Watches, "watch"), grouped(big.NewInt(int64(v.Replies))), groupedCount(v.Pings, "ping"))
	if v.MainOnly {
		about += "; of each device one address a family was asked"
	}
	if v.NotCompared > 0 {
		about += fmt.Sprintf("; %s that the prediction leaves open", groupedCount(v.NotCompared, "ping"))
	}
	fmt.Fprintln(w, faint.Render(about))
	for _, u := range v.Unlike {
		fmt.Fprintln(w, faint.Render("made otherwise: "+Clean(u)))
	}
	if v.Next != "" {
		fmt.Fprintln(w, "next: "+Clean(v.Next))
	}
}

// NewRehearsedDifference is a ping that is not as predicted.
func NewRehearsedDifference(net *forward.Network, from model.DeviceID, x *forward.Exchange, replied bool,
	without string) RehearsedDifference {
	d := RehearsedDifference{From: net.Spec.Devices[from].Name, To: net.Spec.HolderLabel(x.Target), Without: without, Predicted: "a reply",
		Measured: "no reply"}
	if replied {
		d.Measured = "a reply"
	}
	if f, fails := x.Failure(net); fails {
		d.Predicted = "no reply: " + f.Words(net)
	}
	return d
}

// AtHop says that the trace differs at a hop: who answers what there, by the prediction and
// for real. Who is silent has no address.
func (d *RehearsedDifference) AtHop(spec *model.Spec, hop int, planned model.DeviceID, want netip.Addr, wantWord string, got netip.Addr,
	gotWord string) {
	words := func(a netip.Addr, word string) string {
		if !a.IsValid() {
			return fmt.Sprintf("hop %d: no answer", hop)
		}
		return fmt.Sprintf("hop %d: %s from %s", hop, word, spec.HolderLabel(a))
	}
	d.Predicted, d.Measured = words(want, wantWord), words(got, gotWord)
	if !want.IsValid() {
		d.Predicted += " of " + spec.Devices[planned].Name
	}
}

// Saw adds a packet that was seen at an interface.
func (d *RehearsedDifference) Saw(spec *model.Spec, at model.InterfaceID, out bool, from, to netip.Addr, what string) {
	way := "in by"
	if out {
		way = "out of"
	}
	d.Packets = append(d.Packets, fmt.Sprintf("%s %s: %s %s to %s", way, spec.Label(at), what, from, to))
}

// groupedCount is such a number with its noun.
func groupedCount(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	if strings.HasSuffix(noun, "ch") {
		noun += "e"
	}
	return grouped(big.NewInt(int64(n))) + " " + noun + "s"
}

// Rehearsed is one ping or trace of a rehearsal.
type Rehearsed struct {
	From, To    string
	Replied     bool
	Predicted   string // where the prediction is neither that it works nor that it fails
	AsPredicted bool
	Why         string // it is predicted to fail
	Hops        []string
}

// Text writes it.
func (v Rehearsed) Text(w io.Writer) {
	word, style := "no reply", bad
	if v.Replied {
		word, style = "reply", good
	}
	note := "as predicted"
	switch {
	case v.Predicted != "":
		note = "predicted: " + v.Predicted
	case !v.AsPredicted:
		note = bad.Render("not as predicted")
	}
	fmt.Fprintf(w, "%s  %s to %s · %s\n", style.Render(word), Clean(v.From), Clean(v.To), note)
	for _, h := range v.Hops {
		fmt.Fprintln(w, "  "+Clean(h))
	}
	if v.Why != "" {
		fmt.Fprintln(w, faint.Render("  predicted to fail: "+Clean(v.Why)+" · 'why' says more"))
	}
}

// RehearsalState writes what is out of order and which watches are silent.
func RehearsalState(w io.Writer, out, silent []string, watches int) {
	if len(out) == 0 {
		fmt.Fprintln(w, "nothing is out of order")
	} else {
		fmt.Fprintln(w, bad.Render("out of order: ")+Clean(strings.Join(out, ", ")))
	}
	for _, s := range silent {
		fmt.Fprintln(w, "silent: "+Clean(s))
	}
	if watches > 0 && len(silent) == 0 {
		fmt.Fprintln(w, faint.Render("all of "+groupedCount(watches, "watch")+" hear their answers"))
	}
}
