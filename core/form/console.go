package form

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/observed"
)

// Console is a device that is being typed at, in the language of a form.
type Console struct {
	form   *Form
	device *Thing
	open   []typing
}

// typing is a block that was entered.
type typing struct {
	lines []*Line
	about *Thing
	tail  string
}

// What a typed line may be refused for.
var (
	ErrUnheard  = errors.New("no such line")
	ErrNotThere = errors.New("it is not there")
)

// Console takes lines for a device.
func (f *Form) Console(device *Thing) *Console {
	c := &Console{form: f, device: device}
	for _, k := range device.Kids { // who carries which VLAN is said by the ports alone
		switch k.Kind {
		case VLAN:
			delete(k.V, "untagged-ports")
			delete(k.V, "tagged-ports")
			k.Kids = nil
		case Interface:
			delete(k.V, "tagged")
			delete(k.V, "members")
		}
	}
	return c
}

// Type takes one line: it enters or leaves a block, sets what the line says, or takes away what it names.
func (c *Console) Type(line string) error {
	text := gaps(strings.TrimSpace(line))
	if n := len(c.open) - 1; n >= 0 && (text == c.open[n].tail && text != "" || text == c.form.Leave && text != "") {
		c.open = c.open[:n]
		return nil
	}
	before, after, removes := strings.Cut(c.form.Remove, "{line}")
	if inner := len(text) - len(before) - len(after); removes && inner > 0 && strings.HasPrefix(text, before) &&
		strings.HasSuffix(text, after) {
		if c.in(text[len(before):len(before)+inner], c.remove) {
			return nil
		}
		return ErrNotThere
	}
	if c.in(text, c.set) {
		return nil
	}
	return ErrUnheard
}

// in does something with a line in the block that is open, else in one around it, which that leaves.
func (c *Console) in(text string, do func(l *Line, all []got, about *Thing) bool) bool {
	for n := len(c.open); n >= 0; n-- {
		lines, about := c.form.Lines, c.device
		if n > 0 {
			lines, about = c.open[n-1].lines, c.open[n-1].about
		}
		was := c.open
		c.open = c.open[:n]
		for _, l := range lines {
			if all, ok := match(l.program, text); ok && l.contradicted(all, nil) == "" && do(l, all, about) {
				return true
			}
		}
		c.open = was
	}
	return false
}

// find finds what a line is about; nil where it is not there.
func find(l *Line, all []got, about *Thing, make bool) *Thing {
	if l.Kind == about.Kind {
		return about
	}
	var path []Kind
	for k := l.Kind; k != about.Kind; k = parents[k] {
		path = append(path, k)
	}
	slices.Reverse(path)
	for _, k := range path {
		key := ""
		for _, g := range all {
			if g.fact == keys[k] {
				key = g.value
			}
		}
		var found *Thing
		for _, x := range about.Kids {
			if x.Kind == k && x.label() == key && (k != l.Kind || x.contradicts(all) == "" || k == Interface || k == VLAN) {
				found = x
				break
			}
		}
		if found == nil && make {
			found = about.add(k).set(keys[k].Name, key)
			if k == Interface {
				found.V["admin"] = "up"
			}
		}
		if found == nil {
			return nil
		}
		about = found
	}
	return about
}

// set sets what a line says.
func (c *Console) set(l *Line, all []got, about *Thing) bool {
	for _, g := range all {
		if g.fact == keys[Device] && g.value != c.device.label() {
			return false
		}
	}
	t := find(l, all, about, true)
	for _, g := range all {
		x := t.up(g.fact.Of)
		switch {
		case g.fact.Key:
		case !g.has:
			delete(x.V, g.fact.Name)
		case g.fact.Name == "tagged":
			x.Kids = slices.DeleteFunc(x.Kids, func(k *Thing) bool { return k.Kind == TaggedVLAN })
			for _, v := range listOf(g.value) {
				x.add(TaggedVLAN).set("tagged-vlan", v)
			}
		default:
			x.V[g.fact.Name] = g.value
		}
	}
	for _, g := range l.Guards {
		if g.Value != "" && !g.Not {
			t.up(g.Fact.Of).V[g.Fact.Name] = g.Value
		}
	}
	c.after(t)
	if len(l.Kids) > 0 {
		c.open = append(c.open, typing{l.Kids, t, l.Tail})
	}
	return true
}

