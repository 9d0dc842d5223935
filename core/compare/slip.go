package compare

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// SlipCode is the kind of slip that may have made what was found of what was planned.
type SlipCode uint8

const (
	NoSlip           SlipCode = iota // nothing comes to mind
	SwitchedOff                      // the interface is administratively down
	FollowsFrom                      // it follows from Interface, which is
	FarEndSilent                     // nothing comes from Interface, the far end
	PredictedDown                    // Interface is predicted down, and is up
	VLANsMissing                     // VLANs
	VLANsExtra                       // VLANs
	VLANSwapped                      // the digits of Planned were swapped to Found
	OtherLength                      // the length is Found for Planned
	IsBroadcast                      // the address is the subnet's broadcast address
	DigitsSwapped                    // two characters have changed places
	OneDigitOff                      // one character was mistyped, left out or put in
	OtherOfSubnet                    // it is another address of the planned subnet
	OnOtherInterface                 // the address is on Interface, planned on Instead
	PlannedElsewhere                 // the address is planned for Interface
	HopOfNobody                      // nobody has the next hop, Address
	HopPointsBack                    // whoever has the next hop sends the packet back
	ByStandby                        // the route that is to stand by is in use; Address is what the first watches
	WatchMaySilence                  // the route is in use only while Address answers by it
)

// Slip is what was likely done.
type Slip struct {
	Code           SlipCode
	Interface      model.InterfaceID
	Instead        model.InterfaceID
	Address        netip.Addr
	VLANs          []int
	Planned, Found int
}

// slip is a slip of which no more is to be said.
func slip(code SlipCode) Slip { return Slip{Code: code, Interface: model.None, Instead: model.None} }

// at is the slip with the interface it is about.
func (s Slip) at(id model.InterfaceID) Slip {
	s.Interface = id
	return s
}

// with is the slip with the address it is about.
func (s Slip) with(a netip.Addr) Slip {
	s.Address = a
	return s
}

// of is the slip with what was planned and what was found.
func (s Slip) of(planned, found int) Slip {
	s.Planned, s.Found = planned, found
	return s
}

// swapped tells whether two texts differ in two characters only, which have changed
// places.
func swapped(a, b string) bool {
	if len(a) != len(b) {
		return false
	}
	var at []int
	for i := range a {
		if a[i] != b[i] {
			at = append(at, i)
		}
	}
	return len(at) == 2 && a[at[0]] == b[at[1]] && a[at[1]] == b[at[0]]
}

// oneOff tells whether one character was mistyped, left out or put in.
func oneOff(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(b)-len(a) > 1 {
		return false
	}
	i := 0
	for i < len(a) && a[i] == b[i] {
		i++
	}
	if len(a) == len(b) {
		return i < len(a) && a[i+1:] == b[i+1:]
	}
	return a[i:] == b[i+1:]
}

// addressSlip names the likely slip that made one address of another.
func addressSlip(planned, found netip.Prefix) Slip {
	a, b := planned.Addr().String(), found.Addr().String()
	switch {
	case planned.Addr() == found.Addr():
		return slip(OtherLength).of(planned.Bits(), found.Bits())
	case isBroadcast(planned, found.Addr()):
		return slip(IsBroadcast)
	case swapped(a, b):
		return slip(DigitsSwapped)
	case oneOff(a, b):
		return slip(OneDigitOff)
	case planned.Masked() == found.Masked():
		return slip(OtherOfSubnet)
	}
	return Slip{}
}

func isBroadcast(p netip.Prefix, a netip.Addr) bool {
	broadcast, ok := prefix.Broadcast(p)
	return ok && broadcast == a
}

// hopSlip names the likely slip that made one next hop of another.
func (c *comparer) hopSlip(planned, found netip.Addr) Slip {
	switch {
	case !planned.IsValid() || !found.IsValid():
		return Slip{}
	case swapped(planned.String(), found.String()):
		return slip(DigitsSwapped)
	case oneOff(planned.String(), found.String()):
		return slip(OneDigitOff)
	case len(c.net.State.HoldersOf(found)) == 0:
		return slip(HopOfNobody).with(found)
	}
	return Slip{}
}

// slipsOfHops notes which next hops point back: whoever has one sends the
// destination to this device again, as found or else as planned.
func (c *comparer) slipsOfHops(devices []*observed.Device) {
	byName := map[string]*observed.Device{}
	for _, d := range devices {
		byName[d.Name] = d
	}
	for i := range c.Differences {
		d := &c.Differences[i]
		if d.What != OfNextHop || !d.hop.IsValid() {
			continue
		}
		from, _ := c.spec.DeviceNamed(d.Device)
		for _, h := range c.net.State.HoldersOf(d.hop) {
			far := c.spec.Interfaces[h].Device
			if c.sendsTo(far, byName[c.spec.Devices[far].Name], d.to, from) {
				d.Slip = slip(HopPointsBack)
			}
		}
	}
}

// sendsTo tells whether a device sends a destination to another.
func (c *comparer) sendsTo(d model.DeviceID, o *observed.Device, to netip.Prefix, next model.DeviceID) bool {
	var hops []netip.Addr
	if o != nil && o.Knows(routesPart(prefix.FamilyOf(to.Addr()))) {
		var best *observed.Route
		for i := range o.Routes {
			switch r := &o.Routes[i]; {
			case !r.To.Contains(to.Addr()) || r.Table != "" || r.Active != nil && !*r.Active:
			case best == nil || r.To.Bits() > best.To.Bits():
				best, hops = r, []netip.Addr{r.NextHop}
			case r.To.Bits() == best.To.Bits() && equalCost(r, best):
				hops = append(hops, r.NextHop)
			}
		}
	} else if m, ok := c.net.Table(d).Lookup(prefix.First(to)); ok {
		for _, h := range m.Hops {
			hops = append(hops, h.Via)
		}
	}
	for _, hop := range hops {
		for _, h := range c.net.State.HoldersOf(hop) {
			if c.spec.Interfaces[h].Device == next {
				return true
			}
		}
	}
	return false
}

// equalCost tells whether two routes to one destination are both used, as far as that is
// known: one that stands by may be listed beside the first.
func equalCost(a, b *observed.Route) bool {
	metric := func(r *observed.Route) int {
		if r.Metric == nil {
			return 0
		}
		return *r.Metric
	}
	return a.Distance != nil && b.Distance != nil && *a.Distance == *b.Distance && metric(a) == metric(b)
}

func routesPart(family prefix.Family) observed.Part {
	if family == prefix.IPv4 {
		return observed.Routes4
	}
	return observed.Routes6
}
