package form

import (
	"slices"
	"strings"
	"unicode"
)

// token is a word, a sign, or a slot: what two lines are compared by.
type token struct {
	atom Atom
	key  string
}

// tokens splits atoms at words and signs.
func tokens(atoms []Atom) []token {
	var all []token
	for _, a := range atoms {
		if !a.constant() {
			all = append(all, token{a, "{" + spell([]Atom{a}, false)})
			continue
		}
		word := ""
		for _, c := range a.Text {
			if unicode.IsLetter(c) || unicode.IsDigit(c) || c == '_' {
				word += string(c)
				continue
			}
			if word != "" {
				all = append(all, token{Atom{Text: word}, word})
				word = ""
			}
			all = append(all, token{Atom{Text: string(c)}, string(c)})
		}
		if word != "" {
			all = append(all, token{Atom{Text: word}, word})
		}
	}
	return all
}

// atomsOf puts tokens together again.
func atomsOf(all []token) []Atom {
	var atoms []Atom
	for _, t := range all {
		if k := len(atoms) - 1; t.atom.constant() && k >= 0 && atoms[k].constant() {
			atoms[k].Text += t.atom.Text
		} else {
			atoms = append(atoms, t.atom)
		}
	}
	return atoms
}

func plain(all []token) bool {
	return !slices.ContainsFunc(all, func(t token) bool { return !t.atom.constant() })
}

func textOf(all []token) string {
	var b strings.Builder
	for _, t := range all {
		b.WriteString(t.atom.Text)
	}
	return b.String()
}

// stretch is what two lines have alike, or otherwise.
type stretch struct {
	a, b []token
	same bool
}

// aligned puts two lines of tokens beside one another by their longest common sequence.
func aligned(a, b []token) []stretch {
	n, m := len(a), len(b)
	long := make([][]int, n+1)
	for i := range long {
		long[i] = make([]int, m+1)
	}
	for i := n - 1; i >= 0; i-- {
		for j := m - 1; j >= 0; j-- {
			if a[i].key == b[j].key {
				long[i][j] = long[i+1][j+1] + weight(a[i])
			}
			long[i][j] = max(long[i][j], long[i+1][j], long[i][j+1])
		}
	}
	var all []stretch
	add := func(x, y []token, same bool) {
		if k := len(all) - 1; k >= 0 && all[k].same == same {
			all[k].a, all[k].b = append(all[k].a, x...), append(all[k].b, y...)
		} else {
			all = append(all, stretch{slices.Clone(x), slices.Clone(y), same})
		}
	}
	i, j := 0, 0
	for i < n || j < m {
		switch {
		case i < n && j < m && a[i].key == b[j].key && long[i][j] == long[i+1][j+1]+weight(a[i]):
			add(a[i:i+1], b[j:j+1], true)
			i, j = i+1, j+1
		case j == m || i < n && long[i+1][j] >= long[i][j+1]:
			add(a[i:i+1], nil, false)
			i++
		default:
			add(nil, b[j:j+1], false)
			j++
		}
	}
	return all
}

// weight is how much a token that two lines share is worth: slots and words are worth more than signs.
func weight(t token) int {
	switch {
	case !t.atom.constant():
		return 12
	case len(t.key) > 1:
		return 6
	case t.key == " " || t.key == "\t":
		return 2
	}
	return 3
}

// things are the things that a draft has lines for.
func (d *draft) things() map[*Thing]bool {
	all := map[*Thing]bool{}
	for _, r := range d.rows {
		all[r.thing] = true
	}
	return all
}

// merge makes one line of two that are never both written of one thing, and differ in words for a fact, in a part that may be left out,
// or in a sign for nothing; only where it prints every line of both.
func (v *level) merge() {
	v.together()
	for {
		var best *draft
		var of [2]*draft
		for i, a := range v.chosen {
			for _, b := range v.chosen[i+1:] {
				if d := v.merged(a, b); d != nil && (best == nil || d.better(best)) {
					best, of = d, [2]*draft{a, b}
				}
			}
		}
		if best == nil {
			break
		}
		v.chosen = append(slices.DeleteFunc(v.chosen, func(x *draft) bool { return x == of[0] || x == of[1] }), best)
		v.questioned = slices.DeleteFunc(v.questioned, func(x *draft) bool { return (x == of[0] || x == of[1]) && best.sure })
		if !best.sure {
			v.questioned = append(v.questioned, best)
		}
	}
	for n := 0; n < len(v.chosen); n++ { // what is less sure than what it was made of is taken apart again
		unsure := func(m *draft) bool { return !m.sure && len(m.made) == 0 }
		if d := v.chosen[n]; !d.sure && len(d.made) > 0 && !slices.ContainsFunc(d.made, unsure) {
			v.chosen = append(slices.Delete(v.chosen, n, n+1), d.made...)
			n--
		}
	}
	v.nothings()
	for _, d := range v.questioned {
		if !d.sure && slices.Contains(v.chosen, d) {
			v.questions = append(v.questions, Question{WhenWritten, spell(d.Atoms, false), nil})
		}
	}
}

