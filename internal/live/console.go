package live

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/wire"
	"ropeswing/internal/yang"
)

// Told is a device that can be told: by NETCONF, or at its console in its own language. An edit is what its kind of telling takes.
type Told interface {
	Running() (*observed.Device, error)
	Prepare(edit []byte) error
	PutInForce(edit []byte, within time.Duration, persist string) error
	Confirm(persist string, sent int) error
	Number() int // of the session
	TakeBack(persist string, undo []byte) error
	Save() error
	AtOnce() bool   // what is sent runs at once, and no timer takes it back
	Whole() bool    // a change that is refused leaves nothing of it in force
	OwnModel() bool // it takes what no standard model has
	Close()
	Drop()
}

// AtOnce implements Told.
func (t *Teller) AtOnce() bool { return t.Direct }

// Console tells one device line by line, in the language of its gear's form.
type Console struct {
	*wire.Console
	asker   *asker
	ask     []string
	name    string
	client  *ssh.Client
	session *ssh.Session
	in      io.WriteCloser
	out     *promptReader
	unarmed bool // its timer could not be set
}

// TellConsole logs in to the console of a device that is to be told, at an address with its port.
func TellConsole(ctx context.Context, name, at string, w access.Way, o Options) (*Console, error) {
	a, err := newAsker(o)
	if err != nil {
		return nil, err
	}
	g, err := a.Gear(w.Gear)
	if err != nil {
		return nil, &Failure{Reason: NoSecret, Err: err}
	}
	if g.Console == nil || len(g.Ask) == 0 {
		return nil, &Failure{Reason: NoSecret,
			Err: fmt.Errorf("%s does not say how the gear is told: ask, prompt, enter, leave and refused", w.Gear)}
	}
	c, err := a.dial(ctx, name, at, &w)
	if err != nil {
		return nil, err
	}
	t := &Console{Console: g.Console, asker: a, ask: g.Ask, name: name, client: c}
	if err := t.begin(); err != nil {
		c.Close()
		return nil, err
	}
	return t, nil
}

func (t *Console) begin() (err error) {
	if t.session, err = t.client.NewSession(); err != nil {
		return err
	}
	if t.in, err = t.session.StdinPipe(); err != nil {
		return err
	}
	out, err := t.session.StdoutPipe()
	if err != nil {
		return err
	}
	if err := t.session.Shell(); err != nil {
		return &Failure{Reason: NotRead, Err: errors.New("it lets one in, and gives no console")}
	}
	t.out = &promptReader{from: out, at: t.Prompt.Match}
	_, err = t.out.answer() // what it says before its first prompt
	return err
}

// promptReader reads what is printed up to the next prompt.
type promptReader struct {
	from io.Reader
	at   func([]byte) bool
	text []byte
}

// answer is what was printed before the next prompt.
func (r *promptReader) answer() (string, error) {
	r.text = r.text[:0]
	b := make([]byte, 4096)
	for {
		n, err := r.from.Read(b)
		r.text = append(r.text, b[:n]...)
		last := r.text[bytes.LastIndexByte(r.text, '\n')+1:]
		if len(last) > 0 && r.at(last) {
			return string(r.text[:len(r.text)-len(last)]), nil
		}
		switch {
		case err != nil:
			return string(r.text), fmt.Errorf("the console ended: %w", err)
		case len(r.text) > mostText:
			return "", errors.New("it prints too much")
		}
	}
}

// line types one line, and waits for the prompt. That the gear refuses is an *yang.Refusal.
func (t *Console) line(text string) error {
	if strings.ContainsAny(text, "\r\n") {
		return errors.New("a line that is typed holds no other")
	}
	if _, err := io.WriteString(t.in, text+"\n"); err != nil {
		return err
	}
	answer, err := t.out.answer()
	if err != nil {
		return err
	}
	if said := t.Refused.FindString(answer); said != "" {
		line := answer[strings.Index(answer, said):]
		line, _, _ = strings.Cut(line, "\n")
		return yang.Refused("refused", "", "%q: %s", strings.TrimSpace(text), strings.TrimSpace(line))
	}
	return nil
}

