package assign

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Addresses implements model.Numbering.
func (n *Numbering) Addresses(spec *model.Spec) {
	on := map[model.SegmentID][]model.InterfaceID{}
	taken := map[netip.Addr]bool{}
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		for _, a := range i.Addresses {
			taken[a.Addr()] = true
		}
		if i.Segment != model.None && (i.Next[0] || i.Next[1]) {
			on[i.Segment] = append(on[i.Segment], model.InterfaceID(id))
		}
	}
	for _, e := range n.ledger.Entries {
		if e.Kind == Address {
			taken[e.Prefix.Addr()] = true
		}
	}
	for id := range spec.Segments {
		if waiting := on[model.SegmentID(id)]; len(waiting) > 0 {
			n.onSegment(spec, model.SegmentID(id), waiting, taken)
		}
	}
}

// onSegment gives the interfaces of one segment their next free addresses:
// those remembered first, then in the order of the plan, the device named as
// the gateway and those that forward before the others.
func (n *Numbering) onSegment(spec *model.Spec, segment model.SegmentID, waiting []model.InterfaceID, taken map[netip.Addr]bool) {
	s := &spec.Segments[segment]
	rank := func(id model.InterfaceID) int {
		d := spec.Interfaces[id].Device
		switch {
		case d == s.Lead:
			return 0
		case spec.Devices[d].Forwards:
			return 1
		}
		return 2
	}
	slices.SortStableFunc(waiting, func(a, b model.InterfaceID) int { return cmp.Compare(rank(a), rank(b)) })
	for f, family := range prefix.Families {
		p, ok := subnetOf(s, family)
		if !ok {
			continue
		}
		pool := &pool{n: n, spec: spec, segment: s, subnet: p.Prefix, taken: taken, at: 1}
		var open []model.InterfaceID
		for _, id := range waiting {
			if i := &spec.Interfaces[id]; i.Next[f] && !n.remembered(spec, id, p.Prefix, family, pool) {
				open = append(open, id)
			}
		}
		for _, id := range open {
			pool.next(id, rank(id) < 2)
		}
	}
	for _, id := range waiting {
		slices.SortStableFunc(spec.Interfaces[id].Addresses, func(a, b model.Address) int {
			return cmp.Compare(order(a), order(b))
		})
	}
}

// order is how addresses of one interface are listed: IPv4, IPv6, link-local, and
// of a family the primary one before the others.
func order(a model.Address) int {
	rank := 2
	switch {
	case a.Addr().Is4():
		rank = 0
	case a.Addr().IsLinkLocalUnicast():
		rank = 4
	}
	if a.Secondary {
		rank++
	}
	return rank
}

// remembered gives an interface the address it had before, if that is still in
// its subnet.
func (n *Numbering) remembered(spec *model.Spec, id model.InterfaceID, subnet netip.Prefix, family prefix.Family, pool *pool) bool {
	i := &spec.Interfaces[id]
	k := wanted{spec.Label(id), Address, family}
	if h := n.entries[k]; h != nil && subnet.Contains(h.Prefix.Addr()) {
		n.keep(h)
		i.Addresses = append(i.Addresses,
			model.Address{Prefix: netip.PrefixFrom(h.Prefix.Addr(), subnet.Bits()), Place: h.Place, Giver: model.Remembered, Rule: "next"})
		return true
	}
	if h := n.entries[k]; h != nil {
		if p, s := n.shifted(h.Prefix); s != nil && subnet.Contains(p.Addr()) && pool.free(p.Addr()) {
			pool.taken[p.Addr()] = true
			i.Addresses = append(i.Addresses,
				model.Address{Prefix: netip.PrefixFrom(p.Addr(), subnet.Bits()), Place: i.NextPlace, Giver: model.Proposed, Rule: "next"})
			n.move(h, p, s.because(), false)
			return true
		}
	}
	for _, h := range n.retired[k] {
		if subnet.Contains(h.Prefix.Addr()) && len(spec.HoldersOf(h.Prefix.Addr())) == 0 {
			n.restore(h)
			i.Addresses = append(i.Addresses,
				model.Address{Prefix: netip.PrefixFrom(h.Prefix.Addr(), subnet.Bits()), Place: i.NextPlace, Giver: model.Proposed, Rule: "next"})
			return true
		}
	}
	return false
}

