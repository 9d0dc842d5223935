package verify

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// subnets finds segments whose subnets have addresses in common.
func (c *checker) subnets() {
	type subnet struct {
		model.Prefix
		segment model.SegmentID
	}
	var all []subnet
	for id, s := range c.spec.Segments {
		for _, p := range s.Prefixes {
			all = append(all, subnet{p, model.SegmentID(id)})
		}
	}
	slices.SortStableFunc(all, func(a, b subnet) int {
		if d := a.Addr().Compare(b.Addr()); d != 0 {
			return d
		}
		return a.Bits() - b.Bits()
	})
	var around []subnet
	for _, s := range all {
		for len(around) > 0 && !prefix.Covers(around[len(around)-1].Prefix.Prefix, s.Prefix.Prefix) {
			around = around[:len(around)-1]
		}
		if len(around) > 0 && !c.tablesPart(around[len(around)-1].segment, s.segment) {
			c.overlap(around[len(around)-1].Prefix, around[len(around)-1].segment, s.Prefix, s.segment)
		}
		around = append(around, s)
	}
}

// overlap reports two subnets at whichever stands later in the plan.
func (c *checker) overlap(outer model.Prefix, outerOf model.SegmentID, inner model.Prefix, innerOf model.SegmentID) {
	at, other := inner.Place, outer.Place
	name, otherName := c.spec.Segments[innerOf].Name, c.spec.Segments[outerOf].Name
	reason := fmt.Sprintf("%s of %s is within %s of %s", inner.Prefix, name, outer.Prefix, otherName)
	switch {
	case outer.Prefix == inner.Prefix:
		reason = fmt.Sprintf("%s and %s both have %s", otherName, name, inner.Prefix)
	case at.Before(other):
		at, other, name = other, at, otherName
		reason = fmt.Sprintf("%s of %s takes in %s of %s", outer.Prefix, otherName, inner.Prefix, c.spec.Segments[innerOf].Name)
	}
	c.report(finding.New(finding.OverlappingSubnets, at, "%s", reason).About(name).With(other))
}

// addresses checks each address against its subnet and its segment.
func (c *checker) addresses() {
	c.each(func(id model.InterfaceID, a model.Address) {
		label := c.spec.Label(id)
		if c.spec.Interfaces[id].Kind == model.Loopback || a.Addr().IsLinkLocalUnicast() {
			return
		}
		name, reason := finding.SubnetOrBroadcast, ""
		switch prefix.RoleOf(a.Prefix, a.Addr()) {
		case prefix.SubnetAddress:
			reason = fmt.Sprintf("%s is the subnet itself", a.Prefix)
		case prefix.RouterAnycast:
			reason = fmt.Sprintf("%s is the subnet itself, the address of all its routers", a.Prefix)
		case prefix.ReservedAnycast:
			name, reason = finding.ReservedAnycastGiven, fmt.Sprintf("%s is reserved for anycast", a.Addr())
		case prefix.BroadcastRole:
			reason = fmt.Sprintf("%s is the broadcast address of %s", a.Addr(), a.Masked())
		}
		if reason != "" {
			c.report(c.mends(finding.New(name, a.Place, "%s", reason).About(label), addressSlip(c.spec, id, a)))
			return
		}
		c.inSegment(id, label, a)
	})
}

// inSegment checks that an address is of its interface's segment.
func (c *checker) inSegment(id model.InterfaceID, label string, a model.Address) {
	s := c.spec.Interfaces[id].Segment
	if s == model.None {
		return
	}
	segment := &c.spec.Segments[s]
	var same []model.Prefix
	for _, p := range segment.Prefixes {
		if p.Addr().Is4() != a.Addr().Is4() {
			continue
		}
		if p.Contains(a.Addr()) {
			if p.Bits() != a.Bits() {
				f := finding.New(finding.LengthDiffers, a.Place, "%s has length %d, and %s has %d", a.Prefix, a.Bits(), segment.Name,
					p.Bits()).About(label).With(p.Place)
				c.report(c.mends(f, addressSlip(c.spec, id, a)))
			}
			return
		}
		same = append(same, p)
	}
	if len(same) == 0 {
		return // the segment says nothing of this family
	}
	f := finding.New(finding.AddressOutsideSegment, a.Place, "%s is not in %s, which is %s", a.Addr(), segment.Name, same[0].Prefix).
		About(label).With(same[0].Place)
	f = c.mends(f, addressSlip(c.spec, id, a))
	if other := c.spec.SegmentOf(a.Addr()); other != model.None {
		f.Reason += fmt.Sprintf("; it belongs to %s", c.spec.Segments[other].Name)
		f = f.Mend("%s, or put it on %s", f.Remedy, c.spec.Segments[other].Name)
	}
	c.report(f)
}

