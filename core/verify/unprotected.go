package verify

import (
	"fmt"
	"net/netip"

	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Unprotected is what a device loses by a single failure though a wire is left,
// in words.
type Unprotected struct {
	Device  string // that is cut off
	To      string // segments and loopbacks; the addresses of links are nobody's destination
	Failure string // of a cable, segment or device
	Because string
}

// Describe puts what derived routes leave unprotected into words: each device
// and failure once.
func Describe(net *forward.Network, open []derive.Open) []Unprotected {
	return (&checker{net: net, spec: net.Spec}).unprotectedOf(open)
}

// unprotected tells what single failures take away though a wire is left.
func (c *checker) unprotected(open []derive.Open) {
	for _, u := range c.unprotectedOf(open) {
		c.report(finding.New(finding.Unprotected, c.spec.Wants.Place, "%s: the path to %s is lost when %s fails, because %s", u.Device, u.To,
			u.Failure, u.Because).About(u.Device))
	}
}

// cutOff is a device and a failure that cuts it off.
type cutOff struct {
	device  model.DeviceID
	failure network.Failure
}

func (c *checker) unprotectedOf(open []derive.Open) []Unprotected {
	only := c.onlyCables()
	all := map[cutOff]*Unprotected{}
	to := map[cutOff][]netip.Prefix{}
	world := map[cutOff]bool{}
	var order []cutOff
	for _, o := range open { // of one family after the other
		k := cutOff{o.Device, o.Failure}
		because := c.because(o)
		if u := all[k]; u == nil {
			all[k] = &Unprotected{Device: c.spec.Devices[o.Device].Name, Failure: o.Failure.Name(c.spec), Because: because}
			order = append(order, k)
		} else if u.Because != because {
			u.Because += ", and " + because
		}
		to[k] = append(to[k], o.To...)
		world[k] = world[k] || o.World
	}
	for _, k := range order {
		all[k].To = c.destinations(to[k], world[k])
	}
	var told []Unprotected
	for _, k := range order {
		u := all[k]
		if u.To == "" {
			continue
		}
		if cable, ok := only[k.failure.Segment]; ok && k.failure.Segment != model.None {
			of := network.NoFailure
			of.Cable = cable
			if same := all[cutOff{k.device, of}]; same != nil && same.To == u.To && same.Because == u.Because {
				continue // the segment is that cable
			}
		}
		told = append(told, *u)
	}
	return told
}

// onlyCables are the cables that are all there is of a segment.
func (c *checker) onlyCables() map[model.SegmentID]model.CableID {
	members := map[model.SegmentID]int{}
	for id := range c.spec.Interfaces {
		members[c.spec.Interfaces[id].Segment]++
	}
	only := map[model.SegmentID]model.CableID{}
	for id, cable := range c.spec.Cables {
		a, b := c.spec.Interfaces[cable.Ends[0]].Segment, c.spec.Interfaces[cable.Ends[1]].Segment
		if a == b && members[a] == 2 {
			only[a] = model.CableID(id)
		}
	}
	return only
}

// destinations names what is lost, "" where it is only addresses of links: the
// first segment and how many more, and loopbacks.
func (c *checker) destinations(lost []netip.Prefix, world bool) string {
	var segments, loopbacks []string
	type named struct {
		in   *[]string
		name string
	}
	seen := map[named]bool{}
	for _, p := range lost {
		s := c.segmentWith(p)
		if c.isLink(s) {
			continue
		}
		name, list := p.String(), &segments
		if s != model.None {
			name = c.spec.Segments[s].Name
		} else if holders := c.state().HoldersOf(p.Addr()); p.IsSingleIP() && len(holders) > 0 {
			name, list = c.spec.Devices[c.spec.Interfaces[holders[0]].Device].Name, &loopbacks
		}
		if !seen[named{list, name}] {
			seen[named{list, name}] = true
			*list = append(*list, name)
		}
	}
	var all []string
	switch n := len(segments); {
	case n > 2:
		all = append(all, segments[0], fmt.Sprintf("%d other segments", n-1))
	default:
		all = append(all, segments...)
	}
	switch n := len(loopbacks); {
	case n == 1:
		all = append(all, "the loopback of "+loopbacks[0])
	case n > 1:
		all = append(all, fmt.Sprintf("%d loopbacks", n))
	}
	if world {
		all = append(all, "the world")
	}
	return forward.And(all)
}

func (c *checker) because(o derive.Open) string {
	at := c.spec.Devices[o.At].Name
	switch o.Because {
	case derive.IsWritten:
		return fmt.Sprintf("the route of %s is written, and has nothing behind it that leads round", at)
	case derive.NotFloating:
		return "no floating routes are wanted"
	case derive.WouldCircle:
		return fmt.Sprintf("on the path round from %s somebody would have to notice, and there is nothing to watch that shows it for sure", at)
	}
	return fmt.Sprintf("%s has no other path that does not lead back", at)
}
