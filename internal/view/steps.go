package view

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/model"
	"ropeswing/core/steps"
)

// Worksheet is steps in their order, in JSON.
type Worksheet struct {
	Basis   string `json:"basis"`   // what the answer stands on
	Devices int    `json:"devices"` // how many are changed
	Safe    bool   `json:"safe"`    // nothing fails in between, and nobody has to be at a console
	Whole   bool   `json:"whole"`   // every order that could be better was looked at
	// after how many steps it was looked at what fails; fewer than there are where there is very much to set
	Judged    int           `json:"judged"`
	Among     int           `json:"among"` // so many LANs and loopbacks were asked about in between
	Of        int           `json:"of"`    // of so many
	Steps     []OrderedStep `json:"steps"`
	Otherwise []Standing    `json:"otherwise"` // what differs and no step sets
	Left      []Standing    `json:"left"`      // what a worksheet that was checked leaves as it was found
	Untold    []Standing    `json:"not_set"`   // what two plans say otherwise and no step sets: taken to be as planned already
	NotKnown  []string      `json:"not_known"` // devices of which nothing was observed
	New       []string      `json:"new"`       // devices that the plan steps begin at does not have: they are set up before
	Partly    []Partly      `json:"partly"`    // devices of which something is not known

	all []OrderedStep // of which only some may be shown
}

// OrderedStep is what is set on one device in one go, in JSON.
type OrderedStep struct {
	Step     int       `json:"step"` // from 1
	Device   string    `json:"device"`
	Login    string    `json:"login"` // the address to log in at; "" where there is none, or the operator sits at it
	By       string    `json:"by"`    // the service
	Through  []string  `json:"through,omitempty"`
	Sets     []StepSet `json:"sets"`
	Together bool      `json:"together"` // things that would each cut the device off alone are set at once
	Session  string    `json:"session"`  // local, stays, moves, ends, console, theirs or unknown
	Then     string    `json:"then"`     // where to log in again
	Unmet    []string  `json:"unmet"`    // requirements that do not hold while it is in force
	Broken   int       `json:"broken"`   // pairs that fail while it is in force
	Such     string    `json:"such_as,omitempty"`
	Notes    []string  `json:"notes"` // what outlasts it: leases that keep an old gateway, neighbours that remember
	// segments that lose a subnet with it: hosts there that the plan does not know need another address before
	Hosts   []string     `json:"hosts"`
	Works   string       `json:"works,omitempty"`   // a pair that works from then on
	Restart *StepRestart `json:"restart,omitempty"` // what the restart of the device takes, where that was asked
	Save    bool         `json:"save"`              // nothing is left to set on the device: save what runs

	Typed     []string `json:"typed,omitempty"`      // the step in the gear's own language, line by line, where a form was named
	TypedBack []string `json:"typed_back,omitempty"` // what takes it back, likewise
	NotTyped  string   `json:"not_typed,omitempty"`  // why the form cannot say it

	login, session, fails string
}

// StepRestart is what the restart of a device takes while it lasts.
type StepRestart struct {
	Broken int    `json:"broken"` // pairs, but those of the device's own loopback
	Such   string `json:"such_as,omitempty"`
}

func (r *StepRestart) words() string {
	if r.Broken == 0 {
		return "save what runs, then restart it: nothing else fails while that lasts"
	}
	return fmt.Sprintf("save what runs, then restart it: %s fail while that lasts, such as %s", Count(r.Broken, "pair"), r.Such)
}

// StepSet is one thing that a step sets, in the plan's words.
type StepSet struct {
	Set string `json:"set"`
	Was string `json:"was"` // what it takes the place of; "" where that is nothing, or the set names it
	// set: planned takes the place of whatever is there; also: beside what is there; remove: found; replace: planned takes the
	// place of found, others stay
	Does     string `json:"does"`
	What     string `json:"what"`    // as compare has it: address, admin status, route, next hop and so on
	Subject  string `json:"subject"` // the interface, or the destination of a route
	Planned  string `json:"planned"` // what there is to be; "" where there is to be nothing
	Found    string `json:"found"`   // what there is before all; "" where there is nothing
	Look     string `json:"look"`    // how to see that it took
	TakeBack string `json:"take_back"`
}

// Standing is something that differs and that no step sets.
type Standing struct {
	Device string `json:"device"`
	What   string `json:"what"`
}