// better tells whether a merged line is to be made before another: it is sure, differs in less, prints more.
func (d *draft) better(than *draft) bool {
	if d.sure != than.sure {
		return d.sure
	}
	if d.cost != than.cost {
		return d.cost < than.cost
	}
	return len(d.rows) > len(than.rows)
}

// merged is one draft of two; nil where there is none.
func (v *level) merged(a, b *draft) *draft {
	if a.Kind != b.Kind {
		return nil
	}
	inA, inB := a.things(), b.things()
	for t := range inB {
		if inA[t] {
			return nil
		}
	}
	rows := slices.Concat(a.rows, b.rows)
	slices.SortFunc(rows, func(x, y row) int { return x.n - y.n })
	prints := func(atoms []Atom) ([]Atom, bool) {
		if atoms == nil {
			return nil, false
		}
		atoms, ok := settle(atoms, rows)
		if !ok {
			return nil, false
		}
		return atoms, !slices.ContainsFunc(rows, func(r row) bool { text, ok := render(atoms, r.thing, 0); return !ok || text != r.line.text })
	}
	var candidates [][]Atom
	for _, x := range [][]Atom{a.Atoms, b.Atoms} {
		if atoms, ok := prints(x); ok { // the one says all that the other says
			candidates = append(candidates, atoms)
		}
	}
	for _, x := range [][2]*draft{{a, b}, {b, a}} {
		if atoms, ok := prints(fuse(x[0], x[1])); ok {
			candidates = append(candidates, atoms)
		}
	}
	for _, atoms := range candidates {
		if twiceWorded(atoms) {
			continue
		}
		names := slices.ContainsFunc(flat(atoms), func(x Atom) bool { return x.Fact == keys[a.Kind] })
		if !names && a.sure && b.sure && parted(atoms) > max(parted(a.Atoms), parted(b.Atoms))+1 {
			continue
		}
		has, could := map[*Thing]bool{}, map[*Thing]bool{}
		for _, r := range rows {
			has[r.thing] = true
		}
		for _, t := range v.scope[a.Kind] {
			if _, ok := render(atoms, t, 0); ok {
				could[t] = true
			}
		}
		guards, ok := guard(a.Kind, has, could)
		if !ok && a.sure && b.sure {
			if !names {
				continue
			}
			other := map[*Thing]bool{} // those without a line of this one have one of another
			for _, d := range v.chosen {
				if d.Kind == a.Kind {
					for t := range d.things() {
						other[t] = true
					}
				}
			}
			covered := true
			for t := range could {
				covered = covered && (has[t] || other[t])
			}
			if !covered {
				continue
			}
		}
		d := a.with(atoms, guards, rows)
		d.sure, d.made, d.cost = ok, []*draft{a, b}, differs(atoms)-max(differs(a.Atoms), differs(b.Atoms))
		return d
	}
	return nil
}

// parted is how many parts and words atoms have.
func parted(atoms []Atom) int {
	n := 0
	for _, a := range atoms {
		if a.Part != nil || len(a.Words) > 0 {
			n++
		}
	}
	return n
}

// differs is how much of atoms may be one thing or another: words, and parts with all that stands in them.
func differs(atoms []Atom) int {
	n := 0
	for _, a := range atoms {
		if len(a.Words) > 0 || a.HasNone {
			n++
		}
		if a.Part != nil {
			n += 1 + len(tokens(a.Part))
		}
	}
	return n
}

// twiceWorded tells whether two slots have words for one fact: lines that differ so have nothing to do with one another.
func twiceWorded(atoms []Atom) bool {
	seen := map[*Fact]bool{}
	for _, a := range atoms {
		if len(a.Words) > 0 {
			if seen[a.Fact] {
				return true
			}
			seen[a.Fact] = true
		}
	}
	return false
}

