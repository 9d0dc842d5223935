package live

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/yang"
)

// Teller tells one device, by NETCONF.
type Teller struct {
	*Session
	name string

	// Direct is that the device has no candidate with a confirmed commit: what is sent runs at
	// once, and nothing but another change takes it back.
	Direct bool
}

// The capabilities that telling hangs on.
const (
	candidate = "urn:ietf:params:netconf:capability:candidate:1.0"
	confirmed = "urn:ietf:params:netconf:capability:confirmed-commit:1.1"
	validate  = "urn:ietf:params:netconf:capability:validate:1.1"
	startup   = "urn:ietf:params:netconf:capability:startup:1.0"
	writable  = "urn:ietf:params:netconf:capability:writable-running:1.0"
	rollback  = "urn:ietf:params:netconf:capability:rollback-on-error:1.0"
	ownModel  = "urn:ropeswing:device"
)

// Tell logs in to a device that is to be told, at an address with its port.
func Tell(ctx context.Context, name, at string, w access.Way, o Options) (*Teller, error) {
	a, err := newAsker(o)
	if err != nil {
		return nil, err
	}
	s, err := a.open(ctx, name, at, &w)
	if err != nil {
		return nil, err
	}
	direct := !s.Has(candidate) || !s.Has(confirmed)
	if direct && !s.Has(writable) {
		s.Close()
		return nil, &Failure{Reason: NotRead,
			Err: errors.New("it has neither a candidate with a confirmed commit, nor a running configuration that may be written")}
	}
	return &Teller{s, name, direct}, nil
}

// Whole tells whether a change that is refused leaves nothing of it in force.
func (t *Teller) Whole() bool { return !t.Direct || t.Has(rollback) }

// OwnModel tells whether the device has what no standard model has.
func (t *Teller) OwnModel() bool { return t.Has(ownModel) }

// Running is what the device says of itself now, and how far that is not what it is set to.
func (t *Teller) Running() (*observed.Device, error) {
	body := `<get><filter type="subtree">` + models + `</filter></get>`
	if t.Has(nmda) {
		body = `<get-data xmlns="` + nmda +
			`" xmlns:ds="urn:ietf:params:xml:ns:yang:ietf-datastores"><datastore>ds:operational</datastore><subtree-filter>` + models +
			`</subtree-filter></get-data>`
	}
	text, err := t.Ask(body)
	if err != nil {
		return nil, err
	}
	d, unread, err := readModels(text, t.name)
	if err == nil && len(unread) > 0 {
		return nil, fmt.Errorf("not all it says is understood: %s", unread[0].Why)
	}
	return d, err
}

// edit changes what runs, at once.
func (t *Teller) edit(edit []byte) error {
	if _, err := t.Ask("<lock><target><running/></target></lock>"); err != nil {
		return fmt.Errorf("locking what runs: %w", err)
	}
	defer func() { _, _ = t.Ask("<unlock><target><running/></target></unlock>") }()
	option := ""
	if t.Whole() {
		option = "<error-option>rollback-on-error</error-option>"
	}
	_, err := t.Ask("<edit-config><target><running/></target>" + option + "<config>" + string(edit) + "</config></edit-config>")
	return err
}

// Commit puts an edit in force, to be taken back by the device within a time unless it is confirmed under the word persist. A
// device that is told directly has no such time.
func (t *Teller) Commit(edit []byte, within time.Duration, persist string) error {
	if err := t.Prepare(edit); err != nil {
		return err
	}
	return t.PutInForce(edit, within, persist)
}

// Prepare puts an edit into the candidate, and locks that; PutInForce follows. Nothing is in force yet. A device that is told
// directly has nothing to prepare.
func (t *Teller) Prepare(edit []byte) error {
	if t.Direct {
		return nil
	}
	if _, err := t.Ask("<lock><target><candidate/></target></lock>"); err != nil {
		return fmt.Errorf("locking the candidate: %w", err)
	}
	steps := []string{"<discard-changes/>", "<edit-config><target><candidate/></target><config>" + string(edit) + "</config></edit-config>"}
	if t.Has(validate) {
		steps = append(steps, "<validate><source><candidate/></source></validate>")
	}
	for _, x := range steps {
		if _, err := t.Ask(x); err != nil {
			_, _ = t.Ask("<unlock><target><candidate/></target></unlock>")
			return err
		}
	}
	return nil
}

// PutInForce puts in force what was prepared. Where that ends the session it does not come back before the session's own
// time is over.
func (t *Teller) PutInForce(edit []byte, within time.Duration, persist string) error {
	if t.Direct {
		return t.edit(edit)
	}
	defer func() { _, _ = t.Ask("<unlock><target><candidate/></target></unlock>") }()
	_, err := t.Ask(fmt.Sprintf("<commit><confirmed/><confirm-timeout>%d</confirm-timeout><persist>%s</persist></commit>",
		int(within/time.Second), escaped(persist)))
	return err
}

// escaped is a text as it stands within an element of XML.
func escaped(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text))
	return b.String()
}

// Number is that of the session, by which another may end it; 0 where it has none.
func (s *Session) Number() int { return s.number }

// Confirm confirms a commit that was sent in a session of that number. Where that one is no longer heard from here, the server may
// still wait for it, and it holds what it had locked: it is ended.
func (t *Teller) Confirm(persist string, sent int) error {
	if t.Direct {
		return nil
	}
	words := "<commit><persist-id>" + escaped(persist) + "</persist-id></commit>"
	_, err := t.Ask(words)
	var refused *yang.Refusal
	if errors.As(err, &refused) && slices.Contains([]string{"in-use", "lock-denied"}, refused.Tag) && sent != 0 && sent != t.number {
		if _, e := t.Ask(fmt.Sprintf("<kill-session><session-id>%d</session-id></kill-session>", sent)); e != nil {
			return errors.Join(err, e)
		}
		_, err = t.Ask(words)
	}
	return err
}

// TakeBack takes back a commit that was not confirmed yet; of a device that is told directly, by
// the change that undoes it. That there is nothing to take back is no error.
func (t *Teller) TakeBack(persist string, undo []byte) error {
	if t.Direct {
		err := t.edit(undo)
		var refused *yang.Refusal
		if errors.As(err, &refused) && (refused.Tag == "data-missing" || refused.Tag == "data-exists") {
			return nil
		}
		return err
	}
	_, err := t.Ask("<cancel-commit><persist-id>" + escaped(persist) + "</persist-id></cancel-commit>")
	var refused *yang.Refusal
	if errors.As(err, &refused) && strings.Contains(refused.Tag, "invalid-value") {
		return nil
	}
	return err
}

// Save keeps what runs for the next restart, where the device has that apart.
func (t *Teller) Save() error {
	if !t.Has(startup) {
		return nil
	}
	_, err := t.Ask("<copy-config><target><startup/></target><source><running/></source></copy-config>")
	return err
}

// At is where a way leads for a device at an address: at what the way says, else at the address.
func At(address string, w access.Way) (string, bool) {
	return addressOf(&Target{Address: address}, &w)
}
