package routing

import "cmp"

// preference compares two routes to one prefix by what decides which is used: the
// lowest distance, then the lowest metric. Those that are equal share the traffic.
func (r *Route) preference(o *Route) int {
	return cmp.Or(cmp.Compare(r.Distance, o.Distance), cmp.Compare(r.Metric, o.Metric))
}

// chosen visits the routes of a group that are used: the best of those that can be,
// and all that are as good.
func (t *Table) chosen(g int32, visit func(*Route)) {
	first, last := t.routesOf(g)
	var best *Route
	for j := first; j < last; j++ {
		r := &t.routes[j]
		switch {
		case r.Usable != IsUsable:
		case best == nil:
			best = r
			visit(r)
		case r.preference(best) != 0:
			return // better ones come first
		default:
			visit(r)
		}
	}
}
