package form

import (
	"slices"
	"strings"
	"unicode/utf8"
)

// textLine is a line of a text with the lines of its block.
type textLine struct {
	text   string // without its indentation; gaps of blanks are tabs
	number int    // from 1
	indent string
	kids   []*textLine
	tail   *textLine // the line that ends its block
}

// everything is the line and all of its block.
func (l *textLine) everything() []*textLine {
	all := []*textLine{l}
	for _, k := range l.kids {
		all = append(all, k.everything()...)
	}
	return all
}

// gaps makes of two blanks or more, and of tabs, the gap between two columns.
func gaps(text string) string {
	if !strings.Contains(text, "  ") && strings.IndexByte(text, '\t') < 0 {
		return text
	}
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		if text[i] != ' ' && text[i] != '\t' {
			b.WriteByte(text[i])
			continue
		}
		j := i
		for j < len(text) && (text[j] == ' ' || text[j] == '\t') {
			j++
		}
		if j-i > 1 || text[i] == '\t' {
			b.WriteByte('\t')
		} else {
			b.WriteByte(' ')
		}
		i = j - 1
	}
	return b.String()
}

// linesOf are the lines of a text that are not empty.
func linesOf(text string) []*textLine {
	var all []*textLine
	n := 0
	var table []*textLine // consecutive lines with gaps, as they stand
	flush := func() {
		all = append(all, columns(table)...)
		table = nil
	}
	for line := range strings.SplitSeq(text, "\n") {
		n++
		line = strings.TrimRight(line, "\r \t")
		body := strings.TrimLeft(line, " \t")
		if body == "" {
			flush()
			continue
		}
		l := &textLine{text: body, number: n, indent: line[:len(line)-len(body)]}
		if strings.Contains(body, "  ") || len(table) > 0 && len(l.indent) > len(table[0].indent)+1 && strings.Contains(table[0].text, "  ") {
			table = append(table, l)
			continue
		}
		if len(table) > 0 && len(l.indent) == len(table[0].indent) && wordsStart(table[0], l) {
			table = append(table, l)
			continue
		}
		flush()
		l.text = gaps(body)
		all = append(all, l)
	}
	flush()
	return all
}

// wordsStart tells whether a line without gaps is a row of a table all the same: one of its first cells, and nothing behind them.
func wordsStart(heading, l *textLine) bool {
	starts := columnStarts(heading.text)
	return len(starts) > 1 && utf8.RuneCountInString(l.text) <= starts[1]-2 && !strings.Contains(l.text, " ")
}

// columnStarts are where the cells of a line begin, in letters.
func columnStarts(text string) []int {
	starts := []int{0}
	blanks, at := 0, 0
	for _, c := range text {
		if c == ' ' || c == '\t' {
			blanks++
		} else {
			if blanks > 1 {
				starts = append(starts, at)
			}
			blanks = 0
		}
		at++
	}
	return starts
}

// columns cuts the rows of a table by where the cells of its first line begin, where all rows keep to that; a row that has nothing in
// its first cell goes on with the row above.
func columns(table []*textLine) []*textLine {
	if len(table) < 2 {
		for _, l := range table {
			l.text = gaps(l.text)
		}
		return table
	}
	first := table[0]
	starts := columnStarts(first.text)
	cut := make([][]string, len(table))
	for n, l := range table {
		if l.indent != first.indent && n > 0 {
			l.text = strings.Repeat(" ", max(0, len(l.indent)-len(first.indent))) + l.text
		}
		cut[n] = cellsAt(l.text, starts)
		if cut[n] == nil { // a value that is longer than its column pushes the others on
			if words := strings.Fields(l.text); n > 0 && len(words) == len(starts) {
				cut[n] = words
			} else {
				return ragged(table)
			}
		}
		if n > 0 && l.indent != first.indent && cut[n][0] != "" {
			return ragged(table)
		}
	}
	var rows []*textLine
	var cells [][]string
	for n, l := range table {
		if n > 0 && cut[n][0] == "" && len(rows) > 1 {
			above := cells[len(cells)-1]
			for i, c := range cut[n] {
				switch {
				case c == "":
				case above[i] == "", strings.HasSuffix(above[i], ","):
					above[i] += c
				default:
					above[i] += " " + c
				}
			}
			continue
		}
		l.indent = first.indent
		rows, cells = append(rows, l), append(cells, cut[n])
	}
	for n, l := range rows {
		l.text = strings.Join(cells[n], "\t")
	}
	return rows
}

// cellsAt are the cells of a row that begin at some places; nil where they do not.
func cellsAt(text string, starts []int) []string {
	letters := []rune(text)
	var cells []string
	for i, s := range starts {
		if s > 0 && s < len(letters) && letters[s-1] != ' ' {
			return nil
		}
		end := len(letters)
		if i+1 < len(starts) {
			end = min(end, starts[i+1])
		}
		cell := ""
		if s < end {
			cell = strings.TrimSpace(string(letters[s:end]))
		}
		if strings.Contains(cell, "  ") {
			return nil
		}
		cells = append(cells, cell)
	}
	return cells
}

// ragged leaves lines with gaps as they are.
func ragged(table []*textLine) []*textLine {
	for _, l := range table {
		l.text = gaps(strings.TrimSpace(l.text))
	}
	return table
}

// nesting is how the blocks of a text are told.
type nesting struct {
	opens []string        // the first words of lines that begin a block which a word ends
	ends  map[string]bool // the words that do
	heads func(text string) bool
}

// nest finds the blocks of a text: by its indentation, or by the lines that begin and end them.
func nest(text string, how nesting) *textLine {
	lines := linesOf(text)
	if slices.ContainsFunc(lines, func(l *textLine) bool { return l.indent != "" }) {
		return nestByIndent(lines)
	}
	root := &textLine{}
	stack := []*textLine{root}
	for _, l := range lines {
		top := stack[len(stack)-1]
		if how.heads != nil {
			if how.heads(l.text) || len(root.kids) == 0 {
				root.kids = append(root.kids, l)
			} else {
				last := root.kids[len(root.kids)-1]
				last.kids = append(last.kids, l)
			}
			continue
		}
		if len(stack) > 1 && (endsBlock(l.text) || how.ends[l.text]) {
			stack = stack[:len(stack)-1]
			above := stack[len(stack)-1]
			above.kids = append(above.kids, l)
			continue
		}
		top.kids = append(top.kids, l)
		if how.opened(l.text) {
			stack = append(stack, l)
		}
	}
	return root
}

// opened tells whether a line begins a block that is not indented.
func (n nesting) opened(text string) bool {
	last := text[len(text)-1]
	if strings.IndexByte("{([", last) >= 0 {
		return true
	}
	if text[0] == '<' && last == '>' && text[1] != '/' && !strings.HasSuffix(text, "/>") && !strings.Contains(text, "</") {
		return true
	}
	first, _, _ := strings.Cut(text, " ")
	return slices.Contains(n.opens, first)
}

func nestByIndent(lines []*textLine) *textLine {
	root := &textLine{}
	type level struct {
		line  *textLine
		width int
	}
	stack := []level{{root, -1}}
	for _, l := range lines {
		width := 0
		for _, c := range l.indent {
			if c == '\t' {
				width += 8 - width%8
			} else {
				width++
			}
		}
		for stack[len(stack)-1].width >= width {
			stack = stack[:len(stack)-1]
		}
		above := stack[len(stack)-1].line
		above.kids = append(above.kids, l)
		stack = append(stack, level{l, width})
	}
	return root
}
