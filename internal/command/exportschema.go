package command

import (
	"encoding/json"

	"github.com/spf13/cobra"

	"ropeswing/core/plan"
)

// exportSchema is the JSON schema of plans, for editors. It needs no plan.
func (a *app) exportSchema() *cobra.Command {
	var o exportOptions
	cmd := &cobra.Command{
		Use: "schema", Short: "The JSON schema of plans, for editors of YAML", Args: noArgs, ValidArgsFunction: cobra.NoFileCompletions,
		Long: "The JSON schema of plans (draft 2020-12), for editors of YAML that take one. Write\nit to a file, and name that file to your editor.",
		RunE: func(*cobra.Command, []string) error {
			text, err := json.MarshalIndent(plan.Schema(), "", "  ")
			if err != nil {
				return err
			}
			return a.put([]output{{text: append(text, '\n')}}, o)
		},
	}
	cmd.Flags().StringVar(&o.to, "to", "", "put it into `FILE` instead of printing it")
	cmd.Flags().BoolVarP(&o.write, "write", "w", false, "with --to: write; without, only say what would change")
	return cmd
}
