package review

import (
	"cmp"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/reach"
)

// mostPaths is up to how many pairs it is looked at which path each takes.
const mostPaths = 2_000_000

// paths finds the pairs that work in both plans by other devices, told together where they change alike.
func (r *Review) paths(before, after *side, common []both) {
	if len(common)*len(common) > mostPaths {
		r.PathsLeft = true
		return
	}
	a, b := reach.All(before.w.Network, before.ends), reach.All(after.w.Network, after.ends)
	was, is := a.Working(), b.Working()
	old, now := newPather(before.w.Spec, a), newPather(after.w.Spec, b)
	at := map[string]int{}
	for _, from := range common {
		for _, to := range common {
			if !asks(before, after, from, to) || !was.Works(from.before, to.before) || !is.Works(from.after, to.after) {
				continue
			}
			x, sure := old.between(from.before, to.before)
			y, also := now.between(from.after, to.after)
			if !sure || !also || slices.Equal(x, y) {
				continue
			}
			id := strings.Join(x, " ") + "\x00" + strings.Join(y, " ")
			i, known := at[id]
			if !known {
				i = len(r.Rerouted)
				at[id] = i
				f, t := after.keys[from.after], after.keys[to.after]
				r.Rerouted = append(r.Rerouted, PathChange{From: f.name, To: t.name, IPv4: f.four, Before: x, After: y})
			}
			r.Rerouted[i].Pairs++
		}
	}
	slices.SortStableFunc(r.Rerouted, func(x, y PathChange) int { return cmp.Compare(y.Pairs, x.Pairs) })
}

// pather finds paths by the names of devices, each pair of classes once.
type pather struct {
	spec  *model.Spec
	paths reach.Paths
	known map[[2]int32]way
}

type way struct {
	devices []string
	sure    bool
}

func newPather(spec *model.Spec, m *reach.Matrix) *pather {
	return &pather{spec, m.Paths(), map[[2]int32]way{}}
}

// between is the path from one end to another, by their places. It is not sure where the path branches.
func (p *pather) between(from, to int) ([]string, bool) {
	k := [2]int32{p.paths.Class(from), p.paths.Class(to)}
	w, ok := p.known[k]
	if !ok {
		devices, sure := p.paths.Between(k[0], k[1])
		w.sure = sure
		for _, d := range devices {
			w.devices = append(w.devices, p.spec.Devices[d].Name)
		}
		p.known[k] = w
	}
	return w.devices, w.sure
}
