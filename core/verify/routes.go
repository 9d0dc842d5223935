package verify

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// linkTo is the device's interface in whose subnet the address is.
func (c *checker) linkTo(d model.DeviceID, a netip.Addr) (model.InterfaceID, bool) {
	for _, id := range c.spec.InterfacesOf(d) {
		for _, own := range c.spec.Interfaces[id].Addresses {
			if own.Contains(a) {
				return id, true
			}
		}
	}
	return model.None, false
}

// held tells whether somebody else on the interface's link has the address.
// While the link is down, the plan's segment stands for it.
func (c *checker) held(link model.InterfaceID, a netip.Addr) bool {
	for _, h := range c.net.State.Holders(link, a) {
		if h != link {
			return true
		}
	}
	for _, h := range c.state().HoldersOf(a) {
		down := !c.net.State.IsUp(h) || !c.net.State.IsUp(link)
		if h != link && down && c.spec.Interfaces[h].Segment == c.spec.Interfaces[link].Segment {
			return true
		}
	}
	return false
}

// linkName is what a link is called in a message: its segment, or else the
// interface.
func (c *checker) linkName(id model.InterfaceID) string {
	if s := c.spec.Interfaces[id].Segment; s != model.None {
		return c.spec.Segments[s].Name
	}
	return c.spec.Label(id)
}

// nobody says that nobody on the link has the address, or who has it elsewhere.
func (c *checker) nobody(link model.InterfaceID, a netip.Addr) string {
	for _, h := range c.state().HoldersOf(a) {
		if h != link {
			return fmt.Sprintf("%s, which has it, is not on that wire", c.spec.Label(h))
		}
	}
	for _, own := range c.spec.Interfaces[link].Addresses {
		if b, ok := prefix.Broadcast(own.Prefix); ok && b == a {
			return fmt.Sprintf("that is the broadcast address of %s", c.linkName(link))
		}
	}
	return fmt.Sprintf("nobody on %s has it", c.linkName(link))
}

// gateways checks the gateway of every device that has one.
func (c *checker) gateways() {
	for i := range c.spec.Statics {
		s := &c.spec.Statics[i]
		if !s.Origin.Gateway() {
			continue
		}
		name := c.spec.Devices[s.Device].Name
		link, on := c.linkTo(s.Device, s.Via)
		switch {
		case s.Via.Is6() && s.Via.IsLinkLocalUnicast():
			link = s.Out
		case !on:
			f := finding.New(finding.GatewayOutsideSubnet, s.Place, "%s uses the gateway %s, which is in none of its subnets", name,
				s.Via).About(name)
			c.report(c.suggestGateway(f, model.StaticID(i)))
			continue
		}
		if !c.held(link, s.Via) && !c.inPieces(link, s.Via) {
			f := finding.New(finding.GatewayUnheld, s.Place, "%s uses the gateway %s, and %s", name, s.Via, c.nobody(link, s.Via)).About(name)
			c.report(c.suggestGateway(f, model.StaticID(i)))
		}
	}
}

// suggestGateway names the forwarding device on the link.
func (c *checker) suggestGateway(f finding.Finding, id model.StaticID) finding.Finding {
	s := &c.spec.Statics[id]
	for _, n := range neighbours(c.net, s.Device, prefix.FamilyOf(s.Via)) {
		if c.spec.Devices[n.device].Forwards {
			return c.mends(f, model.SetNextHop{Static: id, Via: n.address})
		}
	}
	return f
}

// routes checks the next hop of every written route.
func (c *checker) routes() {
	for _, d := range c.writers() {
		for _, table := range c.net.Of(d) {
			c.routesIn(table)
		}
	}
}

// writers lists the devices that have written routes, in order.
func (c *checker) writers() []model.DeviceID {
	var all []model.DeviceID
	for i := range c.spec.Statics {
		if s := &c.spec.Statics[i]; s.Origin == model.Written && (len(all) == 0 || all[len(all)-1] != s.Device) {
			all = append(all, s.Device)
		}
	}
	return all
}

func (c *checker) routesIn(table routing.View) {
	direct := map[netip.Prefix]bool{}
	for _, e := range table.Entries() {
		if e.Source == routing.Direct {
			direct[e.Prefix] = true
		}
		if e.Source == routing.Static && c.spec.Statics[e.Static()].Origin == model.Written {
			c.route(table, e, direct[e.Prefix])
		}
	}
}

