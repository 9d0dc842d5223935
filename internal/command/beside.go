package command

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/prefix"
	"ropeswing/internal/view"
)

func (a *app) beside() *cobra.Command {
	var avoid []string
	var now string
	cmd := &cobra.Command{
		Use:     "beside ADDRESS/LEN [DEVICE] | DEVICE",
		Short:   "What to give a laptop to talk to a box at a known address",
		GroupID: groupArithmetic,
		Long: "What to give a laptop to talk to a box at a known address: that of the factory, or\n" +
			"of a device of the plan. With both, it also says what to give the box then, and\n" +
			"the laptop after that. Where there is a plan, no address of it is taken.",
		Example: "  ropeswing beside 192.168.200.1/24\n  ropeswing beside 192.168.200.1/24 quay-sw1        # a new box that becomes quay-sw1\n" +
			"  ropeswing beside quay-sw1 --avoid 10.48.1.99\n  ropeswing beside 192.168.200.1/24 --now 10.48.1.106/28,10.48.1.97\n  ropeswing " +
			"beside 192.168.200.1/24 --now dhcp",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			return a.runBeside(args, avoid, now)
		},
		ValidArgsFunction: a.completeDevices,
	}
	cmd.Flags().StringSliceVar(&avoid, "avoid", nil, "an `ADDRESS` that is taken; repeatable")
	cmd.Flags().StringVar(&now, "now", "", "the laptop's present `SETTING`, to put back: ADDRESS/LEN, or ADDRESS/LEN,GATEWAY, or dhcp")
	a.explainFlag(cmd, "show why they hear each other: the bits of both addresses")
	a.formatFlags(cmd)
	return cmd
}

func (a *app) runBeside(args []string, avoid []string, now string) error {
	const example = "ropeswing beside 192.168.200.1/24"
	x := view.BesideAsked{}
	var who *ask.Who // nil without a plan
	if n, ok := a.quietly(); ok {
		who = &n.Who
	}
	if last := len(args) - 1; last >= 0 && !strings.ContainsAny(args[last], "./:") { // a device's name
		n, err := a.numbers()
		if err != nil {
			return err
		}
		d, err := n.Device(args[last])
		if err != nil {
			return err
		}
		planned, ok := n.PlannedSetting(d)
		if !ok {
			return fmt.Errorf("%s has no address in the plan", args[last])
		}
		if x.Device, x.Planned = args[last], planned; last == 0 {
			x.Box, x.Planned = planned.Address, ask.Setting{}
		}
		args = args[:last]
	}
	if !x.Box.IsValid() {
		var err error
		if x.Box, err = a.oneSubnet(args, example); err != nil {
			return err
		}
	} else if len(args) > 0 {
		return errors.New("name one: " + example)
	}
	for _, t := range avoid {
		p, _, err := prefix.Parse(t)
		if err != nil {
			return err
		}
		x.Taken = append(x.Taken, prefix.Range{First: p.Addr(), Last: p.Addr()})
	}
	var err error
	if x.Now, x.DHCP, err = readSetting(now); err != nil {
		return err
	}
	if who != nil && x.Now.Address.IsValid() {
		x.Holder = who.HolderIn(x.Now.Address.Addr())
	}
	return a.printBeside(x, who)
}

// dhcp is the word for an address that is leased.
const dhcp = "dhcp"

// readSetting reads ADDRESS/LEN or ADDRESS/LEN,GATEWAY, or that the address is leased;
// nothing is nothing. What no machine could have is refused: it is to be put back.
func readSetting(text string) (s ask.Setting, leased bool, err error) {
	if text == "" || strings.EqualFold(text, dhcp) {
		return s, text != "", nil
	}
	own, gateway, _ := strings.Cut(text, ",")
	p, whole, err := prefix.Parse(own)
	switch {
	case err != nil:
		return s, false, err
	case whole && !strings.Contains(own, "/"):
		return s, false, fmt.Errorf("the laptop's present address %s has no prefix length; write %s/%d", own, own, usual(own))
	case prefix.RoleOf(p, p.Addr()) != prefix.UsableAddress:
		return s, false, fmt.Errorf("the laptop's present address cannot be %s: it is no machine's address in its subnet", p)
	}
	s.Address = p
	if gateway = strings.TrimSpace(gateway); gateway != "" {
		if s.Gateway, err = prefix.ParseAddress(gateway); err != nil {
			return s, false, err
		}
		switch {
		case s.Gateway == p.Addr():
			return s, false, fmt.Errorf("the laptop's present gateway %s is its own address", s.Gateway)
		case !p.Contains(s.Gateway) && !s.Gateway.IsLinkLocalUnicast():
			return s, false, fmt.Errorf("the laptop's present gateway %s is not in its subnet, %s", s.Gateway, p.Masked())
		}
	}
	return s, false, nil
}

func (a *app) printBeside(x view.BesideAsked, who *ask.Who) error {
	near := func(box netip.Prefix, also ...netip.Addr) (netip.Addr, error) {
		if role := prefix.RoleOf(box, box.Addr()); role != prefix.UsableAddress {
			return netip.Addr{}, fmt.Errorf("%s is no machine's address in its subnet; name the box's own", box)
		}
		taken := x.Taken
		for _, a := range also {
			if a.IsValid() {
				taken = append(taken, prefix.Range{First: a, Last: a})
			}
		}
		if who != nil {
			taken = append(taken, who.Spec.TakenIn(box.Masked())...)
		}
		free, ok := prefix.Beside(box, taken)
		if !ok {
			fmt.Fprintf(a.out, "%s has no other address free\n", box.Masked())
			return free, errWrong
		}
		return free, nil
	}
	var err error
	if x.Near, err = near(x.Box); err != nil {
		return err
	}
	if x.Planned.Address.IsValid() && !x.Planned.Address.IsSingleIP() {
		if x.NearThen, err = near(x.Planned.Address, x.Planned.Gateway); err != nil {
			return err
		}
	}
	v := view.NewBeside(x)
	return a.print(v, v.Table(), func() {
		v.Text(a.out, a.width)
		if a.explain {
			view.BesideWorking(a.out, x, a.width)
		}
	})
}
