package verify

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// Pinged lists what a requirement that reaches these parties pings: of a device its
// main address of each family; of a segment those of its hosts, of its gateways where
// there is no host.
func Pinged(t *routing.Tables, parties []model.Party) []netip.Addr {
	c := &checker{tables: t, spec: t.State.Spec}
	var all []netip.Addr
	for _, e := range c.ends(parties, false) {
		all = append(all, e.address)
	}
	return all
}
