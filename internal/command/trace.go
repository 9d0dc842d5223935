package command

import (
	"github.com/spf13/cobra"

	"ropeswing/internal/view"
)

func (a *app) trace() *cobra.Command {
	var j journey
	cmd := &cobra.Command{
		Use:     "trace [FROM] TO",
		Short:   "Predict what traceroute shows, with devices beside addresses",
		GroupID: groupProve,
		Example: "  ropeswing trace tern-cam\n  ropeswing trace desk-7 192.0.2.9 -4\n  ropeswing trace desk-7 tern-cam --without beam-a",
		RunE: func(cmd *cobra.Command, args []string) error {
			w, from, to, trials, passed, err := a.trials(&j, args)
			if err != nil {
				return err
			}
			v := view.NewTrace(w, from.Text, to.Text, a.self(), j.without, trials, passed)
			if v.Next != "" {
				v.Next += a.familyWords() + j.overWords() + a.observedWords()
			}
			if err := a.print(v, v.Hops(), func() { v.Text(a.out, w.Tables, a.width, a.explain) }); err != nil {
				return err
			}
			if !v.Works() {
				return errWrong
			}
			return nil
		},
	}
	a.journeyFlags(cmd, &j)
	return cmd
}
