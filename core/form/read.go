package form

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
)

// Reading is what a form reads in a text.
type Reading struct {
	Devices []*Thing
	Lines   int // that are not empty
	Unread  []Unread
	Cells   []Cell

	form    *Form
	name    string // of the device, where no line says it
	current *Thing
}

// Unread is a line that was not read.
type Unread struct {
	Line  int // from 1
	Text  string
	Why   string
	about *Thing // what its block is about
}

// Cell is one value that was read.
type Cell struct {
	Line        int
	Thing, Fact string
	Value       string // "" where the text says that there is none
}

// mostCells is how many values are kept for showing; all are read.
const mostCells = 10_000

// Read reads a text; device is whose it is where no line says so, "" where that is not known.
func (f *Form) Read(text, device string) *Reading {
	r := &Reading{form: f, name: device}
	root := nest(text, f.nesting(text))
	r.block(f.Lines, root.kids, nil)
	for _, d := range r.Devices {
		f.complete(d)
	}
	return r
}

// nesting is how a text that is not indented shows its blocks, as the form has them.
func (f *Form) nesting(text string) nesting {
	how := nesting{ends: map[string]bool{}}
	loose := false
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, l := range all {
			if l.Tail != "" && !endsBlock(l.Tail) {
				how.ends[l.Tail] = true
				if len(l.Atoms) > 0 && l.Atoms[0].constant() {
					first, _, _ := strings.Cut(l.Atoms[0].Text, " ")
					how.opens = append(how.opens, first)
				}
			}
			loose = loose || len(l.Kids) > 0 && l.Tail == ""
			walk(l.Kids)
		}
	}
	walk(f.Lines)
	if loose && len(how.ends) == 0 {
		how.heads = func(text string) bool {
			return slices.ContainsFunc(f.Lines, func(l *Line) bool { _, ok := match(l.program, text); return ok })
		}
	}
	return how
}

// device is the device that what follows is of.
func (r *Reading) device(name string) *Thing {
	if name == "" {
		if r.current != nil {
			return r.current
		}
		name = r.name
	}
	for _, d := range r.Devices {
		if d.V["device"] == name {
			r.current = d
			return d
		}
	}
	d := &Thing{Kind: Device, V: map[string]string{"device": name}}
	r.Devices, r.current = append(r.Devices, d), d
	return d
}

// fit is a line of the form that a line of the text may be.
type fit struct {
	line *Line
	got  []got
}

// block reads the lines of one block; context is what it is about, nil for the whole text.
func (r *Reading) block(lines []*Line, texts []*textLine, context *Thing) {
	var ends *Line // the line of the form whose block was read last
	for _, t := range texts {
		if ends != nil && t.text == ends.Tail && len(t.kids) == 0 {
			r.Lines++
			ends = nil
			continue
		}
		ends = nil
		fits, why := r.fits(lines, t, context)
		if len(fits) == 0 {
			r.pass(t, context, why)
			continue
		}
		r.Lines++
		thing, fit, why := r.choose(fits, context)
		if why != "" {
			r.Lines--
			r.pass(t, context, why)
			continue
		}
		r.take(t, thing, fit)
		if len(t.kids) > 0 || len(fit.line.Kids) > 0 {
			r.block(fit.line.Kids, t.kids, thing)
			ends = fit.line
		}
	}
}

// fits are the lines of the form that a line of the text may be.
func (r *Reading) fits(lines []*Line, t *textLine, context *Thing) (fits []fit, why string) {
	why = "no line of the form is like it"
	var any []fit
	if !observed.IsClean(strings.ReplaceAll(t.text, "\t", " ")) {
		return nil, "there are control characters in it"
	}
	for _, l := range lines {
		g, ok := match(l.program, t.text)
		if !ok {
			continue
		}
		if w := l.contradicted(g, context); w != "" {
			why = w
			continue
		}
		if slices.ContainsFunc(l.Atoms, func(a Atom) bool { return a.Any }) {
			any = append(any, fit{l, g})
			continue
		}
		fits = append(fits, fit{l, g})
	}
	if len(fits) == 0 {
		fits = any[:min(1, len(any))]
	}
	return fits, why
}

