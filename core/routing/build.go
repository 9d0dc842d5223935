package routing

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// raw is a route while its table is made.
type raw struct {
	Route
	prefix netip.Prefix
}

// build makes one table of a device from its static routes, of which the first of all
// is number base.
func (all *Tables) build(key Key, own []model.Static, base model.StaticID) *Table {
	t := &Table{key: key, base: base, statics: int32(len(own))}
	fresh := t.own(all.state, make([]raw, 0, len(own)+8))
	for n := range own {
		s := &own[n]
		if s.Table != key.Name {
			continue
		}
		route := Route{
			static: int32(n), out: s.Out,
			Distance: s.Distance, Metric: s.Metric, Source: sourceOf(s.Origin), Discard: s.Discard, Usable: all.usableByItself(s),
		}
		fresh = append(fresh, raw{route, s.To})
	}
	t.group(fresh)
	t.indexRanges()
	solver{t, all.shared, all.state.Spec, own}.solve()
	t.settle()
	return t
}

// usableByItself is whether a static route can be used as far as its own interface
// and its watch go.
func (all *Tables) usableByItself(s *model.Static) Usable {
	if s.Out != model.None && !all.state.IsUp(s.Out) {
		return InterfaceDown
	}
	if s.Watch.IsValid() && len(all.silent) > 0 && all.silent[MonitorOf(s)] {
		return WatchSilent
	}
	return IsUsable
}

// again is a table made anew of the same routes, where other watches are silent.
func (all *Tables) again(old *Table) *Table {
	t, own := *old, all.staticsOf(old)
	t.routes, t.groups = slices.Clone(old.routes), slices.Clone(old.groups)
	t.ranges4.runs, t.ranges6.runs = slices.Clone(old.ranges4.runs), slices.Clone(old.ranges6.runs)
	for i := range t.routes {
		if r := &t.routes[i]; r.static >= 0 {
			s := &own[r.static]
			r.hops, r.Discard, r.Usable = noHops, s.Discard, all.usableByItself(s)
		}
	}
	for i := range t.groups {
		g := &t.groups[i]
		g.hops, g.local, g.drops = noHops, false, false
	}
	solver{&t, all.shared, all.state.Spec, own}.solve()
	t.settle()
	return &t
}

// own adds the direct and local routes: one for each subnet and address on an
// interface that is up, and for the world all that is beyond. Link-local subnets
// are on every interface and are not looked up.
func (t *Table) own(state *network.State, fresh []raw) []raw {
	spec := state.Spec
	for i := range spec.EachInterface(t.key.Device) {
		if spec.Interfaces[i].Switched || spec.Interfaces[i].Table != t.key.Name {
			continue
		}
		if !state.IsUp(i) {
			fresh = withoutLink(state, i, fresh)
			continue
		}
		for _, a := range spec.Interfaces[i].Addresses {
			if a.Addr().Is6() && a.Addr().IsLinkLocalUnicast() {
				continue
			}
			if state.Holds(i, a) {
				fresh = append(fresh, raw{Route{static: noStatic, out: i, Source: Local}, netip.PrefixFrom(a.Addr(), a.Addr().BitLen())})
			}
			direct := raw{Route{static: noStatic, out: i, Source: Direct}, a.Masked()}
			if a.IsSingleIP() || a.Virtual && !a.OnTop() && !state.Holds(i, a) || slices.Contains(fresh, direct) {
				continue // the subnet of an address that another port holds meanwhile, or of one more in it
			}
			fresh = append(fresh, direct)
		}
	}
	if t.key.Name == "" {
		for _, p := range spec.Devices[t.key.Device].Beyond {
			fresh = append(fresh, raw{Route{static: noStatic, out: model.None, Source: Local}, p.Prefix})
		}
	}
	return fresh
}

// withoutLink adds the addresses that a device answers for though their interface has no
// link, where the setting says so.
func withoutLink(state *network.State, i model.InterfaceID, fresh []raw) []raw {
	if cause := state.Status(i).Cause; !state.Spec.Settings.AnswersWithoutLink || cause == network.AdminDown ||
		cause == network.DeviceFailed {
		return fresh
	}
	for _, a := range state.Spec.Interfaces[i].Addresses {
		if !a.Virtual && !a.Addr().IsLinkLocalUnicast() {
			fresh = append(fresh, raw{Route{static: noStatic, out: i, Source: Local}, netip.PrefixFrom(a.Addr(), a.Addr().BitLen())})
		}
	}
	return fresh
}

