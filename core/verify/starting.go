package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Asked is a requirement that starts at one host, as far as a ping from there can tell
// whether it holds.
type Asked struct {
	Requirement *model.Requirement
	Targets     []netip.Addr
	Passed      string // why it cannot be told by a ping; "" where it can
}

// StartingAt lists the requirements of the plan that start at a host.
func StartingAt(net *forward.Network, host model.DeviceID) []Asked {
	c := &checker{net: net, spec: net.Spec}
	var all []Asked
	for i := range c.spec.Must {
		r := &c.spec.Must[i]
		var own []netip.Addr
		for _, e := range c.ends(r.From, true) {
			if e.device == host {
				own = append(own, e.address)
			}
		}
		if len(own) == 0 {
			continue
		}
		a := Asked{Requirement: r}
		switch {
		case len(r.Without) > 0 || r.AnyOne != model.NoOne:
			a.Passed = "something would have to fail first"
		case r.Over != model.Echo:
			a.Passed = "a ping says nothing of " + r.Over.String()
		}
		for _, e := range c.ends(r.To, false) {
			if e.device != host && slices.ContainsFunc(own, func(o netip.Addr) bool { return o.Is4() == e.address.Is4() }) && !slices.Contains(a.Targets, e.address) {
				a.Targets = append(a.Targets, e.address)
			}
		}
		all = append(all, a)
	}
	return all
}
