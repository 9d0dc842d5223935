package form

import (
	"slices"
	"strings"
	"unicode"
)

// together makes one line of all drafts of a kind that are rows of one table, or records of the same keys: column by column, of all rows
// at once, since what one row leaves out another shows.
func (v *level) together() {
	classes, order := map[string][]*draft{}, []string{}
	for _, d := range v.chosen {
		if !d.names() {
			continue
		}
		class := ""
		if n := strings.Count(d.text(), "\t"); n > 0 {
			class = d.Kind.String() + strings.Repeat("\t", n)
		} else if heads, _ := fields(tokens(d.Atoms)); len(heads) > 1 && isRecord(heads) {
			class = d.Kind.String() + " " + heads[0]
		} else {
			continue
		}
		if classes[class] == nil {
			order = append(order, class)
		}
		classes[class] = append(classes[class], d)
	}
	for _, class := range order {
		all := classes[class]
		slices.SortStableFunc(all, func(a, b *draft) int { return len(b.rows) - len(a.rows) })
		for len(all) > 1 {
			if d := v.fusedAll(all, strings.Contains(class, "\t")); d != nil {
				v.chosen = append(slices.DeleteFunc(v.chosen, func(x *draft) bool { return slices.Contains(all, x) }), d)
				v.questioned = slices.DeleteFunc(v.questioned, func(x *draft) bool { return slices.Contains(all, x) })
				break
			}
			all = all[:len(all)-1] // without that which explains the least
		}
	}
}

// variant is what stands in a column in some rows.
type variant struct {
	tokens []token
	things map[*Thing]bool
}

// fusedAll is the one draft of several; nil where there is none that prints every line of theirs.
func (v *level) fusedAll(all []*draft, table bool) *draft {
	var rows []row
	seen := map[*Thing]bool{}
	for _, d := range all {
		rows = append(rows, d.rows...)
		for t := range d.things() {
			if seen[t] {
				return nil
			}
			seen[t] = true
		}
	}
	slices.SortFunc(rows, func(a, b row) int { return a.n - b.n })
	var names []string
	var records [][]string
	rank := map[string]int{} // of keys: of the fact that stands there
	cells := make([]map[string][]token, len(all))
	for n, d := range all {
		cells[n] = map[string][]token{}
		if table {
			names = nil
			for i, c := range columnsOf(tokens(d.Atoms)) {
				name := strings.Repeat("|", i+1)
				names = append(names, name)
				cells[n][name] = c
			}
			continue
		}
		heads, words := fields(tokens(d.Atoms))
		for i, h := range heads {
			if cells[n][h] != nil {
				return nil // a key that stands twice
			}
			cells[n][h] = words[i]
			for _, t := range words[i] {
				for k := range Facts {
					if t.atom.Fact == &Facts[k] {
						rank[h] = k
					}
				}
			}
		}
		records = append(records, heads)
	}
	if !table {
		names = inOrder(records, rank)
	}
	var out []token
	for i, name := range names {
		if table && i > 0 {
			out = append(out, token{Atom{Text: "\t"}, "\t"})
		}
		var variants []variant
		for n, d := range all {
			c := cells[n][name]
			key := keyOf(c)
			at := slices.IndexFunc(variants, func(x variant) bool { return keyOf(x.tokens) == key })
			if at < 0 {
				at = len(variants)
				variants = append(variants, variant{c, map[*Thing]bool{}})
			}
			for t := range d.things() {
				variants[at].things[t] = true
			}
		}
		cell, ok := column(all[0].Kind, variants, table)
		if !ok {
			return nil
		}
		out = append(out, cell...)
	}
	atoms, ok := settle(atomsOf(out), rows)
	if !ok || slices.ContainsFunc(rows, func(r row) bool { text, ok := render(atoms, r.thing, 0); return !ok || text != r.line.text }) {
		return nil
	}
	could := map[*Thing]bool{}
	for _, t := range v.scope[all[0].Kind] {
		if _, ok := render(atoms, t, 0); ok {
			could[t] = true
		}
	}
	guards, ok := guard(all[0].Kind, seen, could)
	if !ok && !slices.ContainsFunc(all, func(d *draft) bool { return !d.sure }) {
		other := map[*Thing]bool{}
		for _, d := range v.chosen {
			if d.Kind == all[0].Kind && !slices.Contains(all, d) {
				for t := range d.things() {
					other[t] = true
				}
			}
		}
		for t := range could {
			if !seen[t] && !other[t] {
				return nil
			}
		}
	}
	d := all[0].with(atoms, guards, rows)
	d.sure, d.made = ok, slices.Clone(all)
	return d
}

func keyOf(all []token) string {
	var b strings.Builder
	for _, t := range all {
		b.WriteString(t.key)
	}
	return b.String()
}