// group sorts the routes by prefix, better ones first, and finds for each prefix
// the next shorter one around it.
func (t *Table) group(fresh []raw) {
	fresh = inOrder(fresh)
	count := 0
	for i := range fresh {
		if i == 0 || fresh[i].prefix != fresh[i-1].prefix {
			count++
		}
	}
	t.routes, t.groups = make([]Route, len(fresh)), make([]group, 0, count)
	var around []int32 // the groups whose prefixes hold the present one
	for i := range fresh {
		t.routes[i] = fresh[i].Route
		p := fresh[i].prefix
		if i > 0 && p == fresh[i-1].prefix {
			continue
		}
		g := group{first: int32(i), cover: -1, best: -1}
		for len(around) > 0 {
			outer := fresh[t.groups[around[len(around)-1]].first].prefix
			if outer.Bits() <= p.Bits() && outer.Contains(p.Addr()) {
				g.cover = around[len(around)-1]
				break
			}
			around = around[:len(around)-1]
		}
		if p.Addr().Is4() {
			g.start, g.bits = key4(p.Addr()), uint8(p.Bits())
			t.four++
		} else {
			t.prefixes6 = append(t.prefixes6, prefix6{key6(p.Addr()), uint8(p.Bits())})
		}
		around = append(around, int32(len(t.groups)))
		t.groups = append(t.groups, g)
	}
	t.prefixes6 = slices.Clip(t.prefixes6)
}

// inOrder puts routes in the order of their prefixes, IPv4 first, and better ones
// to the same first.
func inOrder(fresh []raw) []raw {
	keys := make([]sortKey, len(fresh))
	for i := range fresh {
		p := fresh[i].prefix
		k := sortKey{route: int32(i), bits: uint8(p.Bits())}
		if p.Addr().Is4() {
			k.low = uint64(key4(p.Addr()))
		} else {
			k6 := key6(p.Addr())
			k.high, k.low, k.six = k6[0], k6[1], 1
		}
		keys[i] = k
	}
	slices.SortFunc(keys, func(a, b sortKey) int {
		switch {
		case a.six != b.six:
			return int(a.six) - int(b.six)
		case a.high != b.high:
			return cmp.Compare(a.high, b.high)
		case a.low != b.low:
			return cmp.Compare(a.low, b.low)
		case a.bits != b.bits:
			return int(a.bits) - int(b.bits)
		}
		return fresh[a.route].compare(&fresh[b.route].Route)
	})
	sorted := make([]raw, len(fresh))
	for i, k := range keys {
		sorted[i] = fresh[k.route]
	}
	return sorted
}

// sortKey is what routes are sorted by, close together.
type sortKey struct {
	high, low uint64
	route     int32
	bits, six uint8
}

// compare orders the routes to one prefix: better ones first, and those as good
// as they stand in the plan.
func (r *Route) compare(o *Route) int {
	return cmp.Or(r.preference(o), cmp.Compare(r.Source, o.Source), cmp.Compare(r.static, o.static), cmp.Compare(r.out, o.out))
}

// settle marks for each group what it does with a packet, from its best usable
// routes, and which group decides where it has none.
func (t *Table) settle() {
	for i := range t.groups {
		g := &t.groups[i]
		g.best = -1
		if g.cover >= 0 {
			g.best = t.groups[g.cover].best // shorter prefixes come first
		}
		first, last := t.routesOf(int32(i))
		for _, r := range t.routes[first:last] {
			if r.Usable == IsUsable {
				g.best = int32(i)
				break
			}
		}
	}
	t.does = []does{{none: true}}
	known := map[does]int32{t.does[0]: nothing}
	for i, g := range t.ranges4.groups {
		t.ranges4.runs[i].does = t.place(g, known)
	}
	for i, g := range t.ranges6.groups {
		t.ranges6.runs[i].does = t.place(g, known)
	}
}

// place is the place in the list of what a table does of what is done with the
// addresses of a group.
func (t *Table) place(group int32, known map[does]int32) int32 {
	if group >= 0 {
		group = t.groups[group].best
	}
	if group < 0 {
		return nothing
	}
	x := &t.groups[group]
	d := does{hops: x.hops, bits: x.bits, local: x.local, drops: x.drops}
	if int(group) >= t.four {
		d.bits = t.prefixes6[int(group)-t.four].bits
	}
	at, ok := known[d]
	if !ok {
		at = int32(len(t.does))
		known[d] = at
		t.does = append(t.does, d)
	}
	return at
}
