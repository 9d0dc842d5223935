package command

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"github.com/spf13/cobra"

	"ropeswing/core/finding"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// health is the program without a command: beside a plan its health and what to
// do next, else the help.
func (a *app) health(cmd *cobra.Command) error {
	if a.plan == "" && a.getenv("ROPESWING_PLAN") == "" {
		if _, err := files.FindPlan(a.dir); errors.Is(err, fs.ErrNotExist) {
			return cmd.Help()
		}
	}
	w, err := a.open()
	if err != nil {
		return err
	}
	v := a.checked(w)
	all := v.All
	fmt.Fprintln(a.out, view.Clean(v.Headline()))
	if !w.Usable() {
		fmt.Fprintf(a.out, "%s\nnext: %s check\n", view.Clean(all[0].String()), a.self())
		return errSaid
	}
	fmt.Fprintf(a.out, "%s: %s\n", view.Clean(v.File), view.Clean(v.Summary))
	for i, next := range a.nextCommands(w, all) {
		lead := "next: "
		if i > 0 {
			lead = "      "
		}
		fmt.Fprintf(a.out, "%s%s %s\n", lead, a.self(), next)
	}
	if finding.Count(all, finding.Error) > 0 {
		return errWrong
	}
	return nil
}

// mostNext is how many commands are offered.
const mostNext = 3

// nextCommands are the commands that are of most use now: what is wrong, what is open, then a look.
func (a *app) nextCommands(w *workspace.Numbers, all []finding.Finding) []string {
	var next []string
	if len(all) > 0 {
		next = append(next, "check")
	}
	if slices.ContainsFunc(all, func(f finding.Finding) bool { return f.Name == finding.LedgerBehind }) {
		next = append(next, "assign")
	}
	if _, host := a.firstPing(w); host != "" {
		next = append(next, "ping "+view.ShellWord(host))
	}
	next = append(next, "draw subnets", "reach --failures 1")
	return next[:min(mostNext, len(next))]
}
