package model

import (
	"net/netip"
	"strconv"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// segments reads what each segment has and needs.
func (r *resolver) segments() {
	r.spec.Segments = make([]Segment, 0, len(r.doc.Segments))
	for i := range r.doc.Segments {
		s := &r.doc.Segments[i]
		segment := Segment{
			Name: s.Name.Value, Note: s.Note.Value, VLAN: VLAN(s.VLAN.Value), VLANPlace: s.VLAN.Place,
			Prefixes: r.prefixes(s.Prefixes, s.Name.Value), Identifier: s.Identifier.Value, Lead: None, Place: s.Name.Place,
		}
		if s.VLANAuto.Value {
			segment.VLANGiver, segment.VLANPlace = Proposed, s.VLANAuto.Place
		}
		segment.Need = r.need(s)
		if fixed := len(s.Prefixes) > 0 && len(s.From) == 0 && len(r.spec.Blocks) != 1; segment.Need.Said() && !fixed {
			segment.From = r.from(s.From, segment.Need.Place, s.Name.Value)
		} else if len(s.From) > 0 && !segment.Need.Said() {
			r.report(finding.New(finding.MissingKey, s.From[0].Place, "%s is taken from %s, and does not say how large it is", s.Name.Value,
				s.From[0].Value).
				About(s.Name.Value).Mend("add 'hosts:', 'length:' or 'point-to-point: true'"))
		}
		r.spec.Segments = append(r.spec.Segments, segment)
	}
}

// need reads what a segment wants of its subnets.
func (r *resolver) need(s *plan.Segment) Need {
	n := Need{Hosts: int64(s.Hosts.Value), HostsSaid: s.Hosts.Written(), Grow: s.Grow.Value, PointToPoint: s.PointToPoint.Value}
	places := append([]source.Place{s.Hosts.Place, s.PointToPoint.Place}, r.lengths(&n, s.Lengths, s.Name.Value)...)
	for _, p := range places {
		if p.Known() {
			n.Place = p
			break
		}
	}
	switch {
	case n.HostsSaid && n.PointToPoint:
		r.report(finding.New(finding.KeyOutOfPlace, s.Hosts.Place, "%s is a link between two devices, and has no room for hosts",
			s.Name.Value).About(s.Name.Value).
			Mend("remove 'hosts', or 'point-to-point'"))
	case s.Grow.Written() && !n.HostsSaid:
		r.report(finding.New(finding.KeyOutOfPlace, s.Grow.Place, "%s has no number of hosts that could grow",
			s.Name.Value).About(s.Name.Value).
			Mend("add 'hosts:'"))
	}
	return n
}

// lengths reads the lengths asked for, one a family, and lists where they are written.
func (r *resolver) lengths(n *Need, all []plan.Number, subject string) []source.Place {
	var places []source.Place
	for _, l := range all {
		of := &n.Length4
		if l.Value > 32 {
			of = &n.Length6
		}
		if *of != 0 {
			r.report(finding.New(finding.BadValue, l.Place, "%s has two lengths of one family", subject).About(subject).
				Mend("up to 32 it is that of IPv4, above that of IPv6"))
		}
		*of = l.Value
		places = append(places, l.Place)
	}
	return places
}

// from finds the blocks numbers are taken from: those named, else the only
// one there is.
func (r *resolver) from(texts []plan.Text, place source.Place, subject string) []BlockID {
	var all []BlockID
	for _, t := range texts {
		if b, ok := r.spec.blocks[t.Value]; ok {
			all = append(all, b)
		} else {
			r.unknown(t, "block", keysOf(r.spec.blocks))
		}
	}
	switch {
	case len(texts) > 0:
	case len(r.spec.Blocks) == 1:
		all = []BlockID{0}
	case len(r.spec.Blocks) == 0:
		r.report(finding.New(finding.NoSubnet, place, "%s needs numbers, and the plan has no block to take them from", subject).About(subject).
			Mend("add 'blocks: {home: [10.48.0.0/20]}' with address space of yours"))
	default:
		r.report(finding.New(finding.MissingKey, place, "%s does not say from which block, and there are %d", subject,
			len(r.spec.Blocks)).About(subject).
			Mend("add 'from: %s', or another of them", r.spec.Blocks[0].Name))
	}
	return all
}

// vlanRanges reads the numbers that 'vlan: auto' takes from.
func (r *resolver) vlanRanges() {
	for _, t := range r.doc.VLANs {
		low, high, ok := cutRange(t.Value)
		first, err1 := strconv.Atoi(low)
		last, err2 := strconv.Atoi(high)
		if !ok && err1 == nil {
			last, err2, ok = first, nil, true
		}
		if !ok || err1 != nil || err2 != nil || first < 1 || last > 4094 || first > last {
			r.report(finding.New(finding.BadValue, t.Place, "%s is no range of VLAN numbers, which are from 1 to 4094; write 100..199", t.Value))
			continue
		}
		r.spec.VLANs = append(r.spec.VLANs, VLANRange{VLAN(first), VLAN(last)})
	}
	if len(r.doc.VLANs) == 0 {
		r.spec.VLANs = []VLANRange{{2, 4094}}
	}
}

// cutRange splits 'first..last'.
func cutRange(text string) (first, last string, ok bool) {
	first, last, ok = strings.Cut(text, "..")
	return strings.TrimSpace(first), strings.TrimSpace(last), ok
}

// kept reads a prefix, or a range of addresses.
func (r *resolver) kept(t plan.Text, subject string) []Prefix {
	low, high, isRange := cutRange(t.Value)
	if !isRange {
		if p, ok := r.prefixOf(t, subject); ok {
			return []Prefix{p}
		}
		return nil
	}
	first, last, ok := r.addressRange(t, low, high, subject)
	if !ok {
		return nil
	}
	var all []Prefix
	for _, p := range prefix.Stretch(first, last) {
		all = append(all, Prefix{Prefix: p, Place: t.Place})
	}
	return all
}

// addressRange reads the two ends of a range of addresses.
func (r *resolver) addressRange(t plan.Text, low, high, subject string) (first, last netip.Addr, ok bool) {
	first, err := prefix.ParseAddress(low)
	if err == nil {
		last, err = prefix.ParseAddress(high)
	}
	switch {
	case err != nil:
		r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject))
	case first.Is4() != last.Is4() || last.Less(first):
		r.report(finding.New(finding.BadValue, t.Place, "%s is no range of addresses: the lower one comes first, and both are of one family",
			t.Value).About(subject))
	default:
		return first, last, true
	}
	return first, last, false
}

