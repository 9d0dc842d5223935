package files

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
)

// Row is one row of a CSV file: the fields of the columns asked for, "" where
// the file has no such column.
type Row struct {
	Fields map[string]string
	Where  string // for messages: "file:line: "

	place string         // the file and the line
	at    map[string]int // by column that is there: where its field begins, from 1, in bytes
}

// In is a field's place, for messages: "file:line:column: "; that of the row where it has none.
func (r *Row) In(field string) string {
	if at, ok := r.at[field]; ok {
		return fmt.Sprintf("%s:%d: ", r.place, at)
	}
	return r.Where
}

// ReadTable reads CSV with a header that names its columns, in any order and
// among others; '#' begins a line that is a remark. Shown is what messages call
// the file. Every needed column must be there, and every row as long as they
// want.
func ReadTable(r io.Reader, shown string, needed, optional []string) ([]Row, error) {
	rows := csv.NewReader(r)
	rows.TrimLeadingSpace, rows.Comment, rows.FieldsPerRecord = true, '#', -1
	header, err := rows.Read()
	if err != nil {
		return nil, fmt.Errorf("%s: there is no header; its first line names the columns %s", shown, strings.Join(needed, " and "))
	}
	for i := range header {
		header[i] = strings.ToLower(strings.TrimSpace(strings.TrimPrefix(header[i], "\ufeff")))
	}
	at := map[string]int{}
	for _, name := range slices.Concat(needed, optional) {
		at[name] = slices.Index(header, name)
	}
	for _, name := range needed {
		if at[name] < 0 {
			return nil, fmt.Errorf("%s:1: the header has %s, and no columns called %s", shown, strings.Join(header, ", "),
				strings.Join(needed, " and "))
		}
	}
	var all []Row
	for {
		fields, err := rows.Read()
		if err == io.EOF {
			return all, nil
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", shown, err)
		}
		line, _ := rows.FieldPos(0)
		place := fmt.Sprintf("%s:%d", shown, line)
		row := Row{map[string]string{}, place + ": ", place, map[string]int{}}
		for name, i := range at {
			switch {
			case i < 0:
			case i < len(fields):
				row.Fields[name] = strings.TrimSpace(fields[i])
				if at, column := rows.FieldPos(i); at == line {
					row.at[name] = column
				}
			case slices.Contains(needed, name):
				return nil, fmt.Errorf("%sthe row has %d of the header's %d fields", row.Where, len(fields), len(header))
			}
		}
		all = append(all, row)
	}
}