// fuse is atoms that may stand for both drafts; nil where there are none. It is liberal: what it makes is tried by printing.
func fuse(a, b *draft) []Atom {
	x, y := tokens(a.Atoms), tokens(b.Atoms)
	inA, inB := a.things(), b.things()
	if cx, cy := columnsOf(x), columnsOf(y); len(cx) > 1 || len(cy) > 1 {
		if len(cx) != len(cy) {
			return nil
		}
		var out []token
		for n := range cx {
			if n > 0 {
				out = append(out, token{Atom{Text: "\t"}, "\t"})
			}
			cell, ok := parts(a.Kind, cx[n], cy[n], inA, inB)
			if !ok {
				return nil
			}
			out = append(out, cell...)
		}
		return atomsOf(out)
	}
	shared, least := 0, 0
	inY := map[string]bool{}
	words := 0
	for _, t := range y {
		inY[t.key] = true
		if t.atom.constant() {
			words++
		}
	}
	for _, t := range x {
		if t.atom.constant() {
			least++
			if inY[t.key] {
				shared++
			}
		}
	}
	if shared*2 < min(least, words) {
		return nil
	}
	out, ok := parts(a.Kind, x, y, inA, inB)
	if !ok {
		return nil
	}
	return atomsOf(out)
}

// columnsOf are the cells of a row.
func columnsOf(all []token) [][]token {
	cells := [][]token{nil}
	for _, t := range all {
		if t.key == "\t" {
			cells = append(cells, nil)
		} else {
			cells[len(cells)-1] = append(cells[len(cells)-1], t)
		}
	}
	return cells
}

// isRecord tells whether heads are those of a record of key=value.
func isRecord(heads []string) bool {
	return len(heads) > 1 && !slices.ContainsFunc(heads[1:], func(h string) bool { return !strings.HasSuffix(h, "=") })
}

// fields are the words of a record of key=value, each with what stands before it; ok where it is one.
func fields(all []token) (heads []string, words [][]token) {
	cut := func(t token) bool { return t.key == " " || t.atom.Part != nil }
	for _, t := range all {
		if len(words) == 0 || cut(t) {
			words = append(words, nil)
		}
		words[len(words)-1] = append(words[len(words)-1], t)
	}
	for _, w := range words {
		var head strings.Builder
		inner := w
		if len(w) == 1 && w[0].atom.Part != nil {
			inner = tokens(w[0].atom.Part)
		}
		for _, t := range inner {
			if !t.atom.constant() && len(t.atom.Words) == 0 {
				break
			}
			text := t.atom.Text
			if len(t.atom.Words) > 0 {
				for _, x := range t.atom.Words {
					if len(x.Text) > len(text) {
						text = x.Text
					}
				}
			}
			head.WriteString(text)
			if strings.Contains(text, "=") {
				break
			}
		}
		name, _, has := strings.Cut(head.String(), "=")
		if has {
			name += "="
		}
		heads = append(heads, strings.TrimSpace(name))
	}
	return heads, words
}

// parts fuses two lines of tokens, or stretches of them.
func parts(kind Kind, a, b []token, inA, inB map[*Thing]bool) ([]token, bool) {
	var out []token
	f := fusing{kind, inA, inB}
	for _, s := range aligned(a, b) {
		if s.same {
			out = append(out, s.a...)
			continue
		}
		one, ok := f.one(s.a, s.b)
		if !ok {
			return nil, false
		}
		out = append(out, one...)
	}
	return out, true
}

// fusing is the things of two drafts that are being made one.
type fusing struct {
	kind     Kind
	inA, inB map[*Thing]bool
}

// words is a slot of a fact of few values that tells the things of the one from those of the other, with a word for each.
func (f fusing) words(a, b string) ([]token, bool) {
	only := func(in map[*Thing]bool, name string) (string, bool) {
		value, first := "", true
		for t := range in {
			if v := t.V[name]; first {
				value, first = v, false
			} else if v != value {
				return "", false
			}
		}
		return value, value != ""
	}
	for i := range Facts {
		k := &Facts[i]
		if k.Of != f.kind || k.Type != Words || k.Name == "family" || k.Name == "kind" {
			continue
		}
		x, one := only(f.inA, k.Name)
		y, two := only(f.inB, k.Name)
		if one && two && x != y {
			words := []Word{{x, a}, {y, b}}
			slices.SortFunc(words, func(p, q Word) int { return slices.Index(k.Words, p.Value) - slices.Index(k.Words, q.Value) })
			return []token{slot(Atom{Fact: k, Words: words})}, true
		}
	}
	return nil, false
}

