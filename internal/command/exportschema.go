package command

import (
	"encoding/json"
	"fmt"

	"github.com/spf13/cobra"

	"ropeswing/core/plan"
	"ropeswing/internal/access"
	"ropeswing/internal/keydoc"
	"ropeswing/internal/wire"
)

// filesBeside are the files beside plans whose schema is at hand, by name.
var filesBeside = map[string]keydoc.Page{"access": access.Format, "gear": wire.MapFormat}

// exportSchema is the JSON schema of plans and of the files beside them, for editors. It needs
// no plan.
func (a *app) exportSchema() *cobra.Command {
	var o exportOptions
	cmd := &cobra.Command{
		Use: "schema [plan|access|gear]", Short: "The JSON schema of plans, for editors of YAML", Args: atMost(1),
		ValidArgs: []string{"plan", "access", "gear"},
		Long: "The JSON schema (draft 2020-12) of plans, or of access or gear files, for editors of\nYAML that take one. Write it to a " +
			"file, and name that file to your editor.",
		RunE: func(_ *cobra.Command, args []string) error {
			schema := any(plan.Schema())
			if len(args) > 0 && args[0] != "plan" {
				page, ok := filesBeside[args[0]]
				if !ok {
					return fmt.Errorf("there are the schemas plan, access and gear, not %s", args[0])
				}
				schema = page.Schema()
			}
			text, err := json.MarshalIndent(schema, "", "  ")
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
