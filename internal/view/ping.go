package view

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/revise"
)

// Ping is a predicted ping in JSON.
type Ping struct {
	From     string       `json:"from"`                  // as asked
	To       string       `json:"to"`                    // as asked
	Verdict  string       `json:"verdict"`               // works, fails, depends on the flow, unknown, or works in one family only
	Basis    string       `json:"basis"`                 // what the answer stands on
	Without  []string     `json:"without,omitempty"`     // what was taken to be out of order
	Families []PingFamily `json:"families"`              // IPv4 first
	Passed   []string     `json:"passed_over,omitempty"` // families not tried, and why
	Next     string       `json:"next,omitempty"`        // the command to type next, where it fails
}

// PingFamily is the ping in one family.
type PingFamily struct {
	Family  string   `json:"family"`            // ipv4 or ipv6
	Verdict string   `json:"verdict"`           // works, fails, depends on the flow or unknown
	Source  string   `json:"source,omitempty"`  // absent where the sender has no address
	Sources []string `json:"sources,omitempty"` // where it depends on the hop that is taken: all that it may send from
	Target  string   `json:"target"`
	Failure *Failure `json:"failure,omitempty"` // the first that fails, there before back
	Remedy  []Change `json:"remedy,omitempty"`  // changes tried all together: it works
	// where the reply leaves by another interface than the request came in by: DEVICE:INTERFACE
	Comes  string   `json:"comes_in_by,omitempty"`
	Leaves string   `json:"leaves_by,omitempty"` // and the one it leaves by
	There  *Graph   `json:"forward,omitempty"`   // the request
	Back   []Graph  `json:"return,omitempty"`    // the reply; several where an address is held twice
	Echoes []Echoes `json:"echoes,omitempty"`    // which neighbours each of several echoes waits for

	trial ask.Trial
}

// Failure is why a ping fails.
type Failure struct {
	Name   string   `json:"name"`           // its name in the catalogue
	Path   string   `json:"path"`           // forward or return
	Device string   `json:"device"`         // where the packet ends
	Reason string   `json:"reason"`         // one sentence
	Loop   []string `json:"loop,omitempty"` // the devices that pass it round

	cause string // the device to look at
}

// NewPing puts the pings of each family into their JSON form, with what mends each
// that fails. Prefix is the start of any command that uses the same plan.
func NewPing(x ask.Pinged, remedies [][]revise.Advice, prefix string) Ping {
	p := Ping{From: x.From.Text, To: x.To.Text, Basis: x.Basis, Without: x.Without, Passed: x.Passed}
	verdicts := map[forward.Verdict]int{}
	for i, t := range x.Trials {
		f := newFamily(x.Net, t)
		if i < len(remedies) {
			for _, a := range remedies[i] {
				f.Remedy = append(f.Remedy, newChange(a))
			}
		}
		verdicts[t.Verdict()]++
		if f.Failure != nil && p.Next == "" {
			p.Next = strings.Join(append([]string{nextCommand(f, prefix)}, withoutFlags(x.Without)...), " ")
		}
		p.Families = append(p.Families, f)
	}
	if other := x.OtherSource(); other != "" {
		p.Next = strings.Join(append([]string{prefix, "ping", ShellWord(other), ShellWord(p.To)}, withoutFlags(x.Without)...), " ")
	}
	p.Verdict = forward.Depends.String()
	for v, n := range verdicts {
		if n == len(x.Trials) {
			p.Verdict = v.String()
		}
	}
	if len(verdicts) > 1 && verdicts[forward.Depends] == 0 {
		p.Verdict = "works in one family only"
	}
	return p
}

