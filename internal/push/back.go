package push

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/observed"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/wire"
)

// Settle brings to an end what a run that broke off left in the air: a change that may be in
// force and was not confirmed is taken back, so that what is there is known.
func (p *Pusher) Settle(ctx context.Context, before []files.PushEntry) error {
	open := map[string]files.PushEntry{}
	var unsaved []string
	for _, e := range before {
		switch e.Phase {
		case files.Confirmed:
			if !slices.Contains(unsaved, e.Device) {
				unsaved = append(unsaved, e.Device)
			}
		case files.Saved:
			unsaved = slices.DeleteFunc(unsaved, func(d string) bool { return d == e.Device })
		}
		switch e.Phase {
		case files.Sending, files.InForce, files.Confirming:
			if e.Undo == "" {
				e.Undo = open[e.Device].Undo
			}
			open[e.Device] = e
		case files.Confirmed, files.TakenBack:
			delete(open, e.Device)
		}
	}
	for _, d := range unsaved {
		p.Tell(d + ": what an earlier run set there was not saved; a restart forgets it")
	}
	for _, e := range open {
		d, ok := p.w.Spec.DeviceNamed(e.Device)
		if !ok {
			return fmt.Errorf("the journal has a change of %s that was not brought to an end, and the plan has no such device", e.Device)
		}
		if err := p.believed(d, e); err != nil {
			return err
		}
		p.Tell(fmt.Sprintf("a change of %s was left in the air; it is taken back", e.Device))
		t, err := p.login(ctx, d, netip.Addr{}, e.At)
		if err != nil {
			return NotAsked{fmt.Errorf("%s: what a run that broke off left there cannot be taken back: %w; the device does so by itself "+
				"within %s of then", e.Device, err, p.Timer)}
		}
		err = t.TakeBack(e.Persist, []byte(e.Undo))
		var now *observed.Device
		if err == nil && e.Phase == files.Confirming { // it may have been confirmed before that was written
			now, err = t.Running()
		}
		t.Close()
		if err != nil {
			return NotAsked{fmt.Errorf("%s: %w", e.Device, err)}
		}
		if now != nil && e.Digest != "" && digest(now) == e.Digest {
			p.Tell(e.Device + " had confirmed it: it stays in force")
			if err := p.note(e, files.Confirmed, "found in force after a run that broke off"); err != nil {
				return err
			}
			continue
		}
		if err := p.note(e, files.TakenBack, "left by a run that broke off"); err != nil {
			return err
		}
	}
	return nil
}

// digest stands for what is set on a device, whatever has come of it.
func digest(d *observed.Device) string {
	c := d.Clone()
	c.Sources, c.Known, c.Neighbours, c.MACs, c.Links, c.Started, c.ClockAhead = nil, nil, nil, nil, nil, "", 0
	for i := range c.Interfaces {
		c.Interfaces[i].Oper = ""
	}
	c.Routes = slices.DeleteFunc(c.Routes, func(r observed.Route) bool { return r.Source == "direct" || r.Source == "local" })
	for i := range c.Routes {
		c.Routes[i].Active = nil
	}
	text, err := json.Marshal(c)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

// TakeBack takes back what the last run set that is still in force, the last step first. Once
// more it takes back what the run before set: one that broke off and went on is two runs.
func (p *Pusher) TakeBack(ctx context.Context, before []files.PushEntry) error {
	var done []files.PushEntry
	undo := map[string]string{}
	for _, e := range before {
		switch e.Phase {
		case files.Sending:
			undo[e.Persist] = e.Undo
		case files.Confirmed:
			if e.Undoes != "" {
				done = slices.DeleteFunc(done, func(d files.PushEntry) bool { return d.Persist == e.Undoes })
				continue
			}
			done = append(done, e)
		}
	}
	if len(done) == 0 {
		return ErrNothing
	}
	last := done[len(done)-1].Run
	earlier := len(done)
	done = slices.DeleteFunc(done, func(e files.PushEntry) bool { return e.Run != last })
	if earlier -= len(done); earlier > 0 {
		p.Tell(fmt.Sprintf("%d steps of earlier runs stay in force; once more takes back those of the run before", earlier))
	}
	slices.Reverse(done)
	for _, e := range done {
		p.Report.Steps = append(p.Report.Steps, Step{Number: e.Step, Device: e.Device, Set: "take back: " + e.What,
			Told: undo[e.Persist] != ""})
	}
	p.Report.Back = true
	if !p.Write {
		return nil
	}
	for i, e := range done {
		d, ok := p.w.Spec.DeviceNamed(e.Device)
		if !ok {
			p.Report.stop(i, "the plan has no such device")
			return ErrWrong
		}
		last := !slices.ContainsFunc(done[i+1:], func(o files.PushEntry) bool { return o.Device == e.Device })
		t, err := p.login(ctx, d, p.w.Spec.MainAddress(d, 0), "")
		if err != nil && p.believed(d, e) == nil {
			t, err = p.login(ctx, d, netip.Addr{}, e.At)
		}
		if err == nil {
			at, _ := netip.ParseAddrPort(e.At)
			edit := []byte(undo[e.Persist])
			if len(edit) == 0 {
				t.Close()
				p.Report.stop(i, "how it is taken back is not in the journal any more; do it by hand")
				return ErrWrong
			}
			there, err2 := t.Running()
			if err2 != nil {
				t.Close()
				p.Report.stop(i, fmt.Sprintf("it does not tell what is there: %v", err2))
				return ErrWrong
			}
			e.Run, e.What, e.Undoes = p.run, "take back: "+e.What, e.Persist
			err = p.change(ctx, t, change{entry: e, d: d, edit: edit, then: at.Addr(), last: last, leaves: true, before: digest(there)})
			t.Close()
		}
		if err != nil {
			p.Report.stop(i, err.Error())
			return ErrWrong
		}
		p.Report.Steps[i].Outcome = "taken back"
	}
	return nil
}

// refused looks what a change left that was sent to what runs and refused: nothing, where the device makes
// a change whole or not at all, else what it says. Part of a change is taken back.
func (p *Pusher) refused(t live.Told, c change, err error) error {
	nothing := func(text string) error {
		return errors.Join(fmt.Errorf("%s: %w", text, err), p.note(c.entry, files.TakenBack, err.Error()))
	}
	if t.Whole() {
		return nothing("it was refused, and nothing changed")
	}
	var now *observed.Device
	left := func() (other string, e error) {
		if now, e = t.Running(); e != nil || c.was == nil {
			return "", cmp.Or(e, errors.New("what was there before is not known"))
		}
		return p.otherwise(c.was, now), nil
	}
	other, e := left()
	if e == nil && other == "" {
		return nothing("it was refused, and nothing changed")
	}
	var undone error
	for range mostLooks { // that may be refused in part, too
		if e != nil {
			break
		}
		undo := []byte(c.entry.Undo)
		if p.console(c.d) == nil {
			undo, _ = wire.Edit(now, compare.DeviceAsObserved(c.was, c.d), now.Instances)
		}
		undone = t.TakeBack(c.entry.Persist, undo)
		if other, e = left(); e == nil && other == "" {
			return nothing("it was refused after part of it was in force, and that part was taken back")
		}
	}
	if e != nil {
		other = e.Error()
	}
	return errors.Join(fmt.Errorf("it was refused (%w), part of it may be in force, and it could not be taken back: %s; be at its console",
		err, other), undone, p.note(c.entry, files.InForce, err.Error()))
}