// duplicates finds addresses that two interfaces have; link-local ones count
// only where they meet.
func (c *checker) duplicates() {
	type key struct {
		address netip.Addr
		domain  network.DomainID
	}
	first := map[key]model.InterfaceID{}
	firstPlace := map[key]model.Address{}
	c.each(func(id model.InterfaceID, a model.Address) {
		if a.Virtual {
			return // shared on purpose
		}
		k := key{a.Addr(), network.NoDomain}
		if a.Addr().IsLinkLocalUnicast() {
			if k.domain = c.net.State.Domain(id); k.domain == network.NoDomain {
				return
			}
		}
		other, taken := first[k]
		if taken && c.tablesPart(c.spec.Interfaces[other].Segment, c.spec.Interfaces[id].Segment) {
			return // each in a table of its own
		}
		if !taken {
			first[k], firstPlace[k] = id, a
			return
		}
		f := finding.New(finding.DuplicateAddress, a.Place, "%s is already the address of %s, %s", a.Addr(), c.spec.Label(other),
			firstPlace[k].Place.From(a.Place)).
			About(c.spec.Label(id)).With(firstPlace[k].Place)
		c.report(c.mendsOrFree(f, id, a))
	})
}

// mendsOrFree is a finding of an address that is another's, with one that is free as its
// remedy, and the others that are.
func (c *checker) mendsOrFree(f finding.Finding, id model.InterfaceID, a model.Address) finding.Finding {
	f = c.mends(f, duplicateSlip(c.spec, id, a))
	if free := c.spec.FreeRanges(a.Masked()); len(free) > 0 {
		words := make([]string, min(len(free), mostFree))
		for i := range words {
			words[i] = free[i].String()
		}
		f.Remedy += "; free are " + strings.Join(words, ", ")
		if len(free) > mostFree {
			f.Remedy += " and others"
		}
	}
	return f
}

// mostFree is how many ranges of free addresses a remedy names.
const mostFree = 3

// mends is a finding with a change as its remedy, where there is one.
func (c *checker) mends(f finding.Finding, change model.Change) finding.Finding {
	if change == nil {
		return f
	}
	return fixed(f, []Applied{{change, c.spec}})
}

// fixed is a finding with changes, made one after the other, as its remedy.
func fixed(f finding.Finding, all []Applied) finding.Finding {
	steps := make([]string, len(all))
	for i, s := range all {
		steps[i] = s.Change.Describe(s.Before)
	}
	f = f.Mend("%s", strings.Join(steps, "; then "))
	f.Fix = all
	return f
}

// down finds addressed interfaces that are switched off, and switch ports that
// are while an addressed interface is plugged in.
func (c *checker) down() {
	for n := range c.spec.Interfaces {
		id := model.InterfaceID(n)
		i := &c.spec.Interfaces[id]
		if len(i.Addresses) == 0 {
			continue
		}
		label := c.spec.Label(id)
		if i.AdminDown {
			c.report(finding.New(finding.AddressedInterfaceDown, i.Place, "%s has %s and is administratively down", label, i.Addresses[0].Prefix).
				About(label).Mend("%s; or take its address away",
				model.BringUp{Interface: id}.Describe(c.spec)).By([]Applied{{model.BringUp{Interface: id}, c.spec}}))
			continue
		}
		if far := c.net.State.Peer(id); far != model.None && c.spec.Interfaces[far].AdminDown && len(c.spec.Interfaces[far].Addresses) == 0 {
			c.report(finding.New(finding.AddressedInterfaceDown, c.spec.Interfaces[far].Place,
				"%s has %s, and the port it is plugged into, %s, is administratively down", label, i.Addresses[0].Prefix, c.spec.Label(far)).
				About(c.spec.Label(far)).Mend("%s; or remove the cable",
				model.BringUp{Interface: far}.Describe(c.spec)).By([]Applied{{model.BringUp{Interface: far}, c.spec}}).With(i.Place))
		}
	}
}

// primaries finds interfaces with several IPv4 addresses of one subnet of which
// none is secondary.
func (c *checker) primaries() {
	for id := range c.spec.Interfaces {
		var seen []model.Address
		for _, a := range c.spec.Interfaces[id].Addresses {
			if !a.Addr().Is4() || a.Secondary {
				continue
			}
			for _, other := range seen {
				if other.Masked() == a.Masked() && !a.IsSingleIP() && other.Addr() != a.Addr() {
					c.report(finding.New(finding.SeveralPrimaries, a.Place, "%s and %s are both primary addresses in %s", other.Addr(), a.Addr(),
						a.Masked()).
						About(c.spec.Label(model.InterfaceID(id))).Mend("put %s under 'secondary'", a.Addr()).With(other.Place))
					break
				}
			}
			seen = append(seen, a)
		}
	}
}
