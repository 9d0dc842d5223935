package routing

import (
	"net/netip"

	"ropeswing/core/model"
)

// CauseCode is the kind of reason why a route is not used as it is written.
type CauseCode uint8

const (
	NoCause         CauseCode = iota // there is none: it is usable, and does what it says
	OutIsDown                        // its Interface is down
	HopIsOneself                     // its next hop is the device's own address
	HopLeadsBack                     // finding the next hop leads back to the route
	HopOnDown                        // the next hop is in a subnet of Interface, which is down
	HopByDefault                     // only the default route matches the next hop
	HopBehind                        // the next hop is behind the route to Prefix, which is not usable for Further
	HopUnmatched                     // no route leads to the next hop
	WatchIsSilent                    // what Monitor watches does not answer
	HopUnderDiscard                  // it is usable and discards: its next hop falls under the discard route to Prefix
)

// Cause is why a route is not usable, or why a usable one with a next hop discards.
type Cause struct {
	Code      CauseCode
	Device    model.DeviceID
	Interface model.InterfaceID // that is down, else None
	Via       netip.Addr        // the next hop
	Prefix    netip.Prefix
	Monitor   Monitor
	Further   *Cause
}

// Cause is why a route is not usable, following the chain. Of a usable route it is
// why it discards though it has a next hop.
func (v View) Cause(e Entry) Cause {
	spec := v.tables.state.Spec
	c := Cause{Device: v.Device(), Interface: model.None}
	if id := e.Static(); id != model.None {
		c.Via = spec.Statics[id].Via
	}
	switch e.Usable {
	case IsUsable:
		v.discards(e, &c)
		return c
	case WatchSilent:
		c.Code, c.Monitor = WatchIsSilent, MonitorOf(&spec.Statics[e.Static()])
		return c
	case InterfaceDown:
		c.Code, c.Interface = OutIsDown, e.out
		return c
	case NextHopOneself:
		c.Code = HopIsOneself
		return c
	case ThroughItself:
		c.Code = HopLeadsBack
		return c
	}
	if down := v.HopOnDown(c.Via); down.Code != NoCause {
		return down
	}
	switch e.Usable {
	case OnlyThroughDefault:
		c.Code = HopByDefault
		return c
	case ThroughUnusable:
		for _, other := range v.Covering(c.Via) {
			if other.Usable != IsUsable && other.static != noStatic && other.static != e.static {
				further := v.Cause(other)
				c.Code, c.Prefix, c.Further = HopBehind, other.Prefix, &further
				return c
			}
		}
	}
	c.Code = HopUnmatched
	return c
}

// discards notes why a usable route with a next hop discards: its next hop is to be
// found through a discard route.
func (v View) discards(e Entry, c *Cause) {
	if !e.Discard || !c.Via.IsValid() {
		return
	}
	m, ok := v.Lookup(c.Via)
	if !ok {
		return
	}
	c.Code, c.Prefix = HopUnderDiscard, m.Prefix
	if down := v.HopOnDown(c.Via); down.Code != NoCause {
		c.Further = &down
	}
}

// HopOnDown is the cause that lies in an interface of the device which is down and in
// whose subnet the next hop is; its code is NoCause where there is none.
func (v View) HopOnDown(a netip.Addr) Cause {
	spec, state := v.tables.state.Spec, v.tables.state
	for _, id := range spec.InterfacesOf(v.Device()) {
		if state.IsUp(id) || spec.Interfaces[id].Table != v.Name() {
			continue
		}
		for _, own := range spec.Interfaces[id].Addresses {
			if own.Contains(a) && own.Addr() != a {
				return Cause{Code: HopOnDown, Device: v.Device(), Interface: id, Via: a}
			}
		}
	}
	return Cause{Device: v.Device(), Interface: model.None}
}
