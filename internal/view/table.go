package view

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
)

// Column is one column of a table. Its key is the one it has in JSON and CSV.
type Column struct {
	Key   string
	Title string
	Wide  bool // shown in text only when asked for more
	Right bool // numbers

	IfRoom  bool   // in text shown only where all such fit beside the others, or when asked for more
	Below   bool   // in text not a column but a line below its row, where there is something to say
	Lead    string // what begins such a line
	Tree    bool   // in text the spaces a cell begins with are kept
	Heading bool   // in text not a column but a line above the rows that share it
}

// Table is rows of cells, ready for any format but JSON.
type Table struct {
	Columns []Column
	Rows    [][]string
	Empty   string // what to say where there are no rows
}

// headed makes the first column a heading in text.
func (t Table) headed() Table {
	t.Columns[0].Heading = true
	return t
}

// gap is what stands between two columns.
const gap = "  "

// Text writes the table within width columns, each line behind the indent. A
// cell too wide is broken at spaces and goes on below.
func (t Table) Text(w io.Writer, width int, indent string, wide bool) {
	if len(t.Rows) == 0 {
		if t.Empty != "" {
			io.WriteString(w, indent+t.Empty+"\n")
		}
		return
	}
	shown, dropped := t.shown(wide, true), ""
	if !wide && t.natural(shown) > width {
		if fewer := t.shown(wide, false); len(fewer) < len(shown) {
			dropped = t.titlesBut(shown, fewer)
			shown = fewer
		}
	}
	headed := t.Columns[0].Heading
	if headed {
		indent += "  "
	}
	widths := t.widths(shown, width-len(indent))
	head := make([]string, len(t.Columns))
	for _, c := range shown {
		head[c] = t.Columns[c].Title
	}
	t.line(w, head, shown, widths, indent, faint)
	for i, row := range t.Rows {
		if headed && (i == 0 || row[0] != t.Rows[i-1][0]) {
			io.WriteString(w, strings.TrimSuffix(indent, "  ")+bold.Render(Clean(row[0]))+"\n")
		}
		t.line(w, row, shown, widths, indent, plain)
		for c, column := range t.Columns {
			if column.Below && row[c] != "" {
				labelled(w, width, indent+"    ", column.Lead+Clean(row[c]), indent+"    ")
			}
		}
	}
	if dropped != "" {
		paragraph(w, width, indent+faint.Render("no room for: "+dropped+"; a wider terminal shows it, or -o csv"), indent+"  ")
	}
}

// titlesBut are the titles of the columns that are in one list and not in another.
func (t Table) titlesBut(all, shown []int) string {
	var titles []string
	for _, c := range all {
		if !slices.Contains(shown, c) {
			titles = append(titles, t.Columns[c].Title)
		}
	}
	return strings.Join(titles, ", ")
}

// shown lists the columns that are shown as such.
func (t Table) shown(wide, room bool) []int {
	var shown []int
	for c, column := range t.Columns {
		if !column.Heading && !column.Below && (!column.Wide || wide) && (!column.IfRoom || room) && t.filled(c) {
			shown = append(shown, c)
		}
	}
	return shown
}

// natural is the width the columns would have with nothing broken.
func (t Table) natural(shown []int) int {
	total := 0
	for _, w := range t.widths(shown, 1<<20) {
		total += w
	}
	return total + len(gap)*(len(shown)-1)
}

// filled tells whether any row has something in the column.
func (t Table) filled(c int) bool {
	for _, row := range t.Rows {
		if row[c] != "" {
			return true
		}
	}
	return false
}

// widths gives each column what its widest cell wants, and then takes from the
// widest until all fit or nothing more can be broken.
func (t Table) widths(shown []int, width int) map[int]int {
	widths, least := map[int]int{}, map[int]int{}
	total := len(gap) * (len(shown) - 1)
	for _, c := range shown {
		widths[c], least[c] = columns(t.Columns[c].Title), longestWord(t.Columns[c].Title)
		for _, row := range t.Rows {
			widths[c] = max(widths[c], columns(Clean(row[c])))
			least[c] = max(least[c], longestWord(Clean(row[c])))
		}
		total += widths[c]
	}
	for total > width {
		widest := -1
		for _, c := range shown {
			if widths[c] > least[c] && (widest < 0 || widths[c] > widths[widest]) {
				widest = c
			}
		}
		if widest < 0 {
			break
		}
		widths[widest]--
		total--
	}
	return widths
}

