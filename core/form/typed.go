package form

import (
	"errors"
	"fmt"
	"strings"
)

// What a form cannot say of a change.
var (
	ErrNoRemoval = errors.New("the form does not say what takes a line away: 'remove: not {line}'")
	ErrTables    = errors.New("the form's lines are rows of tables, which are printed and not typed")
	ErrNoLine    = errors.New("the form has no line for it")
)

// Typed are the lines to type on a device that is as before, so that it is as after: into each block and out of it again. Lines are added
// before others are taken away, but for what has the same name. The error is one of this package where the form cannot say it.
func (f *Form) Typed(before, after *Thing) ([]string, error) {
	was, is := f.print(before), f.print(after)
	for _, r := range rowsOf(is) {
		if strings.Contains(r.text, "\t") {
			return nil, ErrTables
		}
	}
	var lines []string
	if err := f.changed(&lines, was, is); err != nil {
		return nil, err
	}
	if len(lines) == 0 {
		return nil, ErrNoLine
	}
	return lines, nil
}

// changed types what is different between two blocks.
func (f *Form) changed(out *[]string, was, is []*printed) error {
	match := f.matched(was, is)
	removed := map[*printed]bool{}
	remove := func(p *printed) error {
		if removed[p] {
			return nil
		}
		removed[p] = true
		text, err := f.removal(p)
		if err == nil {
			*out = append(*out, p.indent+text)
		}
		return err
	}
	for _, p := range is {
		old := match[p]
		switch {
		case old != nil && old.text == p.text:
			var inner []string
			if err := f.changed(&inner, old.kids, p.kids); err != nil {
				return err
			}
			if len(inner) > 0 {
				*out = append(*out, p.indent+p.text)
				*out = append(*out, inner...)
				f.leave(out, p)
			}
			continue
		case old != nil && !old.replaced(p):
			if err := remove(old); err != nil {
				return err
			}
		case old != nil:
			removed[old] = true // the new line takes its place
		}
		f.whole(out, p)
	}
	kept := map[*printed]bool{}
	for _, old := range match {
		kept[old] = true
	}
	for n := len(was) - 1; n >= 0; n-- { // the last first: it may stand on those before
		if !kept[was[n]] {
			if err := remove(was[n]); err != nil {
				return err
			}
		}
	}
	return nil
}

// matched finds for each line the one that it was: the same line, or what the form says of the same thing by the same line.
func (f *Form) matched(was, is []*printed) map[*printed]*printed {
	match, taken := map[*printed]*printed{}, map[*printed]bool{}
	firsts := factSaid(f.Lines, "secondary") != nil
	for _, same := range []func(a, b *printed) bool{
		func(a, b *printed) bool { return a.line == b.line && a.text == b.text },
		func(a, b *printed) bool { return a.line == b.line && a.thing.path() == b.thing.path() },
		func(a, b *printed) bool {
			return a.line.Kind == b.line.Kind && a.thing.path() == b.thing.path() && a.line.alternative(b.line)
		},
		func(a, b *printed) bool { return a.line == b.line && firsts && a.first(b) },
	} {
		for _, p := range is {
			for _, old := range was {
				if match[p] == nil && !taken[old] && same(old, p) {
					match[p], taken[old] = old, true
				}
			}
		}
	}
	return match
}

// path is the names of a thing and of what it lies in.
func (t *Thing) path() string {
	text := ""
	for x := t; x != nil; x = x.Parent {
		if x.Kind != Device {
			text += x.Kind.String() + " " + x.label()
			if x.Kind == Route {
				text += "/" + x.V["length"]
			}
			text += "\n"
		}
	}
	return text
}

// alternative tells whether two lines say one fact of few values otherwise: where the one stands the other does not.
func (l *Line) alternative(o *Line) bool {
	for _, g := range l.Guards {
		for _, h := range o.Guards {
			if g.Fact == h.Fact && g.Fact.Type == Words && g.Value != h.Value && len(l.Kids) == 0 && len(o.Kids) == 0 && !l.names() {
				return true
			}
		}
	}
	return false
}

// replaced tells whether typing the new line takes the place of the old one: where it says something of what the block is about, or of
// a thing that it names, and not which things there are.
func (p *printed) replaced(by *printed) bool {
	return !p.line.names() || p.line.Kind == Interface || p.line.Kind == VLAN || p.first(by) && p.thing.label() != by.thing.label()
}

// first tells whether both are the first address of one interface and family, where the gear has a word for that: the one takes the place
// of the other.
func (p *printed) first(by *printed) bool {
	a, b := p.thing, by.thing
	isFirst := func(t *Thing) bool { return t.Kind == Address && t.V["secondary"] == "no" }
	return isFirst(a) && isFirst(b) && a.V["family"] == b.V["family"] && a.Parent.path() == b.Parent.path()
}

// removal is what takes a line away.
func (f *Form) removal(p *printed) (string, error) {
	how := p.line.Remove
	if how == "" {
		how = f.Remove
	}
	if how == "" {
		return "", fmt.Errorf("%w; the line is '%s'", ErrNoRemoval, p.text)
	}
	if strings.Contains(how, "{line}") {
		return strings.ReplaceAll(how, "{line}", p.text), nil
	}
	atoms, _, err := parseAtoms(how, func(_ int, why string, args ...any) error { return fmt.Errorf(why, args...) })
	if err == nil {
		err = resolve(atoms, p.line, func(_ int, why string, args ...any) error { return fmt.Errorf(why, args...) })
	}
	if err != nil {
		return "", err
	}
	text, _ := render(atoms, p.thing, 0)
	return text, nil
}

// whole types a line with all of its block.
func (f *Form) whole(out *[]string, p *printed) {
	*out = append(*out, p.indent+p.text)
	for _, k := range p.kids {
		f.whole(out, k)
	}
	if len(p.line.Kids) > 0 {
		f.leave(out, p)
	}
}

// leave types what leaves a block.
func (f *Form) leave(out *[]string, p *printed) {
	switch {
	case p.line.Tail != "":
		*out = append(*out, p.indent+p.line.Tail)
	case f.Leave != "":
		*out = append(*out, p.indent+f.Leave)
	}
}
