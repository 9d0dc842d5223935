package command

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"os/exec"
	"slices"
	"strings"

	"golang.org/x/term"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/internal/files"
	"ropeswing/internal/rehearse"
	"ropeswing/internal/view"
)

// prompt is where a rehearsal is played with, by one terminal.
type prompt struct {
	*rehearsed
	out   io.Writer
	width int
	run   func(d model.DeviceID, words []string) error // a command at a device, with the terminal
	last  [2]string                                    // who pinged whom last
	tape  *tape
}

// tape is a capture that runs.
type tape struct {
	file string
	end  func() error
}

var errLeave = errors.New("leave")

// promptCommand is one word of the prompt.
type promptCommand struct {
	name, operands, help string
	least, most          int // operands; most -1 is any number
	parts                func(*prompt) []string
	do                   func(*prompt, []string) error
}

// promptCommands are the words of the prompt, in the order of their help.
func promptCommands() []promptCommand {
	return []promptCommand{
		{"ping", "[FROM] TO", "ping for real, beside what is predicted", 1, 2, (*prompt).deviceNames, (*prompt).ping},
		{"trace", "[FROM] TO", "each hop for real, beside what is predicted", 1, 2, (*prompt).deviceNames, (*prompt).trace},
		{"why", "[FROM TO]", "what Rope Swing says of the last ping, or of another", 0, 2, (*prompt).deviceNames, (*prompt).why},
		{"everyone", "", "everyone pings everyone, and what is not as predicted", 0, 0, nil, (*prompt).everyone},
		{"cut", "PART…", "put a cable, device, segment or DEVICE:INTERFACE out of order", 1, -1, (*prompt).partNames, (*prompt).cut},
		{"mend", "PART…", "put it right again; 'mend all' everything", 1, -1, (*prompt).cutNames, (*prompt).mend},
		{"restart", "DEVICE", "restart a device: what was set on it by hand is gone", 1, 1, (*prompt).deviceNames, (*prompt).restart},
		{"state", "", "what is out of order, and which watches are silent", 0, 0, nil, (*prompt).state},
		{"shell", "DEVICE", "stand at a device: your shell, with its network", 1, 1, (*prompt).deviceNames, (*prompt).shell},
		{"at", "DEVICE COMMAND…", "run a command at a device", 2, -1, (*prompt).deviceNames, (*prompt).at},
		{"capture", "DEVICE:INTERFACE FILE", "write what passes there to a file, until 'capture stop'", 1, 2, (*prompt).partNames,
			(*prompt).capture},
		{"help", "", "this list", 0, 0, nil, (*prompt).help},
		{"leave", "", "end here; Ctrl-D does so too", 0, 0, nil, func(*prompt, []string) error { return errLeave }},
	}
}

// stay checks, and goes on at a prompt.
func (a *app) stay(ctx context.Context, r *rehearsed, o *rehearsalOptions) error {
	if err := r.check(ctx, o); err != nil && !errors.Is(err, errWrong) {
		return err
	}
	served, err := r.serve()
	if err != nil {
		return err
	}
	defer served()
	defer passedOn()()
	p := &prompt{rehearsed: r, out: a.out, width: a.width}
	p.run = func(d model.DeviceID, words []string) error { return standThere(r.lab, r.w, d, words) }
	defer p.stopTape()
	a.flush()
	return p.session(a.in)
}

// session takes lines from a terminal, or whatever else they come from, until its end.
func (p *prompt) session(in io.Reader) error {
	if f, ok := in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		return p.terminal(f, func() func() {
			before, err := term.MakeRaw(int(f.Fd()))
			if err != nil {
				return func() {}
			}
			return func() { _ = term.Restore(int(f.Fd()), before) }
		})
	}
	lines := bufio.NewScanner(in)
	for lines.Scan() {
		fmt.Fprintln(p.out, view.Prompt(lines.Text()))
		if err := p.line(lines.Text()); errors.Is(err, errLeave) {
			return nil
		} else if err != nil {
			fmt.Fprintln(p.out, view.Clean(err.Error()))
		}
		p.app.flush()
	}
	return lines.Err()
}

// bothWays is a terminal's two ends.
type bothWays struct {
	io.Reader
	io.Writer
}

