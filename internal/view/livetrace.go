package view

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// LiveTraces is what came of tracing for real, beside what was predicted, in JSON.
type LiveTraces struct {
	From    string      `json:"from,omitempty"` // the host of the plan that this machine stands in for
	Probes  string      `json:"probes"`         // icmp or udp
	Asked   int         `json:"asked"`
	Reached int         `json:"reached"`
	Differ  int         `json:"differ"`  // paths that are not as predicted
	Stopped bool        `json:"stopped"` // before all was done
	Traces  []LiveTrace `json:"traces"`
	Next    string      `json:"next,omitempty"` // the command to type next, where a way differs
}

// LiveTrace is what came of one address.
type LiveTrace struct {
	Target    string         `json:"target"` // as asked
	Address   string         `json:"address"`
	Reached   bool           `json:"reached"`
	Problem   string         `json:"problem,omitempty"` // why nothing could be sent
	Hops      []LiveTraceHop `json:"hops"`
	Predicted string         `json:"predicted,omitempty"` // works, fails, depends on the flow; absent where the plan does not tell
	Differs   string         `json:"differs,omitempty"`   // where the way is not as predicted, and what that tells
	Remarks   []string       `json:"remarks,omitempty"`   // what is not as predicted and says nothing of the way
}

// LiveTraceHop is one TTL.
type LiveTraceHop struct {
	TTL       int               `json:"ttl"`
	Answers   []LiveTraceAnswer `json:"answers"`   // none where nobody answered
	Predicted []string          `json:"predicted"` // devices
}

// LiveTraceAnswer is one who answered.
type LiveTraceAnswer struct {
	Address string  `json:"address"`
	Device  string  `json:"device,omitempty"` // the one of the plan that has the address
	Millis  float64 `json:"milliseconds"`     // the shortest of its answers
	Answer  string  `json:"answer"`           // in words
}

// Add takes in one trace. There is no prediction where there is no plan, and net is nil.
func (v *LiveTraces) Add(net *forward.Network, target string, x LiveTraced) {
	t := LiveTrace{Target: target, Address: x.Address, Reached: x.Reached, Problem: x.Problem, Hops: []LiveTraceHop{}}
	v.Asked++
	if x.Reached {
		v.Reached++
	}
	for _, m := range x.Hops {
		h := LiveTraceHop{TTL: m.TTL, Answers: []LiveTraceAnswer{}, Predicted: []string{}}
		for _, a := range m.Answers {
			b := LiveTraceAnswer{Address: a.From.String(), Millis: a.Millis, Answer: a.ICMP.Words(prefix.FamilyOf(a.From))}
			if net != nil {
				if holders := net.State.HoldersOf(a.From); len(holders) > 0 {
					b.Device = net.Spec.Devices[net.Spec.Interfaces[holders[0]].Device].Name
				}
			}
			h.Answers = append(h.Answers, b)
		}
		t.Hops = append(t.Hops, h)
	}
	if x.Predicted != nil {
		t.Predicted = x.Predicted.Exchange.Verdict().String()
		for _, p := range x.Predicted.Hops {
			if p.TTL > len(t.Hops) {
				t.Hops = append(t.Hops, LiveTraceHop{TTL: p.TTL, Answers: []LiveTraceAnswer{}})
			}
			for _, a := range p.Answers {
				name := net.Spec.Devices[a.Device].Name
				if a.Silent || a.Lost {
					name += ", silent"
				}
				t.Hops[p.TTL-1].Predicted = append(t.Hops[p.TTL-1].Predicted, name)
			}
		}
		tells := x.Predicted.Tell(net, x.Hops)
		for _, r := range tells.Remarks {
			t.Remarks = append(t.Remarks, r.Words(net))
		}
		if t.Differs = tells.Differs.Words(net, prefix.FamilyOf(x.Predicted.Exchange.Target)); t.Differs != "" {
			v.Differ++
			if x.Problem != "" {
				t.Differs, t.Problem = x.Problem, "" // nothing was sent: that nothing came back tells no more
				tells.Suspects = tells.Suspects[:min(1, len(tells.Suspects))]
			}
			if v.Next == "" && len(tells.Suspects) > 0 {
				v.Next = "show " + tells.LookAt.String()
				for _, d := range tells.Suspects {
					v.Next += " " + ShellWord(net.Spec.Devices[d].Name)
				}
			}
		}
	}
	v.Traces = append(v.Traces, t)
}

// LiveTraced is one trace as it was measured and as it was predicted.
type LiveTraced struct {
	Address   string
	Reached   bool
	Problem   string
	Hops      []forward.MeasuredHop
	Predicted *forward.Trace // nil where there is no plan
}

