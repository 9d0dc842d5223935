package prefix

import "net/netip"

// Beside is the address nearest to a known one in its subnet that may be given
// to another machine: not the known one, none of those to avoid, and not the
// first usable one, which is most often the gateway's, unless nothing else is
// left. Higher addresses come before lower ones as far away. It is false where
// the subnet has no other.
func Beside(known netip.Prefix, avoid []netip.Addr) (netip.Addr, bool) {
	taken := map[netip.Addr]bool{known.Addr(): true}
	for _, a := range avoid {
		taken[a] = true
	}
	gateway := First(known)
	up, down := known.Addr(), known.Addr()
	for up.IsValid() || down.IsValid() {
		if up.IsValid() {
			up = up.Next()
		}
		if down.IsValid() {
			down = down.Prev()
		}
		for _, a := range []*netip.Addr{&up, &down} {
			if a.IsValid() && !known.Contains(*a) {
				*a = netip.Addr{}
			}
			if a.IsValid() && !taken[*a] && *a != gateway && RoleOf(known, *a) == UsableAddress {
				return *a, true
			}
		}
		// What is not free is in taken or among the few that are kept back, so
		// this ends soon even in a subnet of IPv6.
	}
	if !taken[gateway] {
		return gateway, true
	}
	return netip.Addr{}, false
}
