package form

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Example is a device, and the text in which its gear says it.
type Example struct {
	Device *Thing
	Text   string
}

// Learnt is a form that was learnt, and what is to be said of it.
type Learnt struct {
	Form       *Form
	Lines      int // of the texts that are not empty
	Understood int // of them: those that a line of the form prints
	Questions  []Question
}

// Question is what the texts leave open.
type Question struct {
	Ask  Ask
	Line string   // of the form, or of a text
	Of   []string // what it is about: facts, values, other readings
}

// Ask is what a question asks.
type Ask uint8

// The questions.
const (
	WhichValue  Ask = iota // a value of the line may be one fact or another
	WhenWritten            // no fact tells for which things the line is written
	NoLineTells            // a fact that no line tells
	HowRun                 // no text shows how a run of a list is written
	AlwaysSo               // a value that is the same in all lines: a slot, or always so
	NotKnown               // a line names something of the plan, and is not understood
	KeepOrPass             // a line that holds nothing of the plan: kept for which devices?
	Blanked                // what looks like a secret was left out: the line is passed over
	Kept                   // a line that holds nothing of the plan, kept for every device
)

// learner learns a form.
type learner struct {
	questions []Question
	index     []map[string][]hit // by example
	odd       [][]string         // by example: texts that no cut shows
	examples  []Example
	texts     []*textLine
	all       []*draft
	lines     int
	known     int
}

// hit is what a stretch of text may be: the value of a fact of a thing, in a shape.
type hit struct {
	thing *Thing
	fact  *Fact
	shape string
}

// anyList stands for the shape of a list until it is known which shapes fit all lines.
const anyList = "*"

// mostLearnt is how many lines a text to learn from may have: what has more shows the same again.
const mostLearnt = 20_000

// row is a line of a text that a draft prints.
type row struct {
	example, instance, n int
	thing                *Thing
	line                 *textLine
}

// draft is a line of the form to be, with the lines of the texts that it prints.
type draft struct {
	Line
	rows  []row
	sure  bool
	twins []*draft // never seen: by analogy
	made  []*draft // those that it was made of
	key   string   // its atoms as a form has them

	cost      int // how much in it may be one thing or another, beyond what it was made of
	begun     bool
	beginning string // what begins is
}

func (d *draft) with(atoms []Atom, guards []Guard, rows []row) *draft {
	return &draft{Line: Line{Kind: d.Kind, Atoms: atoms, Guards: guards}, rows: rows, sure: true, key: spell(atoms, false)}
}

// Learn learns a form from texts of devices of which it is known what they say. The richest example comes first.
func Learn(name string, examples []Example) (*Learnt, error) {
	var best *Learnt
	for n, how := range waysToNest(examples) {
		l, err := learnNested(name, examples, how)
		if err != nil {
			return nil, err
		}
		if best == nil || l.Understood > best.Understood {
			best = l
		}
		if n == 0 && best.Understood == best.Lines {
			break
		}
	}
	return best, nil
}

// NothingToLearn is that a text is none to learn from.
type NothingToLearn struct{ Why string }

func (e *NothingToLearn) Error() string { return e.Why }

func learnNested(name string, examples []Example, how nesting) (*Learnt, error) {
	l := &learner{examples: examples}
	for _, e := range examples {
		text := nest(e.Text, how)
		n := len(text.everything()) - 1
		if n > mostLearnt {
			why := fmt.Sprintf("the text of %s has more than %d lines; take a device that has fewer", e.Device.label(), mostLearnt)
			return nil, &NothingToLearn{why}
		}
		if n == 0 {
			return nil, &NothingToLearn{fmt.Sprintf("the text of %s is empty", e.Device.label())}
		}
		l.texts, l.lines, l.index = append(l.texts, text), l.lines+n, append(l.index, indexed(e.Device))
		l.odd = append(l.odd, oddWords(l.index[len(l.index)-1]))
	}
	l.findTails()
	var instances []instance
	for n := range examples {
		instances = append(instances, instance{n, examples[n].Device, l.texts[n]})
	}
	f := &Form{Name: name}
	f.Indent = indentOf(examples)
	f.Lines = l.level(&draft{Line: Line{Kind: Device}}, instances)
	for _, a := range l.all {
		for _, b := range l.all {
			if a != b && a.Kind == b.Kind {
				sharedWords(a, b)
			}
		}
	}
	l.listsOf()
	if err := f.ready(); err != nil {
		return nil, &NothingToLearn{"its blocks do not say what they are about"}
	}
	f.closeGaps(examples)
	// what is kept is what can be read: the text of the form
	again, err := Parse(f.Text())
	if err == nil {
		_, err = Parse(again.Text())
	}
	if err != nil {
		return nil, &NothingToLearn{"its lines do not go together as blocks of one thing each: is the text whole, and in its order?"}
	}
	l.ask(again)
	return &Learnt{Form: again, Lines: l.lines, Understood: l.known, Questions: l.questions}, nil
}

