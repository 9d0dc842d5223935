// Package routing works out which routes of each device are usable, resolves
// their next hops, and looks addresses up by longest match.
package routing

import (
	"net/netip"

	"ropeswing/core/model"
)

// Source is where a route comes from.
type Source uint8

const (
	Local   Source = iota // the device's own address
	Direct                // a subnet on one of its interfaces
	Static                // written, or a host's gateway
	Derived               // static too, worked out from what the plan wants
	Learned               // from others, by a dynamic protocol
)

func (s Source) String() string {
	return [...]string{"local", "direct", "static", "derived", "learned"}[s]
}

// sourceOf is the source of a route that is neither local nor direct.
func sourceOf(o model.Origin) Source {
	switch o {
	case model.Derived:
		return Derived
	case model.Learned:
		return Learned
	}
	return Static
}

// Usable is whether a route can be used, and why not.
type Usable uint8

const (
	IsUsable           Usable = iota
	InterfaceDown             // the interface it leads out of is down
	NextHopUnreachable        // nothing matches the next hop
	OnlyThroughDefault        // only the default route matches the next hop
	ThroughUnusable           // what matches the next hop is not usable itself
	ThroughItself             // resolving the next hop leads back to the route
	NextHopOneself            // the next hop is the device's own address
	WatchSilent               // what it watches does not answer by its next hop
)

// hopSetID is an index into the hop sets that tables share.
type hopSetID int32

// Route is one route of a device, small enough for millions: what can be
// shared is held in the Tables and looked up.
type Route struct {
	hops     hopSetID
	static   int32             // of the device's static routes, from 0; noStatic for direct and local ones
	out      model.InterfaceID // None where only the next hop is given
	Metric   uint32
	Distance uint8
	Source   Source
	Usable   Usable
	Discard  bool
}

// noStatic is that of direct and local routes.
const noStatic = -1

// Out is the interface the route was given, None where it has a next hop only.
func (r *Route) Out() model.InterfaceID { return r.out }

// Hop is where a packet goes next: out of an interface, to an address on the
// link. An invalid address is the packet's own destination.
type Hop struct {
	Out model.InterfaceID
	Via netip.Addr
}

// noHops is the hop set of routes that lead to no neighbour.
const noHops hopSetID = 0
