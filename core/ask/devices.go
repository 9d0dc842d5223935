package ask

import (
	"slices"

	"ropeswing/core/model"
)

// DevicesMeant lists the devices that a word means: one by its name, those of a group or on a
// segment, or everyone: all but what stands for the world.
func (w Who) DevicesMeant(word string) ([]model.DeviceID, error) {
	if word == "everyone" {
		var all []model.DeviceID
		for d := range w.Spec.Devices {
			if w.Spec.Devices[d].Kind != model.World {
				all = append(all, model.DeviceID(d))
			}
		}
		return all, nil
	}
	if d, ok := w.Spec.DeviceNamed(word); ok {
		return []model.DeviceID{d}, nil
	}
	parties := w.parties(word)
	if len(parties) == 0 {
		_, err := w.Device(word)
		return nil, err
	}
	var all []model.DeviceID
	add := func(d model.DeviceID) {
		if !slices.Contains(all, d) {
			all = append(all, d)
		}
	}
	for _, p := range parties {
		switch {
		case p.Device != model.None:
			add(p.Device)
		case p.Segment != model.None:
			for i := range w.Spec.Interfaces {
				if w.Spec.Interfaces[i].Segment == p.Segment && w.Spec.Interfaces[i].Routed() {
					add(w.Spec.Interfaces[i].Device)
				}
			}
		default:
			for _, i := range w.Spec.HoldersOf(p.Address) {
				add(w.Spec.Interfaces[i].Device)
			}
		}
	}
	return all, nil
}
