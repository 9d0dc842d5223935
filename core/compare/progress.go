package compare

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// Progress is how far a device is from what is planned of it.
type Progress struct {
	Device  string
	Seen    bool     // something was observed of it
	InPlace int      // things as planned
	ToDo    int      // things that are not; of a device not seen: all that is planned
	Unknown []string // what was not observed, so that more may be to do
	Unsaved int      // things that run, and are not saved, or saved otherwise; -1 where what is saved was not observed
	Away    int      // how many devices are between it and the operator; -1 where no path leads there
}

// ProgressOf is how far each device of a plan is, in the plan's order, and what of it is
// done. Saved is what devices have saved, which may be none of them. The world is not assigned
// to configure.
func ProgressOf(net *forward.Network, devices, saved []*observed.Device) ([]Progress, []Done) {
	c := differences(net, devices, true)
	toDo, inPlace, unknown := map[string]int{}, map[string]int{}, map[string][]string{}
	for _, d := range c.Differences {
		toDo[d.Device]++
	}
	for _, d := range c.Done {
		inPlace[d.Device]++
	}
	for _, p := range c.Partly {
		unknown[p.Device] = p.Unknown
	}
	unsaved := map[string]int{}
	for _, d := range Between(net, devices, saved).Differences {
		unsaved[d.Device]++
	}
	away := distances(net)
	var all []Progress
	for id := range net.Spec.Devices {
		d := &net.Spec.Devices[id]
		if d.Kind == model.World {
			continue
		}
		p := Progress{Device: d.Name, Seen: true, InPlace: inPlace[d.Name], ToDo: toDo[d.Name], Unknown: unknown[d.Name], Unsaved: -1,
			Away: away[id]}
		if slices.Contains(c.NotKnown, d.Name) {
			p.Seen, p.ToDo = false, planned(net, model.DeviceID(id))
		}
		if slices.ContainsFunc(saved, func(o *observed.Device) bool { return o.Name == d.Name }) {
			p.Unsaved = unsaved[d.Name]
		}
		all = append(all, p)
	}
	return all, c.Done
}

// planned is how many things are planned of a device: all that a device with nothing on
// it lacks.
func planned(net *forward.Network, id model.DeviceID) int {
	bare := &observed.Device{Name: net.Spec.Devices[id].Name}
	bare.Learn(observed.Parts...)
	c := &comparer{net: net, spec: net.Spec, Result: &Result{Net: net}}
	c.device(id, bare)
	return c.Compared
}

// Next is the device to do next: that nearest to the operator of those with something to
// do, as others are reached through it; of several the first of the plan.
func Next(all []Progress) (next Progress, found bool) {
	for _, p := range all {
		if p.ToDo > 0 && (!found || p.Away >= 0 && (next.Away < 0 || p.Away < next.Away)) {
			next, found = p, true
		}
	}
	return next, found
}

// distances is how many cables, or segments that are wires, lead from the operator to
// each device; -1 where none do. Without an operator all are as near.
func distances(net *forward.Network) []int {
	spec := net.Spec
	away := make([]int, len(spec.Devices))
	if spec.Operator == model.None {
		return away
	}
	for d := range away {
		away[d] = -1
	}
	away[spec.Operator] = 0
	for queue := []model.DeviceID{spec.Operator}; len(queue) > 0; queue = queue[1:] {
		for _, id := range spec.InterfacesOf(queue[0]) {
			next := net.State.Neighbours(id)
			if far := net.State.Peer(id); far != model.None {
				next = []model.InterfaceID{far}
			}
			for _, n := range next {
				if d := spec.Interfaces[n].Device; away[d] < 0 {
					away[d] = away[queue[0]] + 1
					queue = append(queue, d)
				}
			}
		}
	}
	return away
}
