package steps

import (
	"cmp"
	"slices"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/model"
)

// needs finds for each item those that have to be done before it, in the order in which devices take them: an interface is
// made, before anything is set on it, and its parent before it; a port joins a group that is there; what is set on an
// interface is taken away before the interface is, and subinterfaces before their parent.
func (j *judge) findNeeds() {
	type named struct {
		device model.DeviceID
		name   string
	}
	makes, takes := map[named]int{}, map[named]int{}
	for n := range j.items {
		for i := range j.items[n].Differences {
			switch d := &j.items[n].Differences[i]; {
			case d.What != compare.OfInterface:
			case d.Kind == compare.Missing:
				makes[named{j.items[n].Device, d.Subject}] = n
			case d.Kind == compare.Extra:
				takes[named{j.items[n].Device, d.Subject}] = n
			}
		}
	}
	j.needs, j.depth = make([][]int, len(j.items)), make([]int, len(j.items))
	after := func(n, first int) {
		if n != first && !slices.Contains(j.needs[n], first) {
			j.needs[n] = append(j.needs[n], first)
		}
	}
	for n := range j.items {
		at := j.items[n].Device
		for i := range j.items[n].Differences {
			d := &j.items[n].Differences[i]
			group := func(value string) string {
				name, in := strings.CutPrefix(value, "in ")
				if d.What != compare.OfMembers || !in {
					return ""
				}
				return name
			}
			parent := ""
			if id, ok := j.spec.InterfaceNamed(at, d.Subject); ok && d.What == compare.OfInterface && j.spec.Interfaces[id].Parent != model.None {
				parent = j.spec.Interfaces[j.spec.Interfaces[id].Parent].Name
			}
			from := "" // where the address was
			if d.What == compare.OfAddress {
				_, from, _ = strings.Cut(d.Found, " on ")
			}
			for _, name := range []string{d.Subject, group(d.Planned), parent} {
				if first, ok := makes[named{at, name}]; ok && name != "" {
					after(n, first)
				}
			}
			for _, name := range []string{d.Subject, group(d.Found), parent, from} {
				if last, ok := takes[named{at, name}]; ok && name != "" {
					after(last, n)
				}
			}
		}
	}
	for made, n := range makes { // what takes the same tag goes before
		id, ok := j.spec.InterfaceNamed(made.device, made.name)
		if !ok {
			continue
		}
		for gone, first := range takes {
			if old, ok := j.spec.InterfaceNamed(gone.device, gone.name); ok && gone.device == made.device &&
				compare.SameTag(&j.spec.Interfaces[id], &j.spec.Interfaces[old]) {
				after(n, first)
			}
		}
	}
	var deep func(n int) int
	deep = func(n int) int {
		if j.depth[n] == 0 {
			j.depth[n] = 1
			for _, first := range j.needs[n] {
				j.depth[n] = max(j.depth[n], 1+deep(first))
			}
		}
		return j.depth[n]
	}
	for n := range j.items {
		deep(n)
	}
}

// mayMove reports whether all that has to be done before an item is done.
func (j *judge) mayMove(levels []compare.Level, item int) bool {
	return !slices.ContainsFunc(j.needs[item], func(first int) bool { return levels[first] != compare.AsPlanned })
}

// inTurn puts what is done in one go into an order in which each comes behind what it needs.
func (j *judge) inTurn(all []moved) {
	slices.SortStableFunc(all, func(a, b moved) int { return cmp.Compare(j.depth[a.item], j.depth[b.item]) })
}