// route checks one written route. Hidden tells that a direct route leads to
// the same prefix: entries of one prefix come best first.
func (c *checker) route(table routing.View, e routing.Entry, hidden bool) {
	s := &c.spec.Statics[e.Static()]
	name := c.spec.Devices[s.Device].Name
	if hidden && !s.Discard {
		c.reportIn(finding.New(finding.StaticHidden, s.Place, "%s is on %s itself, and the direct route always wins over this one", name,
			e.Prefix).
			About(name).Mend("remove it, unless it is for when the interface is down"), prefix.FamilyOf(e.Prefix.Addr()))
	}
	if f, doubtful := c.doubtful(e.Static(), hidden); doubtful {
		c.reportIn(f, prefix.FamilyOf(e.Prefix.Addr()))
	}
	if !s.Via.IsValid() {
		return
	}
	switch e.Usable {
	case routing.IsUsable:
		link, on := s.Out, s.Out != model.None
		if !on {
			link, on = c.linkTo(s.Device, s.Via)
		}
		if on && !c.held(link, s.Via) && !c.inPieces(link, s.Via) {
			f := finding.New(finding.NextHopUnheld, s.Place, "%s sends %s via %s, and %s", name, e.Prefix, s.Via,
				c.nobody(link, s.Via)).About(name)
			c.reportIn(c.meant(f, e.Static()), prefix.FamilyOf(e.Prefix.Addr()))
		}
	case routing.NextHopOneself:
		f := finding.New(finding.NextHopOneself, s.Place, "%s is %s's own address", s.Via, name).About(name)
		c.reportIn(c.meant(f, e.Static()), prefix.FamilyOf(e.Prefix.Addr()))
	case routing.NextHopUnreachable, routing.OnlyThroughDefault, routing.ThroughItself:
		if _, down := forward.DownInterfaceTowards(c.net, s.Device, s.Via); !down {
			f := finding.New(finding.NextHopUnresolvable, s.Place, "%s never uses its route to %s: %s", name, e.Prefix,
				c.net.Why(table, e)).About(name)
			c.reportIn(c.meant(f, e.Static()), prefix.FamilyOf(e.Prefix.Addr()))
		}
	}
}

// mostLike is how many letters two destinations may differ in to be taken for one mistyped.
const mostLike = 2

// oneOff is by how many letters two prefixes differ that differ in one part between dots or colons only, or in their
// length only; many where they differ in more.
func oneOff(a, b netip.Prefix) int {
	const many = 100
	if a.Addr() == b.Addr() {
		return apart(a.String(), b.String())
	}
	if a.Bits() != b.Bits() {
		return many
	}
	cut := func(p netip.Prefix) []string {
		return strings.FieldsFunc(p.Addr().StringExpanded(), func(r rune) bool { return r == '.' || r == ':' })
	}
	x, y := cut(a), cut(b)
	differ, letters := 0, 0
	for i := range x {
		if x[i] != y[i] {
			differ++
			letters += apart(x[i], y[i])
		}
	}
	if differ != 1 {
		return many
	}
	return letters
}

// likeness is what subnets of the plan a destination overlaps or is written like.
type likeness struct {
	meant bool           // it is a subnet, or holds one
	parts []netip.Prefix // subnets that it is a part of
	near  []netip.Prefix // subnets written much like it, those most like it first
}

// likenessOf is worked out once for each destination.
func (c *checker) likenessOf(to netip.Prefix) *likeness {
	if l, ok := c.written[to]; ok {
		return l
	}
	l := &likeness{}
	odd := map[netip.Prefix]int{}
	for n := range c.spec.Segments {
		for _, p := range c.spec.Segments[n].Prefixes {
			switch {
			case p.Addr().Is4() != to.Addr().Is4():
			case p.Overlaps(to) && p.Bits() < to.Bits():
				if !c.isLink(model.SegmentID(n)) {
					l.parts = append(l.parts, p.Prefix)
				}
			case p.Overlaps(to):
				l.meant = true
			}
			if o := oneOff(p.Prefix, to); p.Prefix != to && o <= mostLike {
				odd[p.Prefix] = o
				l.near = append(l.near, p.Prefix)
			}
		}
	}
	slices.SortStableFunc(l.near, func(a, b netip.Prefix) int { return odd[a] - odd[b] })
	if c.written == nil {
		c.written = map[netip.Prefix]*likeness{}
	}
	c.written[to] = l
	return l
}