// NewWorksheet puts a worksheet into its JSON form.
func NewWorksheet(w *steps.Worksheet, basis string) Worksheet {
	v := Worksheet{Basis: basis, Devices: w.Devices, Safe: w.Safe(), Whole: w.Whole, Judged: w.Judged, Among: w.Among, Of: w.Of,
		Steps: []OrderedStep{}, Otherwise: []Standing{}, Left: []Standing{}, Untold: []Standing{}, NotKnown: append([]string{},
			w.NotKnown...), New: append([]string{}, w.New...), Partly: []Partly{}}
	spec := w.After.Spec
	for i := range w.Steps {
		s := &w.Steps[i]
		x := OrderedStep{Step: i + 1, Device: spec.Devices[s.Device].Name, By: s.Login.By, Through: names(spec, s.Login.Through),
			Sets: []StepSet{}, Session: s.Session.String(), Unmet: append([]string{}, s.Unmet...), Hosts: append([]string{},
				s.Hosts...), Notes: append([]string{}, s.Notes...), Broken: s.Broken, Save: s.Last, Together: s.Together,
			Login: address(s.Login.Address), Then: "", session: s.SessionWords(), fails: s.FailsWords()}
		if s.Login.Address.IsValid() {
			x.login = s.Login.Words(spec)
		}
		if s.Session == steps.Moves {
			x.Then = s.Then.Address.String()
		}
		if s.Broken > 0 {
			x.Such = s.First[0] + " to " + s.First[1]
		}
		if s.Works[0] != "" {
			x.Works = s.Works[0] + " to " + s.Works[1]
		}
		x.Sets = stepSets(s.Sets)
		if r := s.Restart; r != nil {
			if x.Restart = (&StepRestart{Broken: r.Broken}); r.Broken > 0 {
				x.Restart.Such = r.First[0] + " to " + r.First[1]
			}
		}
		v.Steps = append(v.Steps, x)
	}
	v.all = v.Steps
	for _, d := range w.Otherwise {
		v.Otherwise = append(v.Otherwise, Standing{d.Device, otherwise(d)})
	}
	for _, d := range w.Left {
		v.Left = append(v.Left, Standing{d.Device, otherwise(d)})
	}
	for _, d := range w.Untold {
		v.Untold = append(v.Untold, Standing{d.Device, otherwise(d)})
	}
	for _, p := range w.Partly {
		v.Partly = append(v.Partly, Partly(p))
	}
	return v
}

// ReadWorksheet reads the steps of a worksheet as it is written in JSON.
func ReadWorksheet(text []byte) ([]steps.Asked, error) {
	var v struct {
		Steps []struct {
			Device string `json:"device"`
			Sets   []struct {
				Set string `json:"set"`
			} `json:"sets"`
		} `json:"steps"`
	}
	if err := json.Unmarshal(text, &v); err != nil {
		return nil, fmt.Errorf("this is no worksheet, which 'ropeswing steps -o json' writes: %w", err)
	}
	if len(v.Steps) == 0 {
		return nil, errors.New("the worksheet has no steps; 'ropeswing steps -o json' writes one")
	}
	var all []steps.Asked
	for _, s := range v.Steps {
		x := steps.Asked{Device: s.Device}
		for _, set := range s.Sets {
			x.Sets = append(x.Sets, set.Set)
		}
		all = append(all, x)
	}
	return all, nil
}

func names(spec *model.Spec, all []model.DeviceID) []string {
	var words []string
	for _, d := range all {
		words = append(words, spec.Devices[d].Name)
	}
	return words
}

// otherwise is a difference that no step sets, in words.
func otherwise(d compare.Difference) string {
	if a, b, ok := strings.Cut(d.Subject, " to "); ok && d.What == compare.OfCable {
		switch d.Kind {
		case compare.Missing:
			return "plug " + a + " into " + b
		case compare.Extra:
			return "unplug " + a + " from " + b
		}
	}
	text := fmt.Sprintf("%s %s", d.Subject, d.What)
	if d.Planned != "" {
		text += ": planned " + d.Planned
	}
	if d.Found != "" {
		text += ", found " + d.Found
	}
	return strings.TrimSpace(text)
}

// Only keeps the steps of one device, or the first.
func (v *Worksheet) Only(device string, next bool) {
	var kept []OrderedStep
	for _, s := range v.Steps {
		if device == "" || s.Device == device {
			kept = append(kept, s)
		}
	}
	if next && len(kept) > 1 {
		kept = kept[:1]
	}
	v.Steps = append([]OrderedStep{}, kept...)
}

// stepSets puts what is set into its JSON form.
func stepSets(sets []steps.Set) []StepSet {
	all := []StepSet{}
	for n := range sets {
		d := &sets[n]
		set, was := d.What()
		all = append(all, StepSet{set, was, d.Does().String(), string(d.Difference.What), d.Subject, d.Planned, d.Found, d.Look(),
			d.TakeBack()})
	}
	return all
}

