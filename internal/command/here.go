package command

import (
	"errors"
	"net"
	"net/netip"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/observed"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
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
			w, err := a.numbers()
			if err != nil {
				return err
			}
			own, err := ownAddresses()
			if err != nil {
				return notAsked{err}
			}
			defaults, err := ownDefaults()
			v := view.NewHere(w.Spec, w.Here(own, defaults), a.self())
			if err != nil {
				v.NotLooked = "its default gateway was not looked at: " + err.Error()
			}
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
func ownAddresses() ([]ask.OwnAddress, error) {
	interfaces, err := net.Interfaces()
	if err != nil {
		return nil, err
	}
	var all []ask.OwnAddress
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
			if a = a.Unmap(); !a.IsLoopback() && (!a.IsLinkLocalUnicast() || a.Is4()) {
				length, _ := n.Mask.Size()
				all = append(all, ask.OwnAddress{Interface: i.Name, Prefix: netip.PrefixFrom(a, length), Up: i.Flags&net.FlagUp != 0})
			}
		}
	}
	return all, nil
}

// ownDefaults are the next hops of this machine's default routes; an error where it does not tell.
func ownDefaults() ([]netip.Addr, error) {
	r, err := wire.ReadHere("here")
	if err != nil {
		return nil, err
	}
	if !r.Devices[0].Knows(observed.Routes4) {
		return nil, errors.New("this system does not tell its routes")
	}
	all := []netip.Addr{}
	for _, x := range r.Devices[0].Routes {
		if x.To.Bits() == 0 && x.Table == "" && x.NextHop.IsValid() {
			all = append(all, x.NextHop)
		}
	}
	return all, nil
}

// ownName is what this machine is called: by the plan, where it holds an address of one
// of its devices; else by itself.
func (a *app) ownName() string {
	if w, err := a.usable(); err == nil {
		own, _ := ownAddresses()
		for _, o := range own {
			if holders := w.Spec.HoldersOf(o.Prefix.Addr()); len(holders) > 0 {
				return w.Spec.Devices[w.Spec.Interfaces[holders[0]].Device].Name
			}
		}
	}
	name, _ := os.Hostname()
	if name, _, _ = strings.Cut(name, "."); observed.IsName(name) {
		return name
	}
	return "here"
}
