package routing

import (
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
	base   model.StaticID
	Prefix netip.Prefix
	InUse  bool  // usable, and no better one to its prefix is
	Hops   []Hop // resolved; belongs to the tables
}

// Static is the static route this one stands for, None for direct and local
// ones.
func (e Entry) Static() model.StaticID {
	if e.static == noStatic {
		return model.None
	}
	return e.base + model.StaticID(e.static)
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
		inUse := r.Usable == IsUsable && r.preference(best) == 0
		all = append(all, Entry{r, v.table.base, prefix, inUse, v.tables.shared.hopsOf(r.hops)})
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

// InUse visits the static routes that are in use with the hops they lead to, which
// belong to the tables.
func (v View) InUse(visit func(id model.StaticID, hops []Hop)) {
	for g := range v.table.groups {
		v.table.chosen(int32(g), func(r *Route) {
			if r.static != noStatic {
				visit(v.table.base+model.StaticID(r.static), v.tables.shared.hopsOf(r.hops))
			}
		})
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
		first, last := v.table.routesOf(int32(g))
		for n, r := range v.table.routes[first:last] {
			if r.static != noStatic && v.table.base+model.StaticID(r.static) == id {
				return v.entries(int32(g))[n], true
			}
		}
	}
	return Entry{}, false
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
