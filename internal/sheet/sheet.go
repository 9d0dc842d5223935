// Package sheet reads tables as people keep them: with commas, semicolons or tabs, under headings of their own, with
// blanks that mean 'as above'. What it makes of a table it tells, and what is wrong in it is all told at once.
package sheet

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"
)

// Field is one that a table may have.
type Field struct {
	Name  string
	Words []string               // headings for it, in lower case, letters and digits only
	Fits  func(cell string) bool // tells by a cell that a column under another heading is it; nil where cells do not tell
	// Fill is that a blank is as the row above has it, where each value is written once: who writes some again means none by a
	// blank.
	Fill bool
}

// Row is one row of a table.
type Row struct {
	Line    int
	Fields  map[string]string
	columns map[string]int
}

// Column is where a field of the row begins in its line, from 1; 1 where the row does not have it.
func (r Row) Column(field string) int { return max(1, r.columns[field]) }

// Sheet is a table as it was understood.
type Sheet struct {
	Rows     []Row
	Told     []string          // what was made of it, in sentences
	Headings map[string]string // by field: the heading it stands under
}

// ErrNoRows is that a table has a heading and no row, or not even that.
var ErrNoRows = errors.New("there are no rows in it")

// Asker says which of some fields a column is, of which neither its heading nor what stands in it tells: a field's name, or ""
// for none of them. Cell is one of the column's cells.
type Asker func(heading, cell string, free []string) string

// Read reads a table whose first line is its heading. What a column is that cannot be told is asked; ask is nil where nobody answers.
func Read(text []byte, fields []Field, ask Asker) (*Sheet, error) {
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	comma := separator(heading(text))
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.TrimLeadingSpace = comma, -1, comma != '\t'
	r.Comment = '#'
	var records [][]string
	var lines []int
	var places [][]int
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		line, _ := r.FieldPos(0)
		if slices.ContainsFunc(record, func(c string) bool { return strings.TrimSpace(c) != "" }) {
			records, lines = append(records, record), append(lines, line)
			at := make([]int, len(record))
			for i := range record {
				_, at[i] = r.FieldPos(i)
			}
			places = append(places, at)
		}
	}
	if len(records) < 2 {
		return nil, ErrNoRows
	}
	s := &Sheet{Headings: map[string]string{}}
	if comma != ',' {
		s.Told = append(s.Told, "columns are parted by "+map[rune]string{';': "semicolons", '\t': "tabs"}[comma])
	}
	columns := s.columns(records, fields, ask)
	again := repeated(records, columns)
	above := map[string]string{}
	filled := map[string]int{}
	for n, record := range records[1:] {
		row := Row{Line: lines[n+1], Fields: map[string]string{}, columns: map[string]int{}}
		for i, cell := range record {
			if i < len(columns) && columns[i] != "" {
				row.Fields[columns[i]], row.columns[columns[i]] = strings.TrimSpace(cell), places[n+1][i]
			}
		}
		for _, f := range fields {
			switch v := row.Fields[f.Name]; {
			case !f.Fill || again[f.Name]:
			case v != "":
				above[f.Name] = v
			case above[f.Name] != "":
				row.Fields[f.Name] = above[f.Name]
				filled[f.Name]++
			}
		}
		s.Rows = append(s.Rows, row)
	}
	for _, f := range fields {
		if n := filled[f.Name]; n > 0 {
			cells := fmt.Sprintf("%d blank cells of the column '%s' are", n, s.Headings[f.Name])
			if n == 1 {
				cells = fmt.Sprintf("1 blank cell of the column '%s' is", s.Headings[f.Name])
			}
			s.Told = append(s.Told, cells+" as the row above has it")
		}
	}
	return s, nil
}

// repeated tells by field whether some value stands in its column twice.
func repeated(records [][]string, columns []string) map[string]bool {
	again := map[string]bool{}
	for i, field := range columns {
		seen := map[string]bool{}
		for _, record := range records[1:] {
			if i >= len(record) || strings.TrimSpace(record[i]) == "" {
				continue
			}
			v := strings.TrimSpace(record[i])
			again[field] = again[field] || seen[v]
			seen[v] = true
		}
	}
	return again
}

// heading is the first line that is no comment.
func heading(text []byte) string {
	for line := range bytes.Lines(text) {
		if t := bytes.TrimSpace(line); len(t) > 0 && t[0] != '#' {
			return string(line)
		}
	}
	return ""
}