// Visit is the steps one takes on a device one after the other.
type Visit struct {
	Visit  int           `json:"visit"` // from 1
	Device string        `json:"device"`
	Steps  []OrderedStep `json:"steps"`
}

// Visits are the steps by visit.
func (v Worksheet) Visits() []Visit {
	var all []Visit
	for _, s := range v.Steps {
		if len(all) == 0 || all[len(all)-1].Device != s.Device {
			all = append(all, Visit{Visit: len(all) + 1, Device: s.Device})
		}
		last := &all[len(all)-1]
		last.Steps = append(last.Steps, s)
	}
	return all
}

// Table is a row for each thing that is set.
func (v Worksheet) Table() Table {
	t := Table{Columns: []Column{
		{Key: "step", Title: "step", Right: true}, {Key: "device", Title: "device"}, {Key: "login", Title: "log in at"}, {Key: "set",
			Title: "set"}, {Key: "was", Title: "was"},
		{Key: "session", Title: "session"}, {Key: "fails", Title: "fails"}, {Key: "look", Title: "look"}, {Key: "take_back",
			Title: "to take back"},
	}, Empty: "nothing needs to be done"}
	for _, s := range v.Steps {
		for _, x := range s.Sets {
			t.Rows = append(t.Rows, []string{fmt.Sprint(s.Step), s.Device, s.Login, x.Set, x.Was, s.session, s.fails, x.Look, x.TakeBack})
		}
	}
	return t
}

// Headline is how many steps there are and how they go.
func (v Worksheet) Headline() string {
	known := ""
	if len(v.NotKnown)+len(v.Partly) > 0 {
		known = ", as far as the state shows"
	}
	if len(v.all) == 0 {
		return "nothing needs to be set" + known
	}
	text := fmt.Sprintf("%s on %s", Count(len(v.all), "step"), Count(v.Devices, "device"))
	if len(v.Steps) < len(v.all) {
		text += fmt.Sprintf(", %d of them shown", len(v.Steps))
	}
	if len(v.Left) > 0 {
		text += fmt.Sprintf(", and %s left as found", Count(len(v.Left), "thing"))
	}
	hands, failing, most := 0, 0, 0
	for _, s := range v.all {
		if s.Session == steps.Ends.String() || s.Session == steps.AtConsole.String() {
			hands++
		}
		if s.Broken > 0 || len(s.Unmet) > 0 {
			failing++
			most = max(most, s.Broken)
		}
	}
	if failing+hands == 0 && v.Judged == len(v.all) {
		return text + ": every step is safe, and nothing fails in between" + known
	}
	if failing > 0 {
		text += fmt.Sprintf("; during %s something fails", Count(failing, "step"))
		if most > 0 {
			text += fmt.Sprintf(", %s at most", Count(most, "pair"))
		}
	} else {
		text += "; nothing fails in between, as far as that was looked at"
		if v.Judged == len(v.all) {
			text = strings.TrimSuffix(text, ", as far as that was looked at") + known
		}
	}
	if hands > 0 {
		text += fmt.Sprintf("; hands are needed at %s", Count(hands, "step"))
	}
	return text
}

// Text writes how it goes, and the steps one below the other.
func (v Worksheet) Text(w io.Writer, width int, next string) {
	look := good
	if !v.Safe || len(v.Otherwise)+len(v.Untold)+len(v.Left) > 0 {
		look = warn
	}
	labelled(w, width, "", look.Render(v.Headline())+faint.Render(" · "+v.Basis), "  ")
	for _, r := range v.limits() {
		style := faint
		if r.warns {
			style = warn
		}
		fmt.Fprintln(w, style.Render(r.text))
	}
	for n, s := range v.Steps {
		if n == 0 || v.Steps[n-1].Device != s.Device || v.Steps[n-1].Session == steps.Moves.String() {
			fmt.Fprintf(w, "\n%s  %s\n", bold.Render(Clean(s.Device)), faint.Render(Clean(s.reached())))
			for _, p := range v.Partly {
				if p.Device == s.Device {
					labelled(w, width, "     "+faint.Render(fmt.Sprintf("%-10s", "first")),
						Clean("observe it again: its "+strings.Join(p.Unknown, ", ")+" are not known, and may be otherwise too"), strings.Repeat(" ",
							15))
				}
			}
		}
		s.text(w, width)
	}
	for _, r := range v.remains() {
		fmt.Fprintln(w, "\n"+r.head)
		for _, line := range r.lines {
			labelled(w, width, "  ", Clean(line), "    ")
		}
	}
	for n, r := range v.unknown() {
		if n == 0 {
			fmt.Fprintln(w)
		}
		paragraph(w, width, faint.Render(r.Label+": ")+Clean(r.Text), "  ")
	}
	if next != "" {
		fmt.Fprintln(w, "next: "+next)
	}
}

