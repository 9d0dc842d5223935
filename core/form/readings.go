package form

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// cuts are the places of a text where a value may begin or end.
func cuts(text string) []int {
	wordly := func(c rune) bool { return unicode.IsLetter(c) || unicode.IsDigit(c) }
	all := []int{}
	var before rune = ' '
	for i, c := range text {
		starts := !wordly(before) && (wordly(c) || c == ':')
		ends := (wordly(before) || before == ':' || before == ')') && !wordly(c)
		if starts || ends || i == 0 {
			all = append(all, i)
		}
		before = c
	}
	return append(all, len(text))
}

// span is a stretch of a line that may be values.
type span struct {
	from, to int
	hits     []hit
}

// spans are the stretches of a line that may be values of the example's device.
func (l *learner) spans(example int, t string) []span {
	var all []span
	places := cuts(t)
	index := l.index[example]
	for a, i := range places {
		for _, j := range places[a+1:] {
			hits := index[t[i:j]]
			if len(hits) == 0 || within(t, i, j) {
				continue
			}
			all = append(all, span{i, j, hits})
		}
	}
	for _, text := range l.odd[example] { // words that begin or end with a sign
		if i := strings.Index(t, text); i >= 0 {
			all = append(all, span{i, i + len(text), index[text]})
		}
	}
	return all
}

// oddWords are the texts among values that begin or end with what is no letter, so that no cut shows them.
func oddWords(index map[string][]hit) []string {
	var all []string
	for text, hits := range index {
		if hits[0].fact.Type != Text {
			continue
		}
		if p := cuts(" " + text + " "); !slices.Contains(p, 1) || !slices.Contains(p, len(text)+1) {
			all = append(all, text)
		}
	}
	slices.Sort(all)
	return all
}

// within tells whether a stretch is part of a longer word: what stands beside it belongs to it.
func within(t string, i, j int) bool {
	if i > 1 {
		before, _ := utf8.DecodeLastRuneInString(t[:i-1])
		if (t[i-1] == '.' || t[i-1] == '-') && (unicode.IsLetter(before) || unicode.IsDigit(before)) && !strings.HasSuffix(t[:i], "..") {
			return true
		}
	}
	if j+1 < len(t) && (t[j] == '.' || t[j] == '-') && isWordByte(t[j+1]) && !strings.HasPrefix(t[j:], "..") {
		return true
	}
	if t[i] == ':' && i > 0 && isWordByte(t[i-1]) || t[j-1] == ':' && j < len(t) && isWordByte(t[j]) {
		return true
	}
	if !strings.Contains(t[i:j], ":") {
		return false
	}
	return j+1 < len(t) && t[j] == ':' && isHex(t[j+1]) || i > 0 && t[i-1] == ':'
}

func isWordByte(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= utf8.RuneSelf
}

func isHex(c byte) bool { return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' }

// mostReadings is how many ways to read a line are tried for one thing.
const mostReadings = 128

// readings yields every thing and atoms that a line may be about, given what its block is about.
func (v *level) readings(r row, yield func(*Thing, []Atom)) {
	text, context := r.line.text, r.thing
	spans := v.spans(r.example, text)
	about := []*Thing{context}
	seen := map[*Thing]bool{context: true}
	for _, s := range spans {
		for _, h := range s.hits {
			if !seen[h.thing] && h.thing.up(context.Kind) == context {
				seen[h.thing] = true
				about = append(about, h.thing)
			}
		}
	}
	if v.parent.Kind != context.Kind {
		return
	}
	for _, t := range about {
		if t != context && !named(t, context, spans) {
			continue
		}
		var mine []span
		for _, s := range spans {
			var hits []hit
			for _, h := range s.hits {
				if t.up(h.thing.Kind) == h.thing {
					hits = append(hits, h)
				}
			}
			if len(hits) > 0 {
				mine = append(mine, span{s.from, s.to, hits})
			}
		}
		for _, cover := range covers(mine) {
			combine(text, cover, t, func(atoms []Atom) {
				if t != context && !slices.ContainsFunc(atoms, func(a Atom) bool { return a.Fact == keys[t.Kind] }) {
					return
				}
				yield(t, atoms)
			})
		}
	}
}

// named tells whether a line names a thing: its key stands there, and that of what it lies in, up to what the block is about.
func named(t, context *Thing, spans []span) bool {
	for x := t; x != context; x = x.Parent {
		if !slices.ContainsFunc(spans, func(s span) bool {
			return slices.ContainsFunc(s.hits, func(h hit) bool { return h.thing == x && h.fact.Key })
		}) {
			return false
		}
	}
	return true
}

// covers are sets of stretches that do not overlap: the longest first.
func covers(spans []span) [][]span {
	longest := slices.Clone(spans)
	slices.SortFunc(longest, func(a, b span) int { return cmp.Or((b.to-b.from)-(a.to-a.from), a.from-b.from) })
	var cover []span
	for _, s := range longest {
		if !slices.ContainsFunc(cover, func(c span) bool { return s.from < c.to && c.from < s.to }) {
			cover = append(cover, s)
		}
	}
	slices.SortFunc(cover, func(a, b span) int { return a.from - b.from })
	return [][]span{cover}
}

// combine yields the atoms of a line for each choice of what its stretches are: values of the thing first, or constants.
func combine(text string, cover []span, t *Thing, yield func([]Atom)) {
	choices := make([][]Atom, len(cover))
	for n, s := range cover {
		hits := slices.Clone(s.hits)
		slices.SortStableFunc(hits, func(a, b hit) int { return hitRank(a, t) - hitRank(b, t) })
		seen := map[[2]string]bool{}
		for _, h := range hits {
			at := [2]string{h.fact.Of.String() + " " + h.fact.Name, h.shape}
			if !seen[at] && len(choices[n]) < 16 {
				seen[at] = true
				choices[n] = append(choices[n], Atom{Fact: h.fact, Shape: h.shape})
			}
		}
		choices[n] = append(choices[n], Atom{Text: text[s.from:s.to]})
	}
	pick := make([]int, len(cover))
	for tried := 0; tried < mostReadings; tried++ {
		var atoms []Atom
		at := 0
		add := func(a Atom) {
			if k := len(atoms) - 1; a.Fact == nil && k >= 0 && atoms[k].Fact == nil {
				atoms[k].Text += a.Text
			} else if a.Fact != nil || a.Text != "" {
				atoms = append(atoms, a)
			}
		}
		for n, s := range cover {
			add(Atom{Text: text[at:s.from]})
			add(choices[n][pick[n]])
			at = s.to
		}
		add(Atom{Text: text[at:]})
		yield(atoms)
		k := len(pick) - 1
		for ; k >= 0; k-- {
			if pick[k]++; pick[k] < len(choices[k]) {
				break
			}
			pick[k] = 0
		}
		if k < 0 {
			return
		}
	}
}

// hitRank puts what a stretch is likelier to be first: of the thing itself, its key.
func hitRank(h hit, t *Thing) int {
	rank := 0
	if h.thing.Kind != t.Kind {
		rank += 2
	}
	if !h.fact.Key {
		rank++
	}
	return rank
}

// namesSomething tells whether a line has the name of something of the plan in it.
func (l *learner) namesSomething(r row) bool {
	for _, s := range l.spans(r.example, r.line.text) {
		for _, h := range s.hits {
			if h.fact.Key || h.fact.Type == Addr {
				return true
			}
		}
	}
	return false
}
