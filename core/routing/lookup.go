package routing

import (
	"fmt"
	"net/netip"

	"ropeswing/core/model"
)

// Match is what the longest usable match of an address says to do.
type Match struct {
	Prefix netip.Prefix
	Hops   []Hop // more than one: equal cost; belongs to the tables, not to be changed
	Local  bool  // delivered here
	Drops  bool  // discarded, or some of an equal-cost set are
}

// Lookup finds the longest match among the usable routes.
func (v View) Lookup(a netip.Addr) (Match, bool) {
	return v.Decided(a, v.table.doing(a))
}

// Decided is the match of an address, by what Deciding found for it.
func (v View) Decided(a netip.Addr, doing int32) (Match, bool) {
	d := &v.table.does[doing]
	if d.none {
		return Match{}, false
	}
	p, _ := a.Prefix(int(d.bits))
	return Match{p, v.tables.shared.hopsOf(d.hops), d.local, d.drops}, true
}

// Entry is one route of a table as it stands.
type Entry struct {
	*Route
	Prefix netip.Prefix
	InUse  bool  // usable, and no better one to its prefix is
	Hops   []Hop // resolved; belongs to the tables
}

// entries lists the routes of a group, best first.
func (v View) entries(g int32) []Entry {
	first, last := v.table.routesOf(g)
	prefix := v.table.prefixOf(g)
	all := make([]Entry, 0, last-first)
	var best *Route
	for j := first; j < last; j++ {
		r := &v.table.routes[j]
		if best == nil && r.Usable == IsUsable {
			best = r
		}
		inUse := r.Usable == IsUsable && r.Distance == best.Distance && r.Metric == best.Metric
		all = append(all, Entry{r, prefix, inUse, v.tables.shared.hopsOf(r.hops)})
	}
	return all
}

// Entries lists every route of the table, by family, address and length,
// better ones first.
func (v View) Entries() []Entry {
	var all []Entry
	for g := range v.table.groups {
		all = append(all, v.entries(int32(g))...)
	}
	return all
}

// InUse visits the static routes that are in use, and tells whether they lead
// anywhere: whether they have hops.
func (v View) InUse(visit func(id model.StaticID, leads bool)) {
	for g := range v.table.groups {
		first, last := v.table.routesOf(int32(g))
		var best *Route
		for j := first; j < last; j++ {
			r := &v.table.routes[j]
			if r.Usable != IsUsable {
				continue
			}
			if best == nil {
				best = r
			}
			if r.Distance != best.Distance || r.Metric != best.Metric {
				break
			}
			if r.static != model.None {
				visit(r.static, r.hops != noHops)
			}
		}
	}
}

// Covering lists every route that matches the address, usable or not, longest
// prefix first.
func (v View) Covering(a netip.Addr) []Entry {
	var all []Entry
	for g := v.table.narrowest(a); g >= 0; g = v.table.groups[g].cover {
		all = append(all, v.entries(g)...)
	}
	return all
}

// Of lists the routes that make up a match, those not in use among them.
func (v View) Of(m Match) []Entry {
	for g := v.table.narrowest(m.Prefix.Addr()); g >= 0; g = v.table.groups[g].cover {
		if v.table.prefixOf(g) == m.Prefix {
			return v.entries(g)
		}
	}
	return nil
}

// EntryOf finds the route that a static one of the spec became.
func (v View) EntryOf(id model.StaticID) (Entry, bool) {
	for g := range v.table.groups {
		for _, e := range v.entries(int32(g)) {
			if e.static == id {
				return e, true
			}
		}
	}
	return Entry{}, false
}

// Why says why a route is not usable, following the chain: "next hop 10.48.0.9
// is on beam0, which is down: the far end mole-rtr:beam0 is administratively
// down". Of a usable
// route it says why it discards though it has a next hop; else it is empty.
func (v View) Why(e Entry) string {
	spec := v.tables.state.Spec
	switch e.Usable {
	case IsUsable:
		return v.whyDiscards(e)
	case WatchSilent:
		return v.tables.silent[MonitorOf(&spec.Statics[e.static])]
	case InterfaceDown:
		return fmt.Sprintf("%s is down: %s", spec.Interfaces[e.out].Name, v.tables.state.Why(e.out))
	}
	via := spec.Statics[e.static].Via
	switch e.Usable {
	case NextHopOneself:
		return fmt.Sprintf("the next hop %s is %s's own address", via, spec.Devices[v.table.key.Device].Name)
	case ThroughItself:
		return fmt.Sprintf("finding the next hop %s leads back to this route", via)
	}
	if why := v.DownSubnet(via); why != "" {
		return why
	}
	switch e.Usable {
	case OnlyThroughDefault:
		return fmt.Sprintf("only the default route matches the next hop %s", via)
	case ThroughUnusable:
		for _, other := range v.Covering(via) {
			if other.Usable != IsUsable && other.static != model.None && other.static != e.static {
				return fmt.Sprintf("the next hop %s is behind %s, which is not usable: %s", via, other.Prefix, v.Why(other))
			}
		}
	}
	return fmt.Sprintf("no route leads to the next hop %s", via)
}

// whyDiscards says why a usable route with a next hop discards: its next hop is
// to be found through a discard route.
func (v View) whyDiscards(e Entry) string {
	if !e.Discard || e.static == model.None {
		return ""
	}
	via := v.tables.state.Spec.Statics[e.static].Via
	m, ok := v.Lookup(via)
	if !via.IsValid() || !ok {
		return ""
	}
	why := fmt.Sprintf("its next hop %s falls under the discard route %s, so it discards too", via, m.Prefix)
	if down := v.DownSubnet(via); down != "" {
		why += "; " + down
	}
	return why
}

// DownSubnet says which interface of the device is down, and why, in whose
// subnet the next hop is. It is empty where there is none.
func (v View) DownSubnet(a netip.Addr) string {
	spec, state := v.tables.state.Spec, v.tables.state
	for _, id := range spec.InterfacesOf(v.table.key.Device) {
		if state.IsUp(id) || spec.Interfaces[id].Table != v.table.key.Name {
			continue
		}
		for _, own := range spec.Interfaces[id].Addresses {
			if own.Contains(a) && own.Addr() != a {
				return fmt.Sprintf("next hop %s is on %s, which is down: %s", a, spec.Interfaces[id].Name, state.Why(id))
			}
		}
	}
	return ""
}

// Run is neighbouring ones of a list of addresses that have the same longest
// match: from First up to, not including, Last.
type Run struct {
	First, Last int
	Match       Match
	Found       bool
}

// Runs looks up a sorted list of addresses in one go, which costs less than one
// after the other, and visits each run.
func (v View) Runs(sorted []netip.Addr, visit func(Run)) {
	for i := 0; i < len(sorted); {
		doing, last := v.table.run(sorted, i)
		run := Run{First: i, Last: last}
		run.Match, run.Found = v.Decided(sorted[i], doing)
		visit(run)
		i = last
	}
}
