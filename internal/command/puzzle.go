package command

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/netip"
	"os"
	"slices"
	"strings"

	"golang.org/x/term"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/puzzle"
	"ropeswing/core/workspace"
	"ropeswing/internal/rehearse"
	"ropeswing/internal/view"
)

// puzzler is where a slip is looked for, line by line.
type puzzler struct {
	*app
	*puzzle.Puzzle
	seed uint64
	real realPuzzle // nil on the plain model
}

// realPuzzle is the puzzle's network in a kernel.
type realPuzzle interface {
	// become makes it anew, as another network.
	become(net *forward.Network) error
	// ask pings and traces for real.
	ask(from model.DeviceID, targets []netip.Addr) (*rehearse.Answers, error)
	close()
}

// puzzleShows are the lists that a puzzle shows of a device: what the device itself would tell.
var puzzleShows = []string{"interfaces", "routes", "ports", "vlans", "neighbours", "permits", "hosts", "addresses"}

// puzzle plants a slip in the network as planned, and lets it be looked for, in a rehearsal of it or on the plain model. Seed 0 is
// one by chance.
func (a *app) puzzle(seed uint64, simulated bool) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	if seed == 0 {
		seed = 1 + rand.Uint64N(99999)
	}
	p := &puzzler{app: a, seed: seed}
	if p.Puzzle, err = puzzle.New(w, seed); err != nil {
		return err
	}
	if !simulated {
		again, err := a.realPuzzle(p)
		if again {
			return err // that was the same command, where networks may be made
		}
		if err != nil {
			a.tell("by the plain model, for no network can be made here: " + err.Error())
		}
	}
	if p.real != nil {
		defer p.real.close()
	}
	fmt.Fprintf(a.out, "One slip was made somewhere in %s. Find it, and mend it: 'help' tells how. (puzzle %d)\n",
		view.Clean(w.Document.Name.Value), seed)
	p.symptoms()
	return p.session()
}

// session takes lines until the slip is mended, or whoever looks leaves.
func (p *puzzler) session() error {
	f, isFile := p.in.(*os.File)
	shown := isFile && term.IsTerminal(int(f.Fd()))
	lines := bufio.NewScanner(p.in)
	for {
		if shown {
			fmt.Fprint(p.out, "> ")
		}
		p.flush()
		if !lines.Scan() {
			break
		}
		if !shown {
			fmt.Fprintln(p.out, view.Prompt(lines.Text()))
		}
		switch err := p.line(lines.Text()); {
		case errors.Is(err, errSolved):
			return nil
		case errors.Is(err, errGivenUp):
			return errWrong
		case err != nil && !errors.Is(err, errSaid) && !errors.Is(err, errWrong):
			fmt.Fprintln(p.out, view.Clean(err.Error()))
		}
	}
	if err := lines.Err(); err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	return errWrong
}

var (
	errSolved  = errors.New("solved")
	errGivenUp = errors.New("given up")
)

const puzzleHelp = `ping [FROM] TO      is there a reply, and if not, who says what
trace [FROM] TO     who answers on the way
show LIST DEVICE    what a device tells of itself: interfaces, routes, ports, vlans,
                    neighbours, permits, hosts, addresses
state               what does not work
DEVICE: …           make a change, in the words of --with: desk-7: gateway 10.48.1.1
undo                take the last change back
hint                which device it is, and of what kind
answer              what it was, and leave
leave               leave; the same number asks the same puzzle again`

