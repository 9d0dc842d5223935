package model

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// addresses gives every interface the addresses the plan gives it, and notes
// which want the next free one.
func (r *resolver) addresses() {
	for n := range r.spec.Interfaces {
		id := InterfaceID(n)
		i := &r.spec.Interfaces[id]
		w := r.written[id]
		if i.Kind == Loopback {
			continue // read before, as other numbers must keep off them
		}
		if i.Switched {
			for _, t := range w.allAddresses() {
				r.report(finding.New(finding.KeyOutOfPlace, t.Place, "%s is a switch port, which has no address of its own", r.spec.Label(id)).
					About(r.spec.Label(id)).Mend("give the switch a VLAN interface: 'mgmt: {vlan: SEGMENT, address: …}'"))
				break
			}
			continue
		}
		r.interfaceAddresses(id, w)
	}
}

// claims reads the loopbacks that are written out, counts how many addresses
// each segment's machines take, and notes what space is in use by addresses
// written out in full: no number assigned may meet it.
func (r *resolver) claims() {
	type shared struct {
		segment SegmentID
		word    string
	}
	counted := map[shared]bool{} // addresses several routers share take one place
	for id := range r.spec.Interfaces {
		i := &r.spec.Interfaces[id]
		w := r.written[id]
		if i.Kind == Loopback {
			i.Addresses = r.loopback(w.device.Loopback, r.spec.Label(InterfaceID(id)))
			for _, a := range i.Addresses {
				r.spec.Claimed = append(r.spec.Claimed, a.Prefix)
			}
			continue
		}
		words := w.allAddresses()
		for _, t := range words {
			if p, whole, err := prefix.Parse(t.Value); err == nil && !whole && !p.Addr().IsLinkLocalUnicast() {
				r.spec.Claimed = append(r.spec.Claimed, p.Masked())
			}
			if t.Value != "none" && t.Value != AdvertisedRule && !strings.Contains(t.Value, ":") && t.Value != eui64 {
				i.Claims++
			}
		}
		if len(words) == 0 {
			i.Claims = 1
		}
		if i.Segment != None && i.Routed() {
			if s := &r.spec.Segments[i.Segment]; r.spec.Devices[i.Device].Kind == Host {
				s.HostsThere += int64(i.Claims)
			} else {
				s.Own += int64(i.Claims)
				for _, t := range w.virtualWords() {
					if k := (shared{i.Segment, t.Value}); !counted[k] && !strings.Contains(t.Value, ":") {
						counted[k] = true
						s.Own++
					}
				}
			}
		}
	}
	for _, d := range r.spec.Devices {
		for _, p := range d.Beyond {
			r.spec.Claimed = append(r.spec.Claimed, p.Prefix)
		}
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
			r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject))
		case !p.IsSingleIP():
			r.report(finding.New(finding.BadAddress, t.Place, "a loopback address has length %d, not %d", p.Addr().BitLen(), p.Bits()).
				About(subject).Mend("write %s", p.Addr()))
		default:
			all = append(all, Address{Prefix: p, Place: t.Place})
		}
	}
	return all
}

// allAddresses is every word that covers an address.
func (w *written) allAddresses() []plan.Text {
	all := slices.Concat(w.addresses, w.secondary)
	if w.linkLocal.Written() {
		all = append(all, w.linkLocal)
	}
	return all
}

// virtualWords is every word that covers an address the interface shares.
func (w *written) virtualWords() []plan.Text {
	if w.entry == nil {
		return nil
	}
	return w.entry.Virtual
}

