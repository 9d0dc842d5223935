package model

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// links resolves what interfaces of one device say of one another: groups,
// lenders, preferred sources and virtual addresses.
func (r *resolver) links() {
	for n := range r.spec.Interfaces {
		id := InterfaceID(n)
		w := r.written[id].entry
		if w == nil {
			continue
		}
		i := &r.spec.Interfaces[id]
		for _, t := range w.Members {
			r.member(id, t)
		}
		if w.Borrow.Written() {
			if lender, ok := r.ownInterface(i.Device, w.Borrow); ok {
				i.Borrow = lender
			}
		}
		if w.Prefer.Written() {
			r.prefer(id, w.Prefer)
		}
		for _, t := range w.Follows {
			if f, err := r.spec.followed(i, t.Value); err != nil {
				r.report(finding.New(finding.BadValue, t.Place, "%s", err).About(r.spec.Label(id)))
			} else {
				i.Follows = append(i.Follows, f)
			}
		}
	}
}

// followed reads what an interface follows: 'wan0', or 'wan0 by 30', or an address that is watched in place of wan0.
func (s *Spec) followed(i *Interface, text string) (Followed, error) {
	f := Followed{Interface: None, By: lowestPriority}
	name, by, says := strings.Cut(text, " by ")
	if says {
		n, err := strconv.ParseUint(by, 10, 8)
		if f.By = uint8(n); err != nil || n == 0 || n > lowestPriority {
			return f, fmt.Errorf("a priority is lower by 1 to %d, not by %s", lowestPriority, by)
		}
	}
	if watch, err := netip.ParseAddr(name); err == nil {
		f.Watch = watch
		return f, nil
	}
	id, err := s.sibling(i, name)
	if f.Interface = id; err != nil || id == None {
		return f, fmt.Errorf("%s has no interface %s", s.Devices[i.Device].Name, name)
	}
	if &s.Interfaces[id] == i {
		return f, fmt.Errorf("%s cannot follow itself: while it is down it has no address at all", name)
	}
	return f, nil
}

// lowestPriority is by how much a priority is lower at the most: the range is 1 to 255 (RFC 9568 §5.2.4).
const lowestPriority = 254

// Borrowed lists the addresses that an interface has of its lender, and answers for on its own link: those that
// mean something beyond a link and are not shared with others. There are none where it has addresses of its own.
func (s *Spec) Borrowed(id InterfaceID) []Address {
	i := &s.Interfaces[id]
	if i.Borrow == None {
		return nil
	}
	return slices.DeleteFunc(slices.Clone(s.Interfaces[i.Borrow].Addresses), func(a Address) bool {
		return a.Addr().IsLinkLocalUnicast() || a.OnTop() || slices.ContainsFunc(i.Addresses, func(own Address) bool {
			return prefix.FamilyOf(own.Addr()) == prefix.FamilyOf(a.Addr()) && !own.Addr().IsLinkLocalUnicast()
		})
	})
}

// SharesWith tells whether two interfaces share an address: they are those of a pair of gateways, of which one is the master.
func (s *Spec) SharesWith(a, b InterfaceID) bool {
	return slices.ContainsFunc(s.Interfaces[a].Addresses, func(x Address) bool {
		return x.Virtual && slices.ContainsFunc(s.Interfaces[b].Addresses, func(y Address) bool { return y.Virtual && y.Addr() == x.Addr() })
	})
}

// ownInterface finds an interface of the device by its name.
func (r *resolver) ownInterface(d DeviceID, t plan.Text) (InterfaceID, bool) {
	id, ok := r.spec.InterfaceNamed(d, t.Value)
	if !ok {
		r.unknown(t, "interface of "+r.spec.Devices[d].Name, func() []string { return r.spec.InterfaceNames(d) })
	}
	return id, ok
}

// member puts a port into a group.
func (r *resolver) member(group InterfaceID, t plan.Text) {
	g := &r.spec.Interfaces[group]
	id, ok := r.ownInterface(g.Device, t)
	if !ok {
		return
	}
	label := r.spec.Label(id)
	i := &r.spec.Interfaces[id]
	switch {
	case i.Kind != Port:
		r.report(finding.New(finding.BadValue, t.Place, "%s is a %s, and a group is made of ports", label, i.Kind).About(label))
	case i.Group != None:
		r.report(finding.New(finding.BadValue, t.Place, "%s is in the group %s already", label, r.spec.Interfaces[i.Group].Name).About(label))
	case r.saysWhatItCarries(id):
		r.report(finding.New(finding.KeyOutOfPlace, i.Place, "%s is in the group %s, and what it carries is said there", label,
			g.Name).About(label).With(t.Place))
	default:
		i.Group = group
		i.Switched, i.Untagged, i.Tagged, i.Segment = false, 0, nil, None // of a range it may be
		g.Members = append(g.Members, id)
	}
}

// saysWhatItCarries tells whether an interface's own entry puts it on a segment
// or VLAN, or gives it an address.
func (r *resolver) saysWhatItCarries(id InterfaceID) bool {
	w := r.written[id].entry
	return w != nil && (w.Segment.Written() || w.VLAN.Written() || w.Access.Written() || len(w.Tagged) > 0 || w.Untagged.Written() ||
		len(w.Addresses) > 0)
}

// prefer marks the address an interface sends from.
func (r *resolver) prefer(id InterfaceID, t plan.Text) {
	i := &r.spec.Interfaces[id]
	for n := range i.Addresses {
		if i.Addresses[n].Addr().String() == t.Value {
			i.Addresses[n].Preferred = true
			return
		}
	}
	r.report(finding.New(finding.BadValue, t.Place, "%s is no address of %s", t.Value, r.spec.Label(id)).About(r.spec.Label(id)))
}

// managed finds where each device is managed.
func (r *resolver) managed() {
	links := r.spec.Links()
	for n := range r.spec.Devices {
		d := &r.spec.Devices[n]
		written := &r.doc.Devices[n]
		if d.Kind != Host && d.Kind != World {
			d.Answers = []string{"ping", "ssh"}
		}
		if len(written.Answers) > 0 {
			d.Answers = nil
			for _, t := range written.Answers {
				d.Answers = append(d.Answers, t.Value)
			}
		}
		if written.Manage.Written() {
			if id, ok := r.ownInterface(DeviceID(n), written.Manage); ok {
				d.Manage = id
			}
			continue
		}
		best := 0
		for _, id := range r.spec.InterfacesOf(DeviceID(n)) {
			i := &r.spec.Interfaces[id]
			rank := 2 * i.Kind.Rank()
			if i.Segment != None && links[i.Segment] {
				rank-- // nobody may have routes to it
			}
			if rank > best && (i.hasFamily(prefix.IPv4) || i.hasFamily(prefix.IPv6)) {
				best, d.Manage = rank, id
			}
		}
	}
}
