package derive

import (
	"slices"

	"ropeswing/core/model"
)

// listOpen lists what single failures of cables and segments take away though a
// wire is left.
func (a *answer) listOpen(r *Result) {
	touched := [][]int(nil)
	if a.wanted.Floating {
		touched = a.watchersByStep()
	} else {
		touched = make([][]int, len(a.g.steps))
		a.watcherID = map[watcher]int{}
	}
	subnets := make([][]int, len(a.classes))
	for i, s := range a.subnets {
		subnets[s.class] = append(subnets[s.class], i)
	}
	need := a.need(a.wanted)
	for id := range a.g.failures {
		f := &a.g.failures[id]
		if !f.required || f.hidden {
			continue
		}
		silent, _ := a.settle(f, touched)
		lost := a.lost(silent)
		open := map[model.DeviceID]*Open{}
		for c := range a.classes {
			x := &a.classes[c]
			for _, d := range a.met(x, f) {
				if !need[d][c] || !a.g.derives(a.wanted, d) || a.dead(x, f) || !a.reachable(x, d, f) || a.g.walk(x, d, f, lost) == arrives {
					continue
				}
				o := open[d]
				if o == nil {
					o = &Open{Device: d, Failure: f.Failure, At: d, Because: a.because(classID(c), d, f, lost)}
					if !a.wanted.Floating {
						o.Because = NotFloating
					}
					open[d] = o
				}
				o.World = o.World || x.world
				for _, s := range subnets[c] {
					o.To = append(o.To, a.subnets[s].Prefix)
				}
			}
		}
		for d := range a.g.leaving {
			if o := open[model.DeviceID(d)]; o != nil {
				slices.SortFunc(o.To, comparePrefixes)
				r.Open = append(r.Open, *o)
			}
		}
	}
}

// met lists the devices whose own way to a class a failure breaks.
func (a *answer) met(c *class, f *failure) []model.DeviceID {
	var all []model.DeviceID
	for _, s := range f.breaks {
		if d := a.g.steps[s].from; c.first[d] == s {
			all = append(all, d)
		}
	}
	for _, o := range c.owners {
		if c.several && !c.owns(o.device, f) && !slices.Contains(all, o.device) {
			all = append(all, o.device)
		}
	}
	return all
}

// because finds why a way is not protected.
func (a *answer) because(c classID, d model.DeviceID, f *failure, lost watches) Because {
	x := &a.classes[c]
	if _, written := x.forced[d]; written {
		return IsWritten
	}
	if _, ok := a.wayRound(x, d, f); ok || a.gaveUp[givenUp{c, d}] {
		return WouldCircle
	}
	return NoOtherWay
}
