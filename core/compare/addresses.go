package compare

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// addressSet is the addresses of an interface that are compared: link-local ones, and
// those shared with other routers, and those that are another each time, are not.
func addressSet(i *model.Interface, family prefix.Family) []netip.Prefix {
	var all []netip.Prefix
	for _, a := range i.Addresses {
		if isCompared(a, family) {
			all = append(all, a.Prefix)
		}
	}
	return all
}

// isCompared tells whether an address is compared one by one.
func isCompared(a model.Address, family prefix.Family) bool {
	return prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !a.Virtual && !a.Varies()
}

func foundSet(i *observed.Interface, shared *model.Interface, family prefix.Family) []netip.Prefix {
	var all []netip.Prefix
	if i == nil {
		return nil
	}
	for _, a := range i.Addresses {
		isShared := shared != nil && slices.ContainsFunc(shared.Addresses,
			func(b model.Address) bool { return b.Virtual && b.Addr() == a.Addr() })
		if prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !isShared {
			all = append(all, a.Prefix)
		}
	}
	return all
}

// primaries compares which address of an interface is its primary one, as far as the
// device tells which are secondary; and the link-local ones that the plan says.
func (c *comparer) primaries(i model.InterfaceID, o *observed.Device, found *observed.Interface, family prefix.Family) {
	x := &c.spec.Interfaces[i]
	if found == nil {
		return
	}
	of := func(a netip.Prefix) (observed.Address, bool) {
		n := slices.IndexFunc(found.Addresses, func(b observed.Address) bool { return b.Prefix == a })
		if n < 0 {
			return observed.Address{}, false
		}
		return found.Addresses[n], true
	}
	tells := slices.ContainsFunc(found.Addresses, func(a observed.Address) bool { return a.Secondary })
	var swapped, planned []netip.Prefix
	for _, a := range x.Addresses {
		b, ok := of(a.Prefix)
		switch {
		case a.Addr().Is6() && a.Addr().IsLinkLocalUnicast() && family == prefix.IPv6:
			c.linkLocal(i, o.Name, a, found)
		case !ok || !isCompared(a, family):
		case a.Secondary && !tells:
			c.silentOn(family.String() + " addresses that are secondary")
		case a.Secondary != b.Secondary:
			swapped = append(swapped, a.Prefix)
		}
		if isCompared(a, family) && !a.Secondary {
			planned = append(planned, a.Prefix)
		}
	}
	if len(swapped) > 0 {
		is := func(list []netip.Prefix) string { return joined(list, netip.Prefix.String) + " primary" }
		var now []netip.Prefix
		for _, b := range found.Addresses {
			if prefix.FamilyOf(b.Addr()) == family && !b.Secondary && !b.Addr().IsLinkLocalUnicast() {
				now = append(now, b.Prefix)
			}
		}
		c.add(Difference{Kind: Different, What: OfOrder, Device: o.Name, Subject: x.Name, Planned: is(planned), Found: is(now), Place: x.Place,
			change: func(all []model.Interface) {
				addresses := slices.Clone(all[i].Addresses)
				for n := range addresses {
					if b, ok := of(addresses[n].Prefix); ok {
						addresses[n].Secondary = b.Secondary
					}
				}
				all[i].Addresses = addresses
			}})
	}
}

// linkLocal compares a link-local address that the plan says. Every interface has one by
// itself, so that further ones are nothing to tell.
func (c *comparer) linkLocal(i model.InterfaceID, device string, a model.Address, found *observed.Interface) {
	var others []string
	for _, b := range found.Addresses {
		if b.Addr() == a.Addr() {
			c.inPlace(OfAddress, device, c.spec.Interfaces[i].Name, a.Addr().String())
			return
		}
		if b.Addr().Is6() && b.Addr().IsLinkLocalUnicast() {
			others = append(others, b.Addr().String())
		}
	}
	d := Difference{Kind: Missing, What: OfAddress, Device: device, Subject: c.spec.Interfaces[i].Name, Planned: a.Addr().String(),
		Place: c.placeOf(i, a.Prefix)}
	instead := netip.Prefix{}
	if len(others) > 0 {
		d.Kind, d.Found = Different, strings.Join(others, ", ")
		instead = netip.PrefixFrom(netip.MustParseAddr(others[0]), a.Bits())
	}
	d.change = func(all []model.Interface) { swapAddress(&all[i], a.Prefix, instead) }
	c.add(d)
}

