package wire

import (
	"bytes"
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// netconfBase is the namespace of what an edit says of its elements (RFC 6241 §7.2).
const netconfBase = "urn:ietf:params:xml:ns:netconf:base:1.0"

// Edit is what edit-config takes to make of one configuration another: only what differs is in
// it. Beyond tells whether it has anything that no standard model has. It is nil where the models
// have nothing of what differs. Static routes stand in the instances that are there, by their names; where none suits, in one of our own.
func Edit(before, after *observed.Device, there []observed.Instance) (text []byte, beyond bool) {
	e := &editor{there: there}
	top := container("ietf-interfaces", "interfaces")
	for i := range after.Interfaces {
		x := &after.Interfaces[i]
		n := slices.IndexFunc(before.Interfaces, func(b observed.Interface) bool { return b.Name == x.Name })
		was := &observed.Interface{Name: x.Name, Admin: observed.Up}
		if n >= 0 {
			was = &before.Interfaces[n]
		}
		if d := e.iface(was, x, n < 0); d != nil {
			top.children = append(top.children, d)
		}
	}
	for _, x := range before.Interfaces {
		if !slices.ContainsFunc(after.Interfaces, func(a observed.Interface) bool { return a.Name == x.Name }) {
			d := entry("ietf-interfaces", "interface", leaf("ietf-interfaces", "name", x.Name))
			d.operation = "delete"
			top.children = append(top.children, d)
		}
	}
	var all []*datum
	if len(top.children) > 0 {
		all = append(all, top)
	}
	if r := e.routes(before, after); r != nil {
		all = append(all, r)
	}
	if len(all) == 0 {
		return nil, false
	}
	var b bytes.Buffer
	for _, d := range all {
		d.xml(&b, "", 1)
	}
	return b.Bytes(), e.beyond
}

type editor struct {
	there  []observed.Instance
	beyond bool
}

// iface is what of an interface differs; nil where nothing does.
func (e *editor) iface(was, is *observed.Interface, isNew bool) *datum {
	const m = "ietf-interfaces"
	x := entry(m, "interface", leaf(m, "name", is.Name))
	if isNew {
		x.children = append(x.children, leaf(m, "type", "iana-if-type:"+cmp.Or(is.Type, "other")))
	}
	bare := len(x.children)
	if (was.Admin == observed.Down) != (is.Admin == observed.Down) {
		x.children = append(x.children, number(m, "enabled", is.Admin != observed.Down))
	}
	if was.Description != is.Description {
		d := leaf(m, "description", is.Description)
		if is.Description == "" {
			d.text, d.operation = was.Description, "delete"
		}
		x.children = append(x.children, d)
	}
	for _, family := range prefix.Families {
		if d := editIP(was, is, family); d != nil {
			x.children = append(x.children, d)
		}
	}
	if text := func(i *observed.Interface) string {
		if i.Untagged == nil {
			return ""
		}
		return fmt.Sprint(*i.Untagged, i.Tagged)
	}; text(was) != text(is) {
		e.beyond = true
		d := container(deviceModule, "switching")
		d.present, d.operation = true, "replace"
		if is.Untagged == nil {
			d.operation = "delete"
		} else {
			if *is.Untagged > 0 {
				d.children = append(d.children, number(deviceModule, "untagged", *is.Untagged))
			}
			for _, v := range is.Tagged {
				d.children = append(d.children, &datum{module: deviceModule, name: "tagged", text: fmt.Sprint(v), number: true, list: true})
			}
		}
		x.children = append(x.children, d)
	}
	if group := func(i *observed.Interface) string {
		if i.Group == nil {
			return ""
		}
		return *i.Group
	}; group(was) != group(is) {
		e.beyond = true
		d := leaf(deviceModule, "member-of", group(is))
		if group(is) == "" {
			d.text, d.operation = group(was), "delete"
		}
		x.children = append(x.children, d)
	}
	if len(x.children) == bare && !isNew {
		return nil
	}
	return x
}

// editIP is what of a family differs on an interface: addresses, and the MTU.
func editIP(was, is *observed.Interface, family prefix.Family) *datum {
	const m = "ietf-ip"
	word, _ := familyModule(family)
	x := container(m, word)
	if is.MTU != was.MTU && is.MTU >= 68 && (family == prefix.IPv4 || is.MTU >= 1280) {
		x.children = append(x.children, number(m, "mtu", is.MTU))
	}
	of := func(i *observed.Interface) map[netip.Addr]int {
		all := map[netip.Addr]int{}
		for _, a := range i.Addresses {
			if prefix.FamilyOf(a.Addr()) == family {
				all[a.Addr()] = a.Bits()
			}
		}
		return all
	}
	had, has := of(was), of(is)
	for _, a := range was.Addresses { // gone first: another may take its place
		if _, ok := has[a.Addr()]; !ok && prefix.FamilyOf(a.Addr()) == family {
			d := entry(m, "address", leaf(m, "ip", a.Addr().String()))
			d.operation = "delete"
			x.children = append(x.children, d)
		}
	}
	for _, a := range is.Addresses {
		if bits, ok := had[a.Addr()]; prefix.FamilyOf(a.Addr()) == family && (!ok || bits != a.Bits()) {
			x.children = append(x.children, entry(m, "address", leaf(m, "ip", a.Addr().String()), number(m, "prefix-length", a.Bits())))
		}
	}
	if len(x.children) == 0 {
		return nil
	}
	return x
}

// routes is what of the static routes differs; nil where nothing does.
func (e *editor) routes(before, after *observed.Device) *datum {
	const m = "ietf-routing"
	had, has := staticsOf(before), staticsOf(after)
	var order []standing
	for s := range had {
		order = append(order, s)
	}
	for s := range has {
		if had[s] == nil {
			order = append(order, s)
		}
	}
	slices.SortFunc(order, func(a, b standing) int {
		return cmp.Or(cmp.Compare(a.table, b.table), cmp.Compare(a.distance, b.distance), cmp.Compare(a.metric, b.metric))
	})
	protocols := container(m, "control-plane-protocols")
	for _, s := range order {
		by := map[string][]netip.Prefix{} // what differs, by the instance it stands in
		var names []string
		for _, family := range prefix.Families {
			for _, to := range destinations(had[s], has[s], family) {
				if slices.EqualFunc(had[s][to], has[s][to], sameHop) {
					continue
				}
				name := e.instance(s, to)
				if by[name] == nil {
					names = append(names, name)
				}
				by[name] = append(by[name], to)
			}
		}
		for _, name := range names {
			e.beyond = e.beyond || s != (standing{distance: 1})
			x := entry(m, "control-plane-protocol", leaf(m, "type", "ietf-routing:static"), leaf(m, "name", name))
			protocols.children = append(protocols.children, x)
			known := slices.ContainsFunc(e.there, func(i observed.Instance) bool { return i.Name == name })
			if has[s] == nil && e.there != nil && !known { // it was made for what goes now
				x.operation = "delete"
				continue
			}
			if had[s] == nil && !known {
				says := s.leaves()
				if s.distance == 1 { // as where nothing is said; it has no place in the standard's models
					says = says[1:]
				}
				x.children = append(x.children, says...)
			}
			x.children = append(x.children, routesOf(by[name], had[s], has[s]))
		}
	}
	if len(protocols.children) == 0 {
		return nil
	}
	return container(m, "routing", protocols)
}

// routesOf is what of the static routes to these destinations differs.
func routesOf(all []netip.Prefix, had, has map[netip.Prefix][]observed.Route) *datum {
	routes := container("ietf-routing", "static-routes")
	for _, family := range prefix.Families {
		word, module := familyModule(family)
		f := container(module, word)
		for _, to := range all {
			if prefix.FamilyOf(to.Addr()) != family {
				continue
			}
			d := entry(module, "route", leaf(module, "destination-prefix", to.String()))
			if is := has[to]; len(is) == 0 {
				d.operation = "delete"
			} else {
				d.operation = "replace"
				d.children = append(d.children, staticHop(module, is))
			}
			f.children = append(f.children, d)
		}
		if len(f.children) > 0 {
			routes.children = append(routes.children, f)
		}
	}
	return routes
}

// instance is the one in which a route stands, or would: the one that has it, else one that holds routes of its kind, else one of our own.
func (e *editor) instance(s standing, to netip.Prefix) string {
	name := ""
	for i := range e.there {
		x := &e.there[i]
		if (standing{x.Table, x.Distance, x.Metric}) != s {
			continue
		}
		if slices.Contains(x.To, to) {
			return x.Name
		}
		name = cmp.Or(name, x.Name)
	}
	if name != "" {
		return name
	}
	name = s.name()
	for slices.ContainsFunc(e.there, func(i observed.Instance) bool { return i.Name == name }) {
		name += "-own" // that name is another's
	}
	return name
}

func sameHop(a, b observed.Route) bool {
	return a.NextHop == b.NextHop && a.Interface == b.Interface && a.Discard == b.Discard
}

// staticsOf are the static routes by how they stand, and where they lead to.
func staticsOf(d *observed.Device) map[standing]map[netip.Prefix][]observed.Route {
	all := map[standing]map[netip.Prefix][]observed.Route{}
	for _, r := range d.Routes {
		if r.Source != "" && r.Source != "static" {
			continue
		}
		s := standingOf(&r)
		if all[s] == nil {
			all[s] = map[netip.Prefix][]observed.Route{}
		}
		all[s][r.To] = append(all[s][r.To], r)
	}
	for _, by := range all {
		for to := range by {
			slices.SortFunc(by[to], func(a, b observed.Route) int {
				return cmp.Or(a.NextHop.Compare(b.NextHop), cmp.Compare(a.Interface, b.Interface))
			})
		}
	}
	return all
}

// destinations are those of either, of a family, in order.
func destinations(a, b map[netip.Prefix][]observed.Route, family prefix.Family) []netip.Prefix {
	var all []netip.Prefix
	for _, m := range []map[netip.Prefix][]observed.Route{a, b} {
		for to := range m {
			if prefix.FamilyOf(to.Addr()) == family && !slices.Contains(all, to) {
				all = append(all, to)
			}
		}
	}
	slices.SortFunc(all, func(a, b netip.Prefix) int { return cmp.Or(a.Addr().Compare(b.Addr()), a.Bits()-b.Bits()) })
	return all
}
