package command

import (
	"fmt"
	"strings"

	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// savePlan writes the files of a plan with the edits that concern each.
func savePlan(found files.Found, changed []*source.File, edits []plan.Edit) error {
	for _, f := range changed {
		if err := files.Save(found.On(f.Name), plan.Apply(f, edits...)); err != nil {
			return fmt.Errorf("cannot write the plan: %w", err)
		}
	}
	return nil
}

// toWrite is the command that writes what this one has shown; "" where it was
// written.
func (a *app) toWrite(written bool, command string, args []string) string {
	if written {
		return ""
	}
	words := []string{a.self(), command}
	for _, arg := range args {
		words = append(words, view.ShellWord(arg))
	}
	return strings.Join(append(words, "-w"), " ")
}
