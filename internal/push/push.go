// Package push carries steps out: each change is put in force for a time, looked at, and confirmed only when the device is as the
// step wants it, or else taken back.
package push

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"time"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/steps"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/wire"
)

// Options are how steps are carried out.
type Options struct {
	Write  bool          // devices are told; else is only said what they would be told
	NoSave bool          // what runs is not saved behind the last step of a device
	Timer  time.Duration // after which a device takes back what was not confirmed
	Leave  []string      // silent devices that may be cut off
}

// Shell is what others do for a pusher.
type Shell struct {
	Tell     func(string)                       // says something beside the answer
	Visit    func(step int, device string) bool // tells whether a device is to be gone to
	Progress func(done, all int)                // tells how far it is
	Ways     func(device string) []access.Way   // how a device is reached; none where that is not known

	// Learnt keeps a host's key by a line of a file of known hosts, and says which such files there are then; nil where it was not kept.
	Learnt func(line string) []string
	// Ask asks all devices, and says who was heard and who did not answer.
	Ask func(context.Context) (heard []*observed.Device, silent []string, err error)
}

// Pusher carries the steps to a plan out.
type Pusher struct {
	Options
	Shell
	Report  Report
	w       *workspace.Workspace
	live    live.Options
	log     *files.PushLog
	run     string
	reached []netip.Addr // what answered before anything was told

	unforeseen []string            // devices that answered, though by what is known they would not
	been       map[string][]string // where each device was logged in to, ADDRESS:PORT: its host key is that of there
}

// Why a pusher stops; the report says more.
var (
	ErrWrong       = errors.New("not all was carried out")
	ErrInterrupted = errors.New("it was interrupted")
	ErrNothing     = errors.New("there is nothing to take back: the journal has no step that is in force")
)

// NotAsked is that devices could not be asked.
type NotAsked struct{ error }

// New makes a pusher; its journal is nil where no device is told.
func New(o Options, s Shell, w *workspace.Workspace, l live.Options, log *files.PushLog) *Pusher {
	p := &Pusher{Options: o, Shell: s, w: w, log: log, been: map[string][]string{}}
	l.KnownAs = func(device string) []string { return p.been[device] }
	l.Learnt = func(line string) {
		if hosts := s.Learnt(line); hosts != nil {
			p.live.Hosts = hosts
		}
	}
	p.live = l
	b := make([]byte, 4)
	_, _ = rand.Read(b)
	p.run = hex.EncodeToString(b)
	return p
}

// note writes what has become of a step.
func (p *Pusher) note(e files.PushEntry, phase, why string) error {
	e.Time, e.Phase, e.Why = time.Now().UTC().Format(time.RFC3339Nano), phase, why
	if phase != files.Sending {
		e.Undo = ""
	}
	return p.log.Add(e)
}

// Forward works out the steps from what is there, and where it is to tell devices carries them out. The worksheet is nil where no
// device was heard.
func (p *Pusher) Forward(ctx context.Context) (*steps.Worksheet, error) {
	running, silent, err := p.Ask(ctx)
	if err != nil {
		return nil, err
	}
	if p.Report.Silent = silent; len(running) == 0 {
		return nil, NotAsked{errors.New("no device answered")}
	}
	sheet := steps.Plan(p.w.Differences(running), nil)
	p.unforeseen = p.notForeseen(sheet.Network(0), running)
	p.Report.begin(p.w, sheet)
	for n := range sheet.Steps {
		p.Report.Steps[n].Told, p.Report.Steps[n].Why = p.canTell(sheet, n)
	}
	if !p.Write {
		for n := range sheet.Steps {
			if why := p.stops(sheet, n); why != "" {
				p.Tell(fmt.Sprintf("it would stop before step %d: %s", n+1, why))
				break
			}
		}
		return sheet, nil
	}
	p.reached = p.answering(ctx, verifyTargets(p.w.Network))
	visit := model.DeviceID(model.None)
	for n := range sheet.Steps {
		s := &sheet.Steps[n]
		name := p.w.Spec.Devices[s.Device].Name
		if ctx.Err() != nil {
			return sheet, ErrInterrupted
		}
		if !p.Report.Steps[n].Told {
			p.Report.stop(n, "do it by hand, then push again: "+p.Report.Steps[n].Why)
			return sheet, ErrWrong
		}
		if why := p.stops(sheet, n); why != "" {
			p.Report.stop(n, why)
			return sheet, ErrWrong
		}
		if s.Device != visit && !p.Visit(n, name) {
			p.Report.stop(n, "not gone to")
			return sheet, ErrWrong
		}
		visit = s.Device
		if err := p.step(ctx, sheet, n); err != nil {
			p.Report.stop(n, err.Error())
			return sheet, ErrWrong
		}
		p.Report.Steps[n].Outcome = "done"
		p.Progress(n+1, len(sheet.Steps))
	}
	return sheet, nil
}

// step carries one step out.
func (p *Pusher) step(ctx context.Context, sheet *steps.Worksheet, n int) error {
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
		p.Tell(name + " " + p.lacks(s.Device) + ": what is sent runs at once, and no timer takes it back")
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
		entry: files.PushEntry{Run: p.run, Step: n + 1, Device: name, At: p.atOf(s.Device, s.Login.Address), What: p.Report.Steps[n].Set,
			Undo: string(undo)},
		d: s.Device, edit: edit, then: then(s), was: sheet.Network(n), net: sheet.Network(n +
			1), last: s.Last, leaves: s.Session == steps.Moves || s.Session == steps.Ends,
	})
}

// lacks is what a device that is told at once does not have.
func (p *Pusher) lacks(d model.DeviceID) string {
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

func (p *Pusher) atOf(d model.DeviceID, address netip.Addr) string {
	w, _ := p.way(d)
	text := ""
	if address.IsValid() {
		text = address.String()
	}
	at, _ := live.At(text, w)
	return at
}

// otherwise is the first thing by which a device is not as a network has it; "" where none.
func (p *Pusher) otherwise(net *forward.Network, d *observed.Device) string {
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
func (p *Pusher) answering(ctx context.Context, targets []netip.Addr) []netip.Addr {
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
func (p *Pusher) lost(ctx context.Context, net *forward.Network) string {
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
