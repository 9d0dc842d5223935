package command

import (
	"fmt"
	"net/netip"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/prefix"
	"ropeswing/internal/view"
)

func (a *app) beside() *cobra.Command {
	var avoid []string
	var now string
	cmd := &cobra.Command{
		Use:     "beside ADDRESS/LEN",
		Short:   "What to give a laptop to talk to a box at a known address",
		GroupID: groupArithmetic,
		Example: "  ropeswing beside 192.168.200.1/24\n  ropeswing beside 10.48.1.98/28 --avoid 10.48.1.99,10.48.1.97\n  ropeswing beside 192.168.200.1/24 --now 10.48.1.106/28,10.48.1.97",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			box, err := a.oneSubnet(args, "ropeswing beside 192.168.200.1/24")
			if err != nil {
				return err
			}
			taken, err := addresses(avoid)
			if err != nil {
				return err
			}
			setting, err := readSetting(now)
			if err != nil {
				return err
			}
			return a.printBeside(box, taken, setting)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().StringSliceVar(&avoid, "avoid", nil, "an `ADDRESS` that is taken; repeatable")
	cmd.Flags().StringVar(&now, "now", "", "the laptop's present `SETTING`: ADDRESS/LEN, or ADDRESS/LEN,GATEWAY")
	a.formatFlags(cmd)
	return cmd
}

func addresses(texts []string) ([]netip.Addr, error) {
	var all []netip.Addr
	for _, t := range texts {
		p, _, err := prefix.Parse(t)
		if err != nil {
			return nil, err
		}
		all = append(all, p.Addr())
	}
	return all, nil
}

// readSetting reads ADDRESS/LEN or ADDRESS/LEN,GATEWAY; nothing is nothing.
func readSetting(text string) (view.Setting, error) {
	if text == "" {
		return view.Setting{}, nil
	}
	own, gateway, _ := strings.Cut(text, ",")
	p, whole, err := prefix.Parse(own)
	switch {
	case err != nil:
		return view.Setting{}, err
	case whole:
		return view.Setting{}, fmt.Errorf("the laptop's present address %s has no prefix length; write %s/24", own, own)
	}
	s := view.Setting{Address: p}
	if gateway = strings.TrimSpace(gateway); gateway != "" {
		if s.Gateway, err = prefix.ParseAddress(gateway); err != nil {
			return view.Setting{}, err
		}
	}
	return s, nil
}

func (a *app) printBeside(box netip.Prefix, taken []netip.Addr, now view.Setting) error {
	if role := prefix.RoleOf(box, box.Addr()); role != prefix.UsableAddress {
		return fmt.Errorf("%s is no machine's address in its subnet; name the box's own", box)
	}
	near, ok := prefix.Beside(box, taken)
	if !ok {
		fmt.Fprintf(a.out, "%s has no other address free\n", box.Masked())
		return errWrong
	}
	v := view.NewBeside(box, near, now)
	return a.print(v, v.Table(), func() { v.Text(a.out, a.width) })
}