// line writes one row, on as many lines as its tallest cell needs.
func (t Table) line(w io.Writer, row []string, shown []int, widths map[int]int, indent string, style look) {
	cells := map[int][]string{}
	height := 1
	for _, c := range shown {
		cells[c] = wrap(Clean(row[c]), widths[c])
		if t.Columns[c].Tree {
			lead := row[c][:len(row[c])-len(strings.TrimLeft(row[c], " "))]
			cells[c] = wrap(Clean(row[c]), widths[c]-len(lead))
			for n := range cells[c] {
				cells[c][n] = lead + cells[c][n]
			}
		}
		height = max(height, len(cells[c]))
	}
	for n := range height {
		var b strings.Builder
		for i, c := range shown {
			text := ""
			if n < len(cells[c]) {
				text = cells[c][n]
			}
			if t.Columns[c].Right {
				text = strings.Repeat(" ", max(0, widths[c]-columns(text))) + text
			}
			if i > 0 {
				b.WriteString(gap)
			}
			b.WriteString(pad(text, widths[c]))
		}
		io.WriteString(w, indent+style.Render(strings.TrimRight(b.String(), " "))+"\n")
	}
}

// lineOf is a place without its column, for tables.
func lineOf(place string) string {
	if i := strings.LastIndexByte(place, ':'); i >= 0 {
		return place[:i]
	}
	return place
}

// CSV writes the table by RFC 4180, every column, its keys as the header.
func (t Table) CSV(w io.Writer) error { return t.csv(w, harmless) }

// RawCSV writes the table as CSV with its cells as they are, but for what is not fit for a
// terminal: a spreadsheet may run those that begin as a formula does.
func (t Table) RawCSV(w io.Writer) error { return t.csv(w, Clean) }

// harmless is a cell that no spreadsheet takes for a formula: one that begins like it has
// an apostrophe before it, which spreadsheets show as text.
func harmless(cell string) string {
	if cell = Clean(cell); len(cell) > 1 && strings.IndexByte("=+-@", cell[0]) >= 0 {
		if _, err := strconv.ParseFloat(cell, 64); err != nil {
			return "'" + cell
		}
	}
	return cell
}

func (t Table) csv(w io.Writer, clean func(string) string) error {
	c := csv.NewWriter(w)
	header := make([]string, len(t.Columns))
	for i, column := range t.Columns {
		header[i] = column.Key
	}
	if err := c.Write(header); err != nil {
		return err
	}
	for _, row := range t.Rows {
		cells := make([]string, len(row))
		for i := range row {
			cells[i] = clean(row[i])
		}
		if err := c.Write(cells); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// Remark is something that is said beside a table.
type Remark struct{ Label, Text string }

// Markdown writes what a command answers for pasting: its headline where it has one, its table, and below it what the table
// does not tell, so that an empty table is never taken for a clean one.
func Markdown(w io.Writer, data any, t Table) {
	if v, ok := data.(interface{ Headline() string }); ok {
		fmt.Fprintf(w, "**%s**\n", markdownText(v.Headline()))
		if len(t.Rows) > 0 {
			fmt.Fprintln(w)
			t.Markdown(w)
		}
	} else if len(t.Rows) == 0 && t.Empty != "" {
		fmt.Fprintln(w, markdownText(t.Empty))
	} else {
		t.Markdown(w)
	}
	if v, ok := data.(interface{ Beside() []Remark }); ok {
		for _, r := range v.Beside() {
			fmt.Fprintf(w, "\n%s: %s\n", markdownText(r.Label), markdownText(r.Text))
		}
	}
}

// Markdown writes the table as a pipe table.
func (t Table) Markdown(w io.Writer) {
	escape := strings.NewReplacer("|", `\|`, "\n", " ")
	io.WriteString(w, "|")
	for _, c := range t.Columns {
		io.WriteString(w, " "+c.Title+" |")
	}
	io.WriteString(w, "\n|")
	for _, c := range t.Columns {
		if c.Right {
			io.WriteString(w, " ---: |")
		} else {
			io.WriteString(w, " --- |")
		}
	}
	io.WriteString(w, "\n")
	for _, row := range t.Rows {
		io.WriteString(w, "|")
		for _, cell := range row {
			io.WriteString(w, " "+escape.Replace(Clean(cell))+" |")
		}
		io.WriteString(w, "\n")
	}
}
