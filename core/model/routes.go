package model

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// distanceStep is by how much each further next hop of a route is less
// preferred than the one before.
const distanceStep = 10

// routes resolves the written static routes: destinations to prefixes, next
// hops to addresses.
func (r *resolver) routes() {
	for id := range r.doc.Devices {
		for i := range r.doc.Devices[id].Routes {
			r.route(DeviceID(id), &r.doc.Devices[id].Routes[i], "")
		}
		for _, table := range r.doc.Devices[id].Tables {
			r.namedTable(DeviceID(id), table.Name)
			for i := range table.Routes {
				r.route(DeviceID(id), &table.Routes[i], table.Name.Value)
			}
		}
	}
	// Gateways were appended before; routes of one device stand together.
	sortByDevice(r.spec.Statics)
}

// destinations reads what a route leads to. Named is true where it may
// concern both families and need not concern each.
func (r *resolver) destinations(t plan.Text, subject string) (to []netip.Prefix, named bool) {
	if t.Value == "default" {
		return []netip.Prefix{prefix.IPv4.Everything(), prefix.IPv6.Everything()}, true
	}
	if b, ok := r.spec.blocks[t.Value]; ok {
		return plainPrefixes(r.spec.Blocks[b].Prefixes), true
	}
	if s, ok := r.spec.segments[t.Value]; ok {
		return plainPrefixes(r.spec.Segments[s].Prefixes), true
	}
	if !strings.ContainsAny(t.Value, ".:/") {
		names := append(keysOf(r.spec.blocks)(), keysOf(r.spec.segments)()...)
		f := finding.New(finding.UnknownName, t.Place, "%s is neither a prefix, a segment nor a block", t.Value).About(subject)
		if near, ok := finding.Nearest(t.Value, append(names, "default")); ok {
			f = f.Mend("did you mean %s?", near)
		}
		r.report(f)
		return nil, false
	}
	p, _, err := prefix.Parse(t.Value)
	if err != nil {
		r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject))
		return nil, false
	}
	if p != p.Masked() {
		r.report(finding.New(finding.HostBitsSet, t.Place, "%s is an address in a subnet, and the destination of a route is a subnet", p).
			About(subject).Mend("write %s", p.Masked()))
	}
	return []netip.Prefix{p.Masked()}, false
}

func plainPrefixes(all []Prefix) []netip.Prefix {
	plain := make([]netip.Prefix, len(all))
	for i, p := range all {
		plain[i] = p.Prefix
	}
	return plain
}

// route resolves one destination with all its next hops.
func (r *resolver) route(d DeviceID, route *plan.Route, table string) {
	subject := r.spec.Devices[d].Name
	to, named := r.destinations(route.To, subject)
	if len(to) == 0 {
		return // said, or a name that stands for nothing yet
	}
	position := map[prefix.Family]int{} // how many next hops so far
	for i := range route.Hops {
		hop := &route.Hops[i]
		statics, ok := r.hop(d, hop, to, named, subject, table)
		if !ok {
			continue
		}
		families := map[prefix.Family]bool{}
		for _, s := range statics {
			family := prefix.FamilyOf(s.To.Addr())
			families[family] = true
			s.Device, s.Table, s.Metric, s.Place, s.Key = d, table, uint32(hop.Metric.Value), hop.Place, route.To.Value
			s.Distance = uint8(min(254, 1+distanceStep*position[family]))
			if hop.Distance.Written() {
				s.Distance = uint8(hop.Distance.Value)
			}
			r.spec.Statics = append(r.spec.Statics, s)
		}
		for family := range families {
			position[family]++
		}
	}
}

// namedTable reports a table with routes that no interface is in.
func (r *resolver) namedTable(d DeviceID, name plan.Text) {
	var names []string
	for _, id := range r.spec.InterfacesOf(d) {
		if t := r.spec.Interfaces[id].Table; t == name.Value {
			return
		} else if t != "" {
			names = append(names, t)
		}
	}
	r.unknown(name, "interface of "+r.spec.Devices[d].Name+" in a table", func() []string { return names })
}

