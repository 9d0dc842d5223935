package derive

import (
	"slices"

	"ropeswing/core/model"
)

// wanted is what the plan wants, by device where that is asked often.
type wanted struct {
	*model.Wants
	leftOut []bool // nothing is derived for it
	writes  []bool // it has written routes, or has nothing but such
}

func newWanted(spec *model.Spec) *wanted {
	w := &wanted{Wants: spec.Wants, leftOut: make([]bool, len(spec.Devices)), writes: make([]bool, len(spec.Devices))}
	for d := range spec.Devices {
		w.leftOut[d] = spec.Devices[d].Kind == model.World || slices.Contains(w.LeaveOut, model.DeviceID(d))
		w.writes[d] = w.leftOut[d]
	}
	for _, s := range spec.Statics {
		if s.Origin == model.Written && s.Table == "" {
			w.writes[s.Device] = true
		}
	}
	return w
}

// derives tells whether routes are derived for a device.
func (g *graph) derives(w *wanted, d model.DeviceID) bool {
	return g.spec.Devices[d].Forwards && !w.leftOut[d]
}

// need tells for which classes each device needs a way: all, or those on the
// way of what is wanted, in whatever state. It is by device, then class.
func (a *answer) need(w *wanted) [][]bool {
	need := make([][]bool, len(a.g.leaving))
	for d := range need {
		need[d] = make([]bool, len(a.classes))
	}
	if w.All {
		for d := range need {
			for c := range need[d] {
				need[d][c] = !a.classes[c].world
			}
		}
	}
	byPrefix := map[model.SegmentID][]classID{}
	for _, s := range a.subnets {
		for _, o := range a.classes[s.class].owners {
			for _, id := range a.g.spec.InterfacesOf(o.device) {
				i := &a.g.spec.Interfaces[id]
				if i.Segment == model.None || !slices.ContainsFunc(i.Addresses, func(x model.Address) bool { return x.Masked() == s.Prefix }) {
					continue
				}
				if !slices.Contains(byPrefix[i.Segment], s.class) {
					byPrefix[i.Segment] = append(byPrefix[i.Segment], s.class)
				}
			}
		}
	}
	classesOf := func(e model.WantedEnd) []classID {
		if e.Segment != model.None {
			return byPrefix[e.Segment]
		}
		var all []classID
		for _, s := range a.subnets {
			if slices.ContainsFunc(a.g.spec.InterfacesOf(e.Device), func(id model.InterfaceID) bool {
				return slices.ContainsFunc(a.g.spec.Interfaces[id].Addresses, func(x model.Address) bool { return x.Masked() == s.Prefix })
			}) {
				all = append(all, s.class)
			}
		}
		return all
	}
	towards := func(from, to []classID) {
		for _, c := range from {
			for _, o := range a.classes[c].owners {
				for _, t := range to {
					a.mark(need, t, o.device)
				}
			}
		}
	}
	for _, p := range w.Pairs {
		from, to := classesOf(p.From), classesOf(p.To)
		towards(from, to)
		towards(to, from)
	}
	if a.world != none {
		for _, s := range w.World {
			for _, c := range byPrefix[s] {
				towards([]classID{c}, []classID{a.world})
				for _, carrier := range a.classes[a.world].owners {
					for _, step := range a.g.leaving[carrier.device] {
						a.mark(need, c, a.g.steps[step].to)
					}
				}
			}
		}
	}
	for a.markProbes(need) {
	}
	return need
}

// markProbes notes what the probes of watched routes need, there and back; it is
// false where all of that was noted.
func (a *answer) markProbes(need [][]bool) bool {
	added := false
	for c := range a.classes {
		for d, watched := range a.classes[c].watch {
			if watched == none || !need[d][c] {
				continue
			}
			target, back := a.linkClass[watched], a.linkClass[a.classes[c].first[d]]
			if target == none || back == none {
				continue
			}
			far := a.g.steps[watched].to
			if !need[d][target] || !need[far][back] {
				a.mark(need, target, model.DeviceID(d))
				a.mark(need, back, far)
				added = true
			}
		}
	}
	return added
}

// mark notes that a device needs a way to a class, and whoever its packets may
// come by then.
func (a *answer) mark(need [][]bool, c classID, d model.DeviceID) {
	if need[d][c] {
		return
	}
	need[d][c] = true
	x := &a.classes[c]
	if s := x.first[d]; s != none {
		a.mark(need, c, a.g.steps[s].to)
	}
	for _, s := range x.further[d] {
		a.mark(need, c, a.g.steps[s].to)
	}
}