// closeGaps takes away the gaps between lines that make no difference to what is written.
func (f *Form) closeGaps(examples []Example) {
	write := func() string {
		text := ""
		for _, e := range examples {
			text += f.Write(e.Device) + "\x00"
		}
		return text
	}
	want := write()
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, l := range all {
			if l.Gap {
				l.Gap = false
				if write() != want {
					l.Gap = true
				}
			}
			walk(l.Kids)
		}
	}
	walk(f.Lines)
}

// indentOf is how the blocks of the texts are indented: "" as a form is, else IndentTab or IndentNone.
func indentOf(examples []Example) string {
	how := IndentNone
	for _, e := range examples {
		for line := range strings.SplitSeq(e.Text, "\n") {
			switch {
			case strings.TrimSpace(line) == "":
			case line[0] == ' ':
				return ""
			case line[0] == '\t':
				how = IndentTab
			}
		}
	}
	return how
}

// indexed are all shapes of all values of a device.
func indexed(device *Thing) map[string][]hit {
	index := map[string][]hit{}
	for _, t := range device.everything() {
		for _, name := range slices.Sorted(maps.Keys(t.V)) {
			f := factNamed(t.Kind, name)
			if f == nil || f.Type == Words {
				continue
			}
			seen := map[string]bool{}
			add := func(text, shape string) {
				if !seen[text] && text != "" {
					seen[text] = true
					index[text] = append(index[text], hit{t, f, shape})
				}
			}
			if f.Type == Names || f.Type == Numbers {
				all := listOf(t.V[name])
				for _, s := range listShapes() {
					add(s.write(all), anyList)
				}
				continue
			}
			for _, shape := range f.shapesOf() {
				if text, ok := f.written(shape, t.V[name], t); ok {
					add(text, shape)
				}
			}
		}
	}
	return index
}

// instance is a block of a text, and what it is about.
type instance struct {
	example int
	thing   *Thing
	block   *textLine
}

// level learns the lines of blocks of one kind.
func (l *learner) level(parent *draft, instances []instance) []*Line {
	var lines []row
	for n, in := range instances {
		for _, k := range in.block.kids {
			lines = append(lines, row{in.example, n, len(lines), in.thing, k})
		}
	}
	if len(lines) == 0 {
		return nil
	}
	v := &level{learner: l, parent: parent, instances: instances, lines: lines, left: map[int]bool{}, candidates: map[string]*candidate{}}
	for n := range lines {
		v.left[n] = true
	}
	for _, in := range instances {
		for k := range kinds {
			in.thing.all(k, func(t *Thing) bool { v.scope[k] = append(v.scope[k], t); return true })
		}
	}
	v.propose()
	v.passCounters()
	v.choose()
	v.rest()
	v.merge()
	v.analogies()
	l.all = append(l.all, v.chosen...)
	v.hideSecrets()
	indent := lines[0].line.indent
	if strings.Contains(indent, "\t") {
		indent = "" // the form says that it is a tab
	}
	for _, d := range v.chosen {
		d.Indent = indent
		for _, r := range d.rows {
			if r.line.tail != nil {
				d.Tail = r.line.tail.text
			}
		}
		d.Guess = !d.sure
		for _, t := range d.twins {
			t.Indent = d.Indent
		}
		l.known += len(d.rows)
		for _, r := range d.rows {
			if r.line.tail != nil {
				l.known++
			}
		}
		if slices.ContainsFunc(d.rows, func(r row) bool { return len(r.line.kids) > 0 }) {
			var inner []instance
			for _, r := range d.rows {
				inner = append(inner, instance{r.example, r.thing, r.line})
			}
			d.Kids = l.level(d, inner)
		}
	}
	return v.arranged()
}

// level is the lines of blocks of one kind, being learnt.
type level struct {
	*learner
	parent     *draft
	instances  []instance
	lines      []row
	left       map[int]bool
	scope      [kinds][]*Thing
	candidates map[string]*candidate
	order      []*candidate
	chosen     []*draft
	questioned []*draft // of which it is not known when they are written
}
