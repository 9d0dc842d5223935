package ask

import (
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// CardPing is a ping to try at a device when all is typed: of a next hop of its
// routes, or of the operator.
type CardPing struct {
	To      netip.Addr
	NextHop bool
	Device  model.DeviceID // who has it, None where nobody in the plan does
	Verdict forward.Verdict
}

// CardPings lists the pings to try at a device: each next hop of its routes, in
// order, then the operator.
func (w Who) CardPings(net *forward.Network, d model.DeviceID) []CardPing {
	from := Endpoint{Text: w.Spec.Devices[d].Name, Device: d, Interface: model.None}
	var all []CardPing
	seen := map[netip.Addr]bool{}
	add := func(to netip.Addr, nextHop bool) {
		if !to.IsValid() || seen[to] || to.IsLinkLocalUnicast() {
			return
		}
		seen[to] = true
		target, err := w.Endpoint(to.String())
		if err != nil {
			return
		}
		if trials, _, err := Pings(net, from, target, prefix.Both, forward.Probe{}); err == nil {
			all = append(all, CardPing{to, nextHop, target.Device, trials[0].Verdict()})
		}
	}
	first, last := w.Spec.StaticsOf(d)
	for _, s := range w.Spec.Statics[first:last] {
		add(s.Via, true)
	}
	if o := w.Spec.Operator; o != model.None && o != d {
		for _, family := range prefix.Families {
			if !w.Spec.MainAddress(d, family).IsValid() {
				continue // it has nothing of the family to send from
			}
			add(w.Spec.MainAddress(o, family), false)
		}
	}
	return all
}
