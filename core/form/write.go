package form

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// render prints atoms for a thing; false where a slot has nothing to print. Count is which of its like the line is, from 0.
func render(atoms []Atom, t *Thing, count int) (string, bool) {
	if len(atoms) == 1 && atoms[0].constant() {
		return atoms[0].Text, true
	}
	var b strings.Builder
	for i := range atoms {
		a := &atoms[i]
		switch {
		case a.Any:
			return "", false
		case a.Count:
			b.WriteString(strconv.Itoa(a.From + count*a.By))
		case a.Part != nil:
			if text, ok := render(a.Part, t, count); ok {
				b.WriteString(text)
			}
		case a.Fact == nil:
			b.WriteString(a.Text)
		default:
			text, ok := a.print(t)
			if !ok {
				return "", false
			}
			b.WriteString(text)
		}
	}
	return b.String(), true
}

// print prints the value of a slot.
func (a *Atom) print(t *Thing) (string, bool) {
	x := t.up(a.Fact.Of)
	if x == nil {
		return "", false
	}
	v, has := x.V[a.Fact.Name]
	if !has {
		return a.None, a.HasNone
	}
	for _, w := range a.Words {
		if w.Value == v {
			return w.Text, true
		}
	}
	if a.Fact.Type == Words {
		return "", false
	}
	return a.Fact.written(a.Shape, v, x)
}

// writer prints a device by a form.
type writer struct {
	out     []string
	indents []string
	unsaid  []*Line // guesses, which are not written
	how     string  // blocks are indented
}

// Write prints what is known of a device. A line whose slots have no value is left out; so is one that was only guessed, told by Guesses.
func (f *Form) Write(device *Thing) string {
	w := &writer{how: f.Indent}
	w.put(f.Lines, device, map[*Line]int{}, "")
	return w.text()
}

// put prints the lines of a block for what it is about, and tells how many that were.
func (w *writer) put(lines []*Line, t *Thing, counts map[*Line]int, indent string) int {
	n := 0
	for i := 0; i < len(lines); {
		l := lines[i]
		if l.Kind == t.Kind || !l.Kind.under(t.Kind) {
			n += w.line(l, t, counts, indent)
			i++
			continue
		}
		unit, j := l.Kind.child(t.Kind), i+1
		for j < len(lines) && !lines[j].Gap && lines[j].Kind != t.Kind && lines[j].Kind.child(t.Kind) == unit {
			j++
		}
		for _, k := range t.Kids {
			if k.Kind == unit {
				n += w.put(lines[i:j], k, counts, indent)
			}
		}
		i = j
	}
	return n
}

// line prints one line, and its block.
func (w *writer) line(l *Line, t *Thing, counts map[*Line]int, indent string) int {
	if !l.stands(t) {
		return 0
	}
	text, ok := render(l.Atoms, t, counts[l])
	if !ok {
		return 0
	}
	if l.Guess {
		w.unsaid = append(w.unsaid, l)
		return 0
	}
	switch {
	case w.how == IndentNone:
		indent = ""
	case w.how == "" && (l.Indent != "" || indent == ""):
		indent = l.Indent
	}
	at := len(w.out)
	w.out, w.indents = append(w.out, text), append(w.indents, indent)
	step := "  "
	if w.how == IndentTab {
		step = "\t"
	}
	inner := w.put(l.Kids, t, map[*Line]int{}, indent+step)
	if len(l.Kids) > 0 && inner == 0 && !l.slots() && !l.Each {
		w.out, w.indents = w.out[:at], w.indents[:at] // a block of nothing
		return 0
	}
	counts[l]++
	if l.Tail != "" {
		w.out, w.indents = append(w.out, l.Tail), append(w.indents, indent)
	}
	return 1
}

// text lines up the columns of rows that follow one another.
func (w *writer) text() string {
	var b strings.Builder
	for i := 0; i < len(w.out); {
		cells := strings.Count(w.out[i], "\t")
		j := i + 1
		for cells > 0 && j < len(w.out) && w.indents[j] == w.indents[i] && strings.Count(w.out[j], "\t") == cells && !(heading(w.out[j]) && !heading(w.out[j-1])) {
			j++
		}
		widths := make([]int, cells+1)
		rows := make([][]string, 0, j-i)
		for _, line := range w.out[i:j] {
			row := strings.Split(line, "\t")
			for c, cell := range row {
				widths[c] = max(widths[c], utf8.RuneCountInString(cell))
			}
			rows = append(rows, row)
		}
		for _, row := range rows {
			line := w.indents[i]
			for c, cell := range row {
				line += cell
				if c < cells {
					line += strings.Repeat(" ", widths[c]-utf8.RuneCountInString(cell)+2)
				}
			}
			b.WriteString(strings.TrimRight(line, " ") + "\n")
		}
		i = j
	}
	return b.String()
}

// heading tells whether a row with gaps is plainly a heading: none of its cells has a digit, and each begins with a capital.
func heading(row string) bool {
	cells := strings.Split(row, "\t")
	return !slices.ContainsFunc(cells, func(c string) bool {
		return c == "" || strings.ContainsAny(c, "0123456789") || c[0] >= 'a' && c[0] <= 'z' || c[0] == '-'
	})
}