// contradicted tells why what was read cannot be what the line is for; "" where it can.
func (l *Line) contradicted(all []got, context *Thing) string {
	value := func(f *Fact) (string, bool) {
		for _, g := range all {
			if g.fact == f {
				return g.value, true
			}
			if f.Name == "family" && g.fact == keys[f.Of] {
				if a, err := netip.ParseAddr(g.value); err == nil {
					return familyOf(a), true
				}
			}
		}
		if context != nil {
			if x := context.up(f.Of); x != nil {
				v, has := x.V[f.Name]
				return v, has
			}
		}
		return "", false
	}
	for _, g := range l.Guards {
		if v, known := value(g.Fact); known && (v == g.Value) == g.Not {
			return fmt.Sprintf("line %d of the form is like it, and is for what has another %s", l.Number, g.Fact.Name)
		}
	}
	for _, g := range all {
		if g.fact.Type == Length && g.has {
			n, _ := strconv.Atoi(g.value)
			if family, ok := value(factNamed(g.fact.Of, "family")); ok && family == "ipv4" && n > 32 {
				return g.value + " is no length of an IPv4 prefix"
			}
		}
	}
	return ""
}

// choose is which line of the form a line of the text is, and what it is about; why is said where that cannot be told.
func (r *Reading) choose(fits []fit, context *Thing) (*Thing, fit, string) {
	if len(fits) > 1 {
		said := func(f fit) string {
			all := make([]string, 0, len(f.got)+1)
			for _, g := range f.got {
				all = append(all, g.fact.Of.String()+" "+g.fact.Name+" "+g.value)
			}
			for _, g := range f.line.Guards {
				if !g.Not {
					all = append(all, g.Fact.Of.String()+" "+g.Fact.Name+" "+g.Value)
				}
			}
			slices.Sort(all)
			return strings.Join(slices.Compact(all), "\n")
		}
		for _, f := range fits[1:] {
			if said(f) != said(fits[0]) {
				return nil, fit{}, fmt.Sprintf("lines %d and %d of the form read it differently", fits[0].line.Number, f.line.Number)
			}
		}
	}
	f := fits[0]
	thing, why := r.place(f.line, f.got, context)
	return thing, f, why
}

// place finds, or makes, what a line is about.
func (r *Reading) place(l *Line, all []got, context *Thing) (*Thing, string) {
	value := func(f *Fact) (string, bool) {
		for _, g := range all {
			if g.fact == f {
				return g.value, g.has
			}
		}
		return "", false
	}
	if name, named := value(keys[Device]); named && !observed.IsName(name) {
		return nil, "it names a device that cannot be called so"
	} else if named && context != nil && context.up(Device).V["device"] != name {
		return nil, "it is of another device"
	} else if context == nil {
		context = r.device(name)
	}
	if l.Kind == context.Kind {
		if why := context.contradicts(all); why != "" {
			return nil, why
		}
		return context, ""
	}
	var path []Kind
	for k := l.Kind; k != context.Kind; k = parents[k] {
		path = append(path, k)
	}
	slices.Reverse(path)
	for _, k := range path {
		key, has := value(keys[k])
		if !has && !(l.Each && k == l.Kind) {
			return nil, fmt.Sprintf("line %d of the form does not say which %s it is about", l.Number, k)
		}
		var found *Thing
		for _, x := range context.keyed[k.String()+" "+key] {
			if k != l.Kind || !slices.Contains(x.seen, l) && x.contradicts(all) == "" {
				found = x
				break
			}
		}
		if found == nil || !has {
			found = context.add(k)
			if has {
				found.name(key)
			}
		}
		context = found
	}
	return context, ""
}

// name gives a thing its key, by which it is found from then on.
func (t *Thing) name(key string) {
	t.V[keys[t.Kind].Name] = key
	if t.Parent.keyed == nil {
		t.Parent.keyed = map[string][]*Thing{}
	}
	at := t.Kind.String() + " " + key
	t.Parent.keyed[at] = append(t.Parent.keyed[at], t)
}

// contradicts tells why what was read cannot be said of a thing; "" where it can.
func (t *Thing) contradicts(all []got) string {
	for _, g := range all {
		if g.fact.Of != t.Kind || !g.has {
			continue
		}
		if v, known := t.V[g.fact.Name]; known && v != g.value {
			return fmt.Sprintf("the %s was read before as %s", g.fact.Name, strings.ReplaceAll(v, separator, ", "))
		}
	}
	return ""
}

