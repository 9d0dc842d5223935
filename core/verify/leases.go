package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// leasedTwice finds addresses of interfaces that hosts may lease as well.
func (c *checker) leasedTwice() {
	c.each(func(id model.InterfaceID, a model.Address) {
		s := c.spec.Interfaces[id].Segment
		if s == model.None || a.Varies() {
			return
		}
		for _, l := range c.spec.Segments[s].Leases {
			if l.Contains(a.Addr()) {
				label := c.spec.Label(id)
				f := finding.New(finding.LeaseOverFixed, a.Place, "%s is within the leases of %s, %s to %s", a.Addr(), c.spec.Segments[s].Name,
					l.First, l.Last).About(label).With(l.Place)
				c.report(c.mendsOrFree(f, id, a))
			}
		}
	})
}

// leases finds ranges of which no request gets to who gives them, and back: their server
// hears what is asked on its own segment, and elsewhere only what a router relays.
func (c *checker) leases() {
	type asked struct {
		segment model.SegmentID
		server  model.DeviceID
	}
	seen := map[asked]bool{}
	for s := range c.spec.Segments {
		c.leasesWithoutGateway(model.SegmentID(s))
		for _, l := range c.spec.Segments[s].Leases {
			k := asked{model.SegmentID(s), l.By}
			if l.By == model.None || !l.First.Is4() || seen[k] {
				continue
			}
			seen[k] = true
			c.leasesOf(k.segment, l)
		}
	}
	c.relays()
	c.leasing()
}

// leasesWithoutGateway tells of IPv6 leases on a segment with a router that does not advertise: a lease brings no gateway there.
func (c *checker) leasesWithoutGateway(s model.SegmentID) {
	segment := &c.spec.Segments[s]
	n := slices.IndexFunc(segment.Leases, func(l model.Lease) bool { return l.First.Is6() })
	routers := c.routersOn(s)
	if n < 0 || len(routers) == 0 || slices.ContainsFunc(routers,
		func(id model.InterfaceID) bool { return c.spec.Interfaces[id].Advertises }) {
		return
	}
	c.report(finding.New(finding.NotAdvertised, segment.Leases[n].Place,
		"the IPv6 leases of %s bring no gateway, and no router there advertises itself (RFC 8415)", segment.Name).About(segment.Name).
		Mend("say 'advertises: true' for %s", c.spec.Label(routers[0])))
}

// leasesOf checks the leases that one server gives on a segment.
func (c *checker) leasesOf(s model.SegmentID, l model.Lease) {
	segment, server := &c.spec.Segments[s], c.spec.Devices[l.By].Name
	about := func(reason string, args ...any) finding.Finding {
		return finding.New(finding.LeaseOutOfReach, l.Place, reason, args...).About(segment.Name)
	}
	var relays []model.InterfaceID
	for _, id := range c.routersOn(s) {
		if c.spec.Interfaces[id].Device == l.By {
			return // it hears them itself
		}
		relays = append(relays, id)
	}
	for id := range c.spec.Interfaces {
		if i := &c.spec.Interfaces[id]; i.Segment == s && i.Routed() && i.Device == l.By {
			return
		}
	}
	relaying := false
	for _, id := range relays {
		for _, r := range c.spec.Interfaces[id].Relay {
			holders := c.spec.HoldersOf(r.To)
			if !slices.ContainsFunc(holders, func(h model.InterfaceID) bool { return c.spec.Interfaces[h].Device == l.By }) {
				continue
			}
			relaying = true
			if x := c.request(id, r.To); x != nil && x.Verdict() != forward.Works {
				c.report(about("a request for a lease of %s, which %s relays to %s, %s", segment.Name, c.spec.Label(id), server,
					c.requestFails(x)).With(r.Place).
					Mend("see 'ping %s %s --over udp/67'", c.spec.Devices[c.spec.Interfaces[id].Device].Name, server))
			}
		}
	}
	if relaying {
		return
	}
	f := about("%s gives the leases of %s, is not on it, and no router there relays to it", server, segment.Name)
	to := c.spec.MainAddress(l.By, prefix.IPv4)
	for _, id := range relays {
		if x := c.request(id, to); x != nil && x.Verdict() == forward.Works {
			f = f.Mend("add 'relay: %s' to %s", server, c.spec.Label(id))
			break
		}
	}
	c.report(f)
}

// routersOn lists the interfaces of forwarding devices on a segment.
func (c *checker) routersOn(s model.SegmentID) []model.InterfaceID {
	var all []model.InterfaceID
	for id := range c.spec.Interfaces {
		if i := &c.spec.Interfaces[id]; i.Segment == s && i.Routed() && c.spec.Devices[i.Device].Forwards {
			all = append(all, model.InterfaceID(id))
		}
	}
	return all
}