// interfaceAddresses gives an interface its addresses. A place such as 'first'
// holds for each of the segment's subnets, but for a family in which an address
// is written out; the next free one is for the families that have none.
func (r *resolver) interfaceAddresses(id InterfaceID, w written) {
	i := &r.spec.Interfaces[id]
	var places []plan.Text
	wantsNext := len(w.addresses) == 0
	i.NextPlace = i.Place
	for _, t := range w.addresses {
		if _, isPlace := placeNumber(t.Value); isPlace {
			places = append(places, t)
			continue
		}
		switch t.Value {
		case LeasedRule:
			i.Addresses = append(i.Addresses, r.leased(id, t)...)
		case AdvertisedRule:
			i.Addresses = append(i.Addresses, r.advertised(id, t)...)
		case "next":
			wantsNext, i.NextPlace = true, t.Place
		case "none":
			if len(w.addresses) > 1 {
				r.report(finding.New(finding.BadValue, t.Place, "%s has either no address or the others here",
					r.spec.Label(id)).About(r.spec.Label(id)))
			}
		default:
			i.Addresses = append(i.Addresses, r.addressWord(id, t)...)
		}
	}
	has := [2]bool{i.hasPrimary(prefix.IPv4), i.hasPrimary(prefix.IPv6)}
	for _, t := range places {
		for _, a := range r.placed(id, t) {
			if !has[familyIndex(a.Addr())] {
				i.Addresses = append(i.Addresses, a)
			}
		}
	}
	for _, t := range w.secondary {
		more := r.addressWord
		if _, isPlace := placeNumber(t.Value); isPlace {
			more = r.placed
		}
		for _, a := range more(id, t) {
			a.Secondary = true
			i.Addresses = append(i.Addresses, a)
		}
	}
	if w.linkLocal.Written() {
		r.linkLocal(id, w.linkLocal)
	}
	r.virtual(id, w.entry)
	if w.entry != nil && (w.entry.Borrow.Written() || len(w.entry.Members) > 0) && len(w.addresses) == 0 {
		wantsNext = false
	}
	if !wantsNext || i.Segment == None {
		if i.NextPlace != i.Place && i.Segment == None {
			r.report(finding.New(finding.NoSubnet, i.NextPlace, "%s is on no segment, so there is no next free address",
				r.spec.Label(id)).About(r.spec.Label(id)))
		}
		return
	}
	for _, p := range r.spec.Segments[i.Segment].Prefixes {
		f := familyIndex(p.Addr())
		i.Next[f] = i.Next[f] || !i.hasPrimary(prefix.FamilyIf(f == 0))
	}
}

// virtual gives an interface the addresses it shares with other routers.
func (r *resolver) virtual(id InterfaceID, w *plan.Interface) {
	if w == nil {
		return
	}
	for _, t := range w.Virtual {
		more := r.addressWord
		if _, isPlace := placeNumber(t.Value); isPlace {
			more = r.placed
		}
		for _, a := range more(id, t) {
			a.Virtual, a.Secondary = true, !r.hasNone(id)
			r.spec.Interfaces[id].Addresses = append(r.spec.Interfaces[id].Addresses, a)
		}
	}
}

// hasNone tells whether the plan gives an interface no address but those it shares.
func (r *resolver) hasNone(id InterfaceID) bool {
	words := r.written[id].addresses
	return len(words) == 1 && words[0].Value == "none"
}

// familyIndex is 0 for IPv4 and 1 for IPv6.
func familyIndex(a netip.Addr) int {
	if a.Is4() {
		return 0
	}
	return 1
}

// addressWord reads one address that is no place: written out, an IPv6
// identifier, or one made from the MAC. Without a length it takes that of the
// segment's subnet of its family.
func (r *resolver) addressWord(id InterfaceID, t plan.Text) []Address {
	subject := r.spec.Label(id)
	i := &r.spec.Interfaces[id]
	if t.Value == eui64 {
		return r.fromMAC(id, t)
	}
	p, whole, err := prefix.Parse(t.Value)
	if err != nil {
		r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject).
			Mend("write next, first, last, a number such as 10 or -2, or an address with its length"))
		return nil
	}
	if !whole {
		return []Address{{Prefix: p, Place: t.Place}}
	}
	if p.Addr().IsLinkLocalUnicast() && p.Addr().Is6() {
		return []Address{{Prefix: netip.PrefixFrom(p.Addr(), 64), Place: t.Place}}
	}
	if prefix.IsIdentifier(p.Addr()) {
		return r.identified(id, p.Addr(), t)
	}
	if i.Segment != None {
		for _, subnet := range r.spec.Segments[i.Segment].Prefixes {
			if subnet.Addr().Is4() == p.Addr().Is4() {
				return []Address{{Prefix: netip.PrefixFrom(p.Addr(), subnet.Bits()), Place: t.Place}}
			}
		}
	}
	r.report(finding.New(finding.NoPrefixLength, t.Place, "%s has no prefix length", p.Addr()).About(subject).
		Mend("write %s/%d", p.Addr(), likelyLength(p.Addr())))
	return nil
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
		if !segment.Need.Said() {
			r.report(finding.New(finding.NoSubnet, t.Place, "segment %s has no prefix, so there is no %s usable address", segment.Name, t.Value).
				About(subject).Mend("add 'prefix:' or what it needs, such as 'hosts: 20', to segment %s", segment.Name).With(segment.Place))
		}
		return nil // that its need does not fit is said
	}
	var all []Address
	var of4 netip.Prefix // the IPv4 address that the place stands for
	for _, p := range segment.Prefixes {
		a, ok := netip.Addr{}, false
		if of4.IsValid() && p.Addr().Is6() {
			a, ok = prefix.Matching(p.Prefix, of4, segment.Identifier, int(segment.VLAN))
		}
		if !ok {
			a, ok = r.nth(p, t, subject)
		}
		if ok {
			if p.Addr().Is4() && !of4.IsValid() {
				of4 = netip.PrefixFrom(a, p.Bits())
			}
			all = append(all, Address{Prefix: netip.PrefixFrom(a, p.Bits()), Place: t.Place, Rule: t.Value})
		}
	}
	return all
}

