//go:build !linux

package wire

import (
	"net"
	"net/netip"

	"ropeswing/core/observed"
)

// ReadHere reads what this machine itself is: its interfaces, addresses and, where its system tells them, its routes.
func ReadHere(device string) (*Reading, error) {
	r := &Reading{Format: "system"}
	d, err := r.of(device)
	if err != nil {
		return nil, err
	}
	interfaces, err := net.Interfaces()
	if err != nil {
		return nil, err
	}
	names := map[int]string{}
	for _, i := range interfaces {
		names[i.Index] = i.Name
		x := d.Interface(i.Name)
		x.Admin, x.Oper = observed.Down, observed.Down
		if i.Flags&net.FlagUp != 0 {
			x.Admin = observed.Up
		}
		if i.Flags&net.FlagRunning != 0 {
			x.Oper = observed.Up
		}
		if i.Flags&net.FlagLoopback != 0 {
			x.Type = "loopback"
		} else {
			x.MTU, x.MAC = i.MTU, i.HardwareAddr.String()
		}
		addresses, err := i.Addrs()
		if err != nil {
			d.Doubt(observed.Addresses4, observed.Addresses6)
			r.unread(0, i.Name, "its addresses are not told: %s", err)
			continue
		}
		for _, a := range addresses {
			n, ok := a.(*net.IPNet)
			if !ok {
				continue
			}
			address, _ := netip.AddrFromSlice(n.IP)
			length, _ := n.Mask.Size()
			if address = address.Unmap(); address.IsValid() && !address.IsLoopback() {
				x.Add(observed.Address{Prefix: netip.PrefixFrom(address, length)})
			}
		}
	}
	d.Learn(observed.Interfaces, observed.Addresses4, observed.Addresses6)
	routes, err := systemRoutes(names)
	if err != nil {
		r.unread(0, "routes", "%s", err)
		return r, r.check()
	}
	for _, x := range routes {
		if to := x.To.Addr(); !to.IsMulticast() && !to.IsLoopback() && !to.IsLinkLocalUnicast() && to != netip.AddrFrom4([4]byte{255, 255, 255, 255}) {
			d.Routes = append(d.Routes, x)
		}
	}
	d.Learn(observed.Routes4, observed.Routes6)
	d.MainTableOnly = true
	return r, r.check()
}
