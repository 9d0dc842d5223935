package model

import (
	"net/netip"
	"strconv"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// addresses gives every interface the addresses the plan gives it.
func (r *resolver) addresses() {
	for id := range r.spec.Interfaces {
		i := &r.spec.Interfaces[id]
		w := r.written[id]
		if i.Kind == Loopback {
			i.Addresses = r.loopback(w.device.Loopback, r.spec.Label(InterfaceID(id)))
			continue
		}
		if len(w.addresses) == 0 {
			continue
		}
		if i.Switched {
			r.report(finding.New(finding.KeyOutOfPlace, w.addresses[0].Place, "%s is a switch port, which has no address of its own", r.spec.Label(InterfaceID(id))).
				About(r.spec.Label(InterfaceID(id))).Mend("give the switch a VLAN interface: 'mgmt: {vlan: SEGMENT, address: …}'"))
			continue
		}
		i.Addresses = r.interfaceAddresses(InterfaceID(id), w.addresses)
	}
}

// loopback reads addresses that stand alone, each with its family's full
// length.
func (r *resolver) loopback(texts []plan.Text, subject string) []Address {
	var all []Address
	for _, t := range texts {
		p, _, err := prefix.Parse(t.Value)
		switch {
		case err != nil:
			r.report(finding.New(finding.BadAddress, t.Place, "%s", err).About(subject))
		case !p.IsSingleIP():
			r.report(finding.New(finding.BadAddress, t.Place, "a loopback address has length %d, not %d", p.Addr().BitLen(), p.Bits()).
				About(subject).Mend("write %s", p.Addr()))
		default:
			all = append(all, Address{p, t.Place})
		}
	}
	return all
}

// interfaceAddresses reads an interface's addresses. A place such as 'first'
// holds for each of the segment's subnets, but for a family in which an
// address is written out.
func (r *resolver) interfaceAddresses(id InterfaceID, texts []plan.Text) []Address {
	var all []Address
	var places []plan.Text
	have := map[bool]bool{} // by Is4: an address of the family is written out
	for _, t := range texts {
		if _, isPlace := placeNumber(t.Value); isPlace {
			places = append(places, t)
			continue
		}
		if a, ok := r.interfaceAddress(id, t); ok {
			all = append(all, a)
			if !a.Addr().IsLinkLocalUnicast() {
				have[a.Addr().Is4()] = true
			}
		}
	}
	for _, t := range places {
		for _, p := range r.placed(id, t) {
			if !have[p.Addr().Is4()] {
				all = append(all, p)
			}
		}
	}
	return all
}

// interfaceAddress reads one address that is written out. Without a length it
// takes that of the segment's subnet of its family.
func (r *resolver) interfaceAddress(id InterfaceID, t plan.Text) (Address, bool) {
	subject := r.spec.Label(id)
	p, whole, err := prefix.Parse(t.Value)
	if err != nil {
		r.report(finding.New(finding.BadAddress, t.Place, "%s", err).About(subject).
			Mend("write first, last, a number such as 10 or -2, or an address with its length"))
		return Address{}, false
	}
	if !whole {
		return Address{p, t.Place}, true
	}
	if p.Addr().IsLinkLocalUnicast() && p.Addr().Is6() {
		return Address{netip.PrefixFrom(p.Addr(), 64), t.Place}, true
	}
	if s := r.spec.Interfaces[id].Segment; s != None {
		for _, subnet := range r.spec.Segments[s].Prefixes {
			if subnet.Addr().Is4() == p.Addr().Is4() {
				return Address{netip.PrefixFrom(p.Addr(), subnet.Bits()), t.Place}, true
			}
		}
	}
	r.report(finding.New(finding.BadAddress, t.Place, "%s has no prefix length", p.Addr()).About(subject).
		Mend("write %s/%d", p.Addr(), likelyLength(p.Addr())))
	return Address{}, false
}

// placeNumber reads a place in a subnet: first, last, 10, -2.
func placeNumber(word string) (int64, bool) {
	switch word {
	case "first":
		return 1, true
	case "last":
		return -1, true
	}
	n, err := strconv.ParseInt(word, 10, 63)
	return n, err == nil
}

// placed turns a place into the address it is in each subnet of the
// interface's segment.
func (r *resolver) placed(id InterfaceID, t plan.Text) []Address {
	subject := r.spec.Label(id)
	s := r.spec.Interfaces[id].Segment
	if s == None {
		if named := r.written[id].segment; named.Written() && named.Place != r.spec.Interfaces[id].Place {
			return nil // that there is no such segment, or that it has no number, was said
		}
		r.report(finding.New(finding.NoSubnet, t.Place, "%s is on no segment, so there is no %s usable address", subject, t.Value).
			About(subject).Mend("say which segment it is on, or write the address with its length"))
		return nil
	}
	segment := &r.spec.Segments[s]
	if len(segment.Prefixes) == 0 {
		r.report(finding.New(finding.NoSubnet, t.Place, "segment %s has no prefix, so there is no %s usable address", segment.Name, t.Value).
			About(subject).Mend("add 'prefix:' to segment %s", segment.Name).With(segment.Place))
		return nil
	}
	var all []Address
	for _, p := range segment.Prefixes {
		if a, ok := r.nth(p, t, subject); ok {
			all = append(all, Address{netip.PrefixFrom(a, p.Bits()), t.Place})
		}
	}
	return all
}

// nth is the address at a place of a subnet, reported where there is none.
func (r *resolver) nth(p Prefix, t plan.Text, subject string) (netip.Addr, bool) {
	n, _ := placeNumber(t.Value)
	a, ok := prefix.Nth(p.Prefix, n)
	if !ok {
		r.report(finding.New(finding.NoSuchPlace, t.Place, "%s has %s usable addresses, and no number %s", p.Prefix, prefix.Usable(p.Prefix), t.Value).
			About(subject).With(p.Place))
	}
	return a, ok
}