// vlanNumbers lists which segments have which number.
func (r *resolver) vlanNumbers() {
	r.byVLAN = map[VLAN][]SegmentID{}
	for id, s := range r.spec.Segments {
		r.byVLAN[s.VLAN] = append(r.byVLAN[s.VLAN], SegmentID(id))
	}
}

// leases reads the ranges that hosts lease, which are within the segment's
// subnets.
func (r *resolver) leases() {
	for i := range r.doc.Segments {
		for _, w := range r.doc.Segments[i].Leases {
			l := Lease{By: None, Place: w.Range.Place, gateway: w.Gateway}
			if w.By.Written() {
				if d, ok := r.device(w.By); ok {
					l.By, r.spec.Devices[d].Leases = d, true
				}
			}
			if r.leaseRange(&l, &r.spec.Segments[i], w.Range) {
				r.spec.Segments[i].Leases = append(r.spec.Segments[i].Leases, l)
			}
		}
	}
}

// leaseRange reads the ends of a range: places in the IPv4 subnet, or
// addresses.
func (r *resolver) leaseRange(l *Lease, s *Segment, t plan.Text) bool {
	low, high, ok := cutRange(t.Value)
	if !ok {
		r.report(finding.New(finding.BadValue, t.Place, "%s is no range; write 100..149", t.Value).About(s.Name))
		return false
	}
	n, isPlace := placeNumber(low)
	m, alsoPlace := placeNumber(high)
	if !isPlace || !alsoPlace {
		l.First, l.Last, ok = r.addressRange(t, low, high, s.Name)
		if ok && !s.holds(l.First, l.Last) && len(s.Prefixes) > 0 {
			r.report(finding.New(finding.BadValue, t.Place, "%s is not within a subnet of %s", t.Value,
				s.Name).About(s.Name).With(s.Prefixes[0].Place))
			return false
		}
		return ok
	}
	for _, p := range s.Prefixes {
		if !p.Addr().Is4() {
			continue
		}
		first, ok1 := prefix.Nth(p.Prefix, n)
		last, ok2 := prefix.Nth(p.Prefix, m)
		if !ok1 || !ok2 || last.Less(first) {
			r.report(finding.New(finding.NoSuchPlace, t.Place, "%s has %s usable addresses, and no range %s", p.Prefix, prefix.Usable(p.Prefix),
				t.Value).About(s.Name).With(p.Place))
			return false
		}
		l.First, l.Last = first, last
		return true
	}
	if !s.Need.Said() {
		r.report(finding.New(finding.NoSubnet, t.Place, "%s has no IPv4 subnet for its leases to be in", s.Name).About(s.Name))
	}
	return false
}

// holds tells whether both addresses are in one of the segment's subnets.
func (s *Segment) holds(a, b netip.Addr) bool {
	for _, p := range s.Prefixes {
		if p.Contains(a) && p.Contains(b) {
			return true
		}
	}
	return false
}

// gatewayHints notes which addresses of a segment are its gateway's, and which
// device is named as it, before the next free addresses are assigned.
func (r *resolver) gatewayHints() {
	for i := range r.doc.Segments {
		s := &r.spec.Segments[i]
		for _, t := range r.doc.Segments[i].Gateway {
			if d, ok := r.spec.devices[t.Value]; ok {
				s.Lead = d
			} else if n, ok := placeNumber(t.Value); ok {
				for _, p := range s.Prefixes {
					if a, ok := prefix.Nth(p.Prefix, n); ok {
						s.Held = append(s.Held, a)
					}
				}
			} else if a, err := prefix.ParseAddress(t.Value); err == nil {
				s.Held = append(s.Held, a)
			}
		}
	}
}
