package wire

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// deviceModule is the module of what a device is set to and no standard model has: VLANs of
// ports, members of groups, and how a static route stands to others.
const deviceModule = "ropeswing-device"

// DeviceXML is what a device says of itself as data of the standard models, without an element
// around it: with state all there is, else what is set.
func DeviceXML(d *observed.Device, forwards, state bool) []byte {
	var b bytes.Buffer
	for _, x := range deviceModels(d, forwards, state) {
		x.xml(&b, "", 1)
	}
	return b.Bytes()
}

func deviceModels(d *observed.Device, forwards, state bool) []*datum {
	all := []*datum{deviceInterfaces(d, forwards, state)}
	if state {
		return append(all, deviceTables(d))
	}
	if r := deviceStatics(d); r != nil {
		all = append(all, r)
	}
	return all
}

func deviceInterfaces(d *observed.Device, forwards, state bool) *datum {
	const m = "ietf-interfaces"
	top := container(m, "interfaces")
	for n := range d.Interfaces {
		i := &d.Interfaces[n]
		x := entry(m, "interface", leaf(m, "name", i.Name))
		add := func(all ...*datum) { x.children = append(x.children, all...) }
		if i.Description != "" {
			add(leaf(m, "description", i.Description))
		}
		add(leaf(m, "type", "iana-if-type:"+cmp.Or(i.Type, "other")), number(m, "enabled", i.Admin != observed.Down))
		if state {
			add(leaf(m, "admin-status", string(cmp.Or(i.Admin, observed.Up))), leaf(m, "oper-status", string(cmp.Or(i.Oper, "unknown"))),
				number(m, "if-index", n+1))
			if i.MAC != "" {
				add(leaf(m, "phys-address", i.MAC))
			}
			if i.Speed > 0 {
				add(leaf(m, "speed", fmt.Sprint(i.Speed)))
			}
			add(container(m, "statistics", leaf(m, "discontinuity-time", "2000-01-01T00:00:00Z")))
		}
		for _, family := range prefix.Families {
			if x := deviceIP(d, i, family, forwards, state); x != nil {
				add(x)
			}
		}
		if i.Untagged != nil {
			s := container(deviceModule, "switching")
			s.present = true
			if *i.Untagged > 0 {
				s.children = append(s.children, number(deviceModule, "untagged", *i.Untagged))
			}
			for _, v := range i.Tagged {
				s.children = append(s.children, &datum{module: deviceModule, name: "tagged", text: fmt.Sprint(v), number: true, list: true})
			}
			add(s)
		}
		if i.Group != nil && *i.Group != "" {
			add(leaf(deviceModule, "member-of", *i.Group))
		}
		top.children = append(top.children, x)
	}
	return top
}

// deviceIP is an interface's part of a family (RFC 8344); nil where it has none.
func deviceIP(d *observed.Device, i *observed.Interface, family prefix.Family, forwards, state bool) *datum {
	const m = "ietf-ip"
	name := "ipv6"
	if family == prefix.IPv4 {
		name = "ipv4"
	}
	x := container(m, name, number(m, "enabled", true), number(m, "forwarding", forwards))
	if i.MTU >= 68 && (family == prefix.IPv4 || i.MTU >= 1280) {
		x.children = append(x.children, number(m, "mtu", i.MTU))
	}
	count := 0
	for _, a := range i.Addresses {
		if prefix.FamilyOf(a.Addr()) != family {
			continue
		}
		count++
		y := entry(m, "address", leaf(m, "ip", a.Addr().String()), number(m, "prefix-length", a.Bits()))
		if state && a.Origin != "" {
			y.children = append(y.children, leaf(m, "origin", a.Origin))
		}
		x.children = append(x.children, y)
	}
	for _, n := range d.Neighbours {
		if state && n.Interface == i.Name && prefix.FamilyOf(n.Address) == family && n.MAC != "" {
			x.children = append(x.children,
				entry(m, "neighbor", leaf(m, "ip", n.Address.String()), leaf(m, "link-layer-address", n.MAC), leaf(m, "origin", "dynamic")))
		}
	}
	if count == 0 {
		return nil
	}
	return x
}

// families are the words of a family's models.
func familyModule(family prefix.Family) (word, module string) {
	if family == prefix.IPv4 {
		return "ipv4", "ietf-ipv4-unicast-routing"
	}
	return "ipv6", "ietf-ipv6-unicast-routing"
}

// deviceTables is the device's routing tables (RFC 8349 §5).
func deviceTables(d *observed.Device) *datum {
	const m = "ietf-routing"
	ribs := container(m, "ribs")
	var tables []string
	for _, r := range d.Routes {
		if !slices.Contains(tables, r.Table) {
			tables = append(tables, r.Table)
		}
	}
	slices.Sort(tables)
	if !slices.Contains(tables, "") {
		tables = append([]string{""}, tables...)
	}
	sorted := slices.Clone(d.Routes)
	slices.SortStableFunc(sorted, func(a, b observed.Route) int {
		n := cmp.Or(a.To.Addr().Compare(b.To.Addr()), a.To.Bits()-b.To.Bits())
		if n == 0 && a.Distance != nil && b.Distance != nil {
			n = *a.Distance - *b.Distance
		}
		return n
	})
	for _, table := range tables {
		for _, family := range prefix.Families {
			word, module := familyModule(family)
			name := word + "-" + cmp.Or(table, "main")
			routes := container(m, "routes")
			for _, r := range sorted {
				if r.Table == table && prefix.FamilyOf(r.To.Addr()) == family {
					routes.children = append(routes.children, deviceRoute(&r, module))
				}
			}
			ribs.children = append(ribs.children,
				entry(m, "rib", leaf(m, "name", name), leaf(m, "address-family", module+":"+word+"-unicast"), number(m, "default-rib", table == ""),
					routes))
		}
	}
	return container(m, "routing", ribs)
}

