package push

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net/netip"
	"time"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/yang"
)

// change is one that is put in force for a time.
type change struct {
	entry files.PushEntry
	d     model.DeviceID
	edit  []byte
	then  netip.Addr
	was   *forward.Network // as it is before it; nil where that is not known
	net   *forward.Network // as it is predicted behind it; nil where that is not known
	last  bool             // what runs is saved behind it

	leaves bool   // the session ends with it
	sent   int    // the number of the session it was sent in
	before string // the digest of what is there; "" where it need not differ behind it
}

// change sends a change, looks at what it did, and confirms it, or has it taken back.
func (p *Pusher) change(ctx context.Context, t live.Told, c change) error {
	b := make([]byte, 8)
	_, _ = rand.Read(b)
	c.entry.Persist = "ropeswing-" + hex.EncodeToString(b)
	if err := p.note(c.entry, files.Sending, ""); err != nil {
		return fmt.Errorf("the journal cannot be written, and nothing was sent: %w", err)
	}
	begun := time.Now()
	c.sent = t.Number()
	err := t.Prepare(c.edit)
	if err == nil {
		err = p.inForce(t, c)
	}
	var refused *yang.Refusal
	if errors.As(err, &refused) {
		if t.AtOnce() {
			return p.refused(t, c, err)
		}
		if e := t.TakeBack(c.entry.Persist, nil); e != nil {
			return fmt.Errorf("it was refused (%w), and whether it is in force is not known (%w): %s", err, e, p.byItself(t.AtOnce(), p.Timer))
		}
		return errors.Join(fmt.Errorf("it was refused, and nothing changed: %w", err), p.note(c.entry, files.TakenBack, err.Error()))
	}
	if err := p.note(c.entry, files.InForce, ""); err != nil {
		p.Tell("the journal cannot be written: " + err.Error())
	}
	why := p.looked(ctx, c, begun.Add(p.Timer))
	if why == nil {
		return p.confirmed(ctx, c)
	}
	// It is not as it should be: taken back at once where that can be, else by the device's timer.
	again, err := p.loginAny(ctx, c)
	if err == nil {
		err = again.TakeBack(c.entry.Persist, []byte(c.entry.Undo))
		again.Close()
	}
	if err != nil {
		if !t.AtOnce() && c.was != nil {
			return p.awaited(ctx, c, begun.Add(p.Timer), why)
		}
		left := max(0, p.Timer-time.Since(begun))
		return fmt.Errorf("%w; it cannot be taken back from here (%w): %s", why, err, p.byItself(t.AtOnce(), left.Round(time.Second)))
	}
	return errors.Join(fmt.Errorf("%w; it was taken back", why), p.note(c.entry, files.TakenBack, why.Error()))
}

// awaited waits until the device's own timer has run out, and looks where it was before what came of a change that it was not
// reached behind.
func (p *Pusher) awaited(ctx context.Context, c change, until time.Time, why error) error {
	const more = 2 * time.Second // what taking back itself takes
	p.Tell(fmt.Sprintf("%s: %s; waiting until its timer has run out", c.entry.Device, why))
	select {
	case <-ctx.Done():
		return fmt.Errorf("%w; interrupted before its timer ran out: %s", why, p.byItself(false, time.Until(until).Round(time.Second)))
	case <-time.After(time.Until(until) + more):
	}
	t, err := p.login(ctx, c.d, netip.Addr{}, c.entry.At)
	var now *observed.Device
	if err == nil {
		now, err = t.Running()
		t.Close()
	}
	switch {
	case err != nil:
		return fmt.Errorf("%w; its timer has run out, and what is there is not known: it does not answer where it was either (%w); "+
			"be at its console", why, err)
	case p.otherwise(c.was, now) == "":
		return errors.Join(fmt.Errorf("%w; the device took it back when its timer had run out: what is there is what was there before", why),
			p.note(c.entry, files.TakenBack, why.Error()))
	}
	return fmt.Errorf("%w; its timer has run out, and it is not as it was: %s", why, p.otherwise(c.was, now))
}

