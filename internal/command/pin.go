package command

import (
	"errors"

	"github.com/spf13/cobra"

	"ropeswing/core/revise"
	"ropeswing/internal/view"
)

func (a *app) pin() *cobra.Command {
	write := false
	cmd := &cobra.Command{
		Use:     "pin DEVICE…",
		Short:   "Write derived routes into the plan, to be kept as they are",
		GroupID: groupPlan,
		Long: "Copy the routes derived for a device into its 'routes'. From then on they are\n" +
			"yours: they stand as written, and what is derived for the others is built\n" +
			"around them. Without -w it only shows what would be written.",
		Example: "  ropeswing pin quay-edge\n  ropeswing pin quay-edge mole-rtr -w",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return errors.New("pin the routes of which device? ropeswing pin DEVICE")
			}
			plan, err := a.toEdit(write)
			if err != nil {
				return err
			}
			defer plan.close()
			w := a.predict(plan.Numbers)
			devices, err := devicesNamed(w.Who, args)
			if err != nil {
				return err
			}
			p, err := revise.Pin(w, devices)
			if err != nil {
				return err
			}
			if write {
				if err := plan.writer.Commit(planChanges(plan.Found, p.Files, p.Edits)...); err != nil {
					return notWritten("the plan", err)
				}
			}
			view.PinText(a.out, args, p, write, a.toWrite(write, "pin", args))
			return nil
		},
		ValidArgsFunction: a.completeDevices,
	}
	cmd.Flags().BoolVarP(&write, "write", "w", false, "write the plan")
	return cmd
}