// Headline is the outcome in one line.
func (v *LiveTraces) Headline() string {
	text := fmt.Sprintf("%d of %d reached", v.Reached, v.Asked)
	if v.Asked == 1 {
		t := v.Traces[0]
		text = fmt.Sprintf("%s is reached in %s", t.Target, Count(len(t.Hops), "hop"))
		if !t.Reached {
			text = t.Target + " is not reached"
		}
	}
	if v.Differ > 0 && v.Asked == 1 {
		text += ", not as predicted"
	} else if v.Differ > 0 {
		text += fmt.Sprintf(", %d not as predicted", v.Differ)
	} else if v.From != "" {
		text += ", as predicted"
	}
	if v.Asked == 1 && v.Reached == 0 {
		text += ": " + v.Traces[0].lastHeard()
	}
	if v.Stopped {
		text += "; stopped before all was done"
	}
	return text + " · measured live with " + strings.ToUpper(v.Probes)
}

// lastHeard says who answered for the highest TTL.
func (x LiveTrace) lastHeard() string {
	for _, h := range slices.Backward(x.Hops) {
		if len(h.Answers) > 0 {
			return fmt.Sprintf("the last heard is hop %d, %s", h.TTL, cmp.Or(h.Answers[0].Device, h.Answers[0].Address))
		}
	}
	return "nobody is heard"
}

// Table is all hops of all traces.
func (v *LiveTraces) Table() Table {
	t := Table{Columns: append([]Column{{Key: "target", Title: "target"}, {Key: "target-address", Title: "target address"}},
		liveTraceColumns...)}
	for _, x := range v.Traces {
		for _, row := range x.rows(false) {
			t.Rows = append(t.Rows, append([]string{x.Target, x.Address}, row...))
		}
	}
	return t
}

var liveTraceColumns = []Column{
	{Key: "ttl", Title: "hop", Right: true}, {Key: "address", Title: "answers from"}, {Key: "device", Title: "device"}, {Key: "milliseconds",
		Title: "ms", Right: true},
	{Key: "answer", Title: "answer"}, {Key: "predicted", Title: "predicted"},
}

// rows are the hops of one trace; folded, hops in a row that neither answer nor should
// are one.
func (x LiveTrace) rows(fold bool) [][]string {
	var rows [][]string
	for i := 0; i < len(x.Hops); i++ {
		h := x.Hops[i]
		predicted := strings.Join(h.Predicted, " or ")
		for _, a := range h.Answers {
			rows = append(rows, []string{fmt.Sprint(h.TTL), a.Address, a.Device, fmt.Sprintf("%.2f", a.Millis), a.Answer, predicted})
		}
		if len(h.Answers) > 0 {
			continue
		}
		last := i
		for fold && predicted == "" && last+1 < len(x.Hops) && len(x.Hops[last+1].Answers)+len(x.Hops[last+1].Predicted) == 0 {
			last++
		}
		number := fmt.Sprint(h.TTL)
		if last > i {
			number += fmt.Sprintf("–%d", x.Hops[last].TTL)
		}
		rows = append(rows, []string{number, "", "", "", "none", predicted})
		i = last
	}
	return rows
}

// Text writes each trace, with what differs from the prediction.
func (v *LiveTraces) Text(w io.Writer, width int) {
	style := good
	if v.Reached < v.Asked || v.Differ > 0 {
		style = bad
	}
	head, basis, _ := cutLast(v.Headline(), " · ")
	fmt.Fprintln(w, style.Render(Clean(head))+faint.Render(" · "+basis))
	for _, t := range v.Traces {
		fmt.Fprintln(w)
		title := bold.Render(Clean(t.Target))
		if t.Address != t.Target {
			title += faint.Render(" " + t.Address)
		}
		fmt.Fprintln(w, title)
		Table{Columns: liveTraceColumns, Rows: t.rows(true)}.Text(w, width, "  ", false)
		if t.Problem != "" {
			paragraph(w, width, "  "+bad.Render(Clean(t.Problem)), "  ")
		}
		if t.Differs != "" {
			paragraph(w, width, "  "+bad.Render("not as predicted:")+" "+Clean(t.Differs), "  ")
		}
		for _, r := range t.Remarks {
			paragraph(w, width, "  "+faint.Render(Clean(r)), "  ")
		}
	}
	if v.Next != "" {
		fmt.Fprintln(w, "\n"+pad("next", 8)+Clean(v.Next))
	}
}
