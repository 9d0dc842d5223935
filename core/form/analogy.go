package form

import (
	"slices"
	"strings"
	"unicode"
)

// analogies lets lines of a kind learn from one another. What one line taught, its like need not show again: a word for a value stands for
// it beside the same words elsewhere; and if a mask in the one family is a length in the other in one line, so it is in the next. Only
// what prints every line seen is taken; a line that was never seen is a guess.
func (v *level) analogies() {
	for _, a := range v.chosen {
		for _, b := range v.chosen {
			if a != b && a.Kind == b.Kind {
				sharedWords(a, b)
			}
		}
	}
	v.listsAlike()
	for _, a := range v.chosen {
		for _, b := range v.chosen {
			if a != b && a.Kind == b.Kind && familyOfGuards(a.Guards) == "" && familyOfGuards(b.Guards) != "" {
				v.otherFamily(a, b)
			}
		}
	}
	for _, a := range slices.Clone(v.chosen) {
		for _, b := range v.chosen {
			for _, c := range v.chosen {
				if a != b && b != c && a != c && a.Kind == b.Kind && b.Kind == c.Kind {
					v.twin(a, b, c)
				}
			}
		}
	}
}

// listsOf gives lists of which it is not known how their runs are written the way of another, where that prints all that was seen.
func (l *learner) listsOf() {
	known := ""
	for _, d := range l.all {
		for _, a := range flat(d.Atoms) {
			if a.Fact != nil && (a.Fact.Type == Names || a.Fact.Type == Numbers) && !strings.HasSuffix(a.Shape, " any") {
				if known != "" && known != a.Shape {
					return // they differ
				}
				known = a.Shape
			}
		}
	}
	if known == "" {
		return
	}
	for _, d := range l.all {
		for _, a := range flat(d.Atoms) {
			if a.Fact != nil && strings.HasSuffix(a.Shape, " any") {
				if atoms := reshaped(d.Atoms, a.Fact, known); d.prints(atoms) {
					d.Atoms = atoms
				}
			}
		}
	}
}

// listsAlike makes a list of a line for one port of a VLAN where ports of the other kind stand in a list: of each VLAN just one was seen.
func (v *level) listsAlike() {
	ones := map[Kind]string{UntaggedPort: "untagged-ports", TaggedPort: "tagged-ports"}
	for _, d := range v.chosen {
		name, one := ones[d.Kind]
		if !one {
			continue
		}
		for _, e := range v.chosen {
			for _, a := range e.Atoms {
				if e.Kind != VLAN || a.Fact == nil || a.Fact.Type != Names {
					continue
				}
				atoms := slices.Clone(d.Atoms)
				for n := range atoms {
					if atoms[n].Fact == keys[d.Kind] {
						atoms[n] = Atom{Fact: factNamed(VLAN, name), Shape: a.Shape}
					}
				}
				rows := slices.Clone(d.rows)
				for n := range rows {
					rows[n].thing = rows[n].thing.Parent
				}
				if trial := (&draft{Line: Line{Kind: VLAN}}).with(atoms, nil, rows); trial.prints(atoms) {
					d.Kind, d.Atoms, d.Guards, d.rows, d.key = VLAN, atoms, nil, rows, trial.key
				}
			}
		}
	}
}

func familyOfGuards(all []Guard) string {
	for _, g := range all {
		if g.Fact.Name == "family" {
			return g.Value
		}
	}
	return ""
}

// prints tells whether atoms print every line of a draft.
func (d *draft) prints(atoms []Atom) bool {
	return !slices.ContainsFunc(d.rows, func(r row) bool { text, ok := render(atoms, r.thing, 0); return !ok || text != r.line.text })
}

