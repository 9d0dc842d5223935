package command

import (
	"errors"

	"github.com/spf13/cobra"

	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

func (a *app) rename() *cobra.Command {
	var write, ledgerOnly bool
	cmd := &cobra.Command{
		Use:     "rename OLD NEW",
		Short:   "Give anything in the plan another name; its numbers stay with it",
		GroupID: groupPlan,
		Long: "Change the name of a device, segment, block, cable or interface everywhere in\n" +
			"the plan, and in the ledger, so that every number stays with what it was given\n" +
			"to. Without -w it only shows what would change.",
		Example: "  ropeswing rename quay-staff quay-office\n  ropeswing rename tern-rock:lan0 tern-rock:eth0 -w",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 2 {
				return errors.New("name both: ropeswing rename OLD NEW")
			}
			found, writer, err := a.findToWrite(write)
			if err != nil {
				return err
			}
			if writer != nil {
				defer writer.Close()
			}
			w, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
			if err != nil {
				return err
			}
			r, err := revise.Rename(w, args[0], args[1], ledgerOnly)
			if err != nil {
				return err
			}
			if write {
				changes := planChanges(found, r.Files, r.Edits)
				if r.Next != nil && len(r.Changes) > 0 {
					changes = append(changes, ledgerChange(found, w.Ledger, r.Next))
				}
				if err := writer.Commit(changes...); err != nil {
					return notWritten("the plan", err)
				}
			}
			again := "rename"
			if ledgerOnly {
				again = "rename --ledger-only"
			}
			view.RenameText(a.out, args[0], args[1], r, write, a.toWrite(write, again, args))
			return nil
		},
		ValidArgsFunction: a.completeNames,
	}
	cmd.Flags().BoolVarP(&write, "write", "w", false, "write the plan and the ledger")
	cmd.Flags().BoolVar(&ledgerOnly, "ledger-only", false, "the plan was changed by hand; change the ledger only")
	return cmd
}
