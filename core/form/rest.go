package form

import (
	"maps"
	"slices"
	"strings"
)

// findTails finds the lines that end blocks: a line without a block that always follows blocks whose first line begins alike.
func (l *learner) findTails() {
	type at struct {
		depth string
		word  string
	}
	head := func(t *textLine) at {
		first, _, _ := strings.Cut(t.text, " ")
		return at{t.indent, first}
	}
	nexts := map[at][]string{}
	var walk func(t *textLine)
	walk = func(t *textLine) {
		for n, k := range t.kids {
			if len(k.kids) > 0 {
				next := ""
				if n+1 < len(t.kids) && len(t.kids[n+1].kids) == 0 {
					next = t.kids[n+1].text
				}
				nexts[head(k)] = append(nexts[head(k)], next)
			}
			walk(k)
		}
	}
	for _, t := range l.texts {
		walk(t)
	}
	tails := map[at]string{}
	words := map[string]bool{}
	for h, all := range nexts {
		if all[0] == "" || strings.Contains(all[0], "\t") || slices.ContainsFunc(all, func(x string) bool { return x != all[0] }) {
			continue
		}
		if len(all) > 1 || endsBlock(all[0]) {
			tails[h], words[all[0]] = all[0], true
		}
	}
	for h, all := range nexts { // a single block, closed by a word that closes others
		if len(all) == 1 && words[all[0]] {
			tails[h] = all[0]
		}
	}
	walk = func(t *textLine) {
		var keep []*textLine
		for _, k := range t.kids {
			if n := len(keep) - 1; n >= 0 && keep[n].tail == nil && tails[head(keep[n])] == k.text && len(k.kids) == 0 && k.text != "" {
				keep[n].tail = k
				continue
			}
			keep = append(keep, k)
			walk(k)
		}
		t.kids = keep
	}
	for _, t := range l.texts {
		walk(t)
	}
}

// waysToNest are how the blocks of the examples may be told, where they are not indented: by signs; by each word that may end them; by
// each word that may begin what stands outside of blocks.
func waysToNest(examples []Example) []nesting {
	ways := []nesting{{}}
	firsts, lines, total := map[string]int{}, map[string]int{}, 0
	for _, e := range examples {
		for _, l := range linesOf(e.Text) {
			if l.indent != "" {
				return ways
			}
			first, _, _ := strings.Cut(l.text, " ")
			firsts[first]++
			lines[l.text]++
			total++
		}
	}
	if total > mostLearnt {
		return ways
	}
	for _, end := range slices.Sorted(maps.Keys(lines)) {
		if lines[end] < 3 || strings.Contains(end, " ") || endsBlock(end) {
			continue
		}
		for _, open := range slices.Sorted(maps.Keys(firsts)) {
			if firsts[open] == lines[end] && open != end {
				ways = append(ways, nesting{opens: []string{open}, ends: map[string]bool{end: true}})
			}
		}
	}
	return ways
}

// rest sees to the lines that name nothing: constants, and entries that a number or nothing tells apart, whose blocks say what they are
// about.
func (v *level) rest() {
	groups, order := map[string][]int{}, []string{}
	for _, n := range slices.Sorted(maps.Keys(v.left)) {
		text := v.lines[n].line.text
		if shape, _, ok := withoutNumber(text); ok && len(v.lines[n].line.kids) > 0 {
			text = shape
		}
		if groups[text] == nil {
			order = append(order, text)
		}
		groups[text] = append(groups[text], n)
	}
	for _, shape := range order {
		ns := groups[shape]
		if len(v.lines[ns[0]].line.kids) > 0 {
			if d := v.entries(ns, shape); d != nil {
				v.chosen = append(v.chosen, d)
				continue
			}
		}
		v.constants(ns)
	}
}

// entries is the draft for lines whose blocks are each about another thing of one kind; nil where they are not.
func (v *level) entries(ns []int, shape string) *draft {
	var best *draft
	most := 0.0
	for kind := range kinds {
		if kind == Device || parents[kind] != v.parent.Kind {
			continue
		}
		used, total := map[*Thing]bool{}, 0.0
		var rows []row
		for _, n := range ns {
			r := v.lines[n]
			var found *Thing
			share := 0.0
			for _, t := range r.thing.Kids {
				if t.Kind != kind || used[t] {
					continue
				}
				if s := v.mentioned(r, t); s > share {
					found, share = t, s
				}
			}
			if found == nil {
				break
			}
			used[found] = true
			r.thing = found
			rows, total = append(rows, r), total+share
		}
		if len(rows) == len(ns) && len(rows) > 1 && len(used) == len(v.scope[kind]) && total > most {
			most = total
			atoms := []Atom{{Text: rows[0].line.text}}
			if _, first, ok := withoutNumber(rows[0].line.text); ok {
				_, second, _ := withoutNumber(rows[1].line.text)
				a, b, _ := strings.Cut(shape, "\x00")
				atoms = nil
				if a != "" {
					atoms = append(atoms, Atom{Text: a})
				}
				atoms = append(atoms, Atom{Count: true, From: first, By: max(1, second-first)})
				if b != "" {
					atoms = append(atoms, Atom{Text: b})
				}
			}
			best = &draft{Line: Line{Kind: kind, Atoms: atoms, Each: true}, rows: rows, sure: true, key: spell(atoms, false)}
		}
	}
	return best
}

// mentioned is how much of what is known of a thing stands in a block: 0 where its key does not.
func (v *level) mentioned(r row, t *Thing) float64 {
	hits := map[string]bool{}
	for _, l := range r.line.everything() {
		for _, s := range v.spans(r.example, l.text) {
			for _, h := range s.hits {
				if h.thing == t {
					hits[h.fact.Name] = true
				}
			}
		}
	}
	if !hits[keys[t.Kind].Name] {
		return 0
	}
	n := 0
	for name := range t.V {
		if f := factNamed(t.Kind, name); f != nil && f.Type != Words {
			n++
		}
	}
	return float64(len(hits)) / float64(max(1, n))
}

// constants are drafts for lines that stand so for every device, or for some.
func (v *level) constants(ns []int) {
	by, order := map[string][]int{}, []string{}
	for _, n := range ns {
		text := v.lines[n].line.text
		if by[text] == nil {
			order = append(order, text)
		}
		by[text] = append(by[text], n)
	}
	for _, text := range order {
		var rows []row
		has, could := map[*Thing]bool{}, map[*Thing]bool{}
		for _, n := range by[text] {
			rows = append(rows, v.lines[n])
			has[v.lines[n].thing] = true
		}
		for _, in := range v.instances {
			could[in.thing] = true
		}
		block := len(rows[0].line.kids) > 0
		if !block && v.namesSomething(rows[0]) {
			v.questions = append(v.questions, Question{NotKnown, text, nil})
			continue
		}
		d := &draft{Line: Line{Kind: v.parent.Kind, Atoms: []Atom{{Text: text}}}, rows: rows, sure: true, key: text}
		if !block { // the first line of a block of nothing is left out
			d.Guards, d.sure = guard(v.parent.Kind, has, could)
		}
		if !d.sure {
			v.questions = append(v.questions, Question{KeepOrPass, text, nil})
		}
		v.chosen = append(v.chosen, d)
	}
}
