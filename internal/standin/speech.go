package standin

import (
	_ "embed"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"ropeswing/core/form"
	"ropeswing/core/observed"
	"ropeswing/core/standin"
)

// Speech is a language of gear that stand-ins speak by SSH: what a device prints and is typed at in, and the words around that.
type Speech struct {
	Name string
	form *form.Form
	text []byte // of the form

	show, shown, keep  string // what prints what runs, what is saved; what saves
	enter, done, drop  string // begins to change, puts it in force, forgets it
	refusal            string // begins a line by which it refuses
	arm, stay, takeNow string // of its timer: sets it, lets what was changed stay, takes it back at once; "" where it has none
}

//go:embed lamps.form
var lampsForm []byte

//go:embed kelp.form
var kelpForm []byte

// Speeches are the languages of invented gear that stand-ins speak: lamps, with a timer, and kelp, without.
var Speeches = map[string]func() *Speech{
	"lamps": func() *Speech {
		return &Speech{Name: "lamps", form: known(lampsForm), text: lampsForm, show: "show all", shown: "show kept", keep: "keep",
			enter: "change", done: "done", drop: "forget", refusal: "dark: ",
			arm: "relight in {seconds}", stay: "stay lit", takeNow: "relight now"}
	},
	"kelp": func() *Speech {
		return &Speech{Name: "kelp", form: known(kelpForm), text: kelpForm, show: "read line", shown: "read knot", keep: "knot", enter: "haul",
			done: "let go", drop: "cast off", refusal: "tangled: "}
	},
}

func known(text []byte) *form.Form {
	f, err := form.Parse(string(text))
	if err != nil {
		panic(err) // it is part of the program
	}
	return f
}

// Gear is the gear file by which a device that speaks so is asked and told; it names the form beside it.
func (s *Speech) Gear() []byte {
	text := fmt.Sprintf("# How gear that speaks like this is asked, told and read.\nropeswing-map: 1\nname: a stand-in that speaks %s\n"+
		"form: %s.form\nask: [%s]\nprompt: '[>+] $'\nenter: [%s]\nleave: [%s]\nforget: [%s]\nrefused: '^%s'\nsave: [%s]\n",
		s.Name, s.Name, s.show, s.enter, s.done, s.drop, s.refusal, s.keep)
	if s.arm != "" {
		text += fmt.Sprintf("timer: {arm: %q, confirm: %q, cancel: %q}\n", s.arm, s.stay, s.takeNow)
	}
	return []byte(text)
}

// Form is the text of its form.
func (s *Speech) Form() []byte { return s.text }

// tongue is one device speaking: its timer is its own, whoever is logged in.
type tongue struct {
	*Speech
	yard *standin.Yard
	name string

	mutex sync.Mutex
	timer *time.Timer
	was   *observed.Device // what the timer goes back to
}

// talk is one session at its console.
type talk struct {
	*tongue
	changing *form.Console
}

// prompt is what stands where it waits for a line.
func (t *talk) prompt() string {
	if t.changing != nil {
		return t.name + "+ "
	}
	return t.name + "> "
}

// say answers one line; mine is that it is one of this language's.
func (t *talk) say(line string) (answer string, mine bool) {
	refuse := func(err error) (string, bool) { return t.refusal + err.Error() + "\n", true }
	if t.changing == nil {
		answer, err, mine := t.ask(line)
		if err != nil {
			return refuse(err)
		}
		return answer, mine
	}
	switch line {
	case t.done:
		d, err := t.changing.Device()
		t.changing = nil
		if err == nil {
			err = t.set(d)
		}
		if err != nil {
			return refuse(err)
		}
		return "", true
	case t.drop:
		t.changing = nil
		return "", true
	}
	if err := t.changing.Type(line); err != nil {
		return refuse(err)
	}
	return "", true
}

// ask answers a line outside of a change; mine is that it is one of the speech's.
func (t *talk) ask(line string) (answer string, err error, mine bool) {
	print := func(d *observed.Device, err error) (string, error, bool) {
		if err != nil {
			return "", err, true
		}
		return t.form.Write(form.Of(d, nil)), nil, true
	}
	before, after, timed := strings.Cut(t.arm, "{seconds}")
	switch {
	case line == t.show:
		return print(t.yard.Running(t.name))
	case line == t.shown:
		return print(t.yard.Saved(t.name))
	case line == t.keep:
		return "", t.yard.Save(t.name), true
	case line == t.enter:
		d, err := t.yard.Running(t.name)
		if err == nil {
			t.changing = t.form.Console(form.Of(d, nil))
		}
		return "", err, true
	case timed && line == t.stay, timed && line == t.takeNow:
		return "", t.settle(line == t.takeNow), true
	case timed && strings.HasPrefix(line, before) && strings.HasSuffix(line, after):
		n, err := strconv.Atoi(line[len(before) : len(line)-len(after)])
		if err != nil || n < 1 || n > 86400 {
			return "", errors.New("a timer runs for 1 to 86400 seconds"), true
		}
		return "", t.armed(time.Duration(n) * time.Second), true
	}
	return "", nil, false
}

// armed sets the timer: what is there now comes back when it is over.
func (t *tongue) armed(within time.Duration) error {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if t.was != nil {
		return errors.New("the timer runs already")
	}
	d, err := t.yard.Running(t.name)
	if err != nil {
		return err
	}
	t.was = d
	t.timer = time.AfterFunc(within, func() { _ = t.settle(true) })
	return nil
}

// settle ends the timer: what was changed stays, or is taken back.
func (t *tongue) settle(back bool) error {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if t.was == nil {
		return errors.New("no timer runs")
	}
	t.timer.Stop()
	was := t.was
	t.was = nil
	if back {
		return t.yard.Set(t.name, was)
	}
	return nil
}

// set puts what was typed in force, with what the language does not say as it is.
func (t *tongue) set(d *observed.Device) error {
	was, err := t.yard.Running(t.name)
	if err != nil {
		return err
	}
	d.Known = slices.Clone(was.Known)
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		n := slices.IndexFunc(was.Interfaces, func(o observed.Interface) bool { return o.Name == x.Name })
		if n < 0 {
			continue
		}
		o := &was.Interfaces[n]
		x.Type, x.MAC, x.Speed = o.Type, o.MAC, o.Speed
		if o.Untagged != nil && x.Untagged == nil {
			x.Untagged = new(int)
		}
		if o.Group != nil && x.Group == nil {
			x.Group = new(string)
		}
		for _, a := range o.Addresses {
			if a.Addr().Is6() && a.Addr().IsLinkLocalUnicast() {
				x.Add(a)
			}
		}
	}
	for i := range d.Routes {
		d.Routes[i].Source = "static"
		if d.Routes[i].Metric == nil {
			d.Routes[i].Metric = new(int)
		}
		for _, o := range was.Routes {
			if x := &d.Routes[i]; o.To == x.To && o.Table == x.Table && o.NextHop == x.NextHop && o.Discard == x.Discard && x.Interface == "" {
				x.Interface = o.Interface
			}
		}
	}
	return t.yard.Set(t.name, d)
}