// limit is how far the worksheet was looked at.
type limit struct {
	text  string
	warns bool // a better order may have been missed, or what fails was not looked at
}

// limits says how far the worksheet was looked at, where that is not all the way.
func (v Worksheet) limits() []limit {
	var all []limit
	if v.Among < v.Of {
		all = append(all, limit{text: fmt.Sprintf("asked about %d of %d LANs and loopbacks in between", v.Among, v.Of)})
	}
	if v.Judged < len(v.all) {
		all = append(all, limit{fmt.Sprintf("what fails was looked at after %d of %s: what is new goes before what changes, "+
			"and what is old goes last", v.Judged, Count(len(v.all), "step")), true})
	}
	switch {
	case v.Whole || v.Judged < len(v.all):
	case v.Safe:
		all = append(all, limit{text: "there may be an order with fewer logins: not all were looked at"})
	default:
		all = append(all, limit{"there may be a better order: not all were looked at", true})
	}
	return all
}

// remain is what differs and no step sets, under a heading.
type remain struct {
	head  string
	lines []string
}

// remains lists what differs and no step sets.
func (v Worksheet) remains() []remain {
	var all []remain
	for _, r := range []struct {
		head string
		of   []Standing
	}{{"no step sets this; see to it at the device:", v.Otherwise}, {"left as it was found:", v.Left},
		{"no step sets this, and it was taken to be as planned already:", v.Untold}} {
		if len(r.of) == 0 {
			continue
		}
		one := remain{head: r.head}
		for _, o := range r.of {
			one.lines = append(one.lines, strings.TrimPrefix(o.Device+": "+o.What, ": "))
		}
		all = append(all, one)
	}
	return all
}

// unknown says what nothing is known of, and what is new.
func (v Worksheet) unknown() []Remark {
	var all []Remark
	if len(v.New) > 0 {
		all = append(all, Remark{"new, and to be set up before all this", strings.Join(v.New, ", ") + "; 'ropeswing steps --factory ADDRESS/LENGTH " +
			v.New[0] + "' tells how, with the address it comes with"})
	}
	if len(v.NotKnown) > 0 {
		all = append(all, Remark{"not observed, so nothing is known to be set there", strings.Join(v.NotKnown, ", ")})
	}
	rest := slices.DeleteFunc(slices.Clone(v.Partly), func(p Partly) bool { // that is told at its steps
		return slices.ContainsFunc(v.Steps, func(s OrderedStep) bool { return s.Device == p.Device })
	})
	for _, line := range notKnown(rest) {
		all = append(all, Remark{"not known", line})
	}
	return all
}

// reached is how one gets to a device for a step.
func (s *OrderedStep) reached() string {
	switch s.Session {
	case steps.Local.String():
		return "you sit at it"
	case steps.AtConsole.String():
		return "it is not reached now: be at its console"
	case steps.Unknown.String():
		return "how it is reached was not looked at"
	case steps.Theirs.String():
		return "not yours: ask whoever runs it to"
	}
	return s.login
}

// Type says a step in its gear's own language; why is said where that cannot be.
func (v Worksheet) Type(step int, lines, back []string, why string) {
	s := &v.Steps[step]
	s.Typed, s.TypedBack, s.NotTyped = lines, back, why
}