// line does what one line says.
func (p *puzzler) line(line string) error {
	words := strings.Fields(line)
	if len(words) == 0 {
		return nil
	}
	switch {
	case strings.HasSuffix(words[0], ":") && len(words[0]) > 1, words[0] == "cable", words[0] == "remove":
		return p.change(strings.Join(words, " "))
	case words[0] == "ping" || words[0] == "trace":
		p.Looks++
		return p.ask(words[0] == "trace", words[1:])
	case words[0] == "show":
		if len(words) < 3 || !slices.Contains(puzzleShows, words[1]) {
			return fmt.Errorf("show one of %s, and of which device", strings.Join(puzzleShows, ", "))
		}
		p.Looks++
		return p.show(words[1:])
	case words[0] == "state":
		p.symptoms()
	case words[0] == "undo":
		if !p.Undo() {
			return errors.New("nothing was changed")
		}
		p.renew()
		fmt.Fprintln(p.out, "the last change is taken back")
	case words[0] == "hint":
		fmt.Fprintln(p.out, view.Clean(p.Hint()))
	case words[0] == "answer":
		fmt.Fprintf(p.out, "%s: '%s'; you looked %s\n", view.Clean(p.Kind), view.Clean(p.Slip), times(p.Looks))
		return errGivenUp
	case words[0] == "leave" || words[0] == "exit" || words[0] == "quit":
		return errGivenUp
	case words[0] == "help" || words[0] == "?":
		fmt.Fprintln(p.out, puzzleHelp)
	default:
		return fmt.Errorf("'%s' is nothing that is done here; 'help' tells what is", words[0])
	}
	return nil
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// symptoms tells what does not work that should: who cannot reach whom, those who cannot reach the same in one line.
func (p *puzzler) symptoms() {
	type want struct{ to, family string }
	reach := map[string][]want{}
	var order []string
	for _, x := range p.Broken() {
		family := map[bool]string{true: "IPv4", false: "IPv6"}[x.IPv4]
		if reach[x.From] == nil {
			order = append(order, x.From)
		}
		reach[x.From] = append(reach[x.From], want{x.To, family})
	}
	lines := map[string][]string{} // who misses what
	var texts []string
	for _, from := range order {
		families := map[string][]string{}
		var to []string
		for _, w := range reach[from] {
			if families[w.to] == nil {
				to = append(to, w.to)
			}
			families[w.to] = append(families[w.to], w.family)
		}
		alike := families[to[0]] // of all of them
		for _, name := range to {
			if !slices.Equal(families[name], alike) {
				alike = nil
			}
		}
		for i, name := range to {
			if alike == nil && len(families[name]) == 1 {
				to[i] += " in " + families[name][0]
			}
		}
		text := view.Some(to, 6)
		if len(alike) == 1 {
			text += " in " + alike[0]
		}
		if lines[text] == nil {
			texts = append(texts, text)
		}
		lines[text] = append(lines[text], from)
	}
	const most = 8
	for _, text := range texts[:min(len(texts), most)] {
		verb := "do"
		if len(lines[text]) == 1 {
			verb = "does"
		}
		view.Wrapped(p.out, p.width, "  "+view.Clean(view.Some(lines[text], 6)+" "+verb+" not reach "+text), "    ")
	}
	if len(texts) > most {
		fmt.Fprintf(p.out, "  and %d more like these\n", len(texts)-most)
	}
}

// change makes a change, and tells whether that was it.
func (p *puzzler) change(text string) error {
	before := len(p.Broken())
	if err := p.Type(text); err != nil {
		return err
	}
	left := len(p.Broken())
	switch {
	case left == 0:
		fmt.Fprintf(p.out, "That was it: everything works again. You looked %s, and made %s.\nThe slip was '%s': %s.\n", times(p.Looks),
			view.Count(len(p.Typed), "change"), view.Clean(p.Slip), view.Clean(p.Kind))
		return errSolved
	}
	p.renew()
	switch {
	case left < before:
		fmt.Fprintf(p.out, "set; %s of %d that did not work work now, %d do not\n", view.Count(before-left, "pair"), before, left)
	case left > before:
		fmt.Fprintf(p.out, "set; now %s more do not work: 'undo' takes it back\n", view.Count(left-before, "pair"))
	default:
		fmt.Fprintln(p.out, "set; as many pairs do not work as before")
	}
	return nil
}

// renew makes the real network what it is to be now, or says that it cannot be made.
func (p *puzzler) renew() {
	if p.real == nil {
		return
	}
	if err := p.real.become(p.Now().Network); err != nil {
		p.tell("from here on by the plain model, for the kernel does not take it: " + err.Error())
		p.real.close()
		p.real = nil
	}
}

// show lists what a device tells of itself, by the command that lists it.
func (p *puzzler) show(words []string) error {
	b := *p.app
	b.given, b.with, b.observed = p.Now(), nil, ""
	root := b.root("show")
	root.SilenceErrors, root.SilenceUsage = true, true
	root.SetArgs(append([]string{"show"}, words...))
	root.SetOut(p.out)
	root.SetErr(p.out)
	return root.Execute()
}

// ask pings or traces as a host does: it hears replies and errors, and nothing else.
func (p *puzzler) ask(trace bool, words []string) error {
	w := p.Now()
	from, to, err := p.pair(w, words)
	if err != nil {
		return err
	}
	var targets []netip.Addr
	for _, family := range prefix.Families {
		source, target := w.Spec.MainAddress(from, family), w.Spec.MainAddress(to, family)
		if !source.IsValid() || !target.IsValid() {
			continue
		}
		if targets = append(targets, target); p.real != nil {
			continue
		}
		x := forward.PingBy(w.Network, from, netip.Addr{}, target, model.None, forward.Probe{})
		tr := forward.Follow(w.Network, x)
		if trace {
			p.hops(w, tr, family, target)
			continue
		}
		fmt.Fprintf(p.out, "%s: %s\n", target, pinged(tr, x, family))
	}
	switch {
	case len(targets) == 0:
		return errors.New("the two have no addresses of one family")
	case p.real == nil:
		return nil
	}
	answers, err := p.real.ask(from, targets)
	for _, target := range targets {
		if err == nil {
			p.tellReal(trace, w, answers, target)
		}
	}
	return err
}

// tellReal tells what the kernel answered.
func (p *puzzler) tellReal(trace bool, w *workspace.Workspace, answers *rehearse.Answers, target netip.Addr) {
	if !trace {
		text := "no reply"
		if told, ok := answers.Hops[rehearse.Probe{Target: target}]; answers.Replied[target] {
			text = "reply"
		} else if ok {
			text = fmt.Sprintf("from %s: %s", told.From, told.Word)
		}
		fmt.Fprintf(p.out, "%s: %s\n", target, text)
		return
	}
	fmt.Fprintf(p.out, "to %s\n", target)
	for ttl := 1; ttl <= rehearse.MostTTL; ttl++ {
		text := "*"
		h, ok := answers.Hops[rehearse.Probe{Target: target, TTL: ttl}]
		if ok {
			text = w.Spec.HolderLabel(h.From)
			if h.From != target && h.Word != "time exceeded" {
				text += "  " + h.Word
			}
		}
		fmt.Fprintf(p.out, "  %2d  %s\n", ttl, view.Clean(text))
		switch {
		case ok && h.Word != "time exceeded":
			return
		case ttl == rehearse.MostTTL && ok:
			fmt.Fprintf(p.out, "      … no further hop is traced than this\n")
		}
	}
}

// pair is who is meant by one or two names: the operator asks where only one is named.
func (p *puzzler) pair(w *workspace.Workspace, words []string) (from, to model.DeviceID, err error) {
	if len(words) == 0 || len(words) > 2 {
		return from, to, errors.New("name whom: ping [FROM] TO")
	}
	if to, err = w.Device(words[len(words)-1]); err != nil {
		return from, to, err
	}
	if len(words) == 2 {
		from, err = w.Device(words[0])
		return from, to, err
	}
	if w.Spec.Operator == model.None {
		return from, to, errors.New("name both: ping FROM TO")
	}
	return w.Spec.Operator, to, nil
}

// pinged is what comes back to a ping, as its sender hears it.
func pinged(tr *forward.Trace, x *forward.Exchange, family prefix.Family) string {
	if x.Verdict() == forward.Works {
		return "reply"
	}
	if n := len(tr.Hops); n > 0 {
		for _, a := range tr.Hops[n-1].Answers {
			if !a.Silent && !a.Lost && a.Address.IsValid() && a.Address != x.Target {
				return fmt.Sprintf("from %s: %s", a.Address, a.ICMP.Words(family))
			}
		}
	}
	return "no reply"
}

// hops writes a trace: by TTL who answers, a star where nobody does.
func (p *puzzler) hops(w *workspace.Workspace, tr *forward.Trace, family prefix.Family, target netip.Addr) {
	fmt.Fprintf(p.out, "to %s\n", target)
	if len(tr.Hops) == 0 {
		fmt.Fprintln(p.out, "   1  *")
	}
	for _, h := range tr.Hops {
		var all []string
		for _, a := range h.Answers {
			if a.Silent || a.Lost || !a.Address.IsValid() {
				continue
			}
			text := a.Address.String() + "  " + w.Spec.Devices[a.Device].Name
			if a.Address != target && a.Final(family) {
				text += "  " + a.ICMP.Words(family)
			}
			all = append(all, text)
		}
		if len(all) == 0 {
			all = []string{"*"}
		}
		fmt.Fprintf(p.out, "  %2d  %s\n", h.TTL, view.Clean(strings.Join(all, "; ")))
	}
	if len(tr.Loop) > 0 {
		fmt.Fprintln(p.out, "      … and so round, until the TTL ends")
	}
}
