package command

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"ropeswing/core/compare"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// draft makes a plan of what was observed.
func (a *app) draft() *cobra.Command {
	to, write := "", false
	cmd := &cobra.Command{
		Use:     "draft STATE",
		Short:   "Draft a plan from what was observed",
		GroupID: groupPlan,
		Long: "Draft a plan from an observed state: segments from subnets that interfaces share,\n" +
			"cables from MAC addresses, routes as they were found. A comment says what was\n" +
			"guessed. It is printed, or with --to FILE -w written, if there is no such file.",
		Example: "  ropeswing draft observed\n  ropeswing draft observed --to site.plan.yaml -w",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 {
				return errors.New("name the state, a folder that 'observe -w' made: ropeswing draft observed")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			devices, _, _, err := a.state(args[0])
			if err != nil {
				return err
			}
			text := compare.Draft(devices)
			switch {
			case to == "" && write:
				return errors.New("-w writes to a file named with --to; name one")
			case to == "" || !write:
				view.Raw(a.out, text)
				return nil
			}
			if err := files.Create(a.at(to), text, a.tell); err != nil {
				return notWritten(to, err)
			}
			fmt.Fprintf(a.err, "%s is written; next: ropeswing -p %s check\n", to, view.ShellWord(to))
			return nil
		},
	}
	cmd.Flags().StringVar(&to, "to", "", "put it into the new `FILE`")
	cmd.Flags().BoolVarP(&write, "write", "w", false, "with --to: write")
	return cmd
}