// hop resolves one next hop to a static route for each destination prefix of
// a family it can serve.
func (r *resolver) hop(d DeviceID, hop *plan.Hop, to []netip.Prefix, named bool, subject, table string) ([]Static, bool) {
	base := Static{Device: d, Out: None, Discard: hop.Discard.Value}
	if hop.Out.Written() {
		id, ok := r.spec.InterfaceNamed(d, hop.Out.Value)
		if !ok {
			r.unknown(hop.Out, "interface of "+subject, func() []string { return r.spec.InterfaceNames(d) })
			return nil, false
		}
		base.Out = id
	}
	if hop.Watch.Written() {
		watch, err := prefix.ParseAddress(hop.Watch.Value)
		switch {
		case err != nil:
			r.report(finding.New(prefix.FindingOf(err), hop.Watch.Place, "%s", err).About(subject))
			return nil, false
		case base.Discard:
			r.report(finding.New(finding.KeyOutOfPlace, hop.Watch.Place, "a route that discards has nothing to watch").About(subject))
			return nil, false
		}
		base.Watch = watch
		if hop.WatchFrom.Written() && !r.watchFrom(&base, hop.WatchFrom, subject) {
			return nil, false
		}
	} else if hop.WatchFrom.Written() {
		r.report(finding.New(finding.KeyOutOfPlace, hop.WatchFrom.Place, "a route that watches nothing asks from nowhere").About(subject).
			Mend("add 'watch:' with an address, or remove 'watch-from'"))
		return nil, false
	}
	if !hop.NextHop.Written() {
		return watched(onEach(base, to, nil)), true
	}
	if base.Discard {
		r.report(finding.New(finding.KeyOutOfPlace, hop.Discard.Place, "a route that discards has no next hop").About(subject))
		return nil, false
	}
	if via, err := prefix.ParseAddress(hop.NextHop.Value); err == nil {
		return r.hopByAddress(base, hop, via, to, named, subject)
	}
	far, ok := r.spec.devices[hop.NextHop.Value]
	if !ok {
		r.unknownHop(hop.NextHop, subject)
		return nil, false
	}
	via, out, ok := r.sharedAddresses(d, far, hop.NextHop, subject, table)
	if !ok {
		return nil, false
	}
	statics := onEach(base, to, via)
	for i := range statics {
		if s := &statics[i]; s.Out == None && out != None {
			s.Out = r.outOf(out, far, s.Via)
		}
	}
	if len(statics) == 0 || !named && len(statics) < len(to) {
		r.report(finding.New(finding.NoSharedSegment, hop.NextHop.Place, "%s and %s share no segment with %s addresses", subject,
			hop.NextHop.Value, familyWord(to)).About(subject))
		return nil, false
	}
	return watched(statics), true
}

// watchFrom finds the address that a route's watch asks from: an address of the device, or
// that of the family of one of its interfaces.
func (r *resolver) watchFrom(base *Static, t plan.Text, subject string) bool {
	family := prefix.FamilyOf(base.Watch)
	if id, ok := r.spec.InterfaceNamed(base.Device, t.Value); ok {
		for _, a := range r.spec.Interfaces[id].Addresses {
			if prefix.FamilyOf(a.Addr()) == family && !a.Secondary && !a.Addr().IsLinkLocalUnicast() {
				base.WatchFrom = a.Addr()
				return true
			}
		}
		r.report(finding.New(finding.BadValue, t.Place, "%s has no address that could ask %s", r.spec.Label(id), base.Watch).About(subject))
		return false
	}
	from, err := prefix.ParseAddress(t.Value)
	if err != nil {
		r.unknown(t, "interface of "+subject, func() []string { return r.spec.InterfaceNames(base.Device) })
		return false
	}
	for _, id := range r.spec.InterfacesOf(base.Device) {
		for _, a := range r.spec.Interfaces[id].Addresses {
			if a.Addr() == from && prefix.FamilyOf(from) == family {
				base.WatchFrom = from
				return true
			}
		}
	}
	r.report(finding.New(finding.BadValue, t.Place, "%s is no address of %s that could ask %s", from, subject, base.Watch).About(subject))
	return false
}

func (r *resolver) unknownHop(t plan.Text, subject string) {
	if strings.ContainsAny(t.Value, ".:") {
		_, err := prefix.ParseAddress(t.Value)
		r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject))
		return
	}
	r.unknown(t, "device", keysOf(r.spec.devices))
}

// hopByAddress resolves a next hop that is written as an address: it serves
// the prefixes of its own family.
func (r *resolver) hopByAddress(base Static, hop *plan.Hop, via netip.Addr, to []netip.Prefix, named bool, subject string) ([]Static,
	bool) {
	if via.IsLinkLocalUnicast() && via.Is6() && base.Out == None {
		r.report(finding.New(finding.MissingKey, hop.NextHop.Place, "%s is link-local and could be on any interface", via).About(subject).
			Mend("write {next-hop: \"%s\", out: INTERFACE}", via))
		return nil, false
	}
	statics := watched(onEach(base, to, map[prefix.Family]netip.Addr{prefix.FamilyOf(via): via}))
	if len(statics) == 0 || !named && len(statics) < len(to) {
		r.report(finding.New(finding.BadAddress, hop.NextHop.Place, "the next hop %s is of another family than its destination",
			via).About(subject))
		return nil, false
	}
	return statics, true
}

