package wire

import (
	"net/netip"
	"unsafe"

	"golang.org/x/sys/windows"

	"ropeswing/core/observed"
)

// systemRoutes are the routes of the system (GetIpForwardTable2 of netioapi.h).
func systemRoutes(names map[int]string) ([]observed.Route, error) {
	var table *windows.MibIpForwardTable2
	if err := windows.GetIpForwardTable2(windows.AF_UNSPEC, &table); err != nil {
		return nil, err
	}
	defer windows.FreeMibTable(unsafe.Pointer(table))
	var all []observed.Route
	for _, row := range table.Rows() {
		to, ok := addressIn(&row.DestinationPrefix.Prefix)
		if !ok || int(row.DestinationPrefix.PrefixLength) > to.BitLen() {
			continue
		}
		x := observed.Route{To: netip.PrefixFrom(to, int(row.DestinationPrefix.PrefixLength)).Masked(), Interface: names[int(row.InterfaceIndex)],
			Source: "static"}
		metric, yes := int(row.Metric), true
		x.Metric, x.Active = &metric, &yes
		if via, ok := addressIn(&row.NextHop); ok && !via.IsUnspecified() {
			x.NextHop = via
		} else if x.To.IsSingleIP() {
			continue // an address of its own, or the broadcast address of a subnet
		} else {
			x.Source = "direct"
		}
		if row.Loopback == 0 {
			all = append(all, x)
		}
	}
	return all, nil
}

// addressIn is the address in a union of addresses; false where it has none.
func addressIn(u *windows.RawSockaddrInet) (netip.Addr, bool) {
	switch u.Family {
	case windows.AF_INET:
		return netip.AddrFrom4((*windows.RawSockaddrInet4)(unsafe.Pointer(u)).Addr), true
	case windows.AF_INET6:
		return netip.AddrFrom16((*windows.RawSockaddrInet6)(unsafe.Pointer(u)).Addr), true
	}
	return netip.Addr{}, false
}