// doubtful is a finding of a route whose destination is nobody's, the device's own or a part of a subnet only, where
// a subnet is written much like it that the device has no route of its own to.
func (c *checker) doubtful(id model.StaticID, hidden bool) (finding.Finding, bool) {
	s := &c.spec.Statics[id]
	if s.Discard || s.To.Bits() == 0 || s.To.IsSingleIP() || s.Table != "" {
		return finding.Finding{}, false
	}
	like := c.likenessOf(s.To)
	if like.meant && !hidden || len(like.parts)+len(like.near) == 0 {
		return finding.Finding{}, false
	}
	unrouted := func(p netip.Prefix) bool {
		first, last := c.spec.StaticsOf(s.Device)
		for i := first; i < last; i++ {
			if c.spec.Statics[i].To == p {
				return false
			}
		}
		return !slices.ContainsFunc(c.spec.InterfacesOf(s.Device), func(i model.InterfaceID) bool {
			return slices.ContainsFunc(c.spec.Interfaces[i].Addresses, func(a model.Address) bool { return a.Masked() == p })
		})
	}
	name, why := c.spec.Devices[s.Device].Name, "which nobody in the plan has"
	n := slices.IndexFunc(like.parts, unrouted)
	var best netip.Prefix
	if n >= 0 {
		best, why = like.parts[n], fmt.Sprintf("which is a part of the subnet %s only", like.parts[n])
	} else {
		_, held := c.heldIn(s.To)
		if n = slices.IndexFunc(like.near, unrouted); n < 0 || held && !hidden {
			return finding.Finding{}, false
		}
		best = like.near[n]
	}
	if hidden {
		why = "on which it is itself"
	}
	f := finding.New(finding.DestinationDoubtful, s.Place, "%s has a route to %s, %s, and none of its own to %s", name, s.To, why,
		best).About(name)
	return c.mends(f, model.SetDestination{Static: id, To: best}), true
}

// meant is a finding of a route whose next hop cannot be right, with the neighbour that was meant as its remedy: who
// gets packets to whom the route is for, of several the one whose address is written most like it.
func (c *checker) meant(f finding.Finding, id model.StaticID) finding.Finding {
	s := &c.spec.Statics[id]
	to, known := c.heldIn(s.To)
	var best neighbour
	least := -1
	for _, n := range neighbours(c.net, s.Device, prefix.FamilyOf(s.Via)) {
		if !c.spec.Devices[n.device].Forwards {
			continue
		}
		odd := apart(s.Via.String(), n.address.String())
		if known {
			g := forward.Walk(c.net, forward.Sender(n.device), forward.FlowTo(netip.Addr{}, to).ByRoutes())
			if g.Verdict() != forward.Works || slices.ContainsFunc(g.Nodes, func(x forward.Node) bool { return x.Device == s.Device }) {
				odd += 100
			}
		}
		if least < 0 || odd < least {
			best, least = n, odd
		}
	}
	if least < 0 || least >= 100 && known {
		return f
	}
	return c.mends(f, model.SetNextHop{Static: id, Via: best.address})
}

// waysOut finds devices that have addresses of a family and no route at all
// beyond their own subnets, though the plan has others.
func (c *checker) waysOut() {
	for d := range c.spec.Devices {
		for _, family := range prefix.Families {
			c.wayOut(model.DeviceID(d), family)
		}
	}
}

// behindTranslation tells whether a part of the world sees others by translated
// addresses of a family, to which it may well need no route.
func (c *checker) behindTranslation(d model.DeviceID, family prefix.Family) bool {
	if c.spec.Devices[d].Kind != model.World {
		return false
	}
	for _, id := range c.spec.InterfacesOf(d) {
		for _, n := range c.net.State.Neighbours(id) {
			for _, t := range c.spec.Devices[c.spec.Interfaces[n].Device].Translates {
				if t.Beyond == n && t.Family() == family {
					return true
				}
			}
		}
	}
	return false
}

