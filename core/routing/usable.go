package routing

import (
	"slices"

	"ropeswing/core/model"
)

// solver finds the usable routes of one table.
//
// Whether a static route with a next hop only is usable depends on other
// routes being usable, and on longer ones not being so. Taken in some order,
// that could come out one way or another; here it is the least fixed point
// that grows from the direct routes up, with "not usable" believed only of
// routes that could not be usable even if all doubt fell in their favour (the
// well-founded model of the rules). What hangs on itself stays unusable, and
// the order of the plan plays no part.
type solver struct {
	*Table
	shared  *shared
	spec    *model.Spec
	statics []model.Static // of the device
}

// solve sets Usable and the hops of every route, then those of every group.
func (s solver) solve() {
	var open []int32  // routes that depend on others
	var quiet []int32 // routes out of use for what they watch
	before, set := Hop{Out: model.None}, noHops
	for i := range s.routes {
		r := &s.routes[i]
		switch {
		case r.Usable == WatchSilent:
			quiet = append(quiet, int32(i))
		case r.Usable != IsUsable:
		case r.Source == Local:
		case r.Source == Direct:
			r.hops = s.shared.hopSet([]Hop{{Out: r.out}})
		case r.out != model.None:
			// Neighbouring routes mostly have the same hop.
			if hop := (Hop{Out: r.out, Via: s.statics[r.static].Via}); hop != before {
				before, set = hop, s.shared.hopSet([]Hop{hop})
			}
			r.hops = set
		case !r.Discard:
			open = append(open, int32(i))
		}
	}
	proven := s.fixedPoint(open)
	for _, i := range open {
		if !proven[i] {
			s.routes[i].Usable = s.reason(i, proven)
		}
	}
	for _, i := range open {
		if proven[i] {
			hops, discards := s.hopsOf(i, nil)
			s.routes[i].hops, s.routes[i].Discard = s.shared.hopSet(hops), discards && len(hops) == 0
		}
	}
	for _, i := range quiet {
		s.probed(i, proven)
	}
	for g := range s.groups {
		s.combine(int32(g))
	}
}

// probed sets the hops by which a route that is out of use for what it watches
// goes on probing, or the reason why it has none.
func (s solver) probed(i int32, proven []bool) {
	r := &s.routes[i]
	switch {
	case !s.isOpen(i):
		r.hops = s.shared.hopSet([]Hop{{Out: r.out, Via: s.statics[r.static].Via}})
	case s.resolves(i, proven, proven):
		hops, _ := s.hopsOf(i, nil)
		r.hops = s.shared.hopSet(hops)
	default:
		r.Usable = s.reason(i, proven)
	}
}

// fixedPoint alternates between what is surely usable and what may be, until
// neither changes.
func (s solver) fixedPoint(open []int32) []bool {
	sure, count := make([]bool, len(s.routes)), 0
	if len(open) == 0 {
		return sure
	}
	for {
		maybe, _ := s.grow(open, sure)
		next, n := s.grow(open, maybe)
		if n == count {
			return next
		}
		sure, count = next, n
	}
}

// grow is the least set of open routes that are usable when routes in blocking
// (and all that are not open) are taken to be in the way.
func (s solver) grow(open []int32, blocking []bool) (in []bool, count int) {
	in = make([]bool, len(s.routes))
	for changed := true; changed; {
		changed = false
		for _, i := range open {
			if !in[i] && s.resolves(i, in, blocking) {
				in[i], changed = true, true
				count++
			}
		}
	}
	return in, count
}

// resolves walks the routes that match the next hop of open route i, best
// first, leaving out i itself: the first class of equal routes with one that
// is in decides; one that is blocking ends the search.
func (s solver) resolves(i int32, in, blocking []bool) bool {
	found := false
	s.classes(i, func(class []int32) bool {
		blocked := false
		for _, j := range class {
			switch r := &s.routes[j]; {
			case s.isOpen(j):
				found = found || in[j] && !s.defaultBarred(r)
				blocked = blocked || blocking[j]
			case r.Usable != IsUsable:
			default:
				blocked = true
				found = found || r.Source != Local && !s.defaultBarred(r)
			}
		}
		return !found && !blocked
	})
	return found
}