func slot(a Atom) token { return token{a, "{" + spell([]Atom{a}, false)} }

// one is what stands for both of two stretches.
func (f fusing) one(a, b []token) ([]token, bool) {
	if len(a) == 0 || len(b) == 0 {
		x := append(slices.Clone(a), b...)
		if plain(x) {
			return f.words(textOf(a), textOf(b))
		}
		if !slices.ContainsFunc(x, func(t token) bool { return t.atom.Part == nil }) {
			return x, true
		}
		if slices.ContainsFunc(x, func(t token) bool { return t.atom.Part != nil }) {
			var inner []token
			for _, t := range x {
				if t.atom.Part != nil {
					inner = append(inner, tokens(t.atom.Part)...)
				} else {
					inner = append(inner, t)
				}
			}
			x = inner
		}
		return []token{slot(Atom{Part: atomsOf(x)})}, true
	}
	if plain(a) && plain(b) {
		return f.words(textOf(a), textOf(b))
	}
	for _, p := range [][2][]token{{a, b}, {b, a}} {
		x, y := p[0], p[1]
		if len(x) != 1 {
			continue
		}
		h := x[0].atom
		switch {
		case len(h.Words) > 0 && plain(y) && slices.ContainsFunc(h.Words, func(w Word) bool { return w.Text == textOf(y) }):
			return x, true
		case h.HasNone && plain(y) && textOf(y) == h.None:
			return x, true
		case h.HasNone && len(y) == 1 && y[0].atom.Fact == h.Fact && !y[0].atom.HasNone:
			return x, true
		case h.Fact != nil && len(h.Words) == 0 && !h.HasNone && len(y) == 1 && plain(y) && !strings.ContainsFunc(textOf(y), unicode.IsLetter):
			h.HasNone, h.None = true, textOf(y)
			return []token{slot(h)}, true
		case h.Part != nil && atomsKey(h.Part) == atomsKey(atomsOf(y)):
			return x, true
		case h.Fact != nil && len(y) == 1 && y[0].atom.Fact == h.Fact && (h.Fact.Type == Names || h.Fact.Type == Numbers):
			return x, true // two shapes of one list: settled by printing
		}
	}
	if a[0].atom.constant() && b[0].atom.constant() && a[0].key != " " && len(a) > 1 &&
		len(b) > 1 { // a word for each, and what stands behind
		if head, ok := f.words(a[0].key, b[0].key); ok {
			if tail, ok := f.one(a[1:], b[1:]); ok {
				return append(head, tail...), true
			}
		}
	}
	// a word, and behind it a part
	for n, p := range [][2][]token{{a, b}, {b, a}} {
		x, y := p[0], p[1]
		g := f
		if n == 1 {
			g = fusing{f.kind, f.inB, f.inA}
		}
		if len(x) > 1 && x[0].atom.constant() && len(y) == 1 && (y[0].atom.constant() || len(y[0].atom.Words) > 0) {
			if head, ok := g.one(x[:1], y); ok {
				if tail, ok := g.one(x[1:], nil); ok {
					return append(head, tail...), true
				}
			}
		}
		if plain(y) && !plain(x) { // a word, or else a part
			if w, ok := g.words("", textOf(y)); ok {
				return append(w, slot(Atom{Part: atomsOf(x)})), true
			}
		}
	}
	return nil, false
}

func atomsKey(atoms []Atom) string { return spell(atoms, false) }

// nothings makes a sign for nothing in one column of a table one in all: what a table shows in one column it shows in the others.
func (v *level) nothings() {
	for _, d := range v.chosen {
		if !strings.Contains(d.text(), "\t") {
			continue
		}
		none, found := "", false
		for _, a := range flat(d.Atoms) {
			if a.HasNone {
				none, found = a.None, true
			}
		}
		if !found {
			continue
		}
		for n, a := range d.Atoms {
			if a.Fact != nil && !a.HasNone && len(a.Words) == 0 && a.Fact != keys[d.Kind] && a.Fact.Of == d.Kind && a.Fact.Type != Length {
				d.Atoms[n].HasNone, d.Atoms[n].None = true, none
			}
		}
	}
}

// text is the constants of a draft.
func (d *draft) text() string {
	var b strings.Builder
	for _, a := range d.Atoms {
		b.WriteString(a.Text)
	}
	return b.String()
}
