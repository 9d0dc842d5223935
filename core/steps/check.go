package steps

import (
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/model"
)

// Asked is a step as a worksheet says it: what to set on which device, in its words.
type Asked struct {
	Device string
	Sets   []string
}

// Check proves a worksheet that somebody wrote or changed: the steps in the order in which
// they stand. The error is of a step that sets what is not to be set, or is set already.
func Check(r *compare.Result, sessions map[model.DeviceID]netip.Addr, asked []Asked) (*Worksheet, error) {
	w := &Worksheet{result: r, NotKnown: r.NotKnown, New: r.New, Partly: r.Partly, Whole: true}
	w.items, w.Otherwise = r.Items()
	j := newJudge(w, sessions)
	p := &place{levels: j.start(), on: model.None, judged: true}
	var path []*place
	for n, a := range asked {
		d, ok := j.spec.DeviceNamed(a.Device)
		if !ok {
			return nil, fmt.Errorf("step %d: there is no device %s", n+1, a.Device)
		}
		next := &place{levels: slices.Clone(p.levels), on: d, before: p, cost: p.cost}
		said := map[string]bool{} // what goes with something that is set already
		for _, text := range a.Sets {
			if said[text] {
				continue
			}
			m, ok := j.reads(d, text, next.levels)
			if !ok {
				return nil, fmt.Errorf("step %d: nothing is left to set on %s that reads '%s'", n+1, a.Device, text)
			}
			next.step = append(next.step, m)
			next.levels[m.item] = m.to
			for _, other := range j.words(m) {
				said[other] = true
			}
		}
		if len(next.step) == 0 {
			return nil, fmt.Errorf("step %d sets nothing on %s", n+1, a.Device)
		}
		j.judgeStep(next)
		path = append(path, next)
		p = next
	}
	w.Before, w.After = j.at(j.start()).network(j), j.at(j.goal()).network(j)
	j.tell(path)
	for i, l := range p.levels {
		if l != compare.AsPlanned {
			w.Left = append(w.Left, w.items[i].Differences...)
		}
	}
	return w, nil
}

// reads finds what is left to set on a device that reads so.
func (j *judge) reads(d model.DeviceID, text string, levels []compare.Level) (moved, bool) {
	for i, l := range levels {
		if j.items[i].Device != d || l == compare.AsPlanned {
			continue
		}
		all := []moved{{i, l, compare.AsPlanned}}
		if l == compare.AsFound && j.items[i].HasBoth() {
			all = append(all, moved{i, l, compare.Both})
		}
		for _, m := range all {
			if slices.Contains(j.words(m), text) {
				return m, true
			}
		}
	}
	return moved{}, false
}

// words is what setting something reads like.
func (j *judge) words(m moved) []string {
	var all []string
	for _, x := range j.sets(m) {
		set, _ := x.What()
		all = append(all, set)
	}
	return all
}

// sets is what bringing an item further sets.
func (j *judge) sets(m moved) []Set {
	var all []Set
	for _, d := range j.items[m.item].Differences {
		x := Set{Difference: d}
		switch {
		case m.to == compare.Both:
			x.Helper = SetsBeside
		case m.from == compare.Both:
			x.Helper = TakesAway
		}
		all = append(all, x)
	}
	return all
}
