package wire

import (
	"cmp"
	"fmt"
	"slices"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
	"ropeswing/internal/yang"
)

func number(m yang.Module, name string, n any) *yang.Node { return yang.Leaf(m, name, fmt.Sprint(n)) }

// DeviceData is what a device says of itself as data of the standard models: with state all there is, else what is set.
func DeviceData(d *observed.Device, forwards, state bool) []*yang.Node {
	all := []*yang.Node{deviceInterfaces(d, &forwards, state)}
	if state {
		return append(all, deviceTables(d))
	}
	if r := deviceStatics(d); r != nil {
		all = append(all, r)
	}
	return all
}

func deviceInterfaces(d *observed.Device, forwards *bool, state bool) *yang.Node {
	const m = yang.Interfaces
	top := yang.Box(m, "interfaces")
	for n := range d.Interfaces {
		i := &d.Interfaces[n]
		x := yang.Box(m, "interface", yang.Leaf(m, "name", i.Name))
		add := func(all ...*yang.Node) { x.Add(all...) }
		if i.Description != "" {
			add(yang.Leaf(m, "description", i.Description))
		}
		add(yang.Leaf(m, "type", "iana-if-type:"+cmp.Or(i.Type, "other")), number(m, "enabled", i.Admin != observed.Down))
		if state {
			add(yang.Leaf(m, "admin-status", string(cmp.Or(i.Admin, observed.Up))), yang.Leaf(m, "oper-status", string(cmp.Or(i.Oper, "unknown"))),
				number(m, "if-index", n+1))
			if i.MAC != "" {
				add(yang.Leaf(m, "phys-address", i.MAC))
			}
			if i.Speed > 0 {
				add(yang.Leaf(m, "speed", fmt.Sprint(i.Speed)))
			}
			add(yang.Box(m, "statistics", yang.Leaf(m, "discontinuity-time", "2000-01-01T00:00:00Z")))
		}
		for _, family := range prefix.Families {
			if x := deviceIP(d, i, family, forwards, state); x != nil {
				add(x)
			}
		}
		if i.Untagged != nil {
			s := yang.Box(yang.Device, "switching")
			if *i.Untagged > 0 {
				s.Add(number(yang.Device, "untagged", *i.Untagged))
			}
			for _, v := range i.Tagged {
				s.Add(yang.Leaf(yang.Device, "tagged", fmt.Sprint(v)))
			}
			add(s)
		}
		if i.Group != nil && *i.Group != "" {
			add(yang.Leaf(yang.Device, "member-of", *i.Group))
		}
		top.Add(x)
	}
	return top
}

// deviceIP is an interface's part of a family (RFC 8344); nil where it has none.
func deviceIP(d *observed.Device, i *observed.Interface, family prefix.Family, forwards *bool, state bool) *yang.Node {
	const m = yang.IP
	name := "ipv6"
	if family == prefix.IPv4 {
		name = "ipv4"
	}
	x := yang.Box(m, name)
	if forwards != nil {
		x.Add(number(m, "enabled", true), number(m, "forwarding", *forwards))
	}
	if i.MTU >= 68 && (family == prefix.IPv4 || i.MTU >= 1280) {
		x.Add(number(m, "mtu", i.MTU))
	}
	count := 0
	for _, a := range i.Addresses {
		if prefix.FamilyOf(a.Addr()) != family {
			continue
		}
		count++
		y := yang.Box(m, "address", yang.Leaf(m, "ip", a.Addr().String()), number(m, "prefix-length", a.Bits()))
		if state && a.Origin != "" {
			y.Add(yang.Leaf(m, "origin", a.Origin))
		}
		x.Add(y)
	}
	for _, n := range d.Neighbours {
		if state && n.Interface == i.Name && prefix.FamilyOf(n.Address) == family && n.MAC != "" {
			x.Add(yang.Box(m, "neighbor", yang.Leaf(m, "ip", n.Address.String()), yang.Leaf(m, "link-layer-address", n.MAC),
				yang.Leaf(m, "origin", "dynamic")))
		}
	}
	if count == 0 && (forwards != nil || len(x.Children) == 0) { // an edit says the MTU of what has no address, too
		return nil
	}
	return x
}

// families are the words of a family's models.
func familyModule(family prefix.Family) (word string, module yang.Module) {
	if family == prefix.IPv4 {
		return "ipv4", yang.Unicast4
	}
	return "ipv6", yang.Unicast6
}

// deviceTables is the device's routing tables (RFC 8349 §5).
func deviceTables(d *observed.Device) *yang.Node {
	const m = yang.Routing
	ribs := yang.Box(m, "ribs")
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
			routes := yang.Box(m, "routes")
			for _, r := range sorted {
				if r.Table == table && prefix.FamilyOf(r.To.Addr()) == family {
					routes.Add(deviceRoute(&r, module))
				}
			}
			ribs.Children = append(ribs.Children,
				yang.Box(m, "rib", yang.Leaf(m, "name", name), yang.Leaf(m, "address-family", module.Name()+":"+word+"-unicast"),
					number(m, "default-rib", table == ""), routes))
		}
	}
	return yang.Box(m, "routing", ribs)
}

