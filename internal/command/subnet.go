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

func (a *app) subnet() *cobra.Command {
	length := -1
	cmd := &cobra.Command{
		Use:     "subnet X…",
		Short:   "The facts of a subnet, and of an address in it",
		GroupID: groupArithmetic,
		Example: "  ropeswing subnet 10.48.1.77/26\n  ropeswing subnet 10.48.1.77 255.255.255.192\n  ropeswing subnet 2001:db8:5ea:110::1/64\n  ropeswing subnet 10.48.1.77/26 --only broadcast",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			all, err := subnetsFrom(args, length)
			if err != nil {
				return err
			}
			return a.printSubnets(all)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().IntVar(&length, "len", -1, "the prefix `LENGTH` of a bare address")
	a.formatFlags(cmd)
	a.explainFlag(cmd, "show the working: the bits of address and mask")
	return cmd
}

// subnetsFrom reads the arguments; a mask behind a bare address belongs to it.
func subnetsFrom(args []string, length int) ([]netip.Prefix, error) {
	if len(args) == 0 {
		return nil, errors.New("name a subnet: ropeswing subnet 10.48.1.0/26")
	}
	var all []netip.Prefix
	for i := 0; i < len(args); i++ {
		text := args[i]
		if i+1 < len(args) && !strings.ContainsAny(text, "/ ") && isMask(text, args[i+1]) {
			text += " " + args[i+1]
			i++
		}
		p, whole, err := prefix.Parse(text)
		switch {
		case err != nil:
			return nil, err
		case whole && length >= 0:
			if length > p.Addr().BitLen() {
				return nil, fmt.Errorf("--len %d is no prefix length for %s", length, text)
			}
			p = netip.PrefixFrom(p.Addr(), length)
		case whole && !strings.Contains(text, "/"):
			return nil, fmt.Errorf("%s has no prefix length; write %s/24, or a mask behind it, or --len 24", text, text)
		}
		all = append(all, p)
	}
	return all, nil
}

// isMask tells whether next is the mask of the bare address before it.
func isMask(address, next string) bool {
	_, _, err := prefix.Parse(address + " " + next)
	m, maskErr := prefix.ParseAddress(strings.Trim(next, ",'\""))
	return maskErr == nil && m.Is4() && (err == nil || strings.HasPrefix(next, "255.") || strings.HasPrefix(next, "0."))
}

func (a *app) printSubnets(all []netip.Prefix) error {
	var data []view.Subnet
	for _, p := range all {
		data = append(data, view.NewSubnet(prefix.FactsOf(p)))
	}
	var shape any = data
	if len(data) == 1 {
		shape = data[0]
	}
	return a.print(shape, view.SubnetTable(data), func() {
		for i, p := range all {
			if i > 0 {
				fmt.Fprintln(a.out)
			}
			view.SubnetText(a.out, prefix.FactsOf(p), a.width, a.explain)
		}
	})
}
