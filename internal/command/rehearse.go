package command

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"
)

// rehearsalOptions are what to do in a rehearsal.
type rehearsalOptions struct {
	from, to  string
	without   []string
	failures  int
	stay      bool
	join      bool
	shell     string
	at        string
	capture   string
	puzzle    uint64
	standIns  bool // the devices answer as stand-ins
	simulated bool // a puzzle is by the plain model

	words []string // behind the command: a command to run at a device, or the file of a capture
}

func (a *app) rehearse() *cobra.Command {
	var o rehearsalOptions
	cmd := &cobra.Command{
		Use:     "rehearse [-- COMMAND…]",
		Short:   "Make the plan real on this machine, and see it tried",
		GroupID: groupReal,
		Long: "Make every device of the plan a network namespace of this Linux machine, with its\n" +
			"addresses, routes, watches, permits and translations in the kernel's own forwarding;\n" +
			"then ping everyone from everyone, trace, do the plan's requirements, and tell what is\n" +
			"not as predicted. Nothing outside the namespaces is touched, nothing of it has a name\n" +
			"in the system, and all is gone when the command ends, however it ends. Root is not\n" +
			"needed where the system lets users make namespaces.\n\n" +
			"With --stay a prompt follows: cut and mend cables, restart devices, ping, look into a\n" +
			"device. With --shell, or words behind '--', you stand at a device yourself.\n\n" +
			"--puzzle is for practice: one slip is planted in what is rehearsed, and not told. Look\n" +
			"with ping, trace and show, mend it by typing a change; you are told whether that was\n" +
			"it, in how many looks. With --simulated it is by the plain model, without a kernel.",
		Example: "  ropeswing rehearse\n  ropeswing rehearse --failures 1\n  ropeswing rehearse --stay\n  ropeswing rehearse --puzzle 7\n  ropeswing rehearse --shell " +
			"quay-edge\n  ropeswing rehearse --at tern-rock -- ip route\n  ropeswing rehearse --stand-ins --shell ops-laptop\n  ropeswing " +
			"rehearse --capture quay-edge:wan0 wan0.pcapng",
		Args: func(_ *cobra.Command, args []string) error {
			switch {
			case o.capture != "" && len(args) != 1:
				return errors.New("name the file to write to: ropeswing rehearse --capture quay-edge:wan0 wan0.pcapng")
			case o.capture == "" && len(args) > 0 && (o.shell != "" || o.stay || o.join):
				return fmt.Errorf("a command to run goes with --at, not with --shell, --stay or --join: %q", args[0])
			}
			o.words = args
			return nil
		},
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if o.failures < 0 || o.failures > 1 {
				return errors.New("--failures is 1: every cable is cut in turn")
			}
			if cmd.Flags().Changed("puzzle") {
				return a.puzzle(o.puzzle, o.simulated)
			}
			if o.simulated {
				return errors.New("--simulated goes with --puzzle")
			}
			return a.rehearsal(&o)
		},
	}
	cmd.Flags().StringVar(&o.from, "from", "", "only ask from `WHO`: a device, segment, group or everyone")
	cmd.Flags().StringVar(&o.to, "to", "", "only ask `WHO`, the same")
	cmd.Flags().IntVar(&o.failures, "failures", 0, "and with every cable cut in turn, where `N` is 1")
	cmd.Flags().Uint64Var(&o.puzzle, "puzzle", 0, "find and mend a slip: that of the number `SEED`, or with 0 one by chance")
	cmd.Flags().BoolVar(&o.simulated, "simulated", false, "with --puzzle: by the plain model, where no kernel can be had")
	cmd.Flags().BoolVar(&o.stay, "stay", false, "keep it, at a prompt: cut, mend, restart, ping, shell and more")
	cmd.Flags().BoolVar(&o.join, "join", false, "a prompt of the rehearsal that runs in another terminal")
	cmd.Flags().StringVar(&o.shell, "shell", "", "stand at `DEVICE`: your shell, with its network")
	cmd.Flags().StringVar(&o.at, "at", "", "run the command behind '--' at `DEVICE`; at the operator's unless said")
	cmd.Flags().StringVar(&o.capture, "capture", "", "write what passes `DEVICE:INTERFACE` meanwhile to a file (pcapng)")
	cmd.Flags().BoolVar(&o.standIns, "stand-ins",
		false, "the devices answer SNMP and NETCONF at their own addresses, and what is set there takes effect")
	for _, name := range []string{"shell", "at"} {
		a.must(cmd.RegisterFlagCompletionFunc(name, a.completeDevices))
	}
	for _, name := range []string{"from", "to"} {
		a.must(cmd.RegisterFlagCompletionFunc(name, a.completeParties))
	}
	a.must(cmd.RegisterFlagCompletionFunc("capture", a.completeParts))
	a.withoutFlag(cmd, &o.without)
	a.withFlag(cmd)
	a.formatFlags(cmd)
	return cmd
}