// pool is the addresses of one subnet.
type pool struct {
	n       *Numbering
	spec    *model.Spec
	segment *model.Segment
	subnet  netip.Prefix
	taken   map[netip.Addr]bool
	at      int64 // the first place that may be free
}

// next gives an interface the next free address. The first usable one is for a
// device that forwards, or for whatever the plan names as the gateway; an IPv6
// address has the place of the IPv4 one, or what goes with it, where that is
// free.
func (o *pool) next(id model.InterfaceID, forwards bool) {
	i := &o.spec.Interfaces[id]
	a, ok := netip.Addr{}, false
	if o.subnet.Addr().Is6() {
		a, ok = o.like4(i)
	}
	if !ok {
		a, ok = o.lowest(forwards)
	}
	label := o.spec.Label(id)
	if !ok {
		o.n.report(finding.New(finding.NoNumberFree, i.NextPlace, "%s has no address left for %s", o.subnet, label).About(label).
			Mend("release what is retired, or let %s grow", o.segment.Name))
		return
	}
	o.taken[a] = true
	i.Addresses = append(i.Addresses, model.Address{Prefix: netip.PrefixFrom(a, o.subnet.Bits()), Place: i.NextPlace, Giver: model.Proposed,
		Rule: "next"})
	e := Entry{Owner: label, Kind: Address, Prefix: netip.PrefixFrom(a, a.BitLen()), Place: i.NextPlace}
	if h := o.n.entries[wanted{label, Address, prefix.FamilyOf(a)}]; h != nil {
		o.n.next = append(o.n.next, e)
		o.n.changes = append(o.n.changes,
			Change{What: Moved, Entry: e, Was: h.Number(), Because: Because{Code: IsOnSegment, Segment: o.segment.Name, Subnet: o.subnet}})
		return
	}
	o.n.give(e, Because{Code: NextFree})
}

// like4 is the IPv6 address that goes with the interface's IPv4 one.
func (o *pool) like4(i *model.Interface) (netip.Addr, bool) {
	for _, x := range i.Addresses {
		if !x.Addr().Is4() || x.Secondary {
			continue
		}
		a, ok := prefix.Matching(o.subnet, x.Prefix, o.segment.Identifier, int(o.segment.VLAN))
		if !ok {
			place, known := prefix.Position(x.Prefix, x.Addr())
			if !known || place.Int().BitLen() > 32 {
				return netip.Addr{}, false
			}
			a, ok = prefix.Nth(o.subnet, place.Int().Int64())
		}
		return a, ok && o.free(a)
	}
	return netip.Addr{}, false
}

// lowest is the lowest free address.
func (o *pool) lowest(forwards bool) (netip.Addr, bool) {
	for {
		a, ok := prefix.Nth(o.subnet, o.at)
		if !ok {
			return a, false
		}
		first := o.at == 1
		if lease, leased := o.leased(a); leased {
			place, known := prefix.Position(o.subnet, lease.Last)
			if !known || place.Int().BitLen() > 32 {
				return a, false
			}
			o.at = place.Int().Int64() + 1
			continue
		}
		if o.free(a) && (!first || forwards || o.subnet.IsSingleIP() || o.subnet.Bits() >= o.subnet.Addr().BitLen()-1 ||
			len(o.segment.Held) > 0) {
			return a, true
		}
		if first && !forwards && o.free(a) {
			// Kept for the gateway; forwarding devices come before this one.
			o.at = 2
			continue
		}
		o.at++
	}
}

// free tells whether nobody has the address or is to have it.
func (o *pool) free(a netip.Addr) bool {
	_, leased := o.leased(a)
	return !o.taken[a] && !leased && !slices.Contains(o.segment.Held, a) && !o.segment.Lends(a)
}

func (o *pool) leased(a netip.Addr) (model.Lease, bool) {
	for _, l := range o.segment.Leases {
		if l.Contains(a) {
			return l, true
		}
	}
	return model.Lease{}, false
}