// addresses compares the addresses of a family, interface by interface.
func (c *comparer) addresses(id model.DeviceID, o *observed.Device, names map[string]model.InterfaceID, family prefix.Family) {
	type loose struct {
		i model.InterfaceID
		p netip.Prefix
	}
	var missing, extra []loose
	others := func(i model.InterfaceID, p ...netip.Prefix) bool { // that stay, of the family
		x := &c.spec.Interfaces[i]
		all := slices.Concat(addressSet(x, family), foundSet(interfaceOf(o, names, i), x, family))
		return slices.ContainsFunc(all, func(a netip.Prefix) bool { return !slices.Contains(p, a) })
	}
	for _, i := range c.spec.InterfacesOf(id) {
		x := &c.spec.Interfaces[i]
		there := interfaceOf(o, names, i)
		c.primaries(i, o, there, family)
		found := c.settle(i, o.Name, foundSet(there, x, family), family)
		for _, p := range addressSet(x, family) {
			if n := slices.Index(found, p); n >= 0 {
				c.inPlace(OfAddress, o.Name, x.Name, p.String())
				found = slices.Delete(found, n, n+1)
				continue
			}
			missing = append(missing, loose{i, p})
		}
		for _, p := range found {
			extra = append(extra, loose{i, p})
		}
	}
	for _, m := range missing {
		x := &c.spec.Interfaces[m.i]
		d := Difference{Kind: Missing, What: OfAddress, Device: o.Name, Subject: x.Name, Planned: m.p.String(), Place: c.placeOf(m.i, m.p)}
		instead := netip.Prefix{}
		d.Beside = others(m.i, m.p)
		if n := slices.IndexFunc(extra, func(e loose) bool { return e.i == m.i }); n >= 0 { // another in its place
			instead = extra[n].p
			d.Beside = others(m.i, m.p, instead)
			d.Kind, d.Found, d.Slip = Different, instead.String(), addressSlip(m.p, instead)
			extra = slices.Delete(extra, n, n+1)
			if instead.Addr() != m.p.Addr() {
				d.both = func(all []model.Interface) { addBeside(&all[m.i], m.p, instead) }
			}
		} else if n := slices.IndexFunc(extra, func(e loose) bool { return e.p.Addr() == m.p.Addr() && !c.excludes(e.i, m.i) }); n >= 0 {
			at := c.spec.Interfaces[extra[n].i].Name
			d.Beside = true
			d.Kind, d.Found, d.Slip = Different, extra[n].p.String()+" on "+at, Slip{Code: OnOtherInterface, Interface: extra[n].i, Instead: m.i}
			other := extra[n]
			extra = slices.Delete(extra, n, n+1)
			d.change = func(all []model.Interface) {
				swapAddress(&all[m.i], m.p, netip.Prefix{})
				swapAddress(&all[other.i], netip.Prefix{}, other.p)
			}
		}
		if d.change == nil {
			d.change = func(all []model.Interface) { swapAddress(&all[m.i], m.p, instead) }
		}
		c.add(d)
	}
	for _, e := range extra {
		x := &c.spec.Interfaces[e.i]
		d := Difference{Kind: Extra, What: OfAddress, Device: o.Name, Subject: x.Name, Found: e.p.String(), Place: x.Place}
		d.Beside = others(e.i, e.p)
		if holders := c.net.State.HoldersOf(e.p.Addr()); len(holders) > 0 {
			d.Slip = slip(PlannedElsewhere).at(holders[0])
		}
		d.change = func(all []model.Interface) { swapAddress(&all[e.i], netip.Prefix{}, e.p) }
		c.add(d)
	}
}

// settle takes from what was found on an interface the addresses that are leased or made
// from what is advertised: whichever of the range or subnet it is, it is as planned.
func (c *comparer) settle(i model.InterfaceID, device string, found []netip.Prefix, family prefix.Family) []netip.Prefix {
	x := &c.spec.Interfaces[i]
	for _, a := range x.Addresses {
		if !a.Varies() || prefix.FamilyOf(a.Addr()) != family {
			continue
		}
		n := slices.IndexFunc(found, func(p netip.Prefix) bool {
			if a.Rule == model.LeasedRule {
				_, leased := c.spec.Segments[x.Segment].LeaseWith(p.Addr())
				return leased
			}
			return p.Masked() == a.Masked()
		})
		if n < 0 {
			d := Difference{Kind: Missing, What: OfAddress, Device: device, Subject: x.Name, Planned: a.Rule, Place: a.Place}
			d.change = func(all []model.Interface) { swapAddress(&all[i], a.Prefix, netip.Prefix{}) }
			if len(found) > 0 {
				instead := found[0]
				d.Kind, d.Found, found = Different, instead.String(), found[1:]
				d.change = func(all []model.Interface) { swapAddress(&all[i], a.Prefix, instead) }
			}
			c.add(d)
			continue
		}
		p := found[n]
		c.inPlace(OfAddress, device, x.Name, a.Rule)
		c.varying = append(c.varying, Difference{change: func(all []model.Interface) { swapAddress(&all[i], a.Prefix, p) }})
		found = slices.Delete(found, n, n+1)
	}
	return found
}

func (c *comparer) placeOf(i model.InterfaceID, p netip.Prefix) source.Place {
	for _, a := range c.spec.Interfaces[i].Addresses {
		if a.Prefix == p && a.Place.Known() {
			return a.Place
		}
	}
	return c.spec.Interfaces[i].Place
}

// addBeside gives an interface that has a planned address the one found in its place, and
// the planned one beside it: as a secondary where both are of one subnet, else as the
// primary of its own.
func addBeside(i *model.Interface, planned, found netip.Prefix) {
	swapAddress(i, planned, found)
	i.Addresses = append(i.Addresses, model.Address{Prefix: planned, Place: i.Place, Secondary: planned.Masked() == found.Masked()})
}

// swapAddress takes an address from an interface and gives it another; either may be
// none.
func swapAddress(i *model.Interface, old, new netip.Prefix) {
	all := slices.Clone(i.Addresses)
	n := slices.IndexFunc(all, func(a model.Address) bool { return a.Prefix == old })
	switch {
	case n >= 0 && new.IsValid():
		all[n].Prefix = new
	case n >= 0:
		all = slices.Delete(all, n, n+1)
	case new.IsValid():
		all = append(all, model.Address{Prefix: new, Place: i.Place})
	}
	i.Addresses = all
}
