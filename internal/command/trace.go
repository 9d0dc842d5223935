package command

import (
	"errors"

	"github.com/spf13/cobra"

	"ropeswing/internal/view"
)

func (a *app) trace() *cobra.Command {
	var j journey
	var real livePing
	cmd := &cobra.Command{
		Use:     "trace [FROM] TO",
		Short:   "Predict what traceroute shows, with devices beside addresses",
		GroupID: groupProve,
		Example: "  ropeswing trace tern-cam\n  ropeswing trace desk-7 192.0.2.9 -4\n  ropeswing trace desk-7 tern-cam --without beam-a\n  " +
			"ropeswing trace --live tern-cam",
		RunE: func(cmd *cobra.Command, args []string) error {
			if real.on {
				return a.traceLive(&j, &real, args)
			}
			w, x, err := a.trials(&j, args)
			if err != nil {
				return err
			}
			v := view.NewTrace(x, a.self())
			if v.Next != "" {
				v.Next += a.familyWords() + j.overWords() + a.observedWords()
			}
			if err := a.print(v, v.Hops(), func() { v.Text(a.out, w.Network, a.width, a.explain) }); err != nil {
				return err
			}
			if !v.Works() {
				return errWrong
			}
			return nil
		},
	}
	a.journeyFlags(cmd, &j)
	j.probe.AnyPort = true
	a.liveFlags(cmd, &real, "send real probes")
	cmd.Flags().StringVar(&real.probes, "probes", "", "with --live: `KIND` of probes: icmp, or udp; udp where the system permits no other")
	a.must(cmd.RegisterFlagCompletionFunc("probes",
		cobra.FixedCompletions([]cobra.Completion{"icmp", "udp"}, cobra.ShellCompDirectiveNoFileComp)))
	named := cmd.Args
	cmd.Args = func(cmd *cobra.Command, args []string) error {
		switch {
		case real.on && len(args) == 0:
			return errors.New("trace whom? name the targets: ropeswing trace --live TO…")
		case real.on && !j.usual():
			return errors.New("--live sends real probes: it goes with --standing-at, --observed, --probes, -4 and -6 only")
		case real.on:
			return nil
		case real.standing != "" || real.probes != "":
			return errNoLiveTrace
		}
		return named(cmd, args)
	}
	return cmd
}
