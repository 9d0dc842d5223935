package compare

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Item is something found otherwise than planned that is set on a device in one go.
type Item struct {
	Device      model.DeviceID
	Differences []Difference
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
	for _, d := range r.Differences {
		id, known := r.Net.Spec.DeviceNamed(d.Device)
		switch {
		case d.follows || d.What == OfUse:
		case !known || d.change == nil && d.routes == nil && d.device == nil && d.statics == nil:
			otherwise = append(otherwise, d)
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
	return items, otherwise
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