// foretold is how long an answer is waited for where the session is to end with the change.
const foretold = 2 * time.Second

// inForce puts in force what was prepared. Where the session ends with it, as was foretold, the answer may never come: that is no
// reason to wait.
func (p *Pusher) inForce(t live.Told, c change) error {
	done := make(chan error, 1)
	go func() { done <- t.PutInForce(c.edit, p.Timer, c.entry.Persist) }()
	if !c.leaves {
		return <-done
	}
	select {
	case err := <-done:
		if errors.As(err, new(*yang.Refusal)) {
			return err
		}
	case <-time.After(foretold):
		t.Drop()
		<-done // it is not asked any more while it is closed
	}
	return nil
}

// byItself is what becomes of a change that is in the air: the device's timer takes it back, where
// it has one.
func (p *Pusher) byItself(direct bool, within time.Duration) string {
	if direct {
		return "it stays in force, for the device has no timer: be at its console"
	}
	return fmt.Sprintf("the device takes it back by itself within %s", within)
}

// loginAny logs in where the device is now: where it should be, or where it was.
func (p *Pusher) loginAny(ctx context.Context, c change) (live.Told, error) {
	t, err := p.login(ctx, c.d, c.then, "")
	if err != nil {
		t, err = p.login(ctx, c.d, netip.Addr{}, c.entry.At)
	}
	return t, err
}

// mostTries is how often is looked whether a change took, and lookEvery how long lies between.
const (
	mostLooks = 5
	lookEvery = time.Second
)

// looked looks whether a change that is in force is as it should be: one can log in, the device is
// as the step wants it, and who answered before and should now still does. nil is that it is.
func (p *Pusher) looked(ctx context.Context, c change, until time.Time) (why error) {
	for try := range mostLooks {
		if try > 0 {
			if time.Now().Add(lookEvery).After(until) {
				return why
			}
			select {
			case <-ctx.Done():
				return errors.New("it was interrupted")
			case <-time.After(lookEvery):
			}
		}
		var t live.Told
		if t, why = p.login(ctx, c.d, c.then, ""); why != nil {
			why = fmt.Errorf("one cannot log in again: %w", why)
			continue
		}
		now, err := t.Running()
		t.Close()
		if err != nil {
			why = fmt.Errorf("it does not tell what is there: %w", err)
			continue
		}
		if c.before != "" && digest(now) == c.before {
			why = errors.New("it did not take: what is there is what was there before")
			continue
		}
		if c.net == nil {
			return nil
		}
		if other := p.otherwise(c.net, now); other != "" {
			why = fmt.Errorf("it did not take: %s", other)
			continue
		}
		if lost := p.lost(ctx, c.net); lost != "" {
			why = fmt.Errorf("%s answered before, should now, and does not", lost)
			continue
		}
		return nil
	}
	return why
}

// confirmed confirms a change and, behind the last of a device, saves.
func (p *Pusher) confirmed(ctx context.Context, c change) error {
	t, err := p.login(ctx, c.d, c.then, "")
	if err == nil {
		defer t.Close()
		var now *observed.Device
		if now, err = t.Running(); err == nil {
			c.entry.Digest = digest(now)
			err = p.note(c.entry, files.Confirming, "")
		}
		if err == nil {
			err = t.Confirm(c.entry.Persist, c.sent)
		}
	}
	if err != nil {
		return fmt.Errorf("it took, and could not be confirmed (%w): %s", err, p.byItself(false, p.Timer))
	}
	if err := p.note(c.entry, files.Confirmed, ""); err != nil {
		return fmt.Errorf("it is in force and confirmed, and the journal cannot be written: %w", err)
	}
	if !c.last || p.NoSave {
		return nil
	}
	if err := t.Save(); err != nil {
		return fmt.Errorf("it is in force and confirmed, and was not saved: %w", err)
	}
	return p.note(c.entry, files.Saved, "")
}
