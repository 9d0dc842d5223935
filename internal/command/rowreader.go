package command

import (
	"fmt"

	"ropeswing/core/plan"
	"ropeswing/internal/sheet"
	"ropeswing/internal/view"
)

// rowReader notes what was made of the rows of a sheet, and what is wrong in them.
type rowReader struct {
	told    []string
	wrong   []string
	renamed map[string]bool // that was told of some words
}

func (r *rowReader) bad(row sheet.Row, field, format string, args ...any) {
	r.wrong = append(r.wrong, fmt.Sprintf("%d:%d: ", row.Line, row.Column(field))+fmt.Sprintf(format, args...))
}

func (r *rowReader) tell(row sheet.Row, format string, args ...any) {
	r.told = append(r.told, fmt.Sprintf("line %d: ", row.Line)+fmt.Sprintf(format, args...))
}

// safe is a name that a plan takes, told where it is another than was written.
func (r *rowReader) safe(row sheet.Row, field string) string {
	words := row.Fields[field]
	name := words
	if _, bad := plan.CheckName(words); bad && words != "" {
		name = sheet.SafeName(words)
		if name == "" {
			r.bad(row, field, "it cannot be called %s: there is no letter and no digit in it", words)
		} else if wrong, bad := plan.CheckName(name); bad {
			r.bad(row, field, "it cannot be called %s: it %s", words, wrong)
		} else if !r.renamed[words] {
			if r.renamed == nil {
				r.renamed = map[string]bool{}
			}
			r.renamed[words] = true
			r.tell(row, "'%s' is called %s", words, name)
		}
	}
	return name
}

// tellRows tells what was made of a sheet. It is an error where anything in it is wrong: all of that is told too.
func (a *app) tellRows(path string, s *sheet.Sheet, r *rowReader) error {
	for _, words := range append(s.Told, r.told...) {
		fmt.Fprintln(a.err, view.Clean(path+": "+words))
	}
	if len(r.wrong) == 0 {
		return nil
	}
	for _, w := range r.wrong {
		fmt.Fprintln(a.err, view.Clean(path+":"+w))
	}
	return fmt.Errorf("%s of %s cannot be used; nothing was made of it", view.Count(len(r.wrong), "cell"), path)
}
