package command

import (
	"errors"
	"fmt"
	"net/netip"
	"os"
	"slices"
	"strings"

	"ropeswing/core/plan"
	"ropeswing/internal/wire"
)

// startHere is a plan of this machine: its interfaces with their addresses, and a router at each
// next hop of its default routes.
func startHere(title string) ([]byte, error) {
	name, _ := os.Hostname()
	name, _, _ = strings.Cut(name, ".")
	if _, bad := plan.CheckName(name); bad || name == "" {
		name = "this-machine"
	}
	r, err := wire.ReadHere(name)
	if err != nil {
		return nil, err
	}
	if len(r.Devices) == 0 {
		return nil, errors.New("this machine says nothing of itself")
	}
	d := r.Devices[0]
	var segments, devices, gateways strings.Builder
	fmt.Fprintf(&devices, "  %s:\n    is: host\n    interfaces:\n", name)
	count := 0
	for _, i := range d.Interfaces {
		var own, subnets []string
		for _, x := range i.Addresses {
			if x.Addr().IsLoopback() || x.Addr().IsLinkLocalUnicast() || x.IsSingleIP() ||
				slices.Contains(subnets, fmt.Sprintf("%q", x.Masked())) {
				continue
			}
			own, subnets = append(own, fmt.Sprintf("%q", x.Addr())), append(subnets, fmt.Sprintf("%q", x.Masked()))
		}
		if len(own) == 0 {
			continue
		}
		count++
		segment := fmt.Sprintf("lan-%d", count)
		fmt.Fprintf(&segments, "  %s: {prefix: [%s]}\n", segment, strings.Join(subnets, ", "))
		fmt.Fprintf(&devices, "      %q: {segment: %s, address: [%s]}\n", i.Name, segment, strings.Join(own, ", "))
		var hops []string
		for _, route := range d.Routes {
			if route.To.Bits() == 0 && route.Interface == i.Name && route.NextHop.IsValid() && within(i.Addresses, route.NextHop) &&
				!slices.Contains(hops, fmt.Sprintf("%q", route.NextHop)) {
				hops = append(hops, fmt.Sprintf("%q", route.NextHop))
			}
		}
		if len(hops) > 0 {
			fmt.Fprintf(&gateways, "  gateway-%d: {is: router, interfaces: {\"to-%s\": {segment: %s, address: [%s]}}}\n", count, i.Name, segment,
				strings.Join(hops, ", "))
		}
	}
	if count == 0 {
		return nil, errors.New("this machine has no address beside its loopback and link-local ones")
	}
	return fmt.Appendf(nil, "ropeswing: %d\nplan: %q\noperator: %s   # the host you sit at\n\nsegments:\n%s\ndevices:\n%s%s", plan.Version,
		title, name, &segments, &devices, &gateways), nil
}

// within tells whether an address lies in a subnet of an interface.
func within[A interface{ Contains(netip.Addr) bool }](all []A, a netip.Addr) bool {
	return slices.ContainsFunc(all, func(x A) bool { return x.Contains(a) })
}
