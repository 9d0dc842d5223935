package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
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
			if e.device != host && slices.ContainsFunc(own, func(o netip.Addr) bool { return o.Is4() == e.address.Is4() }) &&
				!slices.Contains(a.Targets, e.address) {
				a.Targets = append(a.Targets, e.address)
			}
		}
		all = append(all, a)
	}
	return all
}

// Pair is one of those a requirement covers: a device that asks from an address of its own,
// and the address it asks.
type Pair struct {
	From           model.DeviceID
	Source, Target netip.Addr
}

// Pairs lists the pairs that a requirement covers.
func Pairs(net *forward.Network, r *model.Requirement) []Pair {
	c := &checker{net: net, spec: net.Spec}
	var all []Pair
	to := c.ends(r.To, false)
	for _, a := range c.ends(r.From, true) {
		for _, b := range to {
			if (a.device != b.device || a.device == model.None) && a.address.Is4() == b.address.Is4() {
				all = append(all, Pair{a.device, a.address, b.address})
			}
		}
	}
	return all
}

// OutOfOrder lists what is out of order together while a requirement is to hold: once, or
// for each cable or device in turn.
func OutOfOrder(net *forward.Network, r *model.Requirement) ([][]network.Failure, error) {
	c := &checker{net: net, spec: net.Spec}
	nets, unknown := c.under(r)
	if unknown != nil {
		return nil, unknown.err
	}
	var all [][]network.Failure
	for _, n := range nets {
		all = append(all, slices.Clone(n.State.Failures()[len(net.State.Failures()):]))
	}
	return all, nil
}