// after sees to what follows from a thing that was set: of an interface's addresses of a family one is first.
func (c *Console) after(t *Thing) {
	if a, err := netip.ParseAddr(t.label()); err == nil && (t.Kind == Address || t.Kind == Route) {
		t.V["family"] = familyOf(a)
	}
	if t.Kind == Route && t.V["distance"] == "" {
		t.V["distance"] = "1"
	}
	if t.Kind != Address || t.V["secondary"] != "no" {
		return
	}
	others := slices.DeleteFunc(slices.Clone(t.Parent.Kids), func(k *Thing) bool {
		return k == t || k.Kind != Address || k.V["family"] != t.V["family"] || k.V["secondary"] != "no"
	})
	if len(others) > 0 && factSaid(c.form.Lines, "secondary") != nil { // the first takes the place of the first
		t.Parent.Kids = slices.DeleteFunc(t.Parent.Kids, func(k *Thing) bool { return slices.Contains(others, k) })
	}
	t.Parent.Kids = slices.DeleteFunc(t.Parent.Kids, func(k *Thing) bool { return k == t })
	t.Parent.Kids = slices.Insert(t.Parent.Kids, 0, t)
}

// remove takes away what a line says; it tells whether that was there.
func (c *Console) remove(l *Line, all []got, about *Thing) bool {
	t := find(l, all, about, false)
	if t == nil {
		return false
	}
	for _, g := range all {
		if x := t.up(g.fact.Of); g.has && x.V[g.fact.Name] != g.value && g.fact.Name != "tagged" {
			return false
		}
	}
	for _, g := range l.Guards {
		if !g.holds(t) {
			return false
		}
	}
	if l.names() && (t.Kind != Interface && t.Kind != VLAN || len(l.Kids) > 0) {
		t.Parent.Kids = slices.DeleteFunc(t.Parent.Kids, func(k *Thing) bool { return k == t })
		return true
	}
	for _, g := range all {
		switch {
		case g.fact.Key:
		case g.fact.Name == "tagged":
			t.Kids = slices.DeleteFunc(t.Kids, func(k *Thing) bool { return k.Kind == TaggedVLAN })
		case g.fact.Type == Words:
			t.V[g.fact.Name] = g.fact.other(g.value)
		default:
			delete(t.up(g.fact.Of).V, g.fact.Name)
		}
	}
	for _, g := range l.Guards {
		if g.Fact.Type == Words {
			t.V[g.Fact.Name] = g.Fact.other(g.Value)
		}
	}
	return true
}

// other is the other of two values.
func (f *Fact) other(value string) string {
	for _, w := range f.Words {
		if w != value {
			return w
		}
	}
	return value
}

// Device is the device as it was typed.
func (c *Console) Device() (*observed.Device, error) {
	for _, k := range c.device.Kids {
		if k.Kind != Interface || k.V["kind"] != "" {
			continue
		}
		switch {
		case k.V["parent"] != "":
			k.V["kind"] = "subinterface"
		case k.V["tag"] != "":
			k.V["kind"] = "vlan"
		case slices.ContainsFunc(c.device.Kids, func(m *Thing) bool { return m.Kind == Interface && m.V["group"] == k.label() }):
			k.V["kind"] = "group"
		}
	}
	d, not := c.device.device()
	if len(not) > 0 {
		return nil, fmt.Errorf("%s: %s", not[0].Text, not[0].Why)
	}
	return d, nil
}
