// Package live asks devices what they are, by SNMP, NETCONF over SSH, RESTCONF, or the lists they
// print: many at once, each by the first path that tells of a part.
package live

import (
	"context"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/knownhosts"
	"golang.org/x/sync/semaphore"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/wire"
)

// Target is a device to ask.
type Target struct {
	Name    string
	Address string // where the plan manages it; "" where it has none
	Ways    []access.Way
}

// Reason is the kind of reason why a device did not answer.
type Reason uint8

const (
	Answered  Reason = iota
	NoAddress        // neither the plan nor the access file says where it is
	Unreached        // nobody is there: timed out, or no path
	Refused          // somebody is there, and nobody listens
	Login            // it lets nobody in
	NewKey           // its host key is not known yet
	OtherKey         // its host key is another than before
	Half             // it broke off
	NotRead          // what it said was not understood
	NoSecret         // a secret is not at hand
	OtherName        // it calls itself something else: it may be another device
	Interrupted
)

// Failure is why one way was no use.
type Failure struct {
	By     string
	At     string
	Reason Reason
	Err    error
	Key    string // NewKey: the line of a file of known hosts
}

func (f *Failure) Error() string { return f.Err.Error() }
func (f *Failure) Unwrap() error { return f.Err }

// Result is what came of asking a device.
type Result struct {
	Name     string
	Device   *observed.Device // nil where no way was of use
	Saved    *observed.Device // what it comes back with after a restart; nil where it does not tell
	By       []string         // the paths that were of use
	Failures []Failure
	Unread   []wire.Unread
	Calls    string // what it calls itself, where that is another name than the plan's

	Elsewhere string // where it answered and what tells of that, where it is not the address it was to be at
}

// Unheard reports whether nothing at all came from a device, by any way.
func (r *Result) Unheard() bool {
	return r.Device == nil && !slices.ContainsFunc(r.Failures, func(f Failure) bool { return f.Reason != Unreached && f.Reason != NoAddress })
}

// Unmet reports whether nothing was heard of a device at an address, or only from somebody whose host key is not known there: who
// that is is not known.
func (r *Result) Unmet() bool {
	return r.Device == nil && !slices.ContainsFunc(r.Failures, func(f Failure) bool {
		return f.Reason != Unreached && f.Reason != NoAddress && f.Reason != NewKey
	})
}

// Options say how to ask.
type Options struct {
	Access   *access.Access
	Secret   func(s *access.Secret, what string) (string, error)
	Agent    []ssh.Signer // keys of the SSH agent
	Hosts    []string     // files of known hosts
	Together int          // devices at a time
	Patience time.Duration
	PerSec   int // packets that go out in a second, to all devices
	Gear     func(path string) (*wire.Gear, error)
	Now      func() time.Time
	KnownAs  func(device string) []string // where else, ADDRESS:PORT, its host key may be known; nil where nowhere
	Learnt   func(line string)            // told the line of a file of known hosts, where a key was known elsewhere; may be nil
	Logins   *Logins                      // those that were refused before; nil where every run begins anew
}

// Logins remembers which logins devices refused, over several runs: one that was refused is not tried again, since devices
// lock out who tries too often. The zero value remembers nothing yet.
type Logins struct {
	mutex   sync.Mutex
	refused map[string]bool // by address and user
}

func (l *Logins) isRefused(at, user string) bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.refused[at+" "+user]
}

func (l *Logins) refuse(at, user string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.refused == nil {
		l.refused = map[string]bool{}
	}
	l.refused[at+" "+user] = true
}

// Polite is how to ask without being a burden.
var Polite = Options{Together: 100, Patience: 3 * time.Second, PerSec: 2000}

// asker asks by the options.
type asker struct {
	Options
	hosts ssh.HostKeyCallback
	pace  *pace
}

func newAsker(o Options) (*asker, error) {
	hosts, err := knownhosts.New(o.Hosts...)
	if err != nil {
		return nil, fmt.Errorf("the known hosts cannot be read: %w", err)
	}
	if o.Logins == nil {
		o.Logins = &Logins{}
	}
	return &asker{Options: o, hosts: hosts}, nil
}

// Ask asks devices, many at a time. Progress is told how many are done. Where the context ends it
// is what there is by then.
func Ask(ctx context.Context, targets []Target, o Options, progress func(done, all int)) ([]Result, error) {
	a, err := newAsker(o)
	if err != nil {
		return nil, err
	}
	a.pace = newPace(o.PerSec)
	defer a.pace.end()
	all := make([]Result, len(targets))
	turns := semaphore.NewWeighted(int64(max(1, o.Together)))
	var group sync.WaitGroup
	var mutex sync.Mutex
	done := 0
	for i := range targets {
		all[i].Name = targets[i].Name
		if turns.Acquire(ctx, 1) != nil {
			all[i].Failures = []Failure{{Reason: Interrupted, Err: errors.New("it was not asked any more")}}
			continue
		}
		group.Go(func() {
			defer turns.Release(1)
			a.device(ctx, &targets[i], &all[i])
			mutex.Lock()
			defer mutex.Unlock()
			done++
			progress(done, len(targets))
		})
	}
	group.Wait()
	return all, nil
}

