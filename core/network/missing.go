package network

import (
	"slices"

	"ropeswing/core/model"
)

// Missing lists the VLANs that the far end of a switch port's cable sends with a tag
// and that are dropped at the port, in ascending order. Ports of a group carry what the
// group does; of a group it is what any of its ports misses.
func (t *Topology) Missing(id model.InterfaceID) []model.VLAN {
	i := &t.Spec.Interfaces[id]
	if i.Kind == model.Group {
		var all []model.VLAN
		for _, m := range i.Members {
			all = append(all, t.Missing(m)...)
		}
		slices.Sort(all)
		return slices.Compact(all)
	}
	near, far := &t.Spec.Interfaces[t.carrier(id)], t.peer[id]
	if far == model.None || !near.Switched {
		return nil
	}
	return slices.DeleteFunc(t.sends(far), func(v model.VLAN) bool {
		_, has := slices.BinarySearch(near.Tagged, v)
		return has
	})
}

// sends lists the VLANs whose frames leave a port with their tag, in ascending order:
// those of a switch port, or of the subinterfaces of another.
func (t *Topology) sends(id model.InterfaceID) []model.VLAN {
	id = t.carrier(id)
	if i := &t.Spec.Interfaces[id]; i.Switched {
		return slices.Clone(i.Tagged)
	}
	var all []model.VLAN
	for _, sub := range t.subs[id] {
		if tag := t.Spec.Interfaces[sub].Tag; tag != 0 {
			all = append(all, tag)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}