func deviceRoute(r *observed.Route, module yang.Module) *yang.Node {
	const m = yang.Routing
	x := yang.Box(m, "route")
	if r.Distance != nil {
		x.Add(number(m, "route-preference", *r.Distance))
	}
	hop := yang.Box(m, "next-hop")
	switch {
	case r.Discard:
		hop.Add(yang.Leaf(m, "special-next-hop", "blackhole"))
	default:
		if r.Interface != "" {
			hop.Add(yang.Leaf(m, "outgoing-interface", r.Interface))
		}
		if r.NextHop.IsValid() {
			hop.Add(yang.Leaf(module, "next-hop-address", r.NextHop.String()))
		}
	}
	source := "ietf-routing:static"
	if r.Source == "direct" || r.Source == "local" {
		source = "ietf-routing:direct"
	}
	x.Add(hop, yang.Leaf(m, "source-protocol", source))
	if r.Active != nil && *r.Active {
		x.Add(yang.Leaf(m, "active", ""))
	}
	if r.Metric != nil && *r.Metric > 0 {
		x.Add(number(yang.Device, "metric", *r.Metric))
	}
	x.Add(yang.Leaf(module, "destination-prefix", r.To.String()))
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
func (s standing) leaves() []*yang.Node {
	all := []*yang.Node{number(yang.Device, "route-preference", s.distance)}
	if s.metric != 0 {
		all = append(all, number(yang.Device, "metric", s.metric))
	}
	if s.table != "" {
		all = append(all, yang.Leaf(yang.Device, "table", s.table))
	}
	return all
}

// deviceStatics is the static routes as they are set (RFC 8349 §6): an instance of the protocol
// for each table, distance and metric; nil where there are none.
func deviceStatics(d *observed.Device) *yang.Node {
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
	protocols := yang.Box(yang.Routing, "control-plane-protocols")
	for _, s := range order {
		protocols.Add(instanceOf(s.name(), s.leaves(), by[s]))
	}
	return yang.Box(yang.Routing, "routing", protocols)
}

// instanceOf is an instance of the static protocol with what it says of itself and the routes in it.
func instanceOf(name string, says []*yang.Node, all []observed.Route) *yang.Node {
	const m = yang.Routing
	x := yang.Box(m, "control-plane-protocol", yang.Leaf(m, "type", "ietf-routing:static"), yang.Leaf(m, "name", name))
	x.Add(says...)
	all = slices.Clone(all)
	slices.SortStableFunc(all, func(a, b observed.Route) int {
		return cmp.Or(a.To.Addr().Compare(b.To.Addr()), a.To.Bits()-b.To.Bits(), a.NextHop.Compare(b.NextHop),
			cmp.Compare(a.Interface, b.Interface))
	})
	routes := yang.Box(m, "static-routes")
	for _, family := range prefix.Families {
		word, module := familyModule(family)
		f := yang.Box(module, word)
		for i := 0; i < len(all); {
			same := i + 1
			for same < len(all) && all[same].To == all[i].To {
				same++
			}
			if to := all[i].To; prefix.FamilyOf(to.Addr()) == family {
				f.Add(yang.Box(module, "route", yang.Leaf(module, "destination-prefix", to.String()), staticHop(module, all[i:same])))
			}
			i = same
		}
		if len(f.Children) > 0 {
			routes.Add(f)
		}
	}
	if len(routes.Children) > 0 {
		x.Add(routes)
	}
	return x
}

// staticHop is where static routes to one destination lead: one next hop, or a list.
func staticHop(module yang.Module, all []observed.Route) *yang.Node {
	hop := yang.Box(module, "next-hop")
	if len(all) == 1 {
		hop.Children = hopLeaves(module, &all[0])
		return hop
	}
	list := yang.Box(module, "next-hop-list")
	for i := range all {
		list.Children = append(list.Children,
			yang.Box(module, "next-hop", append([]*yang.Node{yang.Leaf(module, "index", fmt.Sprint(i+1))}, hopLeaves(module, &all[i])...)...))
	}
	hop.Children = []*yang.Node{list}
	return hop
}

func hopLeaves(module yang.Module, r *observed.Route) []*yang.Node {
	if r.Discard {
		return []*yang.Node{yang.Leaf(module, "special-next-hop", "blackhole")}
	}
	var all []*yang.Node
	if r.Interface != "" {
		all = append(all, yang.Leaf(module, "outgoing-interface", r.Interface))
	}
	if r.NextHop.IsValid() {
		all = append(all, yang.Leaf(module, "next-hop-address", r.NextHop.String()))
	}
	return all
}
