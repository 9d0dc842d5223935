package model

import (
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// gateways works out each segment's gateways and gives every device that does
// not forward a default route through one.
func (r *resolver) gateways() {
	r.on = map[SegmentID][]InterfaceID{}
	for id := range r.spec.Interfaces {
		if i := &r.spec.Interfaces[id]; i.Segment != None && i.Routed() {
			r.on[i.Segment] = append(r.on[i.Segment], InterfaceID(id))
		}
	}
	for id := range r.spec.Segments {
		for _, t := range r.doc.Segments[id].Gateway {
			r.spec.Segments[id].Gateways = append(r.spec.Segments[id].Gateways, r.gatewayFrom(t, SegmentID(id))...)
		}
	}
	r.leaseGateways()
	for id := range r.spec.Devices {
		if doc := &r.doc.Devices[id]; doc.RoutesSaid.Value && len(doc.Routes) == 0 {
			r.spec.Devices[id].Closed = [2]bool{true, true}
		}
		if r.spec.Devices[id].Forwards {
			if g := r.doc.Devices[id].Gateway; len(g) > 0 {
				r.report(finding.New(finding.KeyOutOfPlace, g[0].Place,
					"%s forwards, so it takes its way out from a default route, not from a gateway", r.spec.Devices[id].Name).
					About(r.spec.Devices[id].Name).Mend("write 'routes: {default: %s}'", g[0].Value))
			}
			continue
		}
		r.hostGateway(DeviceID(id))
	}
}

// gatewayFrom reads a gateway: an address, a place in the segment's subnets,
// or a device on the segment.
func (r *resolver) gatewayFrom(t plan.Text, segment SegmentID) []Gateway {
	subject := t.Value
	if segment != None {
		subject = r.spec.Segments[segment].Name
	}
	if _, ok := placeNumber(t.Value); ok {
		var all []Gateway
		if segment != None {
			for _, p := range r.spec.Segments[segment].Prefixes {
				if a, ok := r.nth(p, t, subject); ok {
					all = append(all, Gateway{a, t.Place})
				}
			}
		}
		return all
	}
	if id, ok := r.spec.devices[t.Value]; ok {
		all := r.addressesOn(id, segment, t.Place)
		if len(all) == 0 {
			r.report(finding.New(finding.NoSharedSegment, t.Place, "%s has no address on %s to be its gateway", t.Value, subject).About(subject))
		}
		return all
	}
	a, err := prefix.ParseAddress(t.Value)
	if err != nil {
		f := finding.New(finding.UnknownName, t.Place, "%s is neither a device nor an address", t.Value).About(subject)
		if near, ok := finding.Nearest(t.Value, keysOf(r.spec.devices)()); ok {
			f = f.Mend("did you mean %s?", near)
		}
		r.report(f)
		return nil
	}
	return []Gateway{{a, t.Place}}
}

// addressesOn lists the addresses that the device has on the segment, one of each
// subnet, the primary ones first.
func (r *resolver) addressesOn(d DeviceID, segment SegmentID, place source.Place) []Gateway {
	return r.addressesIn(d, segment, place, false)
}

// addressesIn is addressesOn; onlyMain leaves out interfaces in a table of their
// own.
func (r *resolver) addressesIn(d DeviceID, segment SegmentID, place source.Place, onlyMain bool) []Gateway {
	var primary, more []Gateway
	have := map[netip.Prefix]bool{}
	for _, id := range r.spec.InterfacesOf(d) {
		if i := &r.spec.Interfaces[id]; i.Segment == segment && i.Routed() && !(onlyMain && i.Table != "") {
			for _, a := range append(r.spec.Borrowed(id), i.Addresses...) {
				if have[a.Masked()] || a.Addr().IsLinkLocalUnicast() || a.OnTop() {
					continue
				}
				have[a.Masked()] = true
				if a.Secondary {
					more = append(more, Gateway{a.Addr(), place})
				} else {
					primary = append(primary, Gateway{a.Addr(), place})
				}
			}
		}
	}
	return append(primary, more...)
}

// hostGateway adds a default route for each family in which the device has an
// address and a gateway is known: its own, else its segment's, else the one
// router there.
func (r *resolver) hostGateway(d DeviceID) {
	home := r.homeOf(d)
	segment := SegmentID(None)
	if home != None {
		segment = r.spec.Interfaces[home].Segment
	}
	var own []Gateway
	none := r.withoutDefault(d)
	for _, t := range r.doc.Devices[d].Gateway {
		if families, ok := noGateway[t.Value]; ok {
			for _, family := range families {
				none[family], r.spec.Devices[d].Closed[family] = true, true
			}
			continue
		}
		own = append(own, r.gatewayFrom(t, segment)...)
	}
	if home == None {
		return
	}
	for _, family := range prefix.Families {
		if none[family] || !r.spec.Interfaces[home].hasFamily(family) {
			continue
		}
		if g, origin, ok := r.gatewayOf(d, home, own, family); ok {
			out := InterfaceID(None)
			if g.Address.IsLinkLocalUnicast() {
				out = home
			}
			r.spec.Statics = append(r.spec.Statics, Static{
				Device: d, To: family.Everything(), Via: g.Address, Out: out, Distance: 1, Origin: origin, Place: g.Place, Key: "default",
				Table: r.spec.Interfaces[home].Table,
			})
		}
	}
}

// noGateway are the words that say that there is none.
var noGateway = map[string][]prefix.Family{"none": prefix.Families[:], "no-ipv4": {prefix.IPv4}, "no-ipv6": {prefix.IPv6}}

// homeOf is the interface that a device which does not forward sends by: the first with an
// address, one in the main table before others. It is None where there is none.
func (r *resolver) homeOf(d DeviceID) InterfaceID {
	home := InterfaceID(None)
	for _, id := range r.spec.InterfacesOf(d) {
		i := &r.spec.Interfaces[id]
		if i.Routed() && i.Kind != Loopback && len(i.Addresses) > 0 && (home == None || i.Table == "" && r.spec.Interfaces[home].Table != "") {
			home = id
		}
	}
	return home
}

// withoutDefault are the families in which a device gets no gateway, as its own routes say
// what its default is: by a default of the table it sends by, a discard among them, or by
// having no routes at all.
func (r *resolver) withoutDefault(d DeviceID) map[prefix.Family]bool {
	doc, none := &r.doc.Devices[d], map[prefix.Family]bool{}
	routes := doc.Routes
	if home := r.homeOf(d); home != None && r.spec.Interfaces[home].Table != "" {
		routes = nil
		for _, t := range doc.Tables {
			if t.Name.Value == r.spec.Interfaces[home].Table {
				routes = t.Routes
			}
		}
	} else if doc.RoutesSaid.Value && len(routes) == 0 {
		none[prefix.IPv4], none[prefix.IPv6] = true, true
	}
	for _, route := range routes {
		p, _, err := prefix.Parse(route.To.Value)
		switch {
		case route.To.Value == "default":
			none[prefix.IPv4], none[prefix.IPv6] = true, true // what is written stands
		case err == nil && p.Bits() == 0:
			none[prefix.FamilyOf(p.Addr())] = true
		}
	}
	return none
}

// gatewayOf is the gateway of one family of a device that sends by an interface: the
// device's own; what comes with what it leases or what is advertised, where that is how it
// gets its address; else its segment's, else the one router there.
func (r *resolver) gatewayOf(d DeviceID, home InterfaceID, own []Gateway, family prefix.Family) (Gateway, Origin, bool) {
	i := &r.spec.Interfaces[home]
	hasOwn := slices.ContainsFunc(own, func(g Gateway) bool { return prefix.FamilyOf(g.Address) == family })
	if i.Segment != None && !hasOwn {
		_, leased := r.leaseOf(home, family)
		if family == prefix.IPv6 && (i.Advertised || leased) { // a lease brings none (RFC 8415)
			g, ok := r.advertisedGateway(i.Segment, home)
			return g, ImpliedRouter, ok
		}
		if l, ok := r.leaseOf(home, family); ok && family == prefix.IPv4 {
			return Gateway{l.Gateway, l.Place}, ImpliedRouter, l.Gateway.IsValid()
		}
	}
	var addresses []netip.Addr
	for _, a := range i.Addresses {
		addresses = append(addresses, a.Addr())
	}
	return r.gatewayFor(i.Segment, own, family, addresses, r.spec.Devices[d].Place)
}

// gatewayFor is the gateway of one family for who has some addresses on a segment: its own,
// else the segment's, else the one router there; of these the first in a subnet of one of
// the addresses, else the first.
func (r *resolver) gatewayFor(segment SegmentID, own []Gateway, family prefix.Family, addresses []netip.Addr, place source.Place) (Gateway,
	Origin, bool) {
	sources := [][]Gateway{own, nil, nil}
	if segment != None {
		sources[1] = r.spec.Segments[segment].Gateways
		if shared := r.virtualOn(segment, addresses, place); len(shared) > 0 {
			sources[2] = shared
		} else if router := r.impliedRouter(segment); router != None {
			sources[2] = r.addressesOn(router, segment, place)
		}
	}
	for n, gateways := range sources {
		first := Gateway{}
		origin := map[bool]Origin{true: ImpliedRouter, false: HostGateway}[n == 2]
		for _, g := range gateways {
			if prefix.FamilyOf(g.Address) != family {
				continue
			}
			if slices.ContainsFunc(addresses, func(a netip.Addr) bool { return r.sameSubnet(segment, a, g.Address) }) {
				return g, origin, true
			}
			if !first.Address.IsValid() {
				first = g
			}
		}
		if first.Address.IsValid() {
			return first, origin, true
		}
	}
	return Gateway{}, HostGateway, false
}

// sameSubnet tells whether two addresses are in one subnet of a segment, or of an
// interface on it.
func (r *resolver) sameSubnet(segment SegmentID, a, b netip.Addr) bool {
	if segment == None {
		return false
	}
	for _, p := range r.spec.Segments[segment].Prefixes {
		if p.Contains(a) {
			return p.Contains(b)
		}
	}
	for _, id := range r.on[segment] {
		for _, own := range r.spec.Interfaces[id].Addresses {
			if own.Addr() == a {
				return own.Contains(b)
			}
		}
	}
	return false
}

// virtualOn lists the gateway addresses that routers of the segment share, but for some.
func (r *resolver) virtualOn(segment SegmentID, but []netip.Addr, place source.Place) []Gateway {
	var all []Gateway
	for _, id := range r.on[segment] {
		if !r.spec.Devices[r.spec.Interfaces[id].Device].Forwards {
			continue
		}
		for _, a := range r.spec.Interfaces[id].Addresses {
			if a.Virtual && !slices.Contains(but, a.Addr()) {
				all = append(all, Gateway{a.Addr(), place})
			}
		}
	}
	return all
}

// hasFamily tells whether the interface has an address of the family that
// reaches beyond the link.
func (i *Interface) hasFamily(family prefix.Family) bool {
	for _, a := range i.Addresses {
		if prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !a.OnTop() {
			return true
		}
	}
	return false
}

// hasPrimary tells whether the interface has an address of the family that is
// neither secondary nor link-local.
func (i *Interface) hasPrimary(family prefix.Family) bool {
	return slices.ContainsFunc(i.Addresses, func(a Address) bool {
		return prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !a.Secondary
	})
}

// impliedRouter is the one forwarding device on the segment; among several,
// the one that holds the first usable address of a subnet.
func (r *resolver) impliedRouter(segment SegmentID) DeviceID {
	only, several, first := DeviceID(None), false, DeviceID(None)
	for _, id := range r.on[segment] {
		i := &r.spec.Interfaces[id]
		if !r.spec.Devices[i.Device].Forwards || len(i.Addresses) == 0 {
			continue
		}
		if only != None && only != i.Device {
			several = true
		}
		only = i.Device
		for _, p := range r.spec.Segments[segment].Prefixes {
			for _, a := range i.Addresses {
				if first == None && a.Addr() == prefix.First(p.Prefix) {
					first = i.Device
				}
			}
		}
	}
	if several {
		return first
	}
	return only
}