// terminal takes lines from a terminal until the end. Raw makes it raw until the function that
// comes back is called.
func (p *prompt) terminal(in io.Reader, raw func() func()) error {
	out := p.out
	t := term.NewTerminal(bothWays{in, out}, "rehearsal> ")
	t.AutoCompleteCallback = func(line string, pos int, key rune) (string, int, bool) {
		if key != '\t' || pos != len(line) {
			return "", 0, false
		}
		whole, options := p.complete(line)
		if len(options) > 1 {
			_, _ = fmt.Fprintf(t, "%s\n", strings.Join(options, "  "))
		}
		return whole, len(whole), whole != line
	}
	fmt.Fprintln(out, "help lists what can be said here; Ctrl-D leaves")
	for {
		cooked := raw()
		line, err := t.ReadLine()
		cooked()
		switch {
		case errors.Is(err, io.EOF):
			fmt.Fprintln(out)
			return nil
		case err != nil && !errors.Is(err, term.ErrPasteIndicator):
			return err
		}
		if err := p.line(line); errors.Is(err, errLeave) {
			return nil
		} else if err != nil {
			fmt.Fprintln(out, view.Clean(err.Error()))
		}
		p.app.flush()
	}
}

// line does what a line says.
func (p *prompt) line(line string) error {
	words := strings.Fields(line)
	if len(words) == 0 || strings.HasPrefix(words[0], "#") {
		return nil
	}
	var names []string
	for _, c := range promptCommands() {
		if names = append(names, c.name); c.name != words[0] {
			continue
		}
		operands := words[1:]
		if len(operands) < c.least || c.most >= 0 && len(operands) > c.most {
			return fmt.Errorf("it is: %s", strings.TrimSpace(c.name+" "+c.operands))
		}
		return c.do(p, operands)
	}
	if near, ok := finding.Nearest(words[0], names); ok {
		return fmt.Errorf("there is no %s here; did you mean %s?", words[0], near)
	}
	return fmt.Errorf("there is no %s here; help lists what there is", words[0])
}

// complete is a line with what its last word can only be, and what it may be.
func (p *prompt) complete(line string) (whole string, options []string) {
	words := strings.Fields(line)
	typed := ""
	if len(words) > 0 && !strings.HasSuffix(line, " ") {
		typed, words = words[len(words)-1], words[:len(words)-1]
	}
	for _, c := range promptCommands() {
		switch {
		case len(words) == 0:
			options = append(options, c.name)
		case c.name == words[0] && c.parts != nil:
			options = c.parts(p)
		}
	}
	options = slices.DeleteFunc(options, func(s string) bool { return !strings.HasPrefix(s, typed) })
	if len(options) == 0 {
		return line, nil
	}
	slices.Sort(options)
	common := options[0]
	for _, o := range options {
		for !strings.HasPrefix(o, common) {
			common = common[:len(common)-1]
		}
	}
	if len(options) == 1 {
		common += " "
	}
	return line[:len(line)-len(typed)] + common, options
}

func (p *prompt) deviceNames() []string { return p.w.DeviceNames() }

func (p *prompt) partNames() []string { return p.w.Network.State.PartNames() }

func (p *prompt) cutNames() []string {
	all := []string{"all"}
	for _, f := range p.lab.Network().State.Failures() {
		all = append(all, f.Name(p.w.Spec))
	}
	return all
}

// pair is who asks and who is asked; the operator asks where only one is named.
func (p *prompt) pair(words []string) (from ask.Endpoint, targets []netip.Addr, err error) {
	if len(words) == 1 {
		if from, err = p.w.Operator(); err != nil {
			return from, nil, err
		}
	} else if from, err = p.w.Endpoint(words[0]); err != nil {
		return from, nil, err
	}
	if from.Device == model.None {
		return from, nil, fmt.Errorf("nobody in the plan has %s", from.Text)
	}
	to, err := p.w.Endpoint(words[len(words)-1])
	if err != nil {
		return from, nil, err
	}
	trials, passed, err := ask.Pings(p.lab.Network(), from, to, 0, forward.Probe{})
	if err != nil {
		return from, nil, err
	}
	for _, t := range trials {
		targets = append(targets, t.Target)
	}
	if len(targets) == 0 {
		return from, nil, errors.New(strings.Join(passed, "; "))
	}
	p.last = [2]string{from.Text, to.Text}
	return from, targets, nil
}

