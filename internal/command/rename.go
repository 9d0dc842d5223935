package command

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
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
		Example: "  ropeswing rename quay-staff quay-office\n  ropeswing rename mole-rtr:lan0 mole-rtr:eth0 -w",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 2 {
				return errors.New("name both: ropeswing rename OLD NEW")
			}
			found, unlock, err := a.findToWrite(write)
			if err != nil {
				return err
			}
			defer unlock()
			w, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
			if err != nil {
				return err
			}
			r, err := revise.Rename(w, args[0], args[1], ledgerOnly)
			if err != nil {
				return err
			}
			if write {
				if err := saveRename(found, r); err != nil {
					return err
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

// saveRename writes the ledger that knows both names, the plan, and then the
// ledger with the new one: cut short anywhere, no number loses its owner.
func saveRename(found files.Found, r *revise.Renaming) error {
	ledger := workspace.LedgerName(found.Path)
	if r.Under != nil && len(r.Changes) > 0 {
		if err := files.Save(ledger, r.Under.Text()); err != nil {
			return fmt.Errorf("cannot write the ledger: %w; nothing was changed", err)
		}
	}
	if err := savePlan(found, r.Files, r.Edits); err != nil {
		return err
	}
	if r.Next != nil && len(r.Changes) > 0 {
		if err := files.Save(ledger, r.Next.Text()); err != nil {
			return fmt.Errorf("the plan has the new name; the ledger could not be brought to its last state: %w; 'ropeswing assign -w' does it", err)
		}
	}
	return nil
}
