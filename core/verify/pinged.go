package verify

import (
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Pinged lists what a requirement that reaches these parties pings: of a device its
// main address of each family; of a segment those of its hosts, of its gateways where
// there is no host.
func Pinged(net *forward.Network, parties []model.Party) []netip.Addr {
	c := &checker{net: net, spec: net.Spec}
	var all []netip.Addr
	for _, e := range c.ends(parties, false) {
		all = append(all, e.address)
	}
	return all
}