// identified puts an IPv6 interface identifier into the segment's subnets.
func (r *resolver) identified(id InterfaceID, identifier netip.Addr, t plan.Text) []Address {
	var all []Address
	if s := r.spec.Interfaces[id].Segment; s != None {
		for _, p := range r.spec.Segments[s].Prefixes {
			if a, ok := prefix.WithIdentifier(p.Prefix, identifier); ok {
				all = append(all, Address{Prefix: netip.PrefixFrom(a, p.Bits()), Place: t.Place, Rule: t.Value})
			}
		}
	}
	if len(all) == 0 {
		r.report(finding.New(finding.NoSubnet, t.Place, "%s is an interface identifier, and %s is on no segment with an IPv6 subnet for it",
			identifier, r.spec.Label(id)).
			About(r.spec.Label(id)).Mend("write the address with its length"))
	}
	return all
}

// eui64 is the word for an address made from the MAC.
const eui64 = "eui-64"

// fromMAC makes the addresses an interface has by its MAC in the segment's
// subnets of length 64 (RFC 4291, appendix A).
func (r *resolver) fromMAC(id InterfaceID, t plan.Text) []Address {
	i := &r.spec.Interfaces[id]
	subject := r.spec.Label(id)
	if i.MAC == "" {
		r.report(finding.New(finding.MissingKey, t.Place, "%s has no MAC to make an address from",
			subject).About(subject).Mend("add 'mac:' to the interface"))
		return nil
	}
	var all []Address
	if i.Segment != None {
		for _, p := range r.spec.Segments[i.Segment].Prefixes {
			if a, err := prefix.FromMAC(p.Prefix, i.MAC); err == nil {
				all = append(all, Address{Prefix: netip.PrefixFrom(a, p.Bits()), Place: t.Place, Rule: eui64})
			}
		}
	}
	if len(all) == 0 {
		r.report(finding.New(finding.NoSubnet, t.Place, "%s is on no segment with an IPv6 subnet of length 64, which %s needs", subject,
			eui64).About(subject))
	}
	return all
}

// linkLocal gives an interface its link-local address.
func (r *resolver) linkLocal(id InterfaceID, t plan.Text) {
	i := &r.spec.Interfaces[id]
	subject := r.spec.Label(id)
	if t.Value == eui64 {
		a, err := prefix.FromMAC(prefix.LinkLocal, i.MAC)
		if err != nil {
			r.report(finding.New(finding.MissingKey, t.Place, "%s has no MAC to make an address from",
				subject).About(subject).Mend("add 'mac:' to the interface"))
			return
		}
		i.Addresses = append(i.Addresses, Address{Prefix: netip.PrefixFrom(a, 64), Place: t.Place, Rule: eui64})
		return
	}
	a, err := prefix.ParseAddress(t.Value)
	switch {
	case err != nil:
		r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject))
	case !a.Is6() || !a.IsLinkLocalUnicast():
		r.report(finding.New(finding.BadAddress, t.Place, "%s is not an IPv6 link-local address, which begin with fe80:",
			a).About(subject).Mend("write \"fe80::1\", or put it under 'address'"))
	default:
		i.Addresses = append(i.Addresses, Address{Prefix: netip.PrefixFrom(a, 64), Place: t.Place})
	}
}

// nth is the address at a place of a subnet, reported where there is none.
func (r *resolver) nth(p Prefix, t plan.Text, subject string) (netip.Addr, bool) {
	n, _ := placeNumber(t.Value)
	a, ok := prefix.Nth(p.Prefix, n)
	if !ok {
		r.report(finding.New(finding.NoSuchPlace, t.Place, "%s has %s usable addresses, and no number %s", p.Prefix, prefix.Usable(p.Prefix),
			t.Value).
			About(subject).With(p.Place))
	}
	return a, ok
}