// separator is the sign that a heading has the most of.
func separator(heading string) rune {
	best, most := ',', 0
	for _, c := range []rune{',', ';', '\t'} {
		if n := strings.Count(heading, string(c)); n > most {
			best, most = c, n
		}
	}
	return best
}

// columns are the fields of the columns, "" where a column is none of them.
func (s *Sheet) columns(records [][]string, fields []Field, ask Asker) []string {
	heading := records[0]
	columns := make([]string, len(heading))
	taken := map[string]bool{}
	take := func(i int, f *Field) {
		columns[i], taken[f.Name] = f.Name, true
		s.Headings[f.Name] = strings.TrimSpace(heading[i])
	}
	for k := range fields { // the words of a field in their order: the plainest first
		f := &fields[k]
		for _, word := range f.Words {
			for i, h := range heading {
				if !taken[f.Name] && columns[i] == "" && key(h) == word && !s.otherwise(records, i, f, fields, taken) {
					take(i, f)
					if word != f.Words[0] {
						s.Told = append(s.Told, fmt.Sprintf("the column '%s' is taken for the %s", strings.TrimSpace(h), f.Name))
					}
				}
			}
		}
	}
	for i, h := range heading {
		if columns[i] != "" {
			continue
		}
		for k := range fields {
			f := &fields[k]
			if taken[f.Name] || f.Fits == nil || !all(records[1:], i, f.Fits) {
				continue
			}
			take(i, f)
			s.Told = append(s.Told, fmt.Sprintf("the column '%s' is taken for the %s, by what stands in it", strings.TrimSpace(h), f.Name))
			break
		}
	}
	for i, h := range heading {
		if columns[i] != "" || blank(records, i) {
			continue
		}
		answer := ""
		if ask != nil {
			answer = askFor(records, i, fields, taken, ask)
		}
		if k := slices.IndexFunc(fields, func(f Field) bool { return f.Name == answer && !taken[f.Name] }); k >= 0 {
			take(i, &fields[k])
			continue
		}
		s.Told = append(s.Told, fmt.Sprintf("the column '%s' is not used", strings.TrimSpace(h)))
	}
	return columns
}

// askFor asks what a column is.
func askFor(records [][]string, i int, fields []Field, taken map[string]bool, ask Asker) string {
	var free []string
	for _, f := range fields {
		if !taken[f.Name] {
			free = append(free, f.Name)
		}
	}
	n := slices.IndexFunc(records[1:], func(r []string) bool { return i < len(r) && strings.TrimSpace(r[i]) != "" })
	if len(free) == 0 || n < 0 {
		return ""
	}
	return ask(strings.TrimSpace(records[0][i]), strings.TrimSpace(records[1+n][i]), free)
}

// otherwise tells whether what stands in a column says that it is another field than its heading's: 'network' is a
// name to some, and a subnet to others.
func (s *Sheet) otherwise(records [][]string, i int, f *Field, fields []Field, taken map[string]bool) bool {
	return f.Fits == nil && slices.ContainsFunc(fields, func(o Field) bool {
		return o.Name != f.Name && !taken[o.Name] && o.Fits != nil && slices.Contains(o.Words, key(records[0][i])) &&
			all(records[1:], i, o.Fits)
	})
}

// key is a heading in lower case, its letters and digits only.
func key(heading string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, heading)
}

// all tells whether every cell of a column that is not blank fits, and one is not blank.
func all(records [][]string, i int, fits func(string) bool) bool {
	some := false
	for _, r := range records {
		if i >= len(r) || strings.TrimSpace(r[i]) == "" {
			continue
		}
		if !fits(strings.TrimSpace(r[i])) {
			return false
		}
		some = true
	}
	return some
}

func blank(records [][]string, i int) bool {
	return !slices.ContainsFunc(records, func(r []string) bool { return i < len(r) && strings.TrimSpace(r[i]) != "" })
}

// SafeName makes a name of some words that a plan takes: small letters, digits and signs, with '-' for what stands
// between words. It is "" where nothing is left.
func SafeName(words string) string {
	var b strings.Builder
	dash := false
	for _, r := range words {
		switch {
		case unicode.IsLetter(r) || unicode.IsDigit(r) || r == '.' || r == '_':
			if dash && b.Len() > 0 {
				b.WriteByte('-')
			}
			dash = false
			b.WriteRune(unicode.ToLower(r))
		default:
			dash = true
		}
	}
	return strings.Trim(b.String(), ".")
}
