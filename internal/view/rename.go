package view

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/plan"
	"ropeswing/core/revise"
)

// RenameText writes what a rename changes: the lines of the plan, and the
// numbers that go with the name.
func RenameText(w io.Writer, names []assign.Rename, r *revise.Renaming, written bool, next string) {
	old, to := names[0].Old, names[0].New
	head := fmt.Sprintf("%s becomes %s: %s in the plan, %s in the ledger", old, to, Count(len(r.Edits), "place"),
		Count(len(r.Changes), "number"))
	if n := len(names) - 1; n > 0 {
		head = strings.Replace(head, ": ", fmt.Sprintf(", and %d more likewise: ", n), 1)
	}
	if written {
		head = "written: " + head
	}
	fmt.Fprintln(w, good.Render(Clean(head)))
	for _, f := range r.Files {
		lines := strings.Split(string(f.Text), "\n")
		changed := strings.Split(string(plan.Apply(f, r.Edits...)), "\n")
		for n := range lines {
			if n < len(changed) && lines[n] != changed[n] {
				fmt.Fprintln(w, "  "+faint.Render(fmt.Sprintf("%s:%d", Clean(f.Name), n+1)))
				fmt.Fprintln(w, "  "+bad.Render("-")+Clean(strings.TrimRight(lines[n], "\r")))
				fmt.Fprintln(w, "  "+good.Render("+")+Clean(strings.TrimRight(changed[n], "\r")))
			}
		}
	}
	var numbers []string
	for _, c := range r.Changes {
		numbers = append(numbers, c.Entry.Number())
	}
	if slices.Sort(numbers); len(numbers) > 0 {
		labelled(w, 80, "  ledger: ", strings.Join(numbers, ", "), "          ")
	}
	if next != "" {
		fmt.Fprintln(w, "next: "+next)
	}
}