func deviceRoute(r *observed.Route, module string) *datum {
	const m = "ietf-routing"
	x := entry(m, "route")
	if r.Distance != nil {
		x.children = append(x.children, number(m, "route-preference", *r.Distance))
	}
	hop := container(m, "next-hop")
	switch {
	case r.Discard:
		hop.children = append(hop.children, leaf(m, "special-next-hop", "blackhole"))
	default:
		if r.Interface != "" {
			hop.children = append(hop.children, leaf(m, "outgoing-interface", r.Interface))
		}
		if r.NextHop.IsValid() {
			hop.children = append(hop.children, leaf(module, "next-hop-address", r.NextHop.String()))
		}
	}
	source := "ietf-routing:static"
	if r.Source == "direct" || r.Source == "local" {
		source = "ietf-routing:direct"
	}
	x.children = append(x.children, hop, leaf(m, "source-protocol", source))
	if r.Active != nil && *r.Active {
		x.children = append(x.children, &datum{module: m, name: "active", empty: true})
	}
	if r.Metric != nil && *r.Metric > 0 {
		x.children = append(x.children, number(deviceModule, "metric", *r.Metric))
	}
	x.children = append(x.children, leaf(module, "destination-prefix", r.To.String()))
	return x
}

// standing is what static routes have in common that one instance of the protocol holds.
type standing struct {
	table            string
	distance, metric int
}

func (s standing) name() string {
	name := "static"
	if s.table != "" {
		name += "-" + s.table
	}
	if s.distance != 1 {
		name += fmt.Sprintf("-%d", s.distance)
	}
	if s.metric != 0 {
		name += fmt.Sprintf("-m%d", s.metric)
	}
	return name
}

func standingOf(r *observed.Route) standing {
	s := standing{table: r.Table, distance: 1}
	if r.Distance != nil {
		s.distance = *r.Distance
	}
	if r.Metric != nil {
		s.metric = *r.Metric
	}
	return s
}

// leaves say how the routes of an instance stand.
func (s standing) leaves() []*datum {
	all := []*datum{number(deviceModule, "route-preference", s.distance)}
	if s.metric != 0 {
		all = append(all, number(deviceModule, "metric", s.metric))
	}
	if s.table != "" {
		all = append(all, leaf(deviceModule, "table", s.table))
	}
	return all
}

// deviceStatics is the static routes as they are set (RFC 8349 §6): an instance of the protocol
// for each table, distance and metric; nil where there are none.
func deviceStatics(d *observed.Device) *datum {
	const m = "ietf-routing"
	by := map[standing][]observed.Route{}
	var order []standing
	for _, r := range d.Routes {
		if r.Source != "" && r.Source != "static" {
			continue
		}
		s := standingOf(&r)
		if by[s] == nil {
			order = append(order, s)
		}
		by[s] = append(by[s], r)
	}
	if len(order) == 0 {
		return nil
	}
	slices.SortFunc(order, func(a, b standing) int {
		return cmp.Or(cmp.Compare(a.table, b.table), cmp.Compare(a.distance, b.distance), cmp.Compare(a.metric, b.metric))
	})
	protocols := container(m, "control-plane-protocols")
	for _, s := range order {
		x := entry(m, "control-plane-protocol", leaf(m, "type", "ietf-routing:static"), leaf(m, "name", s.name()))
		x.children = append(x.children, s.leaves()...)
		routes := container(m, "static-routes")
		for _, family := range prefix.Families {
			word, module := familyModule(family)
			f := container(module, word)
			for i, r := range by[s] {
				if prefix.FamilyOf(r.To.Addr()) != family || slices.ContainsFunc(by[s][:i], func(o observed.Route) bool { return o.To == r.To }) {
					continue
				}
				var same []observed.Route
				for _, o := range by[s] {
					if o.To == r.To {
						same = append(same, o)
					}
				}
				f.children = append(f.children, entry(module, "route", leaf(module, "destination-prefix", r.To.String()), staticHop(module, same)))
			}
			if len(f.children) > 0 {
				routes.children = append(routes.children, f)
			}
		}
		x.children = append(x.children, routes)
		protocols.children = append(protocols.children, x)
	}
	return container(m, "routing", protocols)
}

// staticHop is where static routes to one destination lead: one next hop, or a list.
func staticHop(module string, all []observed.Route) *datum {
	hop := container(module, "next-hop")
	if len(all) == 1 {
		hop.children = hopLeaves(module, &all[0])
		return hop
	}
	list := container(module, "next-hop-list")
	for i := range all {
		list.children = append(list.children,
			entry(module, "next-hop", append([]*datum{leaf(module, "index", fmt.Sprint(i+1))}, hopLeaves(module, &all[i])...)...))
	}
	hop.children = []*datum{list}
	return hop
}

func hopLeaves(module string, r *observed.Route) []*datum {
	if r.Discard {
		return []*datum{leaf(module, "special-next-hop", "blackhole")}
	}
	var all []*datum
	if r.Interface != "" {
		all = append(all, leaf(module, "outgoing-interface", r.Interface))
	}
	if r.NextHop.IsValid() {
		all = append(all, leaf(module, "next-hop-address", r.NextHop.String()))
	}
	return all
}