// take takes in what a line says.
func (r *Reading) take(t *textLine, thing *Thing, f fit) {
	if thing.Line == 0 {
		thing.Line = t.number
	}
	thing.seen = append(thing.seen, f.line)
	for _, g := range f.got {
		x := thing.up(g.fact.Of)
		if len(r.Cells) < mostCells {
			r.Cells = append(r.Cells, Cell{t.number, x.label(), g.fact.Name, strings.ReplaceAll(g.value, separator, ", ")})
		}
		if !g.has {
			if g.fact.Name == "next-hop" && x.V["discard"] == "" && factSaid(r.form.Lines, "discard") == nil { // a route that leads nowhere
				x.V["discard"] = "yes"
			}
			continue
		}
		if _, known := x.V[g.fact.Name]; known {
			continue
		}
		if g.fact.Key && x.Parent != nil {
			x.name(g.value)
			continue
		}
		x.V[g.fact.Name] = g.value
	}
	for _, g := range f.line.Guards {
		x := thing.up(g.Fact.Of)
		if _, known := x.V[g.Fact.Name]; !g.Not && g.Value != "" && !known {
			x.V[g.Fact.Name] = g.Value
		}
	}
}

// label is what a thing is called.
func (t *Thing) label() string { return t.V[keys[t.Kind].Name] }

// pass tells of a line that is not read, and of all of its block.
func (r *Reading) pass(t *textLine, context *Thing, why string) {
	for n, l := range t.everything() {
		r.Lines++
		if n == 1 {
			why = "it stands below a line that is not read"
		}
		r.Unread = append(r.Unread, Unread{l.number, l.text, why, context})
	}
}

// saidBy are the values of a fact for which the form has words.
type saidBy map[string]bool

// factSaid is what lines say of a fact of few values; nil where nothing says it.
func factSaid(lines []*Line, name string) saidBy {
	var said saidBy
	add := func(value string) {
		if said == nil {
			said = saidBy{}
		}
		said[value] = true
	}
	for _, l := range lines {
		for _, a := range flat(l.Atoms) {
			if a.Fact != nil && a.Fact.Name == name {
				if len(a.Words) == 0 {
					add("")
				}
				for _, w := range a.Words {
					add(w.Value)
				}
			}
		}
		for _, g := range l.Guards {
			if g.Fact.Name == name && !g.Not {
				add(g.Value)
			}
		}
		for v := range factSaid(l.Kids, name) {
			add(v)
		}
	}
	return said
}

// complete says what a text leaves unsaid: of a fact for which the form has a word for one value only, the other; and what follows
// from what was read.
func (f *Form) complete(device *Thing) {
	only := map[*Fact]string{}
	for i := range Facts {
		if k := &Facts[i]; len(k.Words) == 2 && k.Name != "family" {
			if said := factSaid(f.Lines, k.Name); len(said) == 1 {
				for n, v := range k.Words {
					if said[v] {
						only[k] = k.Words[1-n]
					}
				}
			}
		}
	}
	distance := f.fixed("distance")
	for _, t := range device.everything() {
		for k, v := range only {
			if _, known := t.V[k.Name]; k.Of == t.Kind && !known {
				t.V[k.Name] = v
			}
		}
		switch t.Kind {
		case Address, Route:
			if a, err := netip.ParseAddr(t.label()); err == nil {
				t.V["family"] = familyOf(a)
			}
		}
		if _, known := t.V["distance"]; t.Kind == Route && !known && distance != "" && t.V["discard"] != "yes" {
			t.V["distance"] = distance
		}
	}
	if factSaid(f.Lines, "secondary") == nil {
		device.all(Interface, func(i *Thing) bool {
			seen := map[string]bool{}
			for _, a := range i.Kids {
				if a.Kind == Address {
					a.V["secondary"] = yesNo(seen[a.V["family"]])
					seen[a.V["family"]] = true
				}
			}
			return true
		})
	}
}

// fixed is the value of a fact that some lines leave unsaid, where a guard says so; "" else.
func (f *Form) fixed(name string) string {
	value := ""
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, l := range all {
			for _, g := range l.Guards {
				if g.Fact.Name == name && g.Not {
					value = g.Value
				}
			}
			walk(l.Kids)
		}
	}
	walk(f.Lines)
	return value
}