func (p *prompt) ping(words []string) error {
	from, targets, err := p.pair(words)
	if err != nil {
		return err
	}
	return p.asked(from.Device, targets, false)
}

func (p *prompt) trace(words []string) error {
	from, targets, err := p.pair(words)
	if err != nil {
		return err
	}
	return p.asked(from.Device, targets, true)
}

// asked asks for real and tells what came of it, beside what is predicted.
func (p *prompt) asked(from model.DeviceID, targets []netip.Addr, traces bool) error {
	all, err := p.lab.Ask(map[model.DeviceID][]netip.Addr{from: targets}, traces)
	if err != nil {
		return err
	}
	net := p.lab.Network()
	for _, to := range targets {
		x := forward.Ping(net, from, netip.Addr{}, to, model.None)
		v := view.Rehearsed{From: p.w.Spec.Devices[from].Name, To: p.w.Spec.HolderLabel(to), Replied: all[from].Replied[to], AsPredicted: true}
		switch c := rehearse.Compare(net, x, all[from], traces); c.Outcome {
		case rehearse.NotSaid:
			v.Predicted = x.Verdict().String()
		case rehearse.Otherwise, rehearse.AtHop:
			v.AsPredicted = false
		}
		if f, fails := x.Failure(net); fails {
			v.Why = f.Words(net)
		}
		for ttl := 1; traces && ttl <= rehearse.MostTTL; ttl++ {
			if h, ok := all[from].Hops[rehearse.Probe{Target: to, TTL: ttl}]; ok {
				v.Hops = append(v.Hops, fmt.Sprintf("%d  %s  %s", ttl, p.w.Spec.HolderLabel(h.From), h.Word))
				if h.Word == "reply" {
					break
				}
			} else {
				v.Hops = append(v.Hops, fmt.Sprintf("%d  no answer", ttl))
			}
		}
		v.Text(p.out)
	}
	return nil
}

// why has the program say what it predicts, with what is out of order now.
func (p *prompt) why(words []string) error {
	if len(words) == 1 {
		return errors.New("it is: why FROM TO, or why alone for the last ping")
	}
	pair := p.last
	if len(words) == 2 {
		pair = [2]string{words[0], words[1]}
	}
	if pair[0] == "" {
		return errors.New("nobody was pinged yet: why FROM TO")
	}
	return p.say("ping", pair[0], pair[1])
}

// say runs another command of the program, about the network as it is now.
func (p *prompt) say(args ...string) error {
	for _, f := range p.lab.Network().State.Failures() {
		args = append(args, "--without", f.Name(p.w.Spec))
	}
	if p.app.observed != "" {
		args = append(args, "--observed", p.app.observed)
	}
	if p.app.plan != "" {
		args = append([]string{"-p", p.app.plan}, args...)
	}
	sub := *p.app
	sub.out, sub.err, sub.width, sub.live = p.out, p.out, p.width, false
	sub.plan, sub.format, sub.only, sub.observed = "", "", "", ""
	sub.run(args)
	return nil
}

func (p *prompt) everyone([]string) error {
	p.lab.Settled(settlesWithin)
	t, err := p.lab.Check(context.Background(), p.rehearsed.asked, true)
	if err != nil {
		return err
	}
	if err := p.lab.Look(context.Background(), t.Differ); err != nil {
		return err
	}
	v := &view.Rehearsal{Basis: p.w.Basis, Devices: len(p.w.Spec.Devices), Watches: p.lab.Watches(), MainOnly: p.main}
	p.add(v, t, "")
	v.Text(p.out, p.width)
	return nil
}

func (p *prompt) cut(words []string) error {
	further, err := p.w.Network.State.FailuresNamed(words...)
	if err != nil {
		return err
	}
	now := p.lab.Network().State.Failures()
	for _, f := range further {
		if slices.Contains(now, f) {
			return fmt.Errorf("%s is out of order already", f.Name(p.w.Spec))
		}
	}
	return p.put(slices.Concat(now, further))
}

