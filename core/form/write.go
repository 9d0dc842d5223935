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

// printed is a line as it is written, with the lines of its block.
type printed struct {
	line   *Line
	thing  *Thing
	text   string
	indent string
	kids   []*printed
}

// writer prints a device by a form.
type writer struct {
	how string // blocks are indented
}

// Write prints what is known of a device. A line whose slots have no value is left out; so is one that was only guessed.
func (f *Form) Write(device *Thing) string {
	return text(f.print(device))
}

// print are the lines that say a device.
func (f *Form) print(device *Thing) []*printed {
	w := &writer{f.Indent}
	return w.put(f.Lines, device, map[*Line]int{}, "")
}

// put prints the lines of a block for what it is about.
func (w *writer) put(lines []*Line, t *Thing, counts map[*Line]int, indent string) (out []*printed) {
	for i := 0; i < len(lines); {
		l := lines[i]
		if l.Kind == t.Kind || !l.Kind.under(t.Kind) {
			out = append(out, w.line(l, t, counts, indent)...)
			i++
			continue
		}
		unit, j := l.Kind.child(t.Kind), i+1
		for j < len(lines) && !lines[j].Gap && lines[j].Kind != t.Kind && lines[j].Kind.child(t.Kind) == unit {
			j++
		}
		for _, k := range t.Kids {
			if k.Kind == unit {
				out = append(out, w.put(lines[i:j], k, counts, indent)...)
			}
		}
		i = j
	}
	return out
}

// line prints one line, and its block; nothing where it does not stand for the thing.
func (w *writer) line(l *Line, t *Thing, counts map[*Line]int, indent string) []*printed {
	if l.Guess || !l.stands(t) || l.omits(t) {
		return nil
	}
	text, ok := render(l.Atoms, t, counts[l])
	if !ok {
		return nil
	}
	switch {
	case w.how == IndentNone:
		indent = ""
	case w.how == "" && (l.Indent != "" || indent == ""):
		indent = l.Indent
	}
	step := "  "
	if w.how == IndentTab {
		step = "\t"
	}
	p := &printed{line: l, thing: t, text: text, indent: indent, kids: w.put(l.Kids, t, map[*Line]int{}, indent+step)}
	if len(l.Kids) > 0 && len(p.kids) == 0 && !l.slots() && !l.Each {
		return nil // a block of nothing
	}
	counts[l]++
	return []*printed{p}
}

// textRow is a line as it stands in the text.
type textRow struct{ indent, text string }

// rowsOf are the lines one below another, those that end blocks among them.
func rowsOf(all []*printed) []textRow {
	var out []textRow
	for _, p := range all {
		out = append(out, textRow{p.indent, p.text})
		out = append(out, rowsOf(p.kids)...)
		if p.line.Tail != "" {
			out = append(out, textRow{p.indent, p.line.Tail})
		}
	}
	return out
}

// text lines up the columns of rows that follow one another.
func text(all []*printed) string {
	out := rowsOf(all)
	var b strings.Builder
	for i := 0; i < len(out); {
		cells := strings.Count(out[i].text, "\t")
		j := i + 1
		for cells > 0 && j < len(out) && out[j].indent == out[i].indent && strings.Count(out[j].text, "\t") == cells {
			if heading(out[j].text) && !heading(out[j-1].text) {
				break // of another table
			}
			j++
		}
		widths := make([]int, cells+1)
		rows := make([][]string, 0, j-i)
		for _, r := range out[i:j] {
			row := strings.Split(r.text, "\t")
			for c, cell := range row {
				widths[c] = max(widths[c], utf8.RuneCountInString(cell))
			}
			rows = append(rows, row)
		}
		for _, row := range rows {
			line := out[i].indent
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
