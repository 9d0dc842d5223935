package view

import (
	"encoding/json"
	"fmt"
	"strings"
)

// Matching is the rows of a list that have a text in them, in whatever case: in a cell
// of the table or in a value of the data, but for where the plan says it. "" is all.
func Matching[Row any](data []Row, table Table, text string) ([]Row, Table) {
	if text == "" {
		return data, table
	}
	wanted := strings.ToLower(text)
	table.Empty = fmt.Sprintf("nothing here has %q in it", Clean(text))
	cells := func(row []string) bool {
		for c, cell := range row {
			if !isPlace(table.Columns[c].Key) && strings.Contains(strings.ToLower(cell), wanted) {
				return true
			}
		}
		return false
	}
	paired := len(data) == len(table.Rows) // a row of the table for each of the data
	kept, rows := []Row{}, [][]string{}
	for i, x := range data {
		if valueHas(x, wanted) || paired && cells(table.Rows[i]) {
			kept = append(kept, x)
			if paired {
				rows = append(rows, table.Rows[i])
			}
		}
	}
	if !paired {
		for _, row := range table.Rows {
			if cells(row) {
				rows = append(rows, row)
			}
		}
	}
	table.Rows = rows
	return kept, table
}

// valueHas tells whether any value of the data, but no key, has the text in it.
func valueHas(data any, text string) bool {
	raw, err := json.Marshal(data)
	if err != nil {
		return false
	}
	var value any
	if json.Unmarshal(raw, &value) != nil {
		return false
	}
	return hasText(value, text)
}

func hasText(value any, text string) bool {
	switch v := value.(type) {
	case map[string]any:
		for key, x := range v {
			_, number := x.(float64)
			if !isPlace(key) && !(key == "line" && number) && hasText(x, text) {
				return true
			}
		}
		return false
	case []any:
		for _, x := range v {
			if hasText(x, text) {
				return true
			}
		}
		return false
	case float64:
		return strings.Contains(fmt.Sprint(int64(v)), text) // every number in our JSON is whole
	case nil, bool:
		return false
	}
	return strings.Contains(strings.ToLower(fmt.Sprint(value)), text)
}

// isPlace tells whether what stands under a key is where the plan says something: the
// name of its file would match every row. A line is also a kind of cable, in words.
func isPlace(key string) bool { return key == "place" || key == "file" }