func (t *Console) lines(all []string) error {
	for _, l := range all {
		if err := t.line(l); err != nil {
			return err
		}
	}
	return nil
}

// Close implements Told.
func (t *Console) Close() {
	t.in.Close()
	t.client.Close()
}

// Drop implements Told.
func (t *Console) Drop() { t.client.Close() }

// AtOnce implements Told.
func (t *Console) AtOnce() bool { return t.Arm == "" }

// Number implements Told: the session at a console has none.
func (t *Console) Number() int { return 0 }

// Whole implements Told: only gear that forgets what was typed leaves nothing of a change that it refuses.
func (t *Console) Whole() bool { return len(t.Forget) > 0 }

// OwnModel implements Told: what the form says is what the gear has.
func (t *Console) OwnModel() bool { return true }

// Running implements Told: the device is read by its form.
func (t *Console) Running() (*observed.Device, error) {
	var text strings.Builder
	for _, words := range t.ask {
		s, err := t.client.NewSession()
		if err != nil {
			return nil, err
		}
		out := &limited{most: mostText - text.Len()}
		s.Stdout = out
		err = s.Run(words)
		s.Close()
		if err != nil {
			return nil, fmt.Errorf("it does not do %q: %w", words, err)
		}
		text.Write(out.text)
		text.WriteString("\n")
	}
	r, err := wire.Form{Form: t.Form}.ReadText([]byte(text.String()), t.name)
	if err != nil {
		return nil, err
	}
	if len(r.Devices) != 1 || r.Devices[0].Name != t.name {
		return nil, errors.New("it says that it is another device")
	}
	return r.Devices[0], nil
}

// Prepare implements Told: nothing is prepared at a console.
func (t *Console) Prepare([]byte) error { return nil }

// PutInForce implements Told: the timer is set, the lines are typed, and what they say is put in force.
func (t *Console) PutInForce(edit []byte, within time.Duration, _ string) error {
	if t.Arm != "" {
		arm := strings.NewReplacer("{seconds}", fmt.Sprint(int(within/time.Second)), "{minutes}",
			fmt.Sprint(max(1, int(within/time.Minute)))).Replace(t.Arm)
		if err := t.line(arm); err != nil {
			t.unarmed = true // another's timer may run, which is not to be touched
			return err
		}
	}
	return t.typed(edit)
}

// typed types the lines of a change. What is refused is forgotten, where the gear can.
func (t *Console) typed(edit []byte) error {
	err := t.lines(t.Enter)
	if err == nil {
		if err = t.lines(strings.Split(strings.TrimRight(string(edit), "\n"), "\n")); err == nil {
			return t.lines(t.Leave)
		}
	}
	var refused *yang.Refusal
	if errors.As(err, &refused) && len(t.Forget) > 0 {
		return errors.Join(err, t.lines(t.Forget))
	}
	return err
}

// Confirm implements Told.
func (t *Console) Confirm(string, int) error {
	if t.Stay == "" {
		return nil
	}
	return t.line(t.Stay)
}

// TakeBack implements Told: by the timer's own words where one runs, else by the lines that undo it.
func (t *Console) TakeBack(_ string, undo []byte) error {
	if t.unarmed {
		return nil // nothing was typed
	}
	if t.Arm != "" && t.Cancel != "" {
		err := t.line(t.Cancel)
		var refused *yang.Refusal
		if errors.As(err, &refused) { // none runs any more: it was taken back
			return nil
		}
		return err
	}
	if len(undo) == 0 {
		return nil
	}
	err := t.typed(undo)
	var refused *yang.Refusal
	if errors.As(err, &refused) { // what is not there need not be taken away
		return nil
	}
	return err
}

// Save implements Told.
func (t *Console) Save() error { return t.lines(t.Saving) }