// sharedWords gives a line the words that another has beside the same words.
func sharedWords(a, b *draft) {
	from := tokens(a.Atoms)
	for n, w := range from {
		if len(w.atom.Words) == 0 || w.atom.Fact.Name == "discard" {
			continue
		}
		before := ""
		if n > 0 {
			before = from[n-1].key
		}
		into := tokens(b.Atoms)
		for p := range len(into) + 1 {
			at := ""
			if p > 0 {
				at = into[p-1].key
			}
			if at != before {
				continue
			}
			var trial []token
			empty := slices.ContainsFunc(w.atom.Words, func(x Word) bool { return x.Text == "" })
			switch {
			case p < len(into) && into[p].atom.constant() && alike(from, n, into, p, p+1) &&
				slices.ContainsFunc(w.atom.Words, func(x Word) bool { return x.Text == into[p].atom.Text }):
				trial = slices.Concat(into[:p], []token{w}, into[p+1:])
			case empty && p < len(into) && n+1 < len(from) && into[p].key == from[n+1].key && alike(from, n, into, p, p):
				trial = slices.Concat(into[:p], []token{w}, into[p:])
			default:
				continue
			}
			if atoms := atomsOf(trial); len(b.rows) > 0 && b.prints(atoms) {
				b.Atoms = atoms
				b.Guards = slices.DeleteFunc(slices.Clone(b.Guards), func(g Guard) bool { return g.Fact == w.atom.Fact })
				b.key = spell(atoms, false)
				break
			}
		}
	}
}

// alike tells whether the next word, or slot, before or behind two places is the same: blanks and signs alone say little.
func alike(a []token, n int, b []token, p int, behind int) bool {
	word := func(all []token, from, step int) string {
		for i := from; i >= 0 && i < len(all); i += step {
			if t := all[i]; !t.atom.constant() || unicode.IsLetter([]rune(t.key)[0]) || unicode.IsDigit([]rune(t.key)[0]) {
				return t.key
			}
		}
		return ""
	}
	if x := word(a, n-1, -1); x != "" && x == word(b, p-1, -1) {
		return true
	}
	x := word(a, n+1, 1)
	return x == word(b, behind, 1)
}

// otherFamily makes the line of the other family say all that its like says.
func (v *level) otherFamily(a, b *draft) {
	x, y := tokens(a.Atoms), tokens(b.Atoms)
	i := 0
	for i < min(len(x), len(y)) && x[i].key == y[i].key {
		i++
	}
	for sum := 2; sum < 18; sum++ {
		for k := 1; k < 12 && k < sum; k++ {
			l := sum - k
			if l > 7 || i+k > len(x) || i+l > len(y) || !slices.ContainsFunc(x[i:i+k], masked) {
				continue
			}
			if atoms := atomsOf(slices.Concat(x[:i], y[i:i+l], x[i+k:])); b.prints(atoms) {
				b.Atoms, b.key = atoms, spell(atoms, false)
				return
			}
		}
	}
}

func masked(t token) bool {
	return t.atom.Fact != nil && t.atom.Fact.Type == Length && t.atom.Shape != ""
}

// twin guesses the line of the other family of a third line, as the first two show it.
func (v *level) twin(a, b, c *draft) {
	family := familyOfGuards(b.Guards)
	if family == "" || familyOfGuards(c.Guards) != "" || familyOfGuards(a.Guards) != "" || slices.ContainsFunc(tokens(b.Atoms), masked) {
		return
	}
	x, y, z := tokens(a.Atoms), tokens(b.Atoms), tokens(c.Atoms)
	i, j := 0, 0
	for i < min(len(x), len(y)) && x[i].key == y[i].key {
		i++
	}
	for j < min(len(x), len(y))-i && x[len(x)-1-j].key == y[len(y)-1-j].key {
		j++
	}
	was, is := x[i:len(x)-j], y[i:len(y)-j]
	if !slices.ContainsFunc(was, masked) {
		return
	}
	for p := 0; p+len(was) <= len(z); p++ {
		if !slices.EqualFunc(z[p:p+len(was)], was, func(s, t token) bool { return s.key == t.key }) {
			continue
		}
		atoms := atomsOf(slices.Concat(z[:p], is, z[p+len(was):]))
		key := spell(atoms, false)
		same := func(d *draft) bool { return spell(d.Atoms, false) == key }
		if slices.ContainsFunc(v.chosen, same) || slices.ContainsFunc(c.twins, same) {
			return
		}
		g := append(slices.Clone(c.Guards), Guard{Fact: factNamed(c.Kind, "family"), Value: family})
		t := c.with(atoms, g, nil)
		t.sure, t.Guess = false, true
		c.twins = append(c.twins, t)
		return
	}
}
