package command

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"os/signal"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// live is the options of pinging for real.
type livePing struct {
	on       bool
	standing string // the host of the plan that this machine stands in for
	save     string
	baseline string
	probes   string // what a trace is made with
}

func (a *app) liveFlags(cmd *cobra.Command, l *livePing, what string) {
	cmd.Flags().BoolVar(&l.on, "live",
		false, what+" from this machine, and compare with the prediction; targets may be several, segments, groups of the plan, and everyone")
	a.standingFlag(cmd, l, "live")
}

// standingFlag says whom this machine stands in for, where the option on makes it ping.
func (a *app) standingFlag(cmd *cobra.Command, l *livePing, on string) {
	cmd.Flags().StringVar(&l.standing, "standing-at", "", "with --"+on+
		": this machine stands in for `HOST` of the plan; its operator unless said")
	a.must(cmd.RegisterFlagCompletionFunc("standing-at", a.completeDevices))
}

func (a *app) answersFlags(cmd *cobra.Command, l *livePing, on string) {
	cmd.Flags().StringVar(&l.save, "save", "", "with --"+on+": keep in `FILE` what answered")
	cmd.Flags().StringVar(&l.baseline, "baseline", "", "with --"+on+": tell what answered in `FILE` and does not now")
}

// pingLive pings targets for real. Nothing is sent to an address that neither the user
// nor the plan names.
func (a *app) pingLive(j *journey, l *livePing, args []string) error {
	before, err := a.answeredBefore(l)
	if err != nil {
		return err
	}
	w, name, targets, err := a.liveAsked(j, l, args)
	if err != nil {
		return err
	}
	v := &view.Live{From: name, Echoes: []view.LiveEcho{}}
	for _, t := range targets {
		v.Echoes = append(v.Echoes, view.LiveEcho{Target: t.name, Address: t.address.String()})
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	echoes, err := wire.PingLive(ctx, addressesOf(targets), wire.PoliteEcho, func(done int) { a.progress(done, len(targets)) })
	a.progress(len(targets), len(targets))
	if err != nil {
		return notAsked{err}
	}
	v.Stopped = ctx.Err() != nil
	if !v.Stopped && !slices.ContainsFunc(echoes, func(e wire.Echo) bool { return e.Sent }) {
		return notAsked{fmt.Errorf("nothing could be sent: %s", cmp.Or(echoes[0].Word, "nobody was asked"))}
	}
	for i, e := range echoes {
		a.took(v, &v.Echoes[i], e, w, targets[i].trial)
	}
	v.Silenced = silenced(before, echoes, func(i int) string { return fmt.Sprintf("%s (%s)", targets[i].name, targets[i].address) })
	if err := a.keepAnswers(l, echoes); err != nil {
		return err
	}
	err = a.print(v, v.Table(), func() { v.Text(a.out, a.width) })
	return liveEnd(err, v.Stopped, v.Replied == v.Asked && v.Differ == 0)
}

// liveAsked is the plan to compare with, the name in it of who asks here, and the
// targets; no plan and no name where there is none.
func (a *app) liveAsked(j *journey, l *livePing, args []string) (*workspace.Workspace, string, []liveTarget, error) {
	if err := a.checkFormat(); err != nil {
		return nil, "", nil, err
	}
	families, err := a.families()
	if err != nil {
		return nil, "", nil, err
	}
	w, from, err := a.standing(l)
	if err != nil {
		return nil, "", nil, err
	}
	name := ""
	if w != nil {
		name = w.Spec.Devices[from.Device].Name
	}
	targets, err := a.liveTargets(w, from, families, j.probe, args)
	return w, name, targets, err
}

// liveEnd is how a live command ends once its answer is printed.
func liveEnd(printing error, stopped, well bool) error {
	switch {
	case printing != nil:
		return printing
	case stopped:
		return errInterrupted
	case !well:
		return errWrong
	}
	return nil
}

// liveTarget is an address to ask for real.
type liveTarget struct {
	name    string // as asked
	address netip.Addr
	trial   *ask.Trial // the prediction; nil where there is no plan
}

func addressesOf(targets []liveTarget) []netip.Addr {
	var all []netip.Addr
	for _, t := range targets {
		all = append(all, t.address)
	}
	return all
}

// liveTargets are the addresses that the words of a command line stand for, each once.
func (a *app) liveTargets(w *workspace.Workspace, from ask.Endpoint, only prefix.Only, probe forward.Probe, args []string) ([]liveTarget,
	error) {
	var targets []liveTarget
	add := func(t liveTarget) {
		if !slices.ContainsFunc(targets, func(o liveTarget) bool { return o.address == t.address }) {
			targets = append(targets, t)
		}
	}
	for _, arg := range args {
		if w == nil {
			to, err := prefix.ParseAddress(arg)
			if err != nil {
				return nil, fmt.Errorf("%s: without a plan targets are addresses: %w", arg, err)
			}
			add(liveTarget{name: arg, address: to})
			continue
		}
		meant, err := w.Meant(w.Network, arg)
		if err != nil {
			return nil, err
		}
		for _, to := range meant {
			if len(meant) > 1 && (to.Device == from.Device || to.Address.IsValid() && !only.Has(prefix.FamilyOf(to.Address))) {
				continue
			}
			all, _, err := ask.Pings(w.Network, from, to, only, probe)
			if err != nil {
				return nil, err
			}
			for i := range all {
				add(liveTarget{to.Text, all[i].Target, &all[i]})
			}
		}
	}
	for _, t := range targets {
		if what := noMachine(w, t.address); what != "" {
			return nil, fmt.Errorf("%s is %s: only single machines are asked", t.address, what)
		}
	}
	if len(targets) == 0 {
		return nil, fmt.Errorf("%s: there is nobody to ask in that family", strings.Join(args, ", "))
	}
	return targets, nil
}

// noMachine is what an address is that no single machine has; "" for others.
func noMachine(w *workspace.Workspace, a netip.Addr) string {
	switch {
	case a.IsMulticast():
		return "a group's address (multicast)"
	case a.IsUnspecified():
		return "no address"
	case a == netip.AddrFrom4([4]byte{255, 255, 255, 255}):
		return "everybody's address (broadcast)"
	case w == nil:
		return ""
	}
	for _, s := range w.Spec.Segments {
		for _, p := range s.Prefixes {
			if b, ok := prefix.Broadcast(p.Prefix); ok && b == a {
				return "the broadcast address of " + s.Name
			}
		}
	}
	return ""
}

// standing is the plan, and the host in it that this machine stands in for; nil where
// there is no plan, nor a state, and none is asked for.
func (a *app) standing(l *livePing) (*workspace.Workspace, ask.Endpoint, error) {
	if _, err := a.find(); errors.Is(err, errNoPlan) && a.observed == "" && l.standing == "" {
		return nil, ask.Endpoint{}, nil
	}
	w, err := a.usable()
	if err != nil {
		return nil, ask.Endpoint{}, err
	}
	var from ask.Endpoint
	if l.standing != "" {
		from, err = w.Endpoint(l.standing)
	} else if from, err = w.Operator(); err != nil {
		err = errNobody
	}
	if err == nil && from.Device == model.None {
		err = fmt.Errorf("nobody in the plan has %s; %w", l.standing, errNobody)
	}
	return w, from, err
}

var errNobody = errors.New("name the host that this machine stands in for: --standing-at HOST")

// took notes what came of one address, and what it tells beside the prediction.
func (a *app) took(v *view.Live, x *view.LiveEcho, e wire.Echo, w *workspace.Workspace, t *ask.Trial) {
	if !e.Sent { // nothing is told of it, neither that it is as predicted nor that it is not
		x.Answer = cmp.Or(e.Word, "not asked")
		return
	}
	v.Asked++
	if x.Replied = e.Replied; e.Replied {
		v.Replied++
		x.Millis = float64(e.Trip) / float64(time.Millisecond)
	} else if e.Word != "" {
		x.Answer = e.Word
		if e.From.IsValid() {
			x.Answer += " says " + e.From.String()
		}
	}
	if t == nil {
		return
	}
	verdict := t.Verdict()
	x.Predicted = verdict.String()
	switch {
	case verdict == forward.Works && !e.Replied:
		v.Differ++
		x.Tells = t.TellUnanswered(w.Network, e.From).Words(w.Network)
	case verdict == forward.Fails && e.Replied:
		v.Differ++
		x.Tells = "the network is not as planned: by the plan it should not work"
		if f, ok := t.Failure(w.Network); ok {
			x.Tells += ", for " + f.Words(w.Network)
		}
	}
}

// answersFile is what answered, as it is kept.
type answersFile struct {
	Version  int      `json:"ropeswing_answers"`
	Answered []string `json:"answered"` // addresses
}

// answeredBefore is what answered in the baseline.
func (a *app) answeredBefore(l *livePing) ([]string, error) {
	if l.baseline == "" {
		return nil, nil
	}
	text, err := a.readFile(l.baseline)
	if err != nil {
		return nil, err
	}
	var before answersFile
	if err := json.Unmarshal(text, &before); err != nil || before.Version != 1 {
		return nil, fmt.Errorf("%s: it was not kept by --save", l.baseline)
	}
	return before.Answered, nil
}

// keepAnswers keeps what answers now, where that is asked for.
func (a *app) keepAnswers(l *livePing, echoes []wire.Echo) error {
	if l.save == "" {
		return nil
	}
	if slices.ContainsFunc(echoes, func(e wire.Echo) bool { return !e.Sent }) {
		a.tell(l.save + " is left as it is: not all were asked")
		return nil
	}
	now := answersFile{Version: 1, Answered: []string{}}
	for _, e := range echoes {
		if e.Replied {
			now.Answered = append(now.Answered, e.Target.String())
		}
	}
	text, err := json.MarshalIndent(now, "", " ")
	if err != nil {
		return err
	}
	if err := files.Put(a.at(l.save), append(text, '\n'), a.tell, files.AnswersFile); err != nil {
		return notWritten(l.save, err)
	}
	return nil
}

// silenced lists what answered before and does not now, each as it is called.
func silenced(before []string, echoes []wire.Echo, called func(i int) string) []string {
	var all []string
	for i, e := range echoes {
		if !e.Replied && slices.Contains(before, e.Target.String()) {
			all = append(all, called(i))
		}
	}
	return all
}

// notAsked is the error of not being able to ask.
type notAsked struct{ error }

func (e notAsked) Unwrap() error { return e.error }

var errNoLive = errors.New("--standing-at, --save and --baseline go with --live")
