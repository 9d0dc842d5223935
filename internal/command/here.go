package command

import (
	"net"
	"net/netip"

	"github.com/spf13/cobra"

	"ropeswing/internal/view"
)

// here tells where in the plan this machine is, by its addresses.
func (a *app) here() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "here",
		Short:   "Where in the plan is this machine, by its addresses?",
		GroupID: groupReal,
		Long: "Which segment of the plan this machine is on, who it is there, what else it should\n" +
			"hold, and what to try next. Nothing is sent.",
		Example:           "  ropeswing here\n  ropeswing here -o json",
		Args:              noArgs,
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			w, err := a.usable()
			if err != nil {
				return err
			}
			own, err := ownAddresses()
			if err != nil {
				return notAsked{err}
			}
			v := view.NewHere(w.Tables, own, a.self())
			if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); err != nil {
				return err
			}
			if !v.Found {
				return errWrong
			}
			return nil
		},
	}
	a.formatFlags(cmd)
	return cmd
}

// ownAddresses are this machine's addresses that are of use beyond it.
func ownAddresses() ([]view.OwnAddress, error) {
	interfaces, err := net.Interfaces()
	if err != nil {
		return nil, err
	}
	var all []view.OwnAddress
	for _, i := range interfaces {
		addresses, err := i.Addrs()
		if err != nil {
			continue
		}
		for _, x := range addresses {
			n, ok := x.(*net.IPNet)
			if !ok {
				continue
			}
			a, _ := netip.AddrFromSlice(n.IP)
			if a = a.Unmap(); !a.IsLoopback() && !a.IsLinkLocalUnicast() {
				length, _ := n.Mask.Size()
				all = append(all, view.OwnAddress{Interface: i.Name, Prefix: netip.PrefixFrom(a, length), Up: i.Flags&net.FlagUp != 0})
			}
		}
	}
	return all, nil
}
