package view

import (
	"fmt"
	"io"
	"strings"

	"al.essio.dev/pkg/shellescape"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Trace is a predicted traceroute in JSON.
type Trace struct {
	From     string        `json:"from"`                  // as asked
	To       string        `json:"to"`                    // as asked
	Basis    string        `json:"basis"`                 // what the answer stands on
	Verdict  string        `json:"verdict"`               // as of a ping
	Without  []string      `json:"without,omitempty"`     // what was taken to be out of order
	Families []TraceFamily `json:"families"`              // IPv4 first
	Passed   []string      `json:"passed_over,omitempty"` // families not tried, and why
	Next     string        `json:"next,omitempty"`        // the command to type next, where it fails
}

// TraceFamily is the traceroute in one family.
type TraceFamily struct {
	Family  string   `json:"family"`            // ipv4 or ipv6
	Verdict string   `json:"verdict"`           // of a ping in this family
	Source  string   `json:"source,omitempty"`  // absent where the sender has no address
	Sources []string `json:"sources,omitempty"` // where it depends on the hop that is taken: all that it may send from
	Target  string   `json:"target"`
	// by TTL, up to the one at which the packet ends, the target among them; several of one TTL where equal-cost paths lead to
	// different devices
	Hops    []TraceHop `json:"hops"`
	Loop    []string   `json:"loop,omitempty"`    // the devices that pass it round
	Failure *Failure   `json:"failure,omitempty"` // why a ping fails
	There   Graph      `json:"forward"`           // the request
	Back    []Graph    `json:"return,omitempty"`  // the reply

	trace *forward.Trace
}

// TraceHop is what one device sends back for one TTL.
type TraceHop struct {
	TTL     int    `json:"ttl"`               // from 1
	Address string `json:"address,omitempty"` // from which it answers; absent where nothing comes back
	Device  string `json:"device"`
	In      string `json:"in,omitempty"`   // the interface the probe came in by
	Answer  string `json:"answer"`         // in words
	ICMP    string `json:"icmp,omitempty"` // type/code
}

// NewTrace puts traceroutes into their JSON form.
func NewTrace(x ask.Pinged, self string) Trace {
	p := NewPing(x, nil, self)
	v := Trace{From: p.From, To: p.To, Basis: x.Basis, Verdict: p.Verdict, Without: x.Without, Passed: x.Passed}
	if !p.Works() {
		v.Next = strings.Join(append([]string{self, "ping", p.From, p.To}, withoutFlags(x.Without)...), " ")
	}
	for i, t := range x.Trials {
		tr := forward.Follow(x.Net, t.Exchange)
		f := TraceFamily{
			Family: p.Families[i].Family, Verdict: p.Families[i].Verdict, Source: p.Families[i].Source, Sources: p.Families[i].Sources,
			Target:  p.Families[i].Target,
			Failure: p.Families[i].Failure, There: *p.Families[i].There, Back: p.Families[i].Back, Hops: []TraceHop{}, trace: tr,
		}
		for _, d := range tr.Loop {
			f.Loop = append(f.Loop, x.Net.Spec.Devices[d].Name)
		}
		for _, h := range tr.Hops {
			for _, a := range h.Answers {
				f.Hops = append(f.Hops, newTraceHop(x.Net.Spec, h.TTL, a, prefix.FamilyOf(t.Target)))
			}
		}
		v.Families = append(v.Families, f)
	}
	return v
}

// withoutFlags is the options that put the same parts out of order again.
func withoutFlags(names []string) []string {
	var flags []string
	for _, n := range names {
		flags = append(flags, "--without", ShellWord(n))
	}
	return flags
}

// ShellWord is a word as a POSIX shell has to be given it.
func ShellWord(s string) string { return shellescape.Quote(s) }

func newTraceHop(spec *model.Spec, ttl int, a forward.Answer, family prefix.Family) TraceHop {
	h := TraceHop{TTL: ttl, Device: spec.Devices[a.Device].Name, In: ifaceName(spec, a.In)}
	switch {
	case a.Silent:
		h.Answer = "silent: it drops the packet silently"
	case a.Lost:
		h.Answer = fmt.Sprintf("silent: its %s from %s does not get back", a.ICMP.Words(family), a.Address)
	default:
		h.Address, h.Answer = a.Address.String(), a.ICMP.Words(family)
	}
	if !a.Silent {
		h.ICMP = fmt.Sprintf("%d/%d", a.ICMP.Type, a.ICMP.Code)
	}
	return h
}

// Headline is the outcome in one sentence.
func (v Trace) Headline() string {
	var order []string // what becomes of it, each once
	families := map[string][]string{}
	for _, f := range v.Families {
		what := f.outcome()
		if families[what] == nil {
			order = append(order, what)
		}
		families[what] = append(families[what], forward.FamilyOf(f.trace.Exchange.Target))
	}
	var parts []string
	for _, what := range order {
		parts = append(parts, what+" in "+forward.And(families[what]))
	}
	text := v.From + " to " + v.To
	if len(v.Without) > 0 {
		text += " without " + forward.And(v.Without)
	}
	return text + ": " + strings.Join(parts, ", ") + " · " + v.Basis
}

// outcome is what becomes of one family's probes.
func (f TraceFamily) outcome() string {
	verdict := f.trace.Exchange.Verdict()
	switch {
	case len(f.trace.Loop) > 0:
		return "a loop between " + forward.And(f.Loop)
	case verdict == forward.Works:
		return Count(len(f.trace.Hops), "hop")
	case verdict == forward.Depends:
		return "it depends on the flow"
	case f.Failure != nil && f.Failure.Path == "return":
		return "no reply comes back"
	}
	return "it does not arrive"
}

// Text writes each family's hops, and what is at the end of them.
func (v Trace) Text(w io.Writer, net *forward.Network, width int, explain bool) {
	style := good
	if v.Verdict != forward.Works.String() {
		style = bad
	}
	head, basis, _ := strings.Cut(v.Headline(), " · ")
	fmt.Fprintln(w, style.Render(Clean(head))+faint.Render(" · "+basis))
	for _, x := range v.Passed {
		fmt.Fprintln(w, faint.Render("not tried: "+Clean(x)))
	}
	for _, f := range v.Families {
		fmt.Fprintln(w)
		fmt.Fprintln(w, bold.Render(forward.FamilyOf(f.trace.Exchange.Target))+
			faint.Render(fmt.Sprintf(", %s to %s", sourcesOf(f.trace.Exchange.There), f.Target)))
		f.table().Text(w, width, "  ", false)
		if len(f.Loop) > 0 {
			fmt.Fprintf(w, "  %s\n", bad.Render("and so on: "+Clean(forward.And(f.Loop))+" pass it round until its TTL runs out"))
		} else if f.Failure != nil {
			paragraph(w, width, "  "+bad.Render("on the "+f.Failure.Path+" path,")+" "+Clean(f.Failure.Reason)+" "+
				faint.Render("("+f.Failure.Name+")"), "  ")
		}
		if explain {
			f.packetByPacket(w, net.Spec, width)
			for i := range f.trace.Exchange.There.Nodes {
				explainNode(w, net, f.trace.Exchange.There, i, width)
			}
		}
	}
	if v.Next != "" {
		// The ping tells why, and what would mend it.
		fmt.Fprintln(w, "\n"+pad("next", 8)+Clean(v.Next))
	}
}

// table is the hops of one family.
func (f TraceFamily) table() Table {
	t := Table{Columns: traceColumns, Empty: "no packet leaves"}
	for _, h := range f.Hops {
		t.Rows = append(t.Rows, h.row())
	}
	return t
}

var traceColumns = []Column{
	{Key: "ttl", Title: "hop", Right: true}, {Key: "address", Title: "answers from"}, {Key: "device", Title: "device"},
	{Key: "in", Title: "in by"}, {Key: "answer", Title: "answer"},
}

func (h TraceHop) row() []string {
	return []string{fmt.Sprint(h.TTL), h.Address, h.Device, h.In, h.Answer}
}

// Hops is all families' hops as one table: for CSV and Markdown.
func (v Trace) Hops() Table {
	t := Table{Columns: append([]Column{{Key: "family", Title: "family"}}, traceColumns...)}
	for _, f := range v.Families {
		for _, h := range f.Hops {
			t.Rows = append(t.Rows, append([]string{f.Family}, h.row()...))
		}
	}
	return t
}

// Works tells whether every family's probes arrive and are answered.
func (v Trace) Works() bool { return v.Verdict == forward.Works.String() }

// packetByPacket tells the story of each probe: whom it passes, who ends it, and
// how what that one says gets back.
func (f TraceFamily) packetByPacket(w io.Writer, spec *model.Spec, width int) {
	g := f.trace.Exchange.There
	name := func(d model.DeviceID) string { return spec.Devices[d].Name }
	for _, h := range f.trace.Hops {
		for _, a := range h.Answers {
			path := g.Path(a.Node)
			story := name(g.Nodes[0].Device) + " sends a probe"
			for i, n := range path[1:max(1, len(path)-1)] {
				story += fmt.Sprintf("; %s passes it on with %d left", name(g.Nodes[n].Device), max(0, h.TTL-1-i))
			}
			if len(path)-1 < h.TTL && len(f.trace.Loop) > 0 {
				story += "; it loops until"
			} else {
				story += ";"
			}
			story += " " + name(a.Device) + f.ending(a)
			switch {
			case a.Silent:
				story += ": nothing comes back, and there is no answer for this hop"
			case a.Lost:
				story += ", and that is lost on its return path"
			case a.Back != nil:
				if by := wayBack(spec, a.Back); len(by) > 0 {
					story += ", which comes back by " + forward.And(by)
				}
			}
			labelled(w, width, fmt.Sprintf("  TTL %d  ", h.TTL), Clean(story), "         ")
		}
	}
}

// ending is what a device does with a probe that ends at it.
func (f TraceFamily) ending(a forward.Answer) string {
	family := prefix.FamilyOf(f.trace.Exchange.Target)
	word := "TTL"
	if family == prefix.IPv6 {
		word = "hop limit"
	}
	switch answer := a.ICMP.Words(family); {
	case a.Silent:
		return " drops it silently"
	case answer == "reply":
		return " has the address, and replies"
	case answer == "time exceeded":
		return fmt.Sprintf(" lowers its %s to 0, drops it, and says '%s' from %s", word, answer, a.Address)
	default:
		return fmt.Sprintf(" cannot send it on, and says '%s' from %s", answer, a.Address)
	}
}

// wayBack lists the devices that an answer passes.
func wayBack(spec *model.Spec, g *forward.Graph) []string {
	for _, e := range g.Endings {
		if e.Outcome != forward.Delivered {
			continue
		}
		var names []string
		for _, n := range g.Path(e.Node) {
			if n != 0 && n != e.Node {
				names = append(names, spec.Devices[g.Nodes[n].Device].Name)
			}
		}
		return names
	}
	return nil
}
