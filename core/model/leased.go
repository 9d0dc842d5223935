package model

import (
	"hash/fnv"
	"net/netip"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Rules of addresses that no plan writes and no device is told: what is found there is
// another each time.
const (
	LeasedRule     = "leased"     // asked for (RFC 2131, RFC 8415)
	AdvertisedRule = "advertised" // made from what a router advertises (RFC 4862)
)

// Relayed is where an interface passes on what hosts ask to lease an address.
type Relayed struct {
	To    netip.Addr // invalid where the device named has no IPv4 address
	Place source.Place
}

// leased is the address of each family that an interface leases: the first of the
// segment's ranges that no other interface of the plan leases. Which one it is given in
// truth only its server knows; any of the range is as good for what is predicted.
func (r *resolver) leased(id InterfaceID, t plan.Text) []Address {
	i := &r.spec.Interfaces[id]
	subject := r.spec.Label(id)
	i.Leased = true
	if i.Segment == None {
		r.report(finding.New(finding.NoSubnet, t.Place, "%s is on no segment, so there are no leases", subject).About(subject))
		return nil
	}
	segment := &r.spec.Segments[i.Segment]
	var all []Address
	for _, family := range prefix.Families {
		var last *Lease // of the family, where none of its ranges has an address left
		for n := range segment.Leases {
			l := &segment.Leases[n]
			if prefix.FamilyOf(l.First) != family {
				continue
			}
			a, bits, ok := r.nextLease(segment, l)
			if last = l; ok {
				all, last = append(all, Address{Prefix: netip.PrefixFrom(a, bits), Place: t.Place, Rule: LeasedRule}), nil
				break
			}
		}
		if last != nil {
			r.report(finding.New(finding.NoSuchPlace, t.Place, "%s leases %s, and more interfaces want one", segment.Name, last.Range).
				About(subject).Mend("make the range longer").With(last.Place))
		}
	}
	if len(r.doc.Segments[i.Segment].Leases) == 0 {
		r.report(finding.New(finding.MissingKey, t.Place, "%s leases its address, and nobody leases any on %s", subject, segment.Name).
			About(subject).Mend("add 'leases: {range: 100..149, by: DEVICE}' to segment %s", segment.Name).With(segment.Place))
	}
	return all
}

// nextLease is the lowest address of a range that no interface of the plan leases yet.
func (r *resolver) nextLease(s *Segment, l *Lease) (netip.Addr, int, bool) {
	a := l.First
	if last, ok := r.lastLease[l.Place]; ok {
		a = last.Next()
	}
	if !a.IsValid() || l.Last.Less(a) {
		return a, 0, false
	}
	if r.lastLease == nil {
		r.lastLease = map[source.Place]netip.Addr{}
	}
	r.lastLease[l.Place] = a
	for _, p := range s.Prefixes {
		if p.Contains(a) {
			return a, p.Bits(), true
		}
	}
	return a, 0, false
}

// advertised is the addresses that an interface makes for itself in the IPv6 subnets of
// length 64 that a router of its segment advertises (RFC 4862 §5.5.3): from its MAC, or
// else by an identifier that stands for the opaque one of RFC 7217. There are none where
// no router advertises.
func (r *resolver) advertised(id InterfaceID, t plan.Text) []Address {
	i := &r.spec.Interfaces[id]
	i.Advertised = true
	if i.Segment == None || r.advertiser(i.Segment, id) == None {
		return nil
	}
	var all []Address
	for _, p := range r.spec.Segments[i.Segment].Prefixes {
		if !p.Addr().Is6() || p.Bits() != 64 {
			continue
		}
		a, err := prefix.FromMAC(p.Prefix, i.MAC)
		if err != nil {
			a = opaque(p.Prefix, r.spec.Label(id))
		}
		all = append(all, Address{Prefix: netip.PrefixFrom(a, 64), Place: t.Place, Rule: AdvertisedRule})
	}
	return all
}

// opaque is an address with an identifier that is always the same for one name.
func opaque(p netip.Prefix, name string) netip.Addr {
	h := fnv.New64a()
	h.Write([]byte(name))
	bytes := p.Addr().As16()
	h.Sum(bytes[:8])
	return netip.AddrFrom16(bytes)
}

// advertiser is the first interface of a router on a segment that advertises it, but for
// one; None where none does.
func (r *resolver) advertiser(s SegmentID, but InterfaceID) InterfaceID {
	for n := range r.spec.Interfaces {
		i := &r.spec.Interfaces[n]
		if InterfaceID(n) != but && i.Segment == s && i.Advertises && r.spec.Devices[i.Device].Forwards {
			return InterfaceID(n)
		}
	}
	return None
}

// advertisedGateway is what hosts send by that take what a router advertises: the
// router's link-local address (RFC 4861 §6.3.4) where the plan says one, else the address
// the plan knows the router by there.
func (r *resolver) advertisedGateway(s SegmentID, host InterfaceID) (Gateway, bool) {
	id := r.advertiser(s, host)
	if id == None {
		return Gateway{}, false
	}
	i := &r.spec.Interfaces[id]
	best := netip.Addr{}
	for _, a := range i.Addresses {
		if a.Addr().Is6() && (!best.IsValid() || a.Addr().IsLinkLocalUnicast()) {
			best = a.Addr()
		}
	}
	return Gateway{best, i.Place}, best.IsValid()
}

// leaseGateways works out which gateway each lease gives: its own, else what the
// segment's hosts use.
func (r *resolver) leaseGateways() {
	for s := range r.spec.Segments {
		segment := &r.spec.Segments[s]
		for n := range segment.Leases {
			l := &segment.Leases[n]
			own := []Gateway{}
			if l.gateway.Value == "none" {
				continue
			}
			if l.First.Is6() { // DHCPv6 carries no gateway (RFC 8415): hosts take it from who advertises (RFC 4861)
				if g, ok := r.advertisedGateway(SegmentID(s), None); ok {
					l.Gateway = g.Address
				}
				continue
			}
			if l.gateway.Written() {
				own = r.gatewayFrom(l.gateway, SegmentID(s))
			}
			if g, _, ok := r.gatewayFor(SegmentID(s), own, prefix.FamilyOf(l.First), []netip.Addr{l.First}, l.Place); ok {
				l.Gateway = g.Address
			}
		}
	}
}

// leaseOf is the range an interface leases its address of a family from.
func (r *resolver) leaseOf(id InterfaceID, family prefix.Family) (Lease, bool) {
	i := &r.spec.Interfaces[id]
	for _, a := range i.Addresses {
		if a.Rule == LeasedRule && prefix.FamilyOf(a.Addr()) == family {
			return r.spec.Segments[i.Segment].LeaseWith(a.Addr())
		}
	}
	return Lease{}, false
}

// LeaseWith is the range of leases that holds an address.
func (s *Segment) LeaseWith(a netip.Addr) (Lease, bool) {
	for _, l := range s.Leases {
		if l.Contains(a) {
			return l, true
		}
	}
	return Lease{}, false
}

// relays resolves where interfaces pass on what hosts ask.
func (r *resolver) relays() {
	for n := range r.spec.Interfaces {
		w := r.written[n].entry
		if w == nil {
			continue
		}
		i := &r.spec.Interfaces[n]
		label := r.spec.Label(InterfaceID(n))
		if i.Advertises && !r.spec.Devices[i.Device].Forwards {
			r.report(finding.New(finding.KeyOutOfPlace, w.Advertises.Place, "%s does not forward, and only routers advertise (RFC 4861 §6.2)",
				r.spec.Devices[i.Device].Name).About(label))
		}
		for _, t := range w.Relay {
			if d, ok := r.spec.devices[t.Value]; ok {
				to := r.spec.MainAddress(d, prefix.IPv4)
				if !to.IsValid() { // a request for a lease is of IPv4 (RFC 2131); IPv6 hosts take what is advertised
					r.report(finding.New(finding.BadValue, t.Place, "%s has no IPv4 address to relay to", t.Value).About(label).
						Mend("give %s an IPv4 address, or relay to another", t.Value))
					continue
				}
				i.Relay = append(i.Relay, Relayed{to, t.Place})
				continue
			}
			a, err := prefix.ParseAddress(t.Value)
			if err != nil || !a.Is4() {
				f := finding.New(finding.UnknownName, t.Place, "%s is neither a device nor an IPv4 address", t.Value).About(label)
				if near, ok := finding.Nearest(t.Value, keysOf(r.spec.devices)()); ok {
					f = f.Mend("did you mean %s?", near)
				}
				r.report(f)
				continue
			}
			i.Relay = append(i.Relay, Relayed{a, t.Place})
		}
	}
}