func (c *checker) wayOut(d model.DeviceID, family prefix.Family) {
	on := map[model.SegmentID]bool{}
	addressed := false
	for _, id := range c.spec.InterfacesOf(d) {
		i := &c.spec.Interfaces[id]
		if i.Routed() && i.Segment != model.None {
			on[i.Segment] = true
		}
		for _, a := range i.Addresses {
			addressed = addressed || prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && i.Kind != model.Loopback
		}
	}
	if !addressed || c.spec.Devices[d].Closed[family] {
		return
	}
	if c.behindTranslation(d, family) {
		return
	}
	first, last := c.spec.StaticsOf(d)
	for _, s := range c.spec.Statics[first:last] {
		if prefix.FamilyOf(s.To.Addr()) == family {
			return
		}
	}
	for id, s := range c.spec.Segments {
		for _, p := range s.Prefixes {
			if p.Addr().IsPrivate() && p.Addr().Is4() && c.spec.Devices[d].Kind == model.World {
				continue // which no carrier routes
			}
			if prefix.FamilyOf(p.Addr()) == family && !on[model.SegmentID(id)] {
				c.reportNoWayOut(d, model.SegmentID(id), family)
				return
			}
		}
	}
}

// mostTrials is for how many devices without a way out one is tried; each
// trial makes the network anew.
const mostTrials = 10

// reportNoWayOut names, where there is one, the neighbour that is a way out:
// with a route through it somebody on the other segment is reached.
func (c *checker) reportNoWayOut(d model.DeviceID, other model.SegmentID, family prefix.Family) {
	device := &c.spec.Devices[d]
	f := finding.New(finding.NoWayOut, device.Place, "%s has no route to any other %s subnet", device.Name, family).About(device.Name)
	if c.trials++; c.trials <= mostTrials {
		if way, ok := c.wayThatWorks(d, other, family); ok {
			word := "add 'gateway: %s'"
			switch {
			case device.Kind == model.World:
				word = "add '" + c.leadsTo(d, other, family).String() + ": %s' to its routes"
			case device.Forwards:
				word = "add 'default: %s' to its routes"
			}
			f = f.Mend(word, way).Works()
		}
	}
	c.report(f)
}

// leadsTo is what a route out of a device is to lead to: everything, but of a carrier, to whom we are one of many, the block or
// subnet that is ours.
func (c *checker) leadsTo(d model.DeviceID, segment model.SegmentID, family prefix.Family) netip.Prefix {
	if c.spec.Devices[d].Kind == model.World {
		for _, p := range c.spec.Segments[segment].Prefixes {
			if prefix.FamilyOf(p.Addr()) != family {
				continue
			}
			if block, ok := c.spec.WidestBlock(p.Addr()); ok {
				return block
			}
			return p.Prefix
		}
	}
	return family.Everything()
}

// wayThatWorks tries a default route through each forwarding neighbour until
// somebody on the segment is reached, and back.
func (c *checker) wayThatWorks(d model.DeviceID, segment model.SegmentID, family prefix.Family) (string, bool) {
	target, ok := c.anyoneOn(segment, family)
	if !ok {
		return "", false
	}
	for _, n := range neighbours(c.net, d, family) {
		if !c.spec.Devices[n.device].Forwards {
			continue
		}
		route := model.Static{Device: d, To: c.leadsTo(d, segment, family), Via: n.address, Out: model.None, Distance: 1}
		net := c.budget.try(c.net, model.AddRoute{Static: route})
		if net == nil {
			return "", false
		}
		if forward.Ping(net, d, netip.Addr{}, target, model.None).Verdict() == forward.Works {
			return c.spec.Devices[n.device].Name, true
		}
	}
	return "", false
}

// anyoneOn is an address of the family that somebody on the segment has.
func (c *checker) anyoneOn(segment model.SegmentID, family prefix.Family) (netip.Addr, bool) {
	for id := range c.spec.Interfaces {
		if c.spec.Interfaces[id].Segment != segment || !c.net.State.IsUp(model.InterfaceID(id)) {
			continue
		}
		for _, a := range c.spec.Interfaces[id].Addresses {
			if prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() {
				return a.Addr(), true
			}
		}
	}
	return netip.Addr{}, false
}