// Watched is what a route watches, and where from, in words; "" where it watches nothing.
func (s *Static) Watched() string {
	switch {
	case !s.Watch.IsValid():
		return ""
	case s.WatchFrom.IsValid():
		return s.Watch.String() + " from " + s.WatchFrom.String()
	}
	return s.Watch.String()
}

// watched keeps the watch of those routes whose family it is of.
func watched(all []Static) []Static {
	for i := range all {
		if s := &all[i]; s.Watch.IsValid() && s.Watch.Is4() != s.To.Addr().Is4() {
			s.Watch, s.WatchFrom = netip.Addr{}, netip.Addr{}
		}
	}
	return all
}

// onEach makes a route to each prefix that a next hop is known for; with no
// next hops at all, to every prefix.
func onEach(base Static, to []netip.Prefix, via map[prefix.Family]netip.Addr) []Static {
	var all []Static
	for _, p := range to {
		s := base
		s.To = p
		if via != nil {
			a, ok := via[prefix.FamilyOf(p.Addr())]
			if !ok {
				continue
			}
			s.Via = a
		}
		all = append(all, s)
	}
	return all
}

func familyWord(to []netip.Prefix) string {
	if len(to) == 1 && to[0].Addr().Is6() {
		return "IPv6"
	}
	if len(to) == 1 {
		return "IPv4"
	}
	return "IPv4 or IPv6"
}

// sharedAddresses finds the far device's address of each family on the one
// segment that both are on, by the near one's interfaces in the route's table. Interfaces of the far one that
// are in no table of their own come first: what it keeps apart is most often not what it is a next hop by.
func (r *resolver) sharedAddresses(near, far DeviceID, t plan.Text, subject, table string) (via map[prefix.Family]netip.Addr,
	out InterfaceID, ok bool) {
	via, out = map[prefix.Family]netip.Addr{}, None
	on := SegmentID(None)
	onlyMain := table == "" && slices.ContainsFunc(r.spec.InterfacesOf(near), func(a InterfaceID) bool {
		i := &r.spec.Interfaces[a]
		return i.Segment != None && i.Routed() && i.Table == "" && len(r.addressesIn(far, i.Segment, t.Place, true)) > 0
	})
	for _, a := range r.spec.InterfacesOf(near) {
		segment := r.spec.Interfaces[a].Segment
		if segment == None || segment == on || !r.spec.Interfaces[a].Routed() || near == far || r.spec.Interfaces[a].Table != table {
			continue
		}
		found := r.addressesIn(far, segment, t.Place, onlyMain)
		if len(found) == 0 {
			continue
		}
		if on != None {
			r.report(finding.New(finding.Ambiguous, t.Place, "%s and %s share both %s and %s", subject, t.Value, r.spec.Segments[on].Name,
				r.spec.Segments[segment].Name).
				About(subject).Mend("write the next hop's address, such as %s", found[0].Address))
			return nil, None, false
		}
		on, out = segment, a
		chosen := map[prefix.Family]bool{} // in a subnet of the near one's own
		for _, g := range found {
			family := prefix.FamilyOf(g.Address)
			shared := slices.ContainsFunc(r.spec.Interfaces[a].Addresses, func(own Address) bool { return own.Contains(g.Address) })
			if _, has := via[family]; !has || shared && !chosen[family] {
				via[family], chosen[family] = g.Address, shared
			}
		}
	}
	if on == None {
		f := finding.New(finding.NoSharedSegment, t.Place, "%s and %s share no segment on which %s has an address", subject, t.Value,
			t.Value).About(subject)
		if near == far {
			f = finding.New(finding.NextHopOneself, t.Place, "%s names itself as the next hop", subject).About(subject)
		}
		r.report(f)
		return nil, None, false
	}
	return via, out, true
}

// outOf is the interface that a route by a neighbour's address must name, since no subnet of the interface leads there:
// where one of the two borrows its address. None where a subnet does.
func (r *resolver) outOf(out InterfaceID, far DeviceID, via netip.Addr) InterfaceID {
	near := &r.spec.Interfaces[out]
	if slices.ContainsFunc(near.Addresses, func(own Address) bool { return own.Contains(via) }) {
		return None
	}
	lent := func(id InterfaceID) bool {
		return r.spec.Interfaces[id].Segment == near.Segment &&
			slices.ContainsFunc(r.spec.Borrowed(id), func(a Address) bool { return a.Addr() == via })
	}
	if near.Borrow != None || slices.ContainsFunc(r.spec.InterfacesOf(far), lent) {
		return out
	}
	return None
}