// inOrder puts the keys of records into one order that each of them keeps, as far as there is one; where they do
// not tell, that of the facts.
func inOrder(records [][]string, rank map[string]int) []string {
	before := map[[2]string]bool{}
	var rest []string
	for _, r := range records {
		for i, a := range r {
			if !slices.Contains(rest, a) {
				rest = append(rest, a)
			}
			for _, b := range r[i+1:] {
				before[[2]string{a, b}] = true
			}
		}
	}
	var names []string
	for len(rest) > 0 {
		at := -1
		for n, a := range rest {
			if !slices.ContainsFunc(rest, func(b string) bool { return b != a && before[[2]string{b, a}] }) &&
				(at < 0 || rank[a] < rank[rest[at]]) {
				at = n
			}
		}
		at = max(0, at)
		names, rest = append(names, rest[at]), slices.Delete(rest, at, at+1)
	}
	return names
}

// column is what stands for all variants of a column.
func column(kind Kind, all []variant, table bool) ([]token, bool) {
	if len(all) == 1 {
		return all[0].tokens, true
	}
	var slots, words []variant
	for _, x := range all {
		if plain(x.tokens) {
			words = append(words, x)
		} else {
			slots = append(slots, x)
		}
	}
	if len(slots) == 0 {
		return aroundWords(kind, words)
	}
	for len(slots) > 1 { // two shapes of one, such as lists
		m, ok := parts(kind, slots[0].tokens, slots[1].tokens, slots[0].things, slots[1].things)
		if !ok {
			return nil, false
		}
		things := map[*Thing]bool{}
		for _, x := range slots[:2] {
			for t := range x.things {
				things[t] = true
			}
		}
		slots = append([]variant{{m, things}}, slots[2:]...)
	}
	cell := slots[0].tokens
	var named []variant // words proper
	none, hasNone := "", false
	for _, x := range words {
		text := textOf(x.tokens)
		switch {
		case !strings.ContainsFunc(text, unicode.IsLetter) && !hasNone:
			none, hasNone = text, true
		default:
			named = append(named, x)
		}
	}
	if len(named) > 0 { // a word, or else a part
		if hasNone && none != "" {
			return nil, false
		}
		rest := variant{nil, map[*Thing]bool{}}
		for _, x := range slices.Concat(slots, words) {
			if !plain(x.tokens) || !strings.ContainsFunc(textOf(x.tokens), unicode.IsLetter) {
				for t := range x.things {
					rest.things[t] = true
				}
			}
		}
		w, ok := worded(kind, append(named, rest))
		if !ok {
			return nil, false
		}
		return append(w, slot(Atom{Part: atomsOf(cell)})), true
	}
	if !hasNone {
		return cell, true
	}
	if len(cell) == 1 && cell[0].atom.Fact != nil && (none != "" || table) {
		a := cell[0].atom
		a.HasNone, a.None = true, none
		return []token{slot(a)}, true
	}
	if none != "" {
		return nil, false
	}
	if len(cell) == 1 && cell[0].atom.Part != nil {
		return cell, true
	}
	return []token{slot(Atom{Part: atomsOf(cell)})}, true
}

// aroundWords is worded for the words alone in which the variants differ.
func aroundWords(kind Kind, all []variant) ([]token, bool) {
	shortest := len(all[0].tokens)
	for _, x := range all {
		shortest = min(shortest, len(x.tokens))
	}
	first := all[0].tokens
	same := func(at func(variant) token) bool {
		key := at(all[0]).key
		return !slices.ContainsFunc(all, func(x variant) bool { return at(x).key != key })
	}
	head, tail := 0, 0
	for head < shortest && same(func(x variant) token { return x.tokens[head] }) {
		head++
	}
	for tail < shortest-head && same(func(x variant) token { return x.tokens[len(x.tokens)-1-tail] }) {
		tail++
	}
	inner := make([]variant, len(all))
	for n, x := range all {
		inner[n] = variant{x.tokens[head : len(x.tokens)-tail], x.things}
	}
	w, ok := worded(kind, inner)
	return slices.Concat(first[:head], w, first[len(first)-tail:]), ok
}

// worded is a slot with words for a fact of few values, by which the variants are told.
func worded(kind Kind, all []variant) ([]token, bool) {
	for i := range Facts {
		f := &Facts[i]
		if f.Of != kind || f.Type != Words || f.Name == "family" || f.Name == "kind" {
			continue
		}
		values := map[string]string{}
		ok := true
		for _, x := range all {
			for t := range x.things {
				val := t.V[f.Name]
				if text, seen := values[val]; seen && text != textOf(x.tokens) || val == "" {
					ok = false
				}
				values[val] = textOf(x.tokens)
			}
		}
		if !ok || len(values) != len(all) {
			continue
		}
		var words []Word
		for _, w := range f.Words {
			if text, seen := values[w]; seen {
				words = append(words, Word{w, text})
			}
		}
		return []token{slot(Atom{Fact: f, Words: words})}, true
	}
	return nil, false
}
