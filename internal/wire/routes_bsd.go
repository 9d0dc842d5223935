//go:build darwin || freebsd || netbsd || openbsd || dragonfly

package wire

import (
	"math/bits"
	"net/netip"
	"syscall"

	"golang.org/x/net/route"

	"ropeswing/core/observed"
)

// systemRoutes are the routes of the system (route(4)).
func systemRoutes(names map[int]string) ([]observed.Route, error) {
	rib, err := route.FetchRIB(syscall.AF_UNSPEC, route.RIBTypeRoute, 0)
	if err != nil {
		return nil, err
	}
	messages, err := route.ParseRIB(route.RIBTypeRoute, rib)
	if err != nil {
		return nil, err
	}
	var all []observed.Route
	for _, m := range messages {
		if x, ok := m.(*route.RouteMessage); ok {
			if r, ok := routeOf(x, names); ok {
				all = append(all, r)
			}
		}
	}
	return all, nil
}

// routeOf is one route as observed; false of addresses of the machine's own and of neighbours, which stand in the same table.
func routeOf(m *route.RouteMessage, names map[int]string) (observed.Route, bool) {
	const neighbour = 0x400 // RTF_LLINFO, or RTF_LLDATA
	at := func(n int) route.Addr {
		if n < len(m.Addrs) {
			return m.Addrs[n]
		}
		return nil
	}
	to, ok := addressOfRoute(at(syscall.RTAX_DST))
	if !ok || m.Flags&syscall.RTF_UP == 0 || m.Flags&neighbour != 0 {
		return observed.Route{}, false
	}
	length := to.BitLen()
	if m.Flags&syscall.RTF_HOST == 0 {
		length = maskLength(at(syscall.RTAX_NETMASK))
	}
	yes := true
	x := observed.Route{To: netip.PrefixFrom(to, min(length, to.BitLen())).Masked(), Interface: names[m.Index], Source: "direct", Active: &yes}
	switch via, isAddress := addressOfRoute(at(syscall.RTAX_GATEWAY)); {
	case m.Flags&(syscall.RTF_REJECT|syscall.RTF_BLACKHOLE) != 0:
		x.Discard, x.Interface, x.Source = true, "", "static"
	case m.Flags&syscall.RTF_GATEWAY != 0 && isAddress:
		x.NextHop, x.Source = via, "static"
	case m.Flags&syscall.RTF_HOST != 0:
		return x, false
	}
	return x, true
}

func addressOfRoute(a route.Addr) (netip.Addr, bool) {
	switch x := a.(type) {
	case *route.Inet4Addr:
		return netip.AddrFrom4(x.IP), true
	case *route.Inet6Addr:
		return netip.AddrFrom16(x.IP), true
	}
	return netip.Addr{}, false
}

// maskLength is how many bits of a mask are set: 0 of none, which is the default route's.
func maskLength(a route.Addr) int {
	n := 0
	switch x := a.(type) {
	case *route.Inet4Addr:
		for _, b := range x.IP {
			n += bits.OnesCount8(b)
		}
	case *route.Inet6Addr:
		for _, b := range x.IP {
			n += bits.OnesCount8(b)
		}
	}
	return n
}
