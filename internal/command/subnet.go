package command

import (
	"bufio"
	"errors"
	"fmt"
	"net/netip"

	"github.com/spf13/cobra"

	"ropeswing/core/prefix"
	"ropeswing/internal/view"
)

// subnetOptions are what 'subnet' can be asked beside the facts.
type subnetOptions struct {
	length int
	nth    int64
	list   bool
	mac    string
}

func (a *app) subnet() *cobra.Command {
	var o subnetOptions
	cmd := &cobra.Command{
		Use:     "subnet X…",
		Short:   "The facts of a subnet, and of an address in it",
		GroupID: groupArithmetic,
		Example: "  ropeswing subnet 10.48.1.77/26\n  ropeswing subnet 10.48.1.77 255.255.255.192\n  ropeswing subnet " +
			"2001:db8:5ea:110::1/64\n  ropeswing subnet 10.48.1.0/26 --nth -2\n  ropeswing subnet 2001:db8:5ea:110::/64 --mac " +
			"02:00:5e:10:00:01\n  ropeswing subnet 10.48.1.0/26 10.48.1.64/26",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			all, err := a.subnets(args, o.length, false)
			switch {
			case err != nil:
				return err
			case len(all) == 0:
				return errors.New("name a subnet: ropeswing subnet 10.48.1.0/26")
			case o.nth != 0:
				return a.printNth(all, o.nth)
			case cmd.Flags().Changed("nth"):
				return errors.New("there is no 0th address; --nth 1 is the first, --nth -1 the last")
			case o.list:
				return a.listAddresses(all)
			case o.mac != "":
				return a.printFromMAC(all, o.mac)
			}
			return a.printSubnets(all)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().IntVar(&o.length, "len", -1, "the prefix `LENGTH` of a bare address")
	cmd.Flags().Int64Var(&o.nth, "nth", 0, "print the `N`th usable address; -2 is the last but one")
	cmd.Flags().BoolVar(&o.list, "list", false, "print every usable address")
	cmd.Flags().StringVar(&o.mac, "mac", "", "print the address an interface with this `MAC` makes for itself")
	a.formatFlags(cmd)
	a.explainFlag(cmd, "show the working: the bits of address and mask")
	return cmd
}

// printSubnets prints the facts of each, and how several relate.
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
		if len(all) > 1 {
			view.Relations(a.out, all)
			fmt.Fprintln(a.out)
		}
		for i, p := range all {
			if i > 0 {
				fmt.Fprintln(a.out)
			}
			view.SubnetText(a.out, prefix.FactsOf(p), a.width, a.explain)
		}
	})
}

func (a *app) printNth(all []netip.Prefix, n int64) error {
	for _, p := range all {
		address, ok := prefix.Nth(p, n)
		if !ok {
			return fmt.Errorf("%s has %s usable addresses, and no number %d", p.Masked(), prefix.Usable(p), n)
		}
		fmt.Fprintln(a.out, address)
	}
	return nil
}

// listAddresses streams every usable address.
func (a *app) listAddresses(all []netip.Prefix) error {
	w := bufio.NewWriterSize(a.raw, 1<<16)
	var line []byte
	for _, p := range all {
		for n := int64(1); ; n++ {
			address, ok := prefix.Nth(p, n)
			if !ok {
				break
			}
			line = append(address.AppendTo(line[:0]), '\n')
			if _, err := w.Write(line); err != nil {
				return err
			}
		}
	}
	return w.Flush()
}

// printFromMAC prints what an interface makes of its MAC in each subnet, and
// its link-local address.
func (a *app) printFromMAC(all []netip.Prefix, mac string) error {
	var made []netip.Addr
	for _, p := range append(all[:len(all):len(all)], prefix.LinkLocal) {
		address, err := prefix.FromMAC(p, mac)
		if err != nil {
			return err
		}
		made = append(made, address)
	}
	for i, address := range made {
		what := "link-local"
		if i < len(all) {
			what = "in " + all[i].Masked().String()
		}
		fmt.Fprintf(a.out, "%s  %s\n", address, what)
	}
	return nil
}
