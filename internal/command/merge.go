package command

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/prefix"
	"ropeswing/internal/view"
)

func (a *app) merge() *cobra.Command {
	one := false
	cmd := &cobra.Command{
		Use:     "merge PREFIX…",
		Short:   "The fewest subnets that cover exactly the same",
		GroupID: groupArithmetic,
		Example: "  ropeswing merge 10.48.0.0/24 10.48.1.0/24 10.48.2.0/23\n  ropeswing merge - <prefixes.txt\n  ropeswing merge --one " +
			"10.48.1.0/26 10.48.1.128/26",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if len(args) == 0 {
				args = []string{"-"}
			}
			all, err := a.subnets(args, -1, true)
			switch {
			case err != nil:
				return err
			case len(all) == 0:
				return errors.New("there is nothing to merge; name subnets, or write them to standard input")
			}
			if loose := countLoose(all); loose > 0 {
				fmt.Fprintf(a.err, "%s had host bits, and stood for the subnet around it\n", view.Count(loose, "address"))
			}
			if one {
				return a.printAround(all)
			}
			merged := prefix.Merge(all)
			if err := a.printMerged(merged); err != nil || !a.explain || a.format != formatTable || a.only != "" {
				return err
			}
			view.MergeWorking(a.out, all, merged, a.width)
			return nil
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().BoolVar(&one, "one", false, "the smallest single subnet that covers all, and what it takes in besides")
	a.explainFlag(cmd, "say of each which become one, and why others do not")
	a.formatFlags(cmd)
	return cmd
}

// countLoose is how many are addresses in a subnet rather than subnets.
func countLoose(all []netip.Prefix) int {
	n := 0
	for _, p := range all {
		if p != p.Masked() {
			n++
		}
	}
	return n
}

func (a *app) printMerged(all []netip.Prefix) error {
	data, table := view.Prefixes(all)
	return a.print(data, table, func() {
		var b []byte
		for _, p := range all {
			b = append(p.AppendTo(b), '\n')
		}
		a.raw.Write(b)
	})
}

// printAround prints the one subnet around all, and what else is in it.
func (a *app) printAround(all []netip.Prefix) error {
	for _, p := range all {
		if p.Addr().Is4() != all[0].Addr().Is4() {
			return errors.New("no one subnet covers both IPv4 and IPv6; merge each family alone")
		}
	}
	around := prefix.Around(all)
	besides := prefix.Without(around, all)
	data, table := view.Around(around, besides)
	return a.print(data, table, func() {
		fmt.Fprintln(a.out, around)
		if len(besides) == 0 {
			fmt.Fprintln(a.out, "takes in nothing besides")
			return
		}
		var texts []string
		for _, p := range besides {
			texts = append(texts, p.String())
		}
		view.Labelled(a.out, a.width, "takes in besides: ", strings.Join(texts, ", "), "  ")
	})
}
