package compare

import (
	"fmt"
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

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
func addressSlip(planned, found netip.Prefix) string {
	a, b := planned.Addr().String(), found.Addr().String()
	switch {
	case planned.Addr() == found.Addr():
		return fmt.Sprintf("mask /%d for /%d", found.Bits(), planned.Bits())
	case isBroadcast(planned, found.Addr()):
		return "the broadcast address"
	case swapped(a, b):
		return "digits swapped"
	case oneOff(a, b):
		return "one digit off"
	case planned.Masked() == found.Masked():
		return "another address of the subnet"
	}
	return ""
}

func isBroadcast(p netip.Prefix, a netip.Addr) bool {
	broadcast, ok := prefix.Broadcast(p)
	return ok && broadcast == a
}

// hopSlip names the likely slip that made one next hop of another.
func (c *comparer) hopSlip(planned, found netip.Addr) string {
	switch {
	case !planned.IsValid() || !found.IsValid():
		return ""
	case swapped(planned.String(), found.String()):
		return "digits swapped"
	case oneOff(planned.String(), found.String()):
		return "one digit off"
	case len(c.holders[found]) == 0:
		return "nobody in the plan has " + found.String()
	}
	return ""
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
		for _, h := range c.holders[d.hop] {
			far := c.spec.Interfaces[h].Device
			if c.sendsTo(far, byName[c.spec.Devices[far].Name], d.to, from) {
				d.Slip = "the next hop points back"
			}
		}
	}
}

// sendsTo tells whether a device sends a destination to another.
func (c *comparer) sendsTo(d model.DeviceID, o *observed.Device, to netip.Prefix, next model.DeviceID) bool {
	var hops []netip.Addr
	if o != nil && o.Knows(routesPart(to.Addr().Is4())) {
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
		for _, h := range c.holders[hop] {
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

func routesPart(is4 bool) observed.Part {
	if is4 {
		return observed.Routes4
	}
	return observed.Routes6
}
