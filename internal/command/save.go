package command

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// planChanges are the files of a plan with the edits that concern each.
func planChanges(found files.Found, changed []*source.File, edits []plan.Edit) []files.Change {
	var all []files.Change
	for _, f := range changed {
		all = append(all, files.Change{Path: found.On(f.Name), Text: plan.Apply(f, edits...), Was: f.Text, There: true})
	}
	return all
}

// ledgerChange is a plan's ledger with other numbers in it; was is the one that was read,
// nil where there was none.
func ledgerChange(found files.Found, was, next *assign.Ledger) files.Change {
	c := files.Change{Path: workspace.LedgerName(found.Path), Text: next.Text()}
	if was != nil {
		c.Was, c.There = was.File.Text, true
	}
	return c
}

// notWritten is the error of a file that could not be written, by the name it was given.
func notWritten(name string, err error) error {
	var unfinished files.Unfinished
	if errors.As(err, &unfinished) {
		return err
	}
	var cause *fs.PathError
	if errors.As(err, &cause) {
		err = cause.Err
	}
	if errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s is there already: name another file", name)
	}
	return fmt.Errorf("cannot write %s: %w", name, err)
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