func newFamily(net *forward.Network, t ask.Trial) PingFamily {
	f := PingFamily{Family: strings.ToLower(forward.FamilyOf(t.Target)), Verdict: t.Verdict().String(), Source: address(t.Source),
		Target: t.Target.String(), trial: t}
	if all := t.There.Sent(); len(all) > 1 {
		for _, h := range all {
			f.Sources = append(f.Sources, address(h.Source))
		}
	}
	there := NewGraph(net, t.There)
	f.There = &there
	for _, b := range t.Back {
		f.Back = append(f.Back, NewGraph(net, b))
	}
	if in, out, elsewhere := t.Elsewhere(); elsewhere && t.Verdict() == forward.Works {
		f.Comes, f.Leaves = net.Spec.Label(in), net.Spec.Label(out)
	}
	if fail, failing := t.Failure(net); failing {
		f.Failure = &Failure{Name: string(fail.Name), Path: pathWord(fail.Back), Device: net.Spec.Devices[fail.Device].Name,
			Reason: fail.Words(net), cause: net.Spec.Devices[fail.Cause].Name}
		for _, d := range fail.Loop {
			f.Failure.Loop = append(f.Failure.Loop, net.Spec.Devices[d].Name)
		}
	}
	return f
}

func pathWord(back bool) string {
	if back {
		return "return"
	}
	return "forward"
}

// nextCommand is what to look at first after a failure: the device to change,
// or else the one where it fails.
func nextCommand(f PingFamily, prefix string) string {
	device := f.Failure.cause
	if len(f.Remedy) > 0 {
		device = f.Remedy[0].Device
	}
	switch finding.Name(f.Failure.Name) {
	case finding.FilteredOut, finding.RefusedByPermit:
		return prefix + " show permits " + device
	case finding.ServiceUnanswered:
		return prefix + " show management " + device
	case finding.NoAddressLeft:
		return prefix + " show translations " + device
	case finding.InterfaceIsDown, finding.AddressSilent, finding.NoSourceAddress:
		return prefix + " show interfaces " + device
	}
	return prefix + " show routes " + device
}

// Works tells whether every family that was tried works.
func (p Ping) Works() bool { return p.Verdict == forward.Works.String() }

// Headline is the verdict in one sentence, with what it stands on.
func (p Ping) Headline() string {
	var works, fails, depends []string
	for _, f := range p.Families {
		word := forward.FamilyOf(f.trial.Target)
		switch f.trial.Verdict() {
		case forward.Works:
			works = append(works, word)
		case forward.Fails:
			fails = append(fails, word)
		default:
			depends = append(depends, word)
		}
	}
	var parts []string
	if len(works) > 0 {
		parts = append(parts, "reaches "+p.To+" in "+forward.And(works))
	}
	if len(fails) > 0 {
		sentence := "does not reach " + p.To + " in " + strings.Join(fails, " or ")
		if len(works) > 0 {
			sentence = "not in " + forward.And(fails)
		}
		parts = append(parts, sentence)
	}
	if len(depends) > 0 {
		sentence := "in " + forward.And(depends) + " by some paths only (it depends on the flow)"
		if len(parts) == 0 {
			sentence = "reaches " + p.To + " " + sentence
		}
		parts = append(parts, sentence)
	}
	text := p.From + " " + strings.Join(parts, ", ")
	if len(p.Without) > 0 {
		text += " without " + forward.And(p.Without)
	}
	return text + " · " + p.Basis
}

// Text writes the verdict, then why and what would mend it, then the paths
// there and back.
func (p Ping) Text(w io.Writer, net *forward.Network, width int, explain bool) {
	style := good
	switch {
	case p.Verdict == forward.Depends.String():
		style = warn
	case !p.Works():
		style = bad
	}
	head, basis, _ := strings.Cut(p.Headline(), " · ")
	fmt.Fprintln(w, style.Render(Clean(head))+faint.Render(" · "+basis))
	for _, x := range p.Passed {
		fmt.Fprintln(w, faint.Render("not tried: "+Clean(x)))
	}
	p.failures(w, width)
	for i, f := range p.Families {
		if f.Comes != "" && (i == 0 || p.Families[0].Comes != f.Comes || p.Families[0].Leaves != f.Leaves) {
			paragraph(w, width, pad("note", 8)+Clean(replyWords(f.Comes, f.Leaves)), "        ")
		}
	}
	if p.Next != "" {
		fmt.Fprintln(w, pad("next", 8)+Clean(p.Next))
	}
	for i, f := range p.Families {
		fmt.Fprintln(w)
		if i > 0 && !explain && sameWay(p.Families[0].trial, f.trial) {
			way := "takes the same path, forward and return"
			if len(f.trial.Back) == 0 {
				way = "takes the same path"
			}
			paragraph(w, width, fmt.Sprintf("%s %s, %s to %s", bold.Render(forward.FamilyOf(f.trial.Target)), way, sourcesOf(f.trial.There),
				f.Target), "  ")
			echoesText(w, f)
			continue
		}
		walkText(w, net, forward.FamilyOf(f.trial.Target)+" forward path", f.trial.There, width, explain)
		for _, b := range f.trial.Back {
			fmt.Fprintln(w)
			walkText(w, net, forward.FamilyOf(f.trial.Target)+" return path", b, width, explain)
		}
		if len(f.Echoes) > 0 {
			fmt.Fprintln(w)
			echoesText(w, f)
		}
	}
}

