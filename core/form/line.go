package form

import (
	"slices"
	"strconv"
	"strings"
)

// Form is how the gear of one make writes what is known of a device.
type Form struct {
	Name   string
	Lines  []*Line
	Remove string // what takes a line away again, with {line} in it; "" where that is not known
	Leave  string // what leaves a block that was entered; "" where its end line does
	Indent string // how blocks are written: "" as they stand in the form, IndentTab, IndentNone
}

// How blocks are written where that is not as they stand in the form.
const (
	IndentTab  = "tab"
	IndentNone = "none"
)

// Line is a line of a form: text and slots.
type Line struct {
	Atoms  []Atom
	Kind   Kind    // what it is about; it stands for each such thing in what its block is about
	Guards []Guard // of which things; all must hold
	Kids   []*Line // the lines of its block
	Tail   string  // the line that ends the block; "" where none does
	Each   bool    // it names nothing, and its block stands for each thing of the kind
	Gap    bool    // it begins a group of its own
	Indent string
	Remove string // what takes it away, where that is written out
	Guess  bool   // it was never seen so: it reads, and does not write
	Number int    // of the line in the form, from 1; 0 where it stands in none

	program []op    // matches a line
	beside  []*Line // the lines of its block, where that is about the same thing
}

// Atom is a piece of a line: a constant, a slot, a part that may be left out, a counter, or what is passed over.
type Atom struct {
	Text     string // of a constant; a tab is a gap between columns
	Fact     *Fact  // of a slot
	Shape    string // how its value is written; of a list, what parts its elements, and how runs of them are written
	Words    []Word // that stand for its values
	HasNone  bool   // None stands where there is no value
	None     string
	Part     []Atom // left out where one of its slots has no value
	Count    bool   // numbers of entries
	From, By int
	Any      bool // anything, which is not kept
}

// Word is a word of the gear for a value.
type Word struct{ Value, Text string }

// Guard tells for which things a line stands: those whose fact is, or is not, the value; "" is no value.
type Guard struct {
	Fact  *Fact
	Not   bool
	Value string
}

func (a Atom) constant() bool { return a.Fact == nil && a.Part == nil && !a.Count && !a.Any }

func (g Guard) holds(t *Thing) bool {
	x := t.up(g.Fact.Of)
	return x != nil && (x.V[g.Fact.Name] == g.Value) != g.Not
}

// stands tells whether the line stands for a thing.
func (l *Line) stands(t *Thing) bool {
	for _, g := range l.Guards {
		if !g.holds(t) {
			return false
		}
	}
	return true
}

// omits tells whether a thing that the line names has a fact that must be said, and the line does not say it.
func (l *Line) omits(t *Thing) bool {
	if !l.names() {
		return false
	}
	for i := range Facts {
		f := &Facts[i]
		if v := t.V[f.Name]; !f.Must || f.Of != t.Kind || v == "" || v == f.Unset {
			continue
		}
		says := func(x *Line) bool {
			return slices.ContainsFunc(flat(x.Atoms), func(a Atom) bool { return a.Fact == f })
		}
		guarded := slices.ContainsFunc(l.Guards, func(g Guard) bool { return g.Fact == f })
		if !guarded && !says(l) && !slices.ContainsFunc(l.Kids, says) && !slices.ContainsFunc(l.beside, says) {
			return true
		}
	}
	return false
}

// flat is all atoms, those of parts in their place.
func flat(atoms []Atom) []Atom {
	if !slices.ContainsFunc(atoms, func(a Atom) bool { return a.Part != nil }) {
		return atoms
	}
	var all []Atom
	for _, a := range atoms {
		if a.Part != nil {
			all = append(all, flat(a.Part)...)
		} else {
			all = append(all, a)
		}
	}
	return all
}

// names tells whether a line has the slot that tells things of its kind apart.
func (l *Line) names() bool {
	return slices.ContainsFunc(flat(l.Atoms), func(a Atom) bool { return a.Fact != nil && a.Fact == keys[l.Kind] })
}

// slots tells whether anything of a device stands in the line.
func (l *Line) slots() bool {
	return slices.ContainsFunc(flat(l.Atoms), func(a Atom) bool { return a.Fact != nil })
}

