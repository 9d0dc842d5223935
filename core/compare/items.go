package compare

import (
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Item is something found otherwise than planned that is set on a device in one go.
type Item struct {
	Device      model.DeviceID
	Differences []Difference
}

// Main is the difference that the item is about: not what is watched with it.
func (i *Item) Main() *Difference {
	for n := range i.Differences {
		if i.Differences[n].What != OfWatch {
			return &i.Differences[n]
		}
	}
	return &i.Differences[0]
}

// Level is how far an item is.
type Level uint8

const (
	AsFound Level = iota
	Both          // what was found and what is planned stand beside one another
	AsPlanned
)

// Items are the differences that can be set on devices, in their order; and those that have
// to be seen to otherwise, such as a port that is down though it is switched on. What only
// follows from another is in neither.
func (r *Result) Items() (items []Item, otherwise []Difference) {
	routes, devices := map[*routesFound]int{}, map[*deviceChange]int{}
	joining := map[string]Difference{}
	for _, d := range r.Differences {
		id, known := r.Net.Spec.DeviceNamed(d.Device)
		switch {
		case d.follows || d.What == OfUse:
		case !known || d.change == nil && d.routes == nil && d.device == nil && d.statics == nil:
			otherwise = append(otherwise, d)
		case d.What == OfVLAN && r.joins(id, d.Subject):
			joining[d.Device+":"+d.Subject] = d // the port loses its own as it joins
		case d.routes != nil:
			if i, ok := routes[d.routes]; ok {
				items[i].Differences = append(items[i].Differences, d)
				continue
			}
			routes[d.routes] = len(items)
			items = append(items, Item{id, []Difference{d}})
		case d.device != nil:
			if i, ok := devices[d.device]; ok {
				items[i].Differences = append(items[i].Differences, d)
				continue
			}
			devices[d.device] = len(items)
			items = append(items, Item{id, []Difference{d}})
		default:
			items = append(items, Item{id, []Difference{d}})
		}
	}
	items = withWatches(items)
	for i := range items {
		d := items[i].Differences[0]
		if own, ok := joining[d.Device+":"+d.Subject]; ok && d.What == OfMembers {
			if items[i].Differences = []Difference{own, d}; d.Planned == inNoGroup {
				items[i].Differences = []Difference{d, own} // it leaves before it is given its own
			}
		}
	}
	return items, otherwise
}

// withWatches puts what is watched by routes that come or go into one item with them: a route is never there without its
// watch. What goes is taken away before, and what comes is set behind.
func withWatches(items []Item) []Item {
	var kept []Item
	of := map[string]int{} // the item of a device's routes to a destination
	for _, x := range items {
		if d := &x.Differences[0]; d.routes != nil {
			of[d.Device+": "+d.Subject] = len(kept)
		}
		if x.Differences[0].What != OfWatch {
			kept = append(kept, x)
		}
	}
	for _, x := range items {
		d := x.Differences[0]
		if d.What != OfWatch {
			continue
		}
		to, _, _ := strings.Cut(d.Subject, " via ")
		n, ok := of[d.Device+": "+to]
		switch {
		case !ok:
			kept = append(kept, x)
		case d.Planned == "":
			kept[n].Differences = slices.Insert(kept[n].Differences, 0, d)
		default:
			kept[n].Differences = append(kept[n].Differences, d)
		}
	}
	return kept
}

// joins reports whether a port with VLANs of its own is to join a group, or one that leaves a group is to have some.
func (r *Result) joins(d model.DeviceID, port string) bool {
	return slices.ContainsFunc(r.Differences, func(x Difference) bool {
		return x.What == OfMembers && x.Device == r.Net.Spec.Devices[d].Name && x.Subject == port && x.change != nil
	})
}

// HasBoth tells whether what was found and what is planned can stand beside one another.
func (i *Item) HasBoth() bool { return len(i.Differences) == 1 && i.Differences[0].both != nil }

// Between is the network while items are as far as levels say. What cannot be set on a
// device stays as it was found.
func (r *Result) Between(items []Item, otherwise []Difference, levels []Level) *forward.Network {
	spec := *r.Net.Spec
	spec.RoutesStand = true // they are those that are there
	plain := *r.Net
	plain.Spec, plain.State = &spec, network.Build(&spec).State(r.Net.State.Failures()...)
	left := slices.Concat(r.varying, otherwise)
	for i, level := range levels {
		for _, d := range items[i].Differences {
			switch {
			case level == AsFound:
				left = append(left, d)
			case level == Both && d.both != nil:
				d.change = d.both
				left = append(left, d)
			}
		}
	}
	return with(&plain, left)
}
