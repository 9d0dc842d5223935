package model

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// TranslationKind is how addresses are translated.
type TranslationKind uint8

const (
	OneToOne TranslationKind = iota // one for another, both ways
	Sharing                         // many behind one
	Taking                          // each host one of its own from a range, while there are any
	Porting                         // a port of one is a port of another, for what comes in from beyond
)

// Translation is addresses that are others beyond an interface.
type Translation struct {
	Text         string // as written
	Kind         TranslationKind
	Inside       Side           // of OneToOne: one prefix
	Outside      []netip.Prefix // of OneToOne: one prefix of the same length
	prefix.Range                // what is shared or taken from; invalid for ByInterface
	ByInterface  bool           // shared, or of Porting the address outside, is the IPv4 address of Beyond
	To, Asked    Service        // of Porting: the ports inside, and as many that are asked for outside
	Beyond       InterfaceID
	Needed       int64        // of Taking: how many hosts the segments of Inside are to have
	Place        source.Place // of the sentence
}

// Family is that of the addresses it translates; an interface is shared in IPv4.
func (t *Translation) Family() prefix.Family {
	switch {
	case t.ByInterface:
		return prefix.IPv4
	case t.Kind == OneToOne:
		return prefix.FamilyOf(t.Outside[0].Addr())
	}
	return prefix.FamilyOf(t.First)
}

const translationForms = "'A is B beyond INTERFACE', 'A:PORT is B:PORT beyond INTERFACE', 'A shares INTERFACE', " +
	"'A shares B beyond INTERFACE' or 'A takes B beyond INTERFACE'"

// lent notes which addresses of segments stand for others, before the next free
// ones are assigned.
func (r *resolver) lent() {
	for i := range r.doc.Devices {
		for _, t := range r.doc.Devices[i].Translates {
			if words := t.Words(); len(words) > 2 {
				word := words[2].Value
				if at, _, ported := cutPorts(word); ported && words[1].Value == "is" {
					word = at
				}
				if first, last, ok := outside(word); ok {
					for s := range r.spec.Segments {
						if segment := &r.spec.Segments[s]; segment.holds(first, last) {
							segment.Lent = append(segment.Lent, Lease{Range: prefix.Range{First: first, Last: last}, By: DeviceID(i), Place: t.Place})
						}
					}
				}
			}
		}
	}
}

// Lends tells whether an address of the segment stands for another, by
// translation.
func (s *Segment) Lends(a netip.Addr) bool {
	return slices.ContainsFunc(s.Lent, func(l Lease) bool { return l.Contains(a) })
}

// outside reads an address, a range or a prefix.
func outside(text string) (first, last netip.Addr, ok bool) {
	if low, high, isRange := cutRange(text); isRange {
		first, err1 := prefix.ParseAddress(low)
		last, err2 := prefix.ParseAddress(high)
		return first, last, err1 == nil && err2 == nil && first.Is4() == last.Is4() && !last.Less(first)
	}
	p, _, err := prefix.Parse(text)
	if err != nil {
		return netip.Addr{}, netip.Addr{}, false
	}
	return p.Addr(), prefix.Top(p), p.Masked().Addr() == p.Addr()
}

// translations resolves what devices translate.
func (r *resolver) translations() {
	for i := range r.doc.Devices {
		for _, t := range r.doc.Devices[i].Translates {
			if x, ok := r.translation(DeviceID(i), t); ok {
				r.spec.Devices[i].Translates = append(r.spec.Devices[i].Translates, x)
			}
		}
	}
}

// translation resolves one sentence.
func (r *resolver) translation(d DeviceID, t plan.Text) (Translation, bool) {
	x := Translation{Text: t.Value, Beyond: None, Place: t.Place}
	words := t.Words()
	bad := func() (Translation, bool) {
		r.report(finding.New(finding.BadValue, t.Place, "a translation is %s, not %s", translationForms, t.Value))
		return x, false
	}
	if len(words) < 3 {
		return bad()
	}
	switch words[1].Value {
	case "is":
	case "shares":
		x.Kind = Sharing
	case "takes":
		x.Kind = Taking
	default:
		return bad()
	}
	if x.Kind == OneToOne {
		of, port, inward := cutPorts(words[0].Value)
		_, _, outward := cutPorts(words[2].Value)
		if inward && !outward { // it may be the address of an interface
			if device, ok := r.spec.DeviceNamed(of); ok {
				_, isInterface := r.spec.InterfaceNamed(device, port)
				inward = !isInterface
			}
		}
		if inward || outward {
			return r.ported(d, x, words)
		}
	}
	beyond := words[2]
	switch {
	case len(words) == 5 && words[3].Value == "beyond":
		beyond = words[4]
	case len(words) == 3 && x.Kind == Sharing:
		x.ByInterface = true
	default:
		return bad()
	}
	ids, ok := r.own(d, []plan.Text{beyond})
	if !ok {
		return x, false
	}
	x.Beyond = ids[0]
	if x.Inside, ok = r.side(words[0]); !ok {
		return x, false
	}
	if x.ByInterface {
		return x, true
	}
	if x.First, x.Last, ok = outside(words[2].Value); !ok {
		r.report(finding.New(finding.BadValue, words[2].Place, "%s is no address, range such as 198.51.100.36..198.51.100.38, or prefix",
			words[2].Value))
		return x, false
	}
	if x.Kind == Taking {
		x.Needed = r.hostsWanted(&x.Inside, prefix.FamilyOf(x.First))
	}
	if x.Kind == OneToOne {
		return r.oneToOne(x, words[2])
	}
	return x, true
}

// oneToOne sees to it that both sides are of one size.
func (r *resolver) oneToOne(x Translation, outside plan.Text) (Translation, bool) {
	family := prefix.FamilyOf(x.First)
	var inside []netip.Prefix
	for _, p := range x.Inside.Prefixes {
		if prefix.FamilyOf(p.Addr()) == family {
			inside = append(inside, p)
		}
	}
	to := prefix.Stretch(x.First, x.Last)
	if len(inside) != 1 || len(to) != 1 || strings.Contains(outside.Value, "..") || inside[0].Bits() != to[0].Bits() {
		r.report(finding.New(finding.BadValue,
			x.Place, "one to one are two addresses, or two prefixes of one length: %s does not say which of them is which of %s", x.Text,
			outside.Value).
			Mend("name one address on each side, or write 'shares' or 'takes'"))
		return x, false
	}
	x.Inside, x.Outside = Side{Prefixes: inside}, to
	return x, true
}

// hostsWanted is how many hosts are to be on the segments that lie within a side.
func (r *resolver) hostsWanted(inside *Side, family prefix.Family) int64 {
	n := int64(0)
	for id := range r.spec.Segments {
		s := &r.spec.Segments[id]
		for _, p := range s.Prefixes {
			if prefix.FamilyOf(p.Addr()) == family && inside.Covers(&Side{Prefixes: []netip.Prefix{p.Prefix}}) {
				n += max(s.Need.Hosts, s.HostsThere)
			}
		}
	}
	return n
}
