package derive

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// blocks are the plan's blocks of the family.
func (a *answer) blocks() []netip.Prefix {
	var all []netip.Prefix
	for _, b := range a.g.spec.Blocks {
		for _, p := range b.Prefixes {
			if prefix.FamilyOf(p.Addr()) == a.g.family {
				all = append(all, p.Prefix)
			}
		}
	}
	return all
}

// findHomes finds for every link the class that its addresses go with where nothing is asked
// of it: that of an end in whose block it lies.
func (a *answer) findHomes() {
	blocks := a.blocks()
	alone := a.alone()
	// Of each block, the devices that have anything else in it, but in blocks within.
	tightest := func(p netip.Prefix) netip.Prefix {
		var best netip.Prefix
		for _, b := range blocks {
			if prefix.Covers(b, p) && (!best.IsValid() || b.Bits() > best.Bits()) {
				best = b
			}
		}
		return best
	}
	in := map[netip.Prefix][]model.DeviceID{}
	for _, s := range a.subnets {
		if c := &a.classes[s.class]; !c.link && !c.several && !s.IsSingleIP() {
			b := tightest(s.Prefix)
			if d := c.owners[0].device; b.IsValid() && !slices.Contains(in[b], d) {
				in[b] = append(in[b], d)
			}
		}
	}
	for _, s := range a.subnets {
		c := &a.classes[s.class]
		if !c.link {
			continue
		}
		c.home = a.common
		b := tightest(s.Prefix)
		c.outside = !b.IsValid()
		if !b.IsValid() || len(in[b]) != 1 {
			continue
		}
		if id, ok := alone[in[b][0]]; ok && c.isOwner(in[b][0]) {
			c.home = id
		}
	}
}

// alone is by device the first class of what it alone has.
func (a *answer) alone() map[model.DeviceID]classID {
	all := map[model.DeviceID]classID{}
	for id := range a.classes {
		if c := &a.classes[id]; !c.several && !c.world && !c.link && classID(id) != a.common && a.g.derives(a.wanted, c.owners[0].device) {
			if _, ok := all[c.owners[0].device]; !ok {
				all[c.owners[0].device] = classID(id)
			}
		}
	}
	return all
}

// findCovered finds the classes all of whose subnets lie in blocks, or may be reached by a
// default route that everybody has.
func (a *answer) findCovered() {
	everybody := a.world != none && len(a.wanted.World) == len(a.g.spec.Segments) && len(a.classes[a.world].writes) == a.worldForced()
	blocks := prefix.Merge(a.blocks())
	for id := range a.classes {
		a.classes[id].covered = true
	}
	for _, s := range a.subnets {
		if !everybody && !slices.ContainsFunc(blocks, func(b netip.Prefix) bool { return prefix.Covers(b, s.Prefix) }) {
			a.classes[s.class].covered = false
		}
	}
}

// worldForced is how many devices of the world have a word of their own about the world.
func (a *answer) worldForced() int {
	n := 0
	for d := range a.classes[a.world].writes {
		if a.g.spec.Devices[d].Kind == model.World {
			n++
		}
	}
	return n
}

// joinWorld has devices do with everything what they do with the world, or the other way
// round, wherever that does no harm: so that one default route stands for both.
func (a *answer) joinWorld(w *toWork) {
	if a.world == none || a.common == none {
		return
	}
	common, world := &a.classes[a.common], &a.classes[a.world]
	for d := range common.options {
		if _, written := world.forced[model.DeviceID(d)]; written || len(common.options[d]) == 0 || len(world.options[d]) == 0 {
			continue
		}
		if !a.try(common, model.DeviceID(d), world.options[d], w) {
			a.try(world, model.DeviceID(d), common.options[d], w)
		}
	}
}
