package ask

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
)

// OwnAddress is an address of the machine that is asked about.
type OwnAddress struct {
	Interface string
	Prefix    netip.Prefix
	Up        bool
}

// Standing is what the plan says of an address of a machine.
type Standing uint8

const (
	AsPlanned   Standing = iota
	DownHere             // its interface is down
	InNoSegment          // no subnet of the plan holds it
	OtherLength          // its subnet has another length in the plan
	LeasedHere           // it is one that hosts lease
	Unassigned           // nobody has it in the plan
	NoLease              // it gave itself the address, since it had no lease (RFC 3927)
)

// Located is an address of a machine, and what the plan says of it.
type Located struct {
	OwnAddress
	Standing Standing
	Segment  model.SegmentID
	Subnet   netip.Prefix // of the plan that holds it
	Holder   model.InterfaceID
	Gateway  netip.Addr // of the segment; invalid where it has none
}

// LackedDefault is a planned default route that a machine does not have, and those it
// has of its family instead.
type LackedDefault struct {
	Via     netip.Addr
	Instead []netip.Addr
}

// Place is where in the plan a machine is.
type Place struct {
	Found     bool           // some address of it is in a subnet of the plan
	Device    model.DeviceID // that has one of its addresses, else None
	Addresses []Located
	Lacks     []LackedAddress
	Defaults  []LackedDefault
}

// LackedAddress is an address that the device has in the plan and the machine has not.
type LackedAddress struct {
	Interface model.InterfaceID
	Prefix    netip.Prefix
}

// Here finds a machine in the plan by its addresses. Defaults are the next hops of its
// default routes; nil where they are not known.
func (w Who) Here(own []OwnAddress, defaults []netip.Addr) Place {
	p := Place{Device: model.None}
	holds := map[netip.Addr]bool{}
	for _, o := range own {
		holds[o.Prefix.Addr()] = true
		x := w.located(o)
		if x.Holder != model.None {
			p.Device = w.Spec.Interfaces[x.Holder].Device
		}
		p.Found = p.Found || x.Segment != model.None
		p.Addresses = append(p.Addresses, x)
	}
	if p.Device == model.None {
		return p
	}
	for _, id := range w.Spec.InterfacesOf(p.Device) {
		for _, a := range w.Spec.Interfaces[id].Addresses {
			if !a.Virtual && !a.Addr().IsLinkLocalUnicast() && !holds[a.Addr()] {
				p.Lacks = append(p.Lacks, LackedAddress{id, a.Prefix})
			}
		}
	}
	if defaults != nil {
		p.Defaults = w.lackedDefaults(p.Device, defaults)
	}
	return p
}

func (w Who) located(o OwnAddress) Located {
	a := o.Prefix.Addr()
	x := Located{OwnAddress: o, Segment: w.Spec.SegmentOf(a), Holder: model.None}
	if !o.Up {
		x.Standing = DownHere
	}
	if holders := w.Spec.HoldersOf(a); len(holders) > 0 {
		x.Holder = holders[0]
	}
	if x.Segment == model.None {
		x.Standing = InNoSegment
		if a.Is4() && a.IsLinkLocalUnicast() {
			x.Standing = NoLease
		}
		return x
	}
	segment := &w.Spec.Segments[x.Segment]
	for _, p := range segment.Prefixes {
		if p.Contains(a) {
			if x.Subnet = p.Prefix; p.Bits() != o.Prefix.Bits() {
				x.Standing = OtherLength
			}
		}
	}
	x.Gateway = w.gatewayOf(x.Segment, a)
	if x.Holder == model.None && x.Standing == AsPlanned {
		x.Standing = Unassigned
		if slices.ContainsFunc(segment.Leases, func(l model.Lease) bool { return l.Contains(a) }) {
			x.Standing = LeasedHere
		}
	}
	return x
}

// lackedDefaults are the planned default routes that a machine does not have.
func (w Who) lackedDefaults(d model.DeviceID, has []netip.Addr) []LackedDefault {
	var all []LackedDefault
	first, last := w.Spec.StaticsOf(d)
	for _, s := range w.Spec.Statics[first:last] {
		if s.To.Bits() != 0 || s.Table != "" || !s.Via.IsValid() || slices.Contains(has, s.Via) {
			continue
		}
		x := LackedDefault{Via: s.Via}
		for _, other := range has {
			if other.Is4() == s.Via.Is4() {
				x.Instead = append(x.Instead, other)
			}
		}
		all = append(all, x)
	}
	return all
}

// gatewayOf is a segment's gateway in the family of an address: that of a device which
// forwards; the shared one where there is one.
func (w Who) gatewayOf(s model.SegmentID, like netip.Addr) netip.Addr {
	var best netip.Addr
	for id := range w.Spec.Interfaces {
		i := &w.Spec.Interfaces[id]
		if i.Segment != s || !w.Spec.Devices[i.Device].Forwards || !i.Routed() {
			continue
		}
		for _, a := range i.Addresses {
			if a.Addr().Is4() == like.Is4() && a.Addr() != like && !a.Addr().IsLinkLocalUnicast() && (!best.IsValid() || a.Virtual) {
				best = a.Addr()
			}
		}
	}
	return best
}
