package steps

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// Factory is how a device as it comes from the factory, with one VLAN and one address, becomes
// what is planned of it, by a laptop at one of its ports.
type Factory struct {
	Device model.DeviceID
	Box    netip.Prefix         // the address it comes with
	Laptop netip.Prefix         // to set on the laptop, beside that
	Port   model.InterfaceID    // to plug the laptop into; None where the device has no port
	Sets   []Set                // first
	Last   []Set                // with these the login ends
	Then   netip.Addr           // where to log in afterwards; invalid where it has no address
	Beside netip.Prefix         // what the laptop needs for that at the same port; invalid where its place does
	Back   netip.Prefix         // what to put back on the laptop: as planned of where one sits; invalid where that is not known
	Via    netip.Addr           // and its gateway
	Works  bool                 // from where one sits the device is reached once it is in its place
	Not    []compare.Difference // what no step sets
}

// defaultVLAN is the VLAN all ports of a new switch are in.
const defaultVLAN = 1

// New is what to do with a device that comes with an address, for an operator whose laptop is
// used. It is false where nothing is free beside the address.
func New(net *forward.Network, d model.DeviceID, box netip.Prefix) (*Factory, bool) {
	spec := net.Spec
	f := &Factory{Device: d, Box: box, Port: model.None}
	free, ok := prefix.Beside(box, spec.TakenIn(box.Masked()))
	if !ok {
		return nil, false
	}
	f.Laptop = netip.PrefixFrom(free, box.Bits())
	r := compare.OfNew(net, unset(spec, d))
	items, otherwise := r.Items()
	f.Not = slices.DeleteFunc(otherwise, func(x compare.Difference) bool { return x.What == compare.OfOper })
	f.Port = f.plugged(net)
	manage := spec.Devices[d].Manage
	for _, i := range items {
		for _, x := range i.Differences {
			s := Set{Difference: x}
			own := manage != model.None && x.Subject == spec.Interfaces[manage].Name
			port := f.Port != model.None && x.Subject == spec.Interfaces[f.Port].Name
			if own && spec.Interfaces[manage].Kind != model.Loopback || port {
				f.Last = append(f.Last, s)
			} else {
				f.Sets = append(f.Sets, s)
			}
		}
	}
	inOrder := func(a, b Set) int { return cmp.Compare(listed(spec, d, a.Subject), listed(spec, d, b.Subject)) }
	slices.SortStableFunc(f.Sets, inOrder)
	slices.SortStableFunc(f.Last, inOrder)
	if manage != model.None {
		for _, a := range spec.Interfaces[manage].Addresses {
			if !a.Addr().IsLinkLocalUnicast() && !a.Virtual && !f.Then.IsValid() {
				f.Then = a.Addr()
				if near, ok := prefix.Beside(a.Prefix, spec.TakenIn(a.Masked())); ok && !a.IsSingleIP() {
					f.Beside = netip.PrefixFrom(near, a.Bits())
				}
			}
		}
	}
	if o := spec.Operator; o != model.None {
		f.back(spec, o)
		f.Works = f.Then.IsValid() && forward.PingBy(net, o, netip.Addr{}, f.Then, model.None, forward.Probe{}).Verdict() == forward.Works
	}
	return f, true
}

// listed orders what is set: by interface, in the order of the plan, and then the rest.
func listed(spec *model.Spec, d model.DeviceID, subject string) int {
	if id, ok := spec.InterfaceNamed(d, subject); ok {
		return int(id)
	}
	return len(spec.Interfaces)
}

// back notes what the laptop has where one sits.
func (f *Factory) back(spec *model.Spec, o model.DeviceID) {
	for _, id := range spec.InterfacesOf(o) {
		for _, a := range spec.Interfaces[id].Addresses {
			if prefix.FamilyOf(a.Addr()) == prefix.FamilyOf(f.Box.Addr()) && !a.Addr().IsLinkLocalUnicast() && !f.Back.IsValid() {
				f.Back = a.Prefix
			}
		}
	}
	first, last := spec.StaticsOf(o)
	for _, s := range spec.Statics[first:last] {
		if s.To.Bits() == 0 && prefix.FamilyOf(s.To.Addr()) == prefix.FamilyOf(f.Box.Addr()) && s.Table == "" && !f.Via.IsValid() {
			f.Via = s.Via
		}
	}
}

// plugged is the port to plug the laptop into: one that nothing is cabled to, of which the
// plan says nothing if there is one.
func (f *Factory) plugged(net *forward.Network) model.InterfaceID {
	spec := net.Spec
	best, rank := model.InterfaceID(model.None), 0
	links := spec.Links()
	for _, id := range spec.InterfacesOf(f.Device) {
		i := &spec.Interfaces[id]
		if i.Kind != model.Port || i.AdminDown || i.Group != model.None {
			continue
		}
		r := 1
		switch {
		case net.State.Cable(id) == model.None && len(i.Addresses) == 0 && i.Switched:
			r = 4
		case net.State.Cable(id) == model.None:
			r = 3
		case i.Segment != model.None && !links[i.Segment]:
			r = 2
		}
		if r > rank || r == rank && i.Switched { // the last of those that are free: the first are soon taken
			best, rank = id, r
		}
	}
	return best
}

// unset is a device as it comes: its ports on, all in one VLAN, no addresses and no routes.
func unset(spec *model.Spec, d model.DeviceID) *observed.Device {
	o := &observed.Device{Name: spec.Devices[d].Name}
	o.Learn(observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.VLANs, observed.Routes4, observed.Routes6,
		observed.Standby)
	for _, id := range spec.InterfacesOf(d) {
		i := &spec.Interfaces[id]
		if i.Kind != model.Port && i.Kind != model.Group { // a group is made by its ports
			continue
		}
		none := ""
		x := observed.Interface{Name: i.Name, Admin: observed.Up, Oper: observed.Up, Group: &none}
		if i.Switched {
			untagged := defaultVLAN
			if i.Kind == model.Group {
				untagged = 0
			}
			x.Untagged = &untagged
		}
		o.Interfaces = append(o.Interfaces, x)
	}
	return o
}