// spell writes atoms as a form has them.
func spell(atoms []Atom, inPart bool) string {
	var b strings.Builder
	for _, a := range atoms {
		switch {
		case a.Any:
			b.WriteString("{any}")
		case a.Count:
			b.WriteString("{count from " + strconv.Itoa(a.From) + " by " + strconv.Itoa(a.By) + "}")
		case a.Part != nil:
			b.WriteString("[" + spell(a.Part, true) + "]")
		case a.Fact != nil:
			b.WriteString("{" + a.inner() + "}")
		default:
			b.WriteString(escaped(a.Text, inPart))
		}
	}
	return b.String()
}

// inner is what stands between the braces of a slot.
func (a Atom) inner() string {
	text := a.Fact.Name
	if a.Fact.Type == Length && a.Shape != "" {
		text = a.Shape
	} else if a.Shape != "" {
		text += " " + a.Shape
	}
	var words []string
	for _, w := range a.Words {
		words = append(words, w.Value+" = "+wordText(w.Text))
	}
	if a.HasNone {
		words = append(words, "none = "+wordText(a.None))
	}
	if len(words) > 0 {
		text += ": " + strings.Join(words, " | ")
	}
	return text
}

// wordText is a word of the gear as a slot has it, in quotes where it would be taken for something else.
func wordText(text string) string {
	if text == "" || strings.TrimSpace(text) != text || strings.ContainsAny(text, "|{}\"\\\t") {
		return strconv.Quote(text)
	}
	return text
}

// escaped is a constant as a form has it.
func escaped(text string, inPart bool) string {
	var b strings.Builder
	for i, c := range text {
		switch {
		case c == '\\', c == '[', c == ']' && inPart, c == '{' && i+1 < len(text) && isLetter(text[i+1]):
			b.WriteByte('\\')
			b.WriteRune(c)
		case c == '{' && i+1 == len(text): // a slot may follow
			b.WriteString(`\{`)
		case c == '\t':
			b.WriteString("  ")
		default:
			b.WriteRune(c)
		}
	}
	return b.String()
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

// String is the guard as a form has it.
func (g Guard) String() string {
	text := "{" + g.Fact.Name + " is "
	if g.Not {
		text += "not "
	}
	if g.Value == "" {
		return text + "none}"
	}
	return text + g.Value + "}"
}

// Text is the form as its file has it.
func (f *Form) Text() string {
	var b strings.Builder
	b.WriteString("# " + f.Name + ", form 1\n")
	if f.Remove != "" {
		b.WriteString("remove: " + f.Remove + "\n")
	}
	if f.Leave != "" {
		b.WriteString("leave: " + f.Leave + "\n")
	}
	if f.Indent != "" {
		b.WriteString("indent: " + f.Indent + "\n")
	}
	var put func(all []*Line, indent string)
	put = func(all []*Line, indent string) {
		for _, l := range all {
			if l.Gap {
				b.WriteByte('\n')
			}
			in := indent
			if l.Indent != "" || indent == "" {
				in = l.Indent
			}
			text := spell(l.Atoms, false)
			if strings.HasPrefix(text, "#") || directive(text) {
				text = `\` + text
			}
			b.WriteString(in + text + l.marks() + "\n")
			if l.Remove != "" {
				b.WriteString(in + "remove: " + l.Remove + "\n")
			}
			put(l.Kids, in+"  ")
			if l.Tail != "" {
				tail := escaped(l.Tail, false)
				if !endsBlock(l.Tail) {
					tail += "  {end}"
				}
				b.WriteString(in + tail + "\n")
			}
		}
	}
	put(f.Lines, "")
	return b.String()
}

// directive tells whether a line of a form says something of the form itself.
func directive(text string) bool {
	word, _, ok := strings.Cut(text, ": ")
	return ok && (word == "remove" || word == "leave" || word == "indent")
}

// marks are the slots of a line that print nothing.
func (l *Line) marks() string {
	var all []string
	if l.Each {
		all = append(all, "{each "+l.Kind.String()+"}")
	}
	for _, g := range l.Guards {
		all = append(all, g.String())
	}
	if l.Guess {
		all = append(all, "{guess}")
	}
	if len(all) == 0 {
		return ""
	}
	return "  " + strings.Join(all, " ")
}

// endsBlock tells whether a line is plainly one that ends a block: signs only, or a tag that closes.
func endsBlock(text string) bool {
	return text != "" && (strings.HasPrefix(text, "</") || !strings.ContainsFunc(text, func(c rune) bool {
		return c == '_' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c > 127
	}))
}