// text writes a step: what to set, and what else is to be known of it.
func (s *OrderedStep) text(w io.Writer, width int) {
	number := fmt.Sprintf("%3d. ", s.Step)
	line := func(label, text string) {
		labelled(w, width, "     "+faint.Render(fmt.Sprintf("%-10s", label)), Clean(text), strings.Repeat(" ", 15))
	}
	for n, x := range s.Sets {
		text := x.Set
		if x.Was != "" {
			text += " (was: " + x.Was + ")"
		}
		if n > 0 {
			number = "  +  "
		}
		labelled(w, width, number, Clean(text), "     ")
	}
	typed := func(label string, lines []string) {
		for n, l := range lines {
			if n > 0 {
				label = ""
			}
			fmt.Fprintln(w, "     "+faint.Render(fmt.Sprintf("%-10s", label))+bold.Render(Clean(l)))
		}
	}
	typed("type", s.Typed)
	if s.NotTyped != "" {
		line("type", s.NotTyped)
	}
	if s.Together {
		line("together", "apart, some of these would cut the device off")
	}
	switch s.Session {
	case steps.Moves.String(), steps.Ends.String():
		line("session", s.session)
	}
	if s.fails != "nothing" && s.fails != "not looked at" {
		line("fails", s.fails)
	}
	for _, x := range s.Sets {
		line("look", x.Look)
	}
	if len(s.Hosts) > 0 {
		line("hosts", "that the plan does not know need another address before this, of "+strings.Join(s.Hosts, "; "))
	}
	for _, x := range s.Notes {
		line("note", x)
	}
	if s.Works != "" {
		line("", s.Works+" works from now on")
	}
	if typed("take back", s.TypedBack); len(s.TypedBack) == 0 {
		for _, x := range s.Sets {
			line("take back", x.TakeBack)
		}
	}
	switch {
	case s.Restart != nil:
		line("then", s.Restart.words())
	case s.Save:
		line("then", "save what runs")
	}
}

// Markdown writes a checklist to print.
func (v Worksheet) Markdown(w io.Writer) {
	fmt.Fprintf(w, "**%s** (%s)\n", Clean(v.Headline()), Clean(v.Basis))
	for _, r := range v.limits() {
		fmt.Fprintf(w, "\n%s\n", markdownText(r.text))
	}
	for n, s := range v.Steps {
		for _, p := range v.Partly {
			if p.Device == s.Device && (n == 0 || v.Steps[n-1].Device != s.Device) {
				fmt.Fprintf(w, "\n- [ ] observe %s again: %s\n", markdownText(s.Device), markdownText(strings.Join(p.Unknown, ", ")))
			}
		}
		fmt.Fprintf(w, "\n- [ ] **%d. %s**", s.Step, markdownText(s.Device))
		if s.login != "" {
			fmt.Fprintf(w, " (%s)", markdownText(s.login))
		}
		fmt.Fprintln(w)
		for _, x := range s.Sets {
			fmt.Fprintf(w, "  - set `%s`", Clean(x.Set))
			if x.Was != "" {
				fmt.Fprintf(w, ", was `%s`", Clean(x.Was))
			}
			fmt.Fprintln(w)
		}
		if len(s.Typed) > 0 {
			fmt.Fprintf(w, "  - type:\n\n    ```\n    %s\n    ```\n\n", strings.Join(cleaned(s.Typed), "\n    "))
		}
		if s.NotTyped != "" {
			fmt.Fprintf(w, "  - type: %s\n", markdownText(s.NotTyped))
		}
		if s.Together {
			fmt.Fprintln(w, "  - all at once: apart, some of these would cut the device off")
		}
		fmt.Fprintf(w, "  - session: %s\n  - fails: %s\n", markdownText(s.session), markdownText(s.fails))
		for _, h := range s.Hosts {
			fmt.Fprintf(w, "  - [ ] hosts that the plan does not know have another address: %s\n", markdownText(h))
		}
		for _, x := range s.Notes {
			fmt.Fprintf(w, "  - note: %s\n", markdownText(x))
		}
		if s.Works != "" {
			fmt.Fprintf(w, "  - %s works from now on\n", markdownText(s.Works))
		}
		for _, x := range s.Sets {
			fmt.Fprintf(w, "  - [ ] look: %s\n  - to take back: `%s`\n", markdownText(x.Look), Clean(x.TakeBack))
		}
		if len(s.TypedBack) > 0 {
			fmt.Fprintf(w, "  - type to take it back:\n\n    ```\n    %s\n    ```\n\n", strings.Join(cleaned(s.TypedBack), "\n    "))
		}
		switch {
		case s.Restart != nil:
			fmt.Fprintf(w, "  - [ ] %s\n", markdownText(s.Restart.words()))
		case s.Save:
			fmt.Fprintln(w, "  - [ ] save what runs")
		}
	}
	for _, r := range v.remains() {
		fmt.Fprintf(w, "\n%s\n\n", markdownText(r.head))
		for _, line := range r.lines {
			fmt.Fprintf(w, "- [ ] %s\n", markdownText(line))
		}
	}
	for _, r := range v.unknown() {
		fmt.Fprintf(w, "\n%s: %s\n", markdownText(r.Label), markdownText(r.Text))
	}
}

// markdownText is a text with the signs of Markdown written so that they stand for themselves.
func markdownText(text string) string {
	return strings.NewReplacer(`\`, `\\`, "*", `\*`, "_", `\_`, "`", "\\`", "[", `\[`, "<", `\<`, "|", `\|`).Replace(Clean(text))
}