// classes visits the routes that match the next hop of route i in classes of
// equal preference, best first: longest prefix, lowest distance, lowest
// metric. It ends when visit returns false.
func (s solver) classes(i int32, visit func(class []int32) bool) {
	via := s.statics[s.routes[i].static].Via
	for g := s.narrowest(via); g >= 0; g = s.groups[g].cover {
		j, end := s.routesOf(g)
		for j < end {
			var class []int32
			best := &s.routes[j]
			for ; j < end && s.routes[j].preference(best) == 0; j++ {
				if j != i {
					class = append(class, j)
				}
			}
			if len(class) > 0 && !visit(class) {
				return
			}
		}
	}
}

// isOpen tells whether a route's usability hangs on that of others.
func (s solver) isOpen(i int32) bool {
	r := &s.routes[i]
	return r.Source >= Static && r.out == model.None && s.statics[r.static].Via.IsValid()
}

// defaultBarred tells whether the route is a default, through which next hops
// are not to be found unless the setting says so.
func (s solver) defaultBarred(r *Route) bool {
	return r.static != noStatic && s.statics[r.static].To.Bits() == 0 && !s.spec.Settings.ResolveThroughDefault
}

// reason tells why an open route is not usable.
func (s solver) reason(i int32, proven []bool) Usable {
	reason := NextHopUnreachable
	s.classes(i, func(class []int32) bool {
		decided := false
		for _, j := range class {
			r := &s.routes[j]
			because := NextHopUnreachable
			switch {
			case r.Usable != IsUsable && !s.isOpen(j):
				continue
			case r.Source == Local:
				because = NextHopOneself
			case s.defaultBarred(r):
				because = OnlyThroughDefault
			case s.hangsOn(j, i, map[int32]bool{}):
				because = ThroughItself
			case s.isOpen(j) && !proven[j]:
				because = ThroughUnusable
			}
			// Of several in one class the later in the list of reasons is told,
			// whatever the order they stand in.
			reason, decided = max(reason, because), true
		}
		return !decided
	})
	return reason
}

// hangsOn tells whether resolving open route i comes by route target.
func (s solver) hangsOn(i, target int32, seen map[int32]bool) bool {
	if seen[i] || !s.isOpen(i) {
		return false
	}
	seen[i] = true
	found := false
	s.classes(i, func(class []int32) bool {
		for _, j := range class {
			if j == target || s.hangsOn(j, target, seen) {
				found = true
			}
		}
		return !found
	})
	return found
}

// hopsOf follows the next hop of open route i to the links it ends on.
func (s solver) hopsOf(i int32, above []int32) (hops []Hop, discards bool) {
	via := s.statics[s.routes[i].static].Via
	above = append(above, i)
	s.classes(i, func(class []int32) bool {
		decided := false
		for _, j := range class {
			r := &s.routes[j]
			if r.Usable != IsUsable || slices.Contains(above, j) {
				continue
			}
			decided = true
			switch {
			case r.Discard:
				discards = true
			case s.isOpen(j):
				further, drop := s.hopsOf(j, above)
				hops, discards = append(hops, further...), discards || drop
			case r.Source != Local:
				hop := s.shared.hopsOf(r.hops)[0]
				if !hop.Via.IsValid() {
					hop.Via = via
				}
				hops = append(hops, hop)
			}
		}
		return !decided
	})
	return unique(hops), discards
}

// combine works out what a group does from its best class of usable routes.
func (s solver) combine(id int32) {
	g := &s.groups[id]
	first, last := s.routesOf(id)
	if r := &s.routes[first]; last-first == 1 && r.Usable == IsUsable {
		g.local, g.drops, g.hops = r.Source == Local, r.Discard, r.hops
		return
	}
	var hops []Hop
	s.chosen(id, func(r *Route) {
		g.local = g.local || r.Source == Local
		g.drops = g.drops || r.Discard
		hops = append(hops, s.shared.hopsOf(r.hops)...)
	})
	g.hops = s.shared.hopSet(unique(hops))
}

// unique drops hops that stand twice and puts the rest in a fixed order.
func unique(hops []Hop) []Hop {
	if len(hops) < 2 {
		return hops
	}
	slices.SortFunc(hops, func(a, b Hop) int {
		if a.Out != b.Out {
			return int(a.Out - b.Out)
		}
		return a.Via.Compare(b.Via)
	})
	return slices.Compact(hops)
}