// device asks one device, by one way after the other, for what is not known yet.
func (a *asker) device(ctx context.Context, t *Target, r *Result) {
	if len(t.Ways) == 0 {
		r.Failures = append(r.Failures, Failure{Reason: NoAddress, Err: errors.New("no access is said for it")})
		return
	}
	for i := range t.Ways {
		w := &t.Ways[i]
		missing := a.missing(r.Device)
		if !tellsOf(w, missing) || w.By == access.RESTCONF && slices.Contains(r.By, access.NETCONF) || w.By == access.NETCONF &&
			slices.Contains(r.By, access.RESTCONF) {
			continue // both show the same datastores
		}
		at, ok := addressOf(t, w)
		if !ok {
			r.Failures = append(r.Failures, Failure{By: w.By, Reason: NoAddress, Err: errors.New("it is managed at no address")})
			continue
		}
		var told *telling
		var err error
		switch w.By {
		case access.SNMP:
			told, err = a.snmp(ctx, t.Name, at, w, missing)
		case access.NETCONF:
			told, err = a.netconf(ctx, t.Name, at, w)
		case access.RESTCONF:
			told, err = a.restconf(ctx, t.Name, at, w)
		default:
			told, err = a.lists(ctx, t.Name, at, w)
		}
		if told != nil && told.device != nil {
			told.inTime(a.Now())
			for _, d := range []*observed.Device{told.device, told.saved} {
				if d == nil {
					continue
				}
				if n := d.Scrub(); n > 0 {
					told.unread = append(told.unread,
						wire.Unread{Text: fmt.Sprintf("%d things", n), Why: "their names have characters that nobody can read"})
				}
			}
			told.device.Sources = []observed.Source{{File: at, Format: w.By, Taken: a.Now().UTC().Format(time.RFC3339)}}
			if told.device.Name = t.Name; r.Device == nil {
				r.Device = told.device
			} else { // what is known already counts, but for routes of which more is told now
				if told.device.Knows(observed.Standby) && !r.Device.Knows(observed.Standby) {
					r.Device.ForgetRoutes()
				}
				told.device.Merge(r.Device)
				r.Device = told.device
			}
			r.By, r.Unread = append(r.By, w.By), append(r.Unread, told.unread...)
			if told.saved != nil {
				told.saved.Name = t.Name
				told.saved.Sources = []observed.Source{{File: at, Format: w.By, Taken: a.Now().UTC().Format(time.RFC3339), Saved: true}}
				r.Saved = told.saved
			}
			if told.calls != "" && !strings.EqualFold(told.calls, t.Name) {
				r.Calls = told.calls
			}
		}
		if err != nil {
			r.Failures = append(r.Failures, failureOf(ctx, w.By, at, err))
		}
	}
	if r.Device != nil { // an interface that is told by one way only is told
		slices.SortStableFunc(r.Device.Sources, func(x, y observed.Source) int { return strings.Compare(x.Format, y.Format) })
	}
}

// telling is what one way told.
type telling struct {
	device, saved *observed.Device
	clock, boot   time.Time // what its clock says now, and said when it started; zero where it does not tell
	unread        []wire.Unread
	calls         string
}

// inTime puts when the device started, and how far off its clock is, by the clock of who asks.
func (t *telling) inTime(now time.Time) {
	if t.clock.IsZero() {
		t.clock = now
	} else if off := t.clock.Sub(now).Round(time.Second); off.Abs() > rightEnough {
		t.device.ClockAhead = int64(off / time.Second)
	}
	if !t.boot.IsZero() && !t.boot.After(t.clock) {
		t.device.Started = now.Add(t.boot.Sub(t.clock)).UTC().Format(time.RFC3339)
	}
}

// rightEnough is how far off a clock may be to be right: what asking takes, and more.
const rightEnough = 30 * time.Second

// missing are the parts that are not known of a device.
func (a *asker) missing(d *observed.Device) []observed.Part {
	if d == nil {
		return observed.Parts
	}
	return slices.DeleteFunc(slices.Clone(observed.Parts), d.Knows)
}

// tellsOf tells whether a way can tell of any of these parts.
func tellsOf(w *access.Way, parts []observed.Part) bool {
	can := []observed.Part{observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.Routes4, observed.Routes6}
	switch w.By {
	case access.SNMP:
		can = append(can, observed.VLANs, observed.Neighbours, observed.MACs, observed.Links)
	case access.NETCONF, access.RESTCONF:
		can = append(can, observed.VLANs, observed.Standby)
	case access.Lists:
		can = append(can, observed.VLANs, observed.Standby, observed.Neighbours, observed.MACs, observed.Links)
	}
	return slices.ContainsFunc(parts, func(p observed.Part) bool { return slices.Contains(can, p) })
}

// usual are the ports that the protocols are spoken at.
var usual = map[string]string{access.SNMP: "161", access.NETCONF: "830", access.RESTCONF: "443", access.Lists: "22"}

// addressOf is where a way leads: ADDRESS:PORT.
func addressOf(t *Target, w *access.Way) (string, bool) {
	at := w.At
	if strings.HasPrefix(at, ":") {
		if t.Address == "" {
			return "", false
		}
		return net.JoinHostPort(t.Address, at[1:]), true
	}
	if at == "" {
		at = t.Address
	}
	if at == "" {
		return "", false
	}
	if _, _, err := net.SplitHostPort(at); err == nil {
		return at, true
	}
	return net.JoinHostPort(strings.Trim(at, "[]"), usual[w.By]), true
}

// failureOf sorts an error by its reason.
func failureOf(ctx context.Context, by, at string, err error) Failure {
	f := Failure{By: by, At: at, Reason: NotRead, Err: err}
	var sorted *Failure
	var network net.Error
	switch {
	case errors.As(err, &sorted):
		f.Reason, f.Key = sorted.Reason, sorted.Key
	case ctx.Err() != nil:
		f.Reason = Interrupted
	case isRefused(err):
		f.Reason = Refused
	case errors.As(err, &network):
		f.Reason = Unreached
	}
	return f
}