func (p *prompt) mend(words []string) error {
	now := slices.Clone(p.lab.Network().State.Failures())
	if slices.Contains(words, "all") {
		return p.put(nil)
	}
	mended, err := p.w.Network.State.FailuresNamed(words...)
	if err != nil {
		return err
	}
	for _, f := range mended {
		i := slices.Index(now, f)
		if i < 0 {
			return fmt.Errorf("%s is not out of order", f.Name(p.w.Spec))
		}
		now = slices.Delete(now, i, i+1)
	}
	return p.put(now)
}

// put puts parts out of order, waits for watches, and tells what that takes.
func (p *prompt) put(failures []network.Failure) error {
	if err := p.lab.Put(failures...); err != nil {
		return err
	}
	p.lab.Settled(settlesWithin)
	return p.state(nil)
}

func (p *prompt) restart(words []string) error {
	d, err := p.w.Device(words[0])
	if err != nil {
		return err
	}
	if err := p.lab.Restart(d); err != nil {
		return err
	}
	p.lab.Settled(settlesWithin)
	fmt.Fprintf(p.out, "%s restarted; it has what the plan gives it\n", view.Clean(p.w.Spec.Devices[d].Name))
	return nil
}

func (p *prompt) state([]string) error {
	net := p.lab.Network()
	var out, silent []string
	for _, f := range net.State.Failures() {
		out = append(out, f.Name(p.w.Spec))
	}
	for _, m := range p.lab.Silent() {
		silent = append(silent, fmt.Sprintf("%s watches %s", p.w.Spec.Devices[m.Key.Device].Name, p.w.Spec.HolderLabel(m.Watch)))
	}
	view.RehearsalState(p.out, out, silent, p.lab.Watches())
	return nil
}

func (p *prompt) shell(words []string) error {
	d, err := p.w.Device(words[0])
	if err != nil {
		return err
	}
	return p.ran(d, shellOf(p.w.Spec.Devices[d].Name))
}

func (p *prompt) at(words []string) error {
	d, err := p.w.Device(words[0])
	if err != nil {
		return err
	}
	return p.ran(d, words[1:])
}

// ran runs a command with the terminal; that it failed it says itself.
func (p *prompt) ran(d model.DeviceID, words []string) error {
	p.app.flush()
	err := p.run(d, words)
	if errors.As(err, new(exitCode)) || errors.As(err, new(*exec.ExitError)) {
		return nil
	}
	return err
}

func (p *prompt) capture(words []string) error {
	if len(words) == 1 {
		if words[0] != "stop" {
			return errors.New("it is: capture DEVICE:INTERFACE FILE, or capture stop")
		}
		return p.stopTape()
	}
	if p.tape != nil {
		return fmt.Errorf("%s is being written; 'capture stop' ends it", p.tape.file)
	}
	f, err := p.w.Network.State.FailureNamed(words[0])
	if err != nil || f.Interface == model.None {
		return fmt.Errorf("%s is no DEVICE:INTERFACE of the plan", words[0])
	}
	var held heldBack
	stop, err := p.lab.Capture(f.Interface, &held)
	if err != nil {
		return err
	}
	p.tape = &tape{file: words[1], end: func() error {
		count, err := stop()
		if err == nil {
			err = files.Put(p.app.at(words[1]), held.bytes, p.app.tell, files.CaptureFile)
		}
		if err == nil {
			fmt.Fprintf(p.out, "%s in %s\n", view.Count(count, "packet"), view.Clean(words[1]))
		}
		return err
	}}
	fmt.Fprintf(p.out, "what passes %s is kept for %s; 'capture stop' writes it\n", view.Clean(words[0]), view.Clean(words[1]))
	return nil
}

// stopTape ends a capture and writes it.
func (p *prompt) stopTape() error {
	if p.tape == nil {
		return errors.New("nothing is being captured")
	}
	end := p.tape.end
	p.tape = nil
	return end()
}

// heldBack is what is written, in memory until it is whole.
type heldBack struct{ bytes []byte }

func (h *heldBack) Write(b []byte) (int, error) {
	h.bytes = append(h.bytes, b...)
	return len(b), nil
}

func (p *prompt) help([]string) error {
	for _, c := range promptCommands() {
		fmt.Fprintf(p.out, "  %-30s %s\n", strings.TrimSpace(c.name+" "+c.operands), c.help)
	}
	return nil
}
