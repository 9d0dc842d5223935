package command

import (
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"ropeswing/core/compare"
	"ropeswing/core/observed"
	"ropeswing/core/source"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// draft makes a plan of what was observed.
func (a *app) draft() *cobra.Command {
	to, into, write := "", "", false
	cmd := &cobra.Command{
		Use:     "draft STATE",
		Short:   "Draft a plan from what was observed",
		GroupID: groupPlan,
		Long: "Draft a plan from an observed state: segments from subnets that interfaces share,\n" +
			"cables from MAC addresses, routes as they were found. A comment says what was\n" +
			"guessed. It is printed, or with --to FILE -w written, if there is no such file.\n" +
			"With --into PLAN what was found is laid over that plan: devices are matched by name,\n" +
			"by address and by who says that they are at the other end; what only was found is\n" +
			"added in the plan's names, descriptions are kept, and nothing planned is changed.",
		Example: "  ropeswing draft observed\n  ropeswing draft observed --to site.plan.yaml -w\n  ropeswing draft observed --into skerry.plan.yaml",
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
			if into != "" {
				if to != "" {
					return errors.New("--to makes a new plan, and --into lays it over one that there is: say one of them")
				}
				a.plan = into
				return a.draftInto(args[0], devices, write)
			}
			a.tellHalf(devices)
			text := compare.Draft(devices)
			switch {
			case to == "" && write:
				return errors.New("-w writes to a file named with --to or --into; name one")
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
	cmd.Flags().StringVar(&into, "into", "", "lay it over the plan `PLAN`")
	cmd.Flags().BoolVarP(&write, "write", "w", false, "with --to or --into: write")
	return cmd
}

// draftInto lays what was found over a plan.
func (a *app) draftInto(state string, devices []*observed.Device, write bool) error {
	plan, err := a.toEdit(write)
	if err != nil {
		return err
	}
	defer plan.close()
	a.tellHalf(devices)
	x := compare.DraftInto(plan.Document, a.predict(plan.Numbers).Network, devices)
	if after := plan.Edited(plan.LedgerText(), x.Edits...); !after.Usable() {
		slips := after.Slips()
		return fmt.Errorf("what was found does not fit into %s: %s; write it beside with --to, and take over what you need", plan.Shown,
			slips[0].Reason)
	}
	next := ""
	if write && len(x.Edits) > 0 {
		var changed []*source.File
		for _, e := range x.Edits {
			if !slices.Contains(changed, e.Place.File) {
				changed = append(changed, e.Place.File)
			}
		}
		if err := plan.writer.Commit(planChanges(plan.Found, changed, x.Edits)...); err != nil {
			return notWritten("the plan", err)
		}
	} else if len(x.Edits) > 0 {
		next = "ropeswing draft " + view.ShellWord(state) + " --into " + view.ShellWord(plan.Shown) + " -w"
	}
	view.DraftedInto(a.out, x, plan.Shown, state, next)
	return nil
}

// tellHalf tells of devices of which only a part is known: what is drafted of them is that part.
func (a *app) tellHalf(devices []*observed.Device) {
	for _, line := range view.HalfKnown(devices) {
		a.tell("not known, and left out: " + line)
	}
}
