package routing

import (
	"maps"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Key names one table of a device. The empty name is the main table, which
// every device has; others are those its interfaces or static routes name.
type Key struct {
	Device model.DeviceID
	Name   string
}

// Tables is the routing tables of every device in one state of the network, by
// device and name.
// It is never changed; Update makes another.
type Tables struct {
	state  *network.State
	shared *shared
	silent map[Monitor]bool // those that hear nothing
	main   []*Table
	named  map[Key]*Table
}

// Resolve makes the tables of every device from its interfaces and the static
// routes, which stand together by device, in the devices' order.
func Resolve(state *network.State, statics []model.Static) *Tables {
	t := &Tables{state: state, shared: newShared(), main: make([]*Table, len(state.Spec.Devices)), named: map[Key]*Table{}}
	for d, first := 0, 0; d < len(t.main); d++ {
		last := first
		for last < len(statics) && statics[last].Device == model.DeviceID(d) {
			last++
		}
		t.ofDevice(model.DeviceID(d), statics[first:last], model.StaticID(first))
		first = last
	}
	return t
}

// furtherTables lists the names of a device's tables beside the main one, each
// once, in order.
func furtherTables(spec *model.Spec, d model.DeviceID, statics []model.Static) []string {
	var names []string
	for i := range spec.EachInterface(d) {
		if name := spec.Interfaces[i].Table; name != "" {
			names = append(names, name)
		}
	}
	for i := range statics {
		if name := statics[i].Table; name != "" {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Update is the tables in another state of the same topology. Only the devices
// on which the status of an interface differs are worked out anew.
func (t *Tables) Update(state *network.State) *Tables {
	next := t.next(state)
	for d := range t.main {
		for i := range state.Spec.EachInterface(model.DeviceID(d)) {
			if state.IsUp(i) != t.state.IsUp(i) || holdsOther(t.state, state, i) {
				next.rebuild(model.DeviceID(d))
				break
			}
		}
	}
	return next
}

// WithRoutes is the tables in a state that differs in one device's static routes only,
// which are those of its own from first on up to last. Those of the devices behind it
// may have moved in the list of all.
func (t *Tables) WithRoutes(state *network.State, d model.DeviceID, first, last int) *Tables {
	next := t.next(state)
	maps.DeleteFunc(next.named, func(k Key, _ *Table) bool { return k.Device == d })
	if moved := len(state.Spec.Statics) - len(t.state.Spec.Statics); moved != 0 && last < len(state.Spec.Statics) {
		for other := int(d) + 1; other < len(next.main); other++ {
			next.main[other] = next.main[other].at(moved)
		}
		for k, old := range next.named {
			if k.Device > d {
				next.named[k] = old.at(moved)
			}
		}
	}
	next.ofDevice(d, state.Spec.Statics[first:last], model.StaticID(first))
	return next
}

// at is the same table, whose device's routes have moved in the list of all.
func (t *Table) at(moved int) *Table {
	next := *t
	next.base += model.StaticID(moved)
	return &next
}

// With is the tables in a state that differs in what no route hangs on.
func (t *Tables) With(state *network.State) *Tables {
	next := *t
	next.state = state
	return &next
}

// next is the same tables, in which some are to be replaced.
func (t *Tables) next(state *network.State) *Tables {
	next := *t
	next.state, next.shared, next.main, next.named = state, t.shared.further(), slices.Clone(t.main), maps.Clone(t.named)
	return &next
}

// rebuild replaces the tables of a device.
func (t *Tables) rebuild(d model.DeviceID) {
	old := t.main[d]
	t.ofDevice(d, t.staticsOf(old), old.base)
}

// ofDevice makes the tables of a device from its static routes.
func (t *Tables) ofDevice(d model.DeviceID, own []model.Static, base model.StaticID) {
	t.main[d] = t.build(Key{Device: d}, own, base)
	for _, name := range furtherTables(t.state.Spec, d, own) {
		t.named[Key{d, name}] = t.build(Key{d, name}, own, base)
	}
}

// staticsOf is the static routes of a table's device.
func (t *Tables) staticsOf(table *Table) []model.Static {
	return t.state.Spec.Statics[table.base : table.base+model.StaticID(table.statics)]
}

// Monitor is a probe that watched routes hang on: from a device by a next hop, or
// by an interface only, to what is watched. Several routes may share one.
type Monitor struct {
	Key   Key
	Out   model.InterfaceID // None where only the next hop is given
	Via   netip.Addr
	Watch netip.Addr
	From  netip.Addr // where it is asked from; invalid for the address that faces the next hop
}

// MonitorOf is what a watched route hangs on.
func MonitorOf(s *model.Static) Monitor {
	return Monitor{Key{s.Device, s.Table}, s.Out, s.Via, s.Watch, s.WatchFrom}
}

// Silence is the same tables with just the routes that hang on these monitors
// out of use.
func (t *Tables) Silence(silent map[Monitor]bool) *Tables {
	changed := map[Key]bool{}
	for m := range silent {
		if !t.silent[m] {
			changed[m.Key] = true
		}
	}
	for m := range t.silent {
		if !silent[m] {
			changed[m.Key] = true
		}
	}
	if len(changed) == 0 {
		return t
	}
	next := t.next(t.state)
	next.silent = silent
	for k := range changed {
		if k.Name == "" {
			next.main[k.Device] = next.again(t.main[k.Device])
		} else if old := t.named[k]; old != nil {
			next.named[k] = next.again(old)
		}
	}
	return next
}

// Silent is the monitors that hear nothing.
func (t *Tables) Silent() map[Monitor]bool { return t.silent }

// Same tells whether a device has the very same tables in both.
func (t *Tables) Same(other *Tables, d model.DeviceID) bool { return t.main[d] == other.main[d] }

// SameFor tells whether a device sends what is for an address the same way in both,
// in every table of its own.
func (t *Tables) SameFor(other *Tables, d model.DeviceID, to netip.Addr) bool {
	if !t.Table(d).sameFor(other.Table(d), to) {
		return false
	}
	if len(t.named) == 0 {
		return true
	}
	for k, table := range t.named {
		if k.Device == d && !(View{t, table}).sameFor(View{other, other.named[k]}, to) {
			return false
		}
	}
	return true
}

func (v View) sameFor(o View, to netip.Addr) bool {
	if v.table == o.table {
		return true
	}
	a, found := v.Lookup(to)
	b, also := o.Lookup(to)
	return found == also && a.Local == b.Local && a.Drops == b.Drops && slices.Equal(a.Hops, b.Hops)
}

// holdsOther tells whether an interface has become, or is no longer, the master
// of an address it shares.
func holdsOther(before, after *network.State, id model.InterfaceID) bool {
	for _, a := range before.Spec.Interfaces[id].Addresses {
		if a.Virtual && before.Holds(id, a) != after.Holds(id, a) {
			return true
		}
	}
	return false
}

// Table is a device's main table.
func (t *Tables) Table(d model.DeviceID) View { return View{t, t.main[d]} }

// Named is a table by its key; false where the device has none of that name.
func (t *Tables) Named(k Key) (View, bool) {
	if k.Name == "" {
		return t.Table(k.Device), true
	}
	table, ok := t.named[k]
	return View{t, table}, ok
}

// For is the table a device looks a packet up in: that of the interface it came
// in by, or the main one for what the device itself sends, in being None.
func (t *Tables) For(d model.DeviceID, in model.InterfaceID) View {
	if in != model.None {
		if name := t.state.Spec.Interfaces[in].Table; name != "" {
			return View{t, t.named[Key{d, name}]}
		}
	}
	return t.Table(d)
}

// ForSource is the table a device looks up in what it sends itself from a source
// address, which may be invalid: that of the interface that has the address, so
// that an answer leaves by the table its request came in by; else the main one.
func (t *Tables) ForSource(d model.DeviceID, source netip.Addr) View {
	if len(t.named) == 0 || !source.IsValid() {
		return t.Table(d)
	}
	spec := t.state.Spec
	for id := range spec.EachInterface(d) {
		i := &spec.Interfaces[id]
		if i.Table == "" {
			continue
		}
		for _, a := range i.Addresses {
			if a.Addr() == source {
				return t.For(d, id)
			}
		}
	}
	return t.Table(d)
}

// Of lists the tables of a device: the main one, then the others by name.
func (t *Tables) Of(d model.DeviceID) []View {
	all := []View{t.Table(d)}
	old := t.main[d]
	for _, name := range furtherTables(t.state.Spec, d, t.staticsOf(old)) {
		all = append(all, View{t, t.named[Key{d, name}]})
	}
	return all
}

// Name is the table's name, "" for the main one.
func (v View) Name() string { return v.table.key.Name }

// View is one table together with what it shares with the others.
type View struct {
	tables *Tables
	table  *Table
}

// Table is the routes of one device, grouped by prefix in the order of
// addresses, with the ranges of addresses each group wins.
type Table struct {
	key       Key
	base      model.StaticID // of the device's static routes the first
	statics   int32          // how many it has
	routes    []Route
	groups    []group
	four      int       // how many groups are of IPv4; they come first
	prefixes6 []prefix6 // by group, those of IPv4 not counted
	does      []does
	ranges4   index4
	ranges6   index6
}

// group is all routes to one prefix: those from first on, best first, up to the
// next group's.
type group struct {
	first int32 // in routes
	cover int32 // the group of the next shorter prefix around this one, or -1
	best  int32 // the group that decides: this one if it has a usable route, else that of cover; or -1
	hops  hopSetID
	start uint32 // of the prefix, in IPv4
	bits  uint8  // of the prefix
	local bool   // delivers here
	drops bool   // discards
}

// prefix6 is a prefix of IPv6 as a table keeps it, in less space.
type prefix6 struct {
	address [2]uint64
	bits    uint8
}

// prefixOf is the prefix of a group. Those of IPv4 come first.
func (t *Table) prefixOf(g int32) netip.Prefix {
	if int(g) < t.four {
		x := &t.groups[g]
		return netip.PrefixFrom(address4(x.start), int(x.bits))
	}
	p := t.prefixes6[int(g)-t.four]
	return netip.PrefixFrom(address6(p.address), int(p.bits))
}

// routesOf is the routes of a group, from first up to, not including, last.
func (t *Table) routesOf(g int32) (first, last int32) {
	if int(g)+1 < len(t.groups) {
		return t.groups[g].first, t.groups[g+1].first
	}
	return t.groups[g].first, int32(len(t.routes))
}

// Device is whose table it is.
func (v View) Device() model.DeviceID { return v.table.key.Device }

// State is the state of the network that the table is of.
func (v View) State() *network.State { return v.tables.state }
