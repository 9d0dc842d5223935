package steps

import (
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/model"
)

// notes tells what outlasts a step for a while: leased hosts that keep the gateway they were
// given, and neighbours that remember who had an address.
func (j *judge) notes(d model.DeviceID, sets []Set) []string {
	var all []string
	before := j.at(j.start()).network(j).Spec
	add := func(text string) {
		if !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	for i := range sets {
		s := &sets[i]
		id, ok := j.spec.InterfaceNamed(d, s.Subject)
		if !ok || s.Difference.What != compare.OfAddress {
			continue
		}
		planned, isNew := netip.ParsePrefix(s.Planned)
		found, wasThere := netip.ParsePrefix(s.Found)
		if at := j.spec.Interfaces[id].Segment; at != model.None && wasThere == nil && s.Helper != SetsBeside && j.spec.Devices[d].Forwards &&
			planned.Addr() != found.Addr() && j.leasesThrough(d, at, planned, found) {
			add(fmt.Sprintf("leased hosts of %s keep the gateway %s until their leases run out, and reach nothing beyond the segment until "+
				"then: wait that long, or have them renew", j.spec.Segments[at].Name, found.Addr()))
		}
		if isNew != nil || s.Helper == TakesAway || s.Found != "" && found.Addr() == planned.Addr() {
			continue
		}
		for _, h := range before.HoldersOf(planned.Addr()) {
			if other := before.Interfaces[h].Device; other != d {
				add(fmt.Sprintf("neighbours may remember for some minutes that %s was %s: ping from %s, or clear their entries", planned.Addr(),
					before.Devices[other].Name, j.spec.Devices[d].Name))
			}
		}
	}
	return all
}

// leasesThrough tells whether leased hosts of a segment were given an address as their gateway
// that a device no longer has: the one that takes its place is, or was, what leases give.
func (j *judge) leasesThrough(d model.DeviceID, at model.SegmentID, planned, found netip.Prefix) bool {
	leases := j.spec.Segments[at].Leases
	if len(leases) == 0 || planned.IsValid() && planned.Addr().Is4() != found.Addr().Is4() {
		return false
	}
	for _, l := range leases {
		if l.Gateway.IsValid() && planned.IsValid() && l.Gateway == planned.Addr() || l.Gateway == found.Addr() {
			return true
		}
	}
	return planned.IsValid() && j.isGateway(d, at, planned)
}
