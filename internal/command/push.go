package command

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/compare"
	"ropeswing/core/form"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/steps"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// pushOptions are how to carry steps out.
type pushOptions struct {
	asking
	standing string
	write    bool
	yes      bool
	takeBack bool
	timer    time.Duration
	noSave   bool
	leave    []string
}

func (a *app) push() *cobra.Command {
	var o pushOptions
	cmd := &cobra.Command{
		Use:     "push",
		Short:   "Carry out the steps to the plan, each with a way back",
		GroupID: groupReal,
		Long: "Ask all devices, work out the steps to the plan as 'steps' does, and with -w tell\n" +
			"the devices, one step at a time, by NETCONF, or at their consoles in their own\n" +
			"language where their gear file says how: a change is put in force for a time,\n" +
			"looked at, and confirmed only when the device is as the step wants it, you can log\n" +
			"in again, and what you reached before and should reach now still answers. Else it\n" +
			"is taken back, by the device itself if need be, and push stops. Without -w nothing\n" +
			"is sent. What was sent is kept in a journal beside the plan; a run that broke off\n" +
			"goes on where the devices are. What cannot be told that way waits for you.",
		Example: "  ropeswing push\n  ropeswing push -w\n  ropeswing push -w --yes --timer 60s\n  ropeswing push --take-back -w",
		Args:    noArgs,
		RunE: func(*cobra.Command, []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if o.timer < 5*time.Second || o.timer > time.Hour {
				return errors.New("--timer is from 5s to 1h")
			}
			return a.runPush(&o)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	f := cmd.Flags()
	f.StringVar(&o.access, "access", "",
		"how devices are reached, in `FILE`; else $ROPESWING_ACCESS, else NAME.access.yaml beside the plan, else the plan itself")
	f.BoolVar(&o.trustNew, "trust-new", false, "take host keys that are not known yet, and keep them")
	f.IntVar(&o.together, "together", live.Polite.Together, "ask `N` devices at a time")
	f.StringVar(&o.standing, "standing-at", "", "the `HOST` of the plan that you sit at; its operator unless said")
	f.BoolVarP(&o.write, "write", "w", false, "tell the devices; without, only say what would be told")
	f.BoolVar(&o.yes, "yes", false, "with -w: do not ask before each visit to a device")
	f.BoolVar(&o.takeBack, "take-back", false, "take back what the last run set, the last step first")
	f.BoolVar(&o.noSave, "no-save", false, "do not save what runs at the end of each device")
	f.StringSliceVar(&o.leave, "leave",
		nil, "the silent `DEVICE` may be cut off: steps it hangs on are carried out all the same; may be repeated")
	f.DurationVar(&o.timer, "timer", 2*time.Minute, "after this `TIME` a device takes back what was not confirmed")
	a.must(cmd.RegisterFlagCompletionFunc("standing-at", a.completeDevices))
	a.must(cmd.RegisterFlagCompletionFunc("leave", a.completeDevices))
	a.formatFlags(cmd)
	return cmd
}

// pusher carries steps out.
type pusher struct {
	*app
	o       *pushOptions
	w       *workspace.Workspace
	of      *access.Access
	options live.Options
	log     *files.PushLog
	run     string
	v       *view.Pushed
	reached []netip.Addr // what answered before anything was told

	been map[string][]string // where each device was logged in to, ADDRESS:PORT: its host key is that of there
}

func (a *app) runPush(o *pushOptions) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	if o.standing != "" {
		d, err := w.Device(o.standing)
		if err != nil {
			return err
		}
		w = w.StandingAt(d)
	}
	if w.Spec.Operator == model.None {
		return errors.New("where do you sit? name the host: --standing-at HOST, or 'operator:' in the plan")
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	p := &pusher{app: a, o: o, w: w, v: &view.Pushed{Steps: []view.PushedStep{}}}
	if p.of, _, err = a.accessFile(&o.asking, w.Document); err != nil {
		return err
	}
	p.options = live.Polite
	p.options.Access, p.options.Secret, p.options.Agent, p.options.Now = p.of, a.secrets(p.of), sshAgent(a.getenv), time.Now
	known := a.knownHosts(p.of)
	p.options.Hosts, p.options.Gear = existing(known), gearReader(p.of)
	p.been = map[string][]string{}
	p.options.KnownAs = func(device string) []string { return p.been[device] }
	p.options.Learnt = func(line string) {
		if a.keepKeys(known[0], []string{line}) {
			p.options.Hosts = existing(known)
		}
	}
	found, err := a.find()
	if err != nil {
		return err
	}
	var before []files.PushEntry
	path := pushLogOf(found)
	if o.write {
		unlock, err := files.NewWriter(filepath.Dir(found.Path), a.tell) // one at a time tells devices by this plan
		if err != nil {
			return err
		}
		defer unlock.Close()
		if p.log, before, err = files.OpenPushLog(path); err != nil {
			return err
		}
		defer p.log.Close()
		b := make([]byte, 4)
		_, _ = rand.Read(b)
		p.run = hex.EncodeToString(b)
		if err := p.settle(ctx, before); err != nil {
			return err
		}
	}
	if o.takeBack {
		if !o.write {
			if before, err = files.ReadPushLog(path); err != nil {
				return err
			}
		}
		return p.takeBackLast(ctx, before)
	}
	return p.forward(ctx)
}

// note writes what has become of a step.
func (p *pusher) note(e files.PushEntry, phase, why string) error {
	e.Time, e.Phase, e.Why = time.Now().UTC().Format(time.RFC3339Nano), phase, why
	if phase != files.Sending {
		e.Undo = ""
	}
	return p.log.Add(e)
}

// way is how a device is told; false where it cannot be.
func (p *pusher) way(d model.DeviceID) (access.Way, bool) {
	name := p.w.Spec.Devices[d].Name
	all, err := p.liveDevices(p.w, p.of, []string{name})
	if err != nil {
		return access.Way{}, false
	}
	for _, w := range all[0].Ways {
		if w.By == access.NETCONF {
			return w, true
		}
	}
	for _, w := range all[0].Ways {
		if w.By != access.Lists {
			continue
		}
		if g, err := p.options.Gear(w.Gear); err == nil && g.Console != nil {
			return w, true
		}
	}
	return access.Way{}, false
}

// login logs in to a device at an address, or at where it was before.
func (p *pusher) login(ctx context.Context, d model.DeviceID, address netip.Addr, at string) (live.Told, error) {
	name := p.w.Spec.Devices[d].Name
	w, ok := p.way(d)
	if !ok {
		return nil, errors.New(noWay)
	}
	if at == "" {
		text := ""
		if address.IsValid() {
			text = address.String()
		}
		if at, ok = live.At(text, w); !ok {
			return nil, errors.New("it is managed at no address")
		}
	}
	var t live.Told
	var err error
	if w.By == access.Lists {
		t, err = live.TellConsole(ctx, name, at, w, p.options)
	} else {
		t, err = live.Tell(ctx, name, at, w, p.options)
	}
	if err != nil {
		return nil, err
	}
	if !slices.Contains(p.been[name], at) {
		p.been[name] = append(p.been[name], at)
	}
	return t, nil
}

// console is how a device is told at its console, nil where it is told by NETCONF or not at all.
func (p *pusher) console(d model.DeviceID) *wire.Console {
	w, ok := p.way(d)
	if !ok || w.By != access.Lists {
		return nil
	}
	g, err := p.options.Gear(w.Gear)
	if err != nil {
		return nil
	}
	return g.Console
}

// edits are the change of a step and what takes it back, as the device is told; why is said where it cannot be.
// Where what is there now is known, what is sent names things as they are named there.
func (p *pusher) edits(sheet *steps.Worksheet, n int, now *observed.Device) (edit, undo []byte, beyond bool, why string) {
	s := &sheet.Steps[n]
	before, after := p.states(sheet, n)
	c := p.console(s.Device)
	for _, set := range s.Sets {
		if what := set.Difference.What; !what.Listed() && (c == nil || !formSays(what)) {
			return nil, nil, false, fmt.Sprintf("no list or model of a device has its %s", what)
		}
	}
	if c != nil {
		a, b := form.Of(before, compare.VLANNames(p.w.Spec, s.Device)), form.Of(after, compare.VLANNames(p.w.Spec, s.Device))
		lines, err := c.Form.Typed(a, b)
		if err != nil {
			return nil, nil, false, err.Error()
		}
		back, err := c.Form.Typed(b, a)
		if err != nil {
			return nil, nil, false, "what takes it back cannot be said: " + err.Error()
		}
		return []byte(strings.Join(lines, "\n")), []byte(strings.Join(back, "\n")), false, ""
	}
	var there []observed.Instance
	if now != nil {
		there = append([]observed.Instance{}, now.Instances...)
	}
	edit, beyond = wire.Edit(before, after, there)
	undo, _ = wire.Edit(after, before, there)
	if len(edit) == 0 {
		return nil, nil, false, "the standard models have nothing of it"
	}
	return edit, undo, beyond, ""
}

// forward works out the steps from what is there, and with -w carries them out.
func (p *pusher) forward(ctx context.Context) error {
	v, running, _, err := p.askLive(ctx, p.w, &p.o.asking, nil, false)
	if err != nil {
		return err
	}
	p.app.tellSilent(v)
	p.v.Heard = v
	if len(running) == 0 {
		return notAsked{errors.New("no device answered")}
	}
	sheet := steps.Plan(p.w.Differences(running), nil)
	p.v.Begin(sheet)
	for n := range sheet.Steps {
		p.v.Steps[n].Told, p.v.Steps[n].Why = p.canTell(sheet, n)
	}
	if !p.o.write {
		for n := range sheet.Steps {
			if names := p.mayLose(sheet, n); len(names) > 0 {
				p.app.tell(fmt.Sprintf("it would stop before step %d: %s", n+1, loseWords(names)))
				break
			}
		}
		p.v.Next = p.self() + " push -w" + accessWords(p.o.access)
		return p.end(sheet, nil)
	}
	p.reached = p.answering(ctx, verifyTargets(p.w.Network))
	visit := model.DeviceID(model.None)
	for n := range sheet.Steps {
		s := &sheet.Steps[n]
		name := p.w.Spec.Devices[s.Device].Name
		if ctx.Err() != nil {
			return p.end(sheet, errInterrupted)
		}
		if !p.v.Steps[n].Told {
			p.v.Stop(n, "do it by hand, then push again: "+p.v.Steps[n].Why)
			return p.end(sheet, errWrong)
		}
		if names := p.mayLose(sheet, n); len(names) > 0 {
			p.v.Stop(n, loseWords(names))
			return p.end(sheet, errWrong)
		}
		if s.Device != visit && !p.o.yes {
			view.PushVisit(p.out, p.v.Steps[n:], name)
			p.flush()
			if !p.yes(fmt.Sprintf("go to %s?", name)) {
				p.v.Stop(n, "not gone to")
				return p.end(sheet, errWrong)
			}
		}
		visit = s.Device
		if err := p.step(ctx, sheet, n); err != nil {
			p.v.Stop(n, err.Error())
			return p.end(sheet, errWrong)
		}
		p.v.Steps[n].Outcome = "done"
		p.progress(n+1, len(sheet.Steps))
	}
	return p.end(sheet, nil)
}

// accessWords are the words that name the access file again.
func accessWords(file string) string {
	if file == "" {
		return ""
	}
	return " --access " + view.ShellWord(file)
}

// noWay is why a device cannot be told.
const noWay = "the access file says no way by NETCONF, nor a gear file that says how it is told at its console"

// canTell tells whether a step can be told, and why not.
func (p *pusher) canTell(sheet *steps.Worksheet, n int) (bool, string) {
	s := &sheet.Steps[n]
	w, ok := p.way(s.Device)
	beside := w.At != "" && !strings.HasPrefix(w.At, ":") // an address of its own, beside the plan's network
	switch {
	case !ok:
		return false, noWay
	case s.Session == steps.Theirs:
		return false, "somebody else runs it"
	case s.Session == steps.AtConsole && !beside:
		return false, "it is not reached before the step"
	}
	if _, _, _, why := p.edits(sheet, n, nil); why != "" {
		return false, why
	}
	if c := p.console(s.Device); c != nil && c.Arm == "" && mayCut(s) {
		return false, "its gear has no timer that would take it back, and it may cut somebody off: type it at its console"
	}
	return true, ""
}

// mayCut tells whether a step may cut somebody off while it is in force: the operator's own session, a pair, or what a requirement asks.
func mayCut(s *steps.Step) bool {
	return s.Session == steps.Ends || s.Session == steps.Moves || s.Broken > 0 || len(s.Unmet) > 0
}

// states are the step's device as predicted before the step and behind it.
func (p *pusher) states(sheet *steps.Worksheet, n int) (before, after *observed.Device) {
	d := sheet.Steps[n].Device
	return compare.DeviceAsObserved(sheet.Network(n), d), compare.DeviceAsObserved(sheet.Network(n+1), d)
}

// step carries one step out.
func (p *pusher) step(ctx context.Context, sheet *steps.Worksheet, n int) error {
	s := &sheet.Steps[n]
	name := p.w.Spec.Devices[s.Device].Name
	t, err := p.login(ctx, s.Device, s.Login.Address, "")
	if err != nil {
		return fmt.Errorf("%s is not reached for it: %w", name, err)
	}
	defer t.Close()
	if t.AtOnce() {
		if s.Session == steps.Ends {
			return fmt.Errorf("%s %s, and the step ends the session: nothing would take it back; do it at the console", name, p.lacks(s.Device))
		}
		p.app.tell(name + " " + p.lacks(s.Device) + ": what is sent runs at once, and no timer takes it back")
	}
	now, err := t.Running()
	if err != nil {
		return fmt.Errorf("%s does not tell what is there: %w", name, err)
	}
	if other := p.otherwise(sheet.Network(n), now); other != "" {
		return fmt.Errorf("what is there is not what the step stands on: %s; nothing was sent", other)
	}
	edit, undo, beyond, why := p.edits(sheet, n, now)
	if why != "" {
		return errors.New(why + "; nothing was sent")
	}
	if beyond && !t.OwnModel() {
		return fmt.Errorf("%s has no model of distances, metrics, tables, VLANs or groups that is known here; nothing was sent", name)
	}
	return p.change(ctx, t, change{
		entry: files.PushEntry{Run: p.run, Step: n + 1, Device: name, At: p.atOf(s.Device, s.Login.Address), What: p.v.Steps[n].Set,
			Undo: string(undo)},
		d: s.Device, edit: edit, then: then(s), was: sheet.Network(n), net: sheet.Network(n +
			1), last: s.Last, leaves: s.Session == steps.Moves || s.Session == steps.Ends,
	})
}

// lacks is what a device that is told at once does not have.
func (p *pusher) lacks(d model.DeviceID) string {
	if p.console(d) != nil {
		return "has no timer of its own"
	}
	return "has no candidate with a confirmed commit"
}

// then is where one logs in behind a step.
func then(s *steps.Step) netip.Addr {
	if s.Session == steps.Moves {
		return s.Then.Address
	}
	return s.Login.Address
}

func (p *pusher) atOf(d model.DeviceID, address netip.Addr) string {
	w, _ := p.way(d)
	text := ""
	if address.IsValid() {
		text = address.String()
	}
	at, _ := live.At(text, w)
	return at
}

// otherwise is the first thing by which a device is not as a network has it; "" where none.
func (p *pusher) otherwise(net *forward.Network, d *observed.Device) string {
	for _, x := range compare.Differences(net, []*observed.Device{d}).Differences {
		return fmt.Sprintf("%s %s is %s, and should be %s", x.What, x.Subject, orNothing(x.Found), orNothing(x.Planned))
	}
	return ""
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

// verifyTargets are the addresses that the operator's requirements cover.
func verifyTargets(net *forward.Network) []netip.Addr {
	var all []netip.Addr
	for _, x := range verify.StartingAt(net, net.Spec.Operator) {
		for _, t := range x.Targets {
			if x.Passed == "" && !x.Requirement.Not && !slices.Contains(all, t) {
				all = append(all, t)
			}
		}
	}
	return all
}

// answering are those that answer a ping from here, as far as pings may be sent.
func (p *pusher) answering(ctx context.Context, targets []netip.Addr) []netip.Addr {
	if len(targets) == 0 || !wire.MayEcho() {
		return nil
	}
	o := wire.PoliteEcho
	echoes, err := wire.PingLive(ctx, targets, o, func(int) {})
	if err != nil {
		return nil
	}
	var all []netip.Addr
	for _, e := range echoes {
		if e.Replied {
			all = append(all, e.Target)
		}
	}
	return all
}

// lost is the first that answered before anything was told, should answer now, and does not.
func (p *pusher) lost(ctx context.Context, net *forward.Network) string {
	var should []netip.Addr
	for _, to := range p.reached {
		if forward.Ping(net, net.Spec.Operator, netip.Addr{}, to, model.None).Verdict() == forward.Works {
			should = append(should, to)
		}
	}
	now := p.answering(ctx, should)
	for _, to := range should {
		if !slices.Contains(now, to) {
			return p.w.Spec.HolderLabel(to)
		}
	}
	return ""
}

// end tells where everything stands.
func (p *pusher) end(sheet *steps.Worksheet, err error) error {
	p.progress(1, 1)
	if sheet != nil && len(sheet.Otherwise) > 0 {
		for _, d := range sheet.Otherwise {
			p.v.Otherwise = append(p.v.Otherwise,
				fmt.Sprintf("%s: %s %s is %s, planned %s", d.Device, d.What, d.Subject, orNothing(d.Found), orNothing(d.Planned)))
		}
	}
	if e := p.print(p.v, p.v.Table(), func() { p.v.Text(p.out, p.width) }); e != nil {
		return e
	}
	if err == nil && (!p.v.Whole() || len(p.v.Otherwise) > 0) && p.o.write {
		return errWrong
	}
	return err
}
