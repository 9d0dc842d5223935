package command

import (
	"fmt"

	"github.com/spf13/cobra"

	"ropeswing/core/finding"
	"ropeswing/internal/view"
)

func (a *app) why() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "why [FINDING]",
		Short:   "Explain a finding with its smallest example; alone, list them all",
		GroupID: groupLook,
		Example: "  ropeswing why next-hop-unresolvable\n  ropeswing why forwarding-loop\n  ropeswing why",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if len(args) == 0 {
				data, table := view.Catalogue(finding.Catalogue())
				return a.print(data, table, func() { table.Text(a.out, a.width, "", a.wide) })
			}
			for _, e := range finding.Catalogue() {
				if string(e.Name) == args[0] {
					data, table := view.Catalogue([]finding.Entry{e})
					return a.print(data[0], table, func() { view.Entry(a.out, e, a.width) })
				}
			}
			if near, ok := finding.Nearest(args[0], finding.Names()); ok {
				return fmt.Errorf("there is no finding called %s; did you mean %s?", args[0], near)
			}
			return fmt.Errorf("there is no finding called %s; 'ropeswing why' lists them", args[0])
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return finding.Names(), cobra.ShellCompDirectiveNoFileComp
		},
	}
	a.formatFlags(cmd)
	return cmd
}
