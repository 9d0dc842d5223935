package derive

import (
	"slices"

	"ropeswing/core/model"
)

// findNeed tells which classes each device needs a path to: all, or those on the
// path of what is wanted, in whatever state. It is by device, then class.
func (a *answer) findNeed() [][]bool {
	w := a.wanted
	need := make([][]bool, len(a.g.leaving))
	all := make([]bool, len(need)*len(a.classes))
	for d := range need {
		need[d] = all[d*len(a.classes) : (d+1)*len(a.classes)]
		if w.All {
			for c := range need[d] {
				need[d][c] = !a.classes[c].world && a.classes[c].wanted
			}
			if a.common != none {
				need[d][a.common] = true
			}
		}
	}
	bySegment := a.bySegment()
	classesOf := func(e model.WantedEnd) []classID {
		if e.Segment != model.None {
			return bySegment[e.Segment]
		}
		return a.ofDevice(e.Device)
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
			for _, c := range bySegment[s] {
				towards([]classID{c}, []classID{a.world})
				for _, carrier := range a.classes[a.world].owners {
					for _, step := range a.g.leaving[carrier.device] {
						a.mark(need, c, a.g.steps[step].to)
					}
				}
			}
		}
	}
	return need
}

// bySegment lists the classes of each segment's subnets.
func (a *answer) bySegment() map[model.SegmentID][]classID {
	all := map[model.SegmentID][]classID{}
	for id := range a.g.spec.Interfaces {
		i := &a.g.spec.Interfaces[id]
		if i.Segment == model.None {
			continue
		}
		for _, x := range i.Addresses {
			if c, ok := a.byPrefix[x.Masked()]; ok && a.classes[c].isOwner(i.Device) && !slices.Contains(all[i.Segment], c) {
				all[i.Segment] = append(all[i.Segment], c)
			}
		}
	}
	return all
}

// ofDevice lists the classes of a device's own subnets that are wanted.
func (a *answer) ofDevice(d model.DeviceID) []classID {
	var all []classID
	for _, id := range a.g.spec.InterfacesOf(d) {
		for _, x := range a.g.spec.Interfaces[id].Addresses {
			if c, ok := a.byPrefix[x.Masked()]; ok && a.classes[c].wanted && !slices.Contains(all, c) {
				all = append(all, c)
			}
		}
	}
	slices.Sort(all)
	return all
}

// mark notes that a device needs a path to a class, and whoever its packets may
// come by then.
func (a *answer) mark(need [][]bool, c classID, d model.DeviceID) {
	if need[d][c] {
		return
	}
	need[d][c] = true
	for x := &a.classes[c]; ; x = &a.classes[x.behind] {
		if x.options != nil {
			for _, o := range x.options[d] {
				a.mark(need, c, a.g.to[o.step])
			}
			if x.ends[d] {
				return
			}
		}
		if x.behind == none {
			return
		}
	}
}