// request follows what an interface relays to a server, and the answer, which comes to the
// interface's own address (RFC 1542 §4.1, RFC 2131 §4.1); nil where either has none.
func (c *checker) request(id model.InterfaceID, server netip.Addr) *forward.Exchange {
	i := &c.spec.Interfaces[id]
	for _, a := range i.Addresses {
		if server.IsValid() && a.Addr().Is4() && !a.Secondary {
			return forward.PingBy(c.net, i.Device, a.Addr(), server, model.None, forward.Probe{Over: model.LeaseRequest})
		}
	}
	return nil
}

// requestFails says how far a request for a lease gets.
func (c *checker) requestFails(x *forward.Exchange) string {
	if _, _, back, failing := x.Failing(); failing && back {
		return "is not answered: the answer does not get back"
	}
	return "does not get there"
}

// relays finds what is relayed to somebody who gives no leases there.
func (c *checker) relays() {
	for id := range c.spec.Interfaces {
		i := &c.spec.Interfaces[id]
		for _, r := range i.Relay {
			label := c.spec.Label(model.InterfaceID(id))
			holders := c.spec.HoldersOf(r.To)
			if len(holders) == 0 {
				to := "an address that nobody in the plan has"
				if r.To.IsValid() {
					to = r.To.String() + ", which nobody in the plan has"
				}
				c.report(finding.New(finding.RelayForNothing, r.Place, "%s relays to %s", label, to).About(label))
				continue
			}
			d := c.spec.Interfaces[holders[0]].Device
			if i.Segment == model.None || !slices.ContainsFunc(c.spec.Segments[i.Segment].Leases,
				func(l model.Lease) bool { return l.By == d || l.By == model.None }) {
				on := "there"
				if i.Segment != model.None {
					on = "on " + c.spec.Segments[i.Segment].Name
				}
				c.report(finding.New(finding.RelayForNothing, r.Place, "%s relays to %s, which gives no leases %s", label, c.spec.Devices[d].Name,
					on).About(label))
			}
		}
	}
}

// leasing finds interfaces that lease their address, or take what is advertised, and hear
// nobody who gives it.
func (c *checker) leasing() {
	for n := range c.spec.Interfaces {
		id := model.InterfaceID(n)
		i := &c.spec.Interfaces[id]
		if i.Segment == model.None || !c.net.State.IsUp(id) {
			continue
		}
		label, segment := c.spec.Label(id), &c.spec.Segments[i.Segment]
		if i.Advertised && !c.hears(id, func(x *model.Interface) bool { return x.Advertises && c.spec.Devices[x.Device].Forwards }) {
			f := finding.New(finding.NotAdvertised,
				i.Place, "%s takes its IPv6 address and gateway from a router that advertises, and hears none", label).About(label)
			for _, r := range c.routersOn(i.Segment) {
				if slices.Contains(c.net.State.Neighbours(id), r) && !c.spec.Interfaces[r].Advertises {
					f = f.Mend("add 'advertises: true' to %s", c.spec.Label(r))
					break
				}
			}
			c.report(f)
		} else if i.Advertised && !slices.ContainsFunc(segment.Prefixes,
			func(p model.Prefix) bool { return p.Addr().Is6() && p.Bits() == 64 }) {
			c.report(finding.New(finding.NotAdvertised,
				i.Place, "%s makes its IPv6 address itself, for which a subnet of length 64 is needed, and %s has none (RFC 4862 §5.5.3)", label,
				segment.Name).About(label).With(segment.Place))
		}
		for _, a := range i.Addresses {
			l, leased := segment.LeaseWith(a.Addr())
			if a.Rule != model.LeasedRule || !leased || l.By == model.None {
				continue
			}
			gives := func(x *model.Interface) bool {
				return x.Device == l.By || len(x.Relay) > 0
			}
			if !c.hears(id, gives) && slices.ContainsFunc(c.spec.Interfaces,
				func(x model.Interface) bool { return x.Segment == i.Segment && x.Routed() && gives(&x) }) {
				c.report(finding.New(finding.LeaseOutOfReach, a.Place, "%s leases its address from %s, and hears neither it nor who relays to it",
					label, c.spec.Devices[l.By].Name).About(label).With(l.Place))
			}
		}
	}
}

// hears tells whether some interface on the same wire is such.
func (c *checker) hears(id model.InterfaceID, such func(*model.Interface) bool) bool {
	return slices.ContainsFunc(c.net.State.Neighbours(id), func(n model.InterfaceID) bool { return such(&c.spec.Interfaces[n]) })
}
