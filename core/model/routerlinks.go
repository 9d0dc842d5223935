package model

import (
	"net/netip"
)

// Links tells for each segment whether it is a link between routers: none but devices
// that forward have an address of their own there, and more than one of them has. One that is to hold
// hosts, or leases addresses to them, is a LAN, whether any host is in the plan or not.
func (s *Spec) Links() []bool {
	routers, others := make([]int, len(s.Segments)), make([]bool, len(s.Segments))
	for id := range s.Interfaces {
		i := &s.Interfaces[id]
		switch {
		case i.Segment == None || !i.Routed() || len(i.Addresses) == 0 && !i.Next[0] && !i.Next[1]:
		case s.Devices[i.Device].Forwards:
			routers[i.Segment]++
		default:
			others[i.Segment] = true
		}
	}
	links := make([]bool, len(s.Segments))
	for id := range links {
		x := &s.Segments[id]
		links[id] = routers[id] > 1 && !others[id] && x.Need.Hosts == 0 && len(x.Leases) == 0
	}
	return links
}

// Wanted tells for each segment whether somebody is to reach it where routes are derived:
// all but links between routers, and of these those of which the plan speaks, by
// 'links', 'manage', 'reach' or 'must'. Watches get the routes they need all the same.
func (s *Spec) Wanted() []bool {
	wanted := s.Links()
	for id := range wanted {
		wanted[id] = !wanted[id] || s.Wants != nil && s.Wants.Links
	}
	segment := func(id SegmentID) {
		if id != None {
			wanted[id] = true
		}
	}
	address := func(a netip.Addr) {
		if a.IsValid() {
			segment(s.SegmentOf(a))
		}
	}
	for d := range s.Devices {
		if m := s.Devices[d].Manage; m != None && s.Devices[d].Kind != World {
			segment(s.Interfaces[m].Segment)
		}
	}
	if s.Wants != nil {
		for _, p := range s.Wants.Pairs {
			segment(p.From.Segment)
			segment(p.To.Segment)
		}
	}
	for i := range s.Must {
		for _, parties := range [][]Party{s.Must[i].From, s.Must[i].To} {
			for _, p := range parties {
				segment(p.Segment)
				address(p.Address)
			}
		}
	}
	return wanted
}
