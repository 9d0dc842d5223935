package command

import (
	"errors"
	"fmt"
	"io/fs"

	"github.com/spf13/cobra"

	"ropeswing/core/finding"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// health is the program without a command: beside a plan its health in three
// lines, else the help.
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
	if len(all) == 0 {
		fmt.Fprintf(a.out, "next: %s show devices\n", a.self())
		return nil
	}
	fmt.Fprintf(a.out, "next: %s check\n", a.self())
	if finding.Count(all, finding.Error) > 0 {
		return errWrong
	}
	return nil
}
