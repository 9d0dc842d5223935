package observed

import "slices"

// Scrub takes from what a device says all whose names nobody can read: control characters, and such as turn the direction of
// writing. What they are part of is then not known wholly. It returns how many things went.
func (d *Device) Scrub() int {
	gone := 0
	doubt := func(n int, parts ...Part) {
		if n > 0 {
			gone += n
			d.Known = slices.DeleteFunc(d.Known, func(p Part) bool { return slices.Contains(parts, p) })
			d.Doubt(parts...)
		}
	}
	without := func(before, after int) int { return before - after }
	n := len(d.Interfaces)
	d.Interfaces = slices.DeleteFunc(d.Interfaces, func(x Interface) bool {
		return !IsClean(x.Name+x.Type+x.MAC+x.Parent) || x.Group != nil && !IsClean(*x.Group)
	})
	doubt(without(n, len(d.Interfaces)), Interfaces, Addresses4, Addresses6, VLANs)
	for i := range d.Interfaces {
		if !IsClean(d.Interfaces[i].Description) {
			d.Interfaces[i].Description = ""
		}
	}
	n = len(d.Routes)
	d.Routes = slices.DeleteFunc(d.Routes, func(r Route) bool { return !IsClean(r.Interface + r.Table + r.Source) })
	doubt(without(n, len(d.Routes)), Routes4, Routes6, Standby)
	n = len(d.Neighbours)
	d.Neighbours = slices.DeleteFunc(d.Neighbours, func(x Neighbour) bool { return !IsClean(x.Interface + x.MAC) })
	doubt(without(n, len(d.Neighbours)), Neighbours)
	n = len(d.MACs)
	d.MACs = slices.DeleteFunc(d.MACs, func(x MACEntry) bool { return !IsClean(x.Interface + x.MAC) })
	doubt(without(n, len(d.MACs)), MACs)
	n = len(d.Links)
	d.Links = slices.DeleteFunc(d.Links, func(x Link) bool { return !IsClean(x.Interface + x.Device + x.Port) })
	doubt(without(n, len(d.Links)), Links)
	if gone > 0 {
		d.index = nil
	}
	return gone
}