// replyWords says that a reply leaves elsewhere than the request came in.
func replyWords(in, out string) string {
	return "the request comes in by " + in + ", and the reply leaves by " + out
}

// failures writes why each family fails, once where two fail alike.
func (p Ping) failures(w io.Writer, width int) {
	const indent = "        "
	var said []PingFamily
	for _, f := range p.Families {
		if f.Failure == nil {
			continue
		}
		if slices.ContainsFunc(said, func(x PingFamily) bool { return alike(x, f) }) {
			continue
		}
		said = append(said, f)
		where := "on the " + f.Failure.Path + " path"
		if len(p.Families) > 1 && !slices.ContainsFunc(p.Families,
			func(x PingFamily) bool { return x.Family != f.Family && x.Failure != nil && alike(f, x) }) {
			where = forward.FamilyOf(f.trial.Target) + ", " + where
		}
		labelled(w, width, pad("why", 8), where+", "+Clean(f.Failure.Reason)+" "+faint.Render("("+f.Failure.Name+")"), indent)
		if len(f.Remedy) == 0 {
			fmt.Fprintln(w, pad("remedy", 8)+"none found: nothing that was tried helps")
			continue
		}
		for i, c := range f.Remedy {
			label := pad("remedy", 8)
			if i > 0 {
				label = pad("and", 8)
			}
			text := Clean(c.Change)
			if i == len(f.Remedy)-1 {
				text += " " + good.Render("(tried: it works)")
			}
			labelled(w, width, label, text, indent)
			changeText(w, c, indent)
		}
	}
}

// alike tells whether two families fail in the same way and would be mended by
// the same edit.
func alike(a, b PingFamily) bool {
	if a.Failure.Name != b.Failure.Name || a.Failure.Path != b.Failure.Path || a.Failure.Device != b.Failure.Device ||
		len(a.Remedy) != len(b.Remedy) {
		return false
	}
	for i := range a.Remedy {
		x, y := a.Remedy[i], b.Remedy[i]
		if x.File == "" && x.Change != y.Change || x.Line != y.Line || !slices.Equal(x.In, y.In) {
			return false
		}
	}
	return true
}

// sameWay tells whether two pings come by the same devices and interfaces.
func sameWay(a, b ask.Trial) bool {
	if len(a.Back) != len(b.Back) || !sameGraph(a.There, b.There) {
		return false
	}
	for i := range a.Back {
		if !sameGraph(a.Back[i], b.Back[i]) {
			return false
		}
	}
	return true
}

func sameGraph(a, b *forward.Graph) bool {
	return slices.EqualFunc(a.Nodes, b.Nodes, func(x, y forward.Node) bool {
		return x.At == y.At && x.Decision.Action == y.Decision.Action && len(x.Edges) == len(y.Edges)
	}) && slices.EqualFunc(a.Endings, b.Endings, func(x, y forward.Ending) bool { return x.Outcome == y.Outcome && x.Node == y.Node })
}

// Hops is the walks as one table: for CSV and Markdown.
func (p Ping) Hops(net *forward.Network) Table {
	table := Table{Columns: append([]Column{{Key: "family", Title: "family"}, {Key: "path", Title: "path"}}, walkColumns...)}
	add := func(f PingFamily, way string, g *forward.Graph) {
		for _, row := range walkRows(net, g) {
			table.Rows = append(table.Rows, append([]string{f.Family, way}, row...))
		}
	}
	for _, f := range p.Families {
		add(f, "forward", f.trial.There)
		for _, b := range f.trial.Back {
			add(f, "return", b)
		}
	}
	return table
}
