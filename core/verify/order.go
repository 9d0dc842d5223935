package verify

import (
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// checks are all checks in the order in which they are made: what one has said
// stands in said, and hides what later ones would say of the same mistake. What
// hides what:
//
//	wires    a segment in pieces       hides, in routes, next hops of that segment nobody answers for
//	wires    a VLAN a port drops       is where a segment in pieces sends its reader first
//	wires    VLANs on one cable        hide the same on the group's other cables
//	all      anything of severity error or warning hides, in unsaid, that pairs are dead
//	statics  a route that sends back   hides, in statics, that it says nothing new
var checks = []func(*checker){
	(*checker).names,
	(*checker).subnets,
	(*checker).space,
	(*checker).networks,
	(*checker).blocks,
	(*checker).addresses,
	(*checker).duplicates,
	(*checker).leasedTwice,
	(*checker).primaries,
	(*checker).wires,
	(*checker).down,
	(*checker).gateways,
	(*checker).routes,
	(*checker).statics,
	(*checker).choices,
	(*checker).probes,
	(*checker).wanted,
	(*checker).waysOut,
	(*checker).leases,
	(*checker).servers,
	(*checker).management,
	(*checker).permits,
	(*checker).translations,
	(*checker).mtuHoles,
	(*checker).likely,
	(*checker).requirements,
	(*checker).unsaid,
}

// said is what checks have said and later ones need not.
type said struct {
	dropped map[model.VLAN]string    // the port that drops a VLAN
	split   map[model.SegmentID]bool // segments that are in pieces
	trunks  map[string]bool          // what is wrong with VLANs on cables, as reported
	looping map[looping]bool         // routes that send back what they get
}

// looping is a route as written that sends back what it gets of a family.
type looping struct {
	place  source.Place
	family prefix.Family
}

func newSaid() said {
	return said{map[model.VLAN]string{}, map[model.SegmentID]bool{}, map[string]bool{}, map[looping]bool{}}
}
