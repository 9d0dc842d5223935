package ask

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Setting is what a machine is given: an address with its length, and a gateway where it
// has one.
type Setting struct {
	Address netip.Prefix
	Gateway netip.Addr
}

// PlannedSetting is what the plan gives a device where it is managed: IPv4 where it has
// that, else IPv6. It is false where the device has no address.
func (w Who) PlannedSetting(d model.DeviceID) (Setting, bool) {
	for _, family := range prefix.Families {
		a := w.Spec.MainAddress(d, family)
		if !a.IsValid() {
			continue
		}
		s := Setting{}
		table := ""
		for _, id := range w.Spec.InterfacesOf(d) {
			for _, own := range w.Spec.Interfaces[id].Addresses {
				if own.Addr() == a {
					s.Address, table = own.Prefix, w.Spec.Interfaces[id].Table
				}
			}
		}
		first, last := w.Spec.StaticsOf(d)
		for _, r := range w.Spec.Statics[first:last] {
			if r.To == family.Everything() && r.Table == table && r.Via.IsValid() && !s.Gateway.IsValid() {
				s.Gateway = r.Via
			}
		}
		return s, true
	}
	return Setting{}, false
}

// HolderIn is who has an address in the plan, but its operator, or leases it to hosts; ""
// where nobody does.
func (w Who) HolderIn(a netip.Addr) string {
	if holders := w.Spec.HoldersOf(a); len(holders) > 0 {
		if w.Spec.Interfaces[holders[0]].Device == w.Spec.Operator {
			return ""
		}
		return w.Spec.Label(holders[0])
	}
	if s := w.Spec.SegmentOf(a); s != model.None {
		if _, leased := w.Spec.Segments[s].LeaseWith(a); leased {
			return "the leases of " + w.Spec.Segments[s].Name
		}
	}
	return ""
}
