package derive

import (
	"slices"

	"ropeswing/core/model"
)

// mostProofs is how often routes are emitted anew because the proof of them found flaws.
const mostProofs = 12

// proven is the routes of a space that hold: where the proof of what is emitted finds a flaw, what made it is taken
// away and all is emitted again. Flaws that are left stay in emitted.flaws.
func (a *answer) proven(e emitted) emitted {
	for range mostProofs {
		if e.flaws = a.flaws(&e); len(e.flaws) == 0 {
			return e
		}
		mended := false
		for i := range e.flaws {
			mended = a.mendFlaw(&e, &e.flaws[i]) || mended
		}
		if !mended {
			return e
		}
		e = a.emitIn(e.space)
		if a.wanted.Summarise {
			a.dropIdle(&e)
		}
	}
	e.flaws = a.flaws(&e)
	return e
}

// mendFlaw takes away what makes a flaw, and reports whether there was anything to take.
func (a *answer) mendFlaw(e *emitted, f *flaw) bool {
	s := e.space
	node := &s.nodes[f.leaf]
	if node.class < 0 {
		return s.discardAt(f.leaf, f.devices[0])
	}
	c := &a.classes[node.class]
	if node.free || c.link && !c.wanted && !c.demanded && f.kind != Unheard { // nobody is to get there: it may end anywhere
		return s.discardAt(f.leaf, a.whereToDiscard(c, f))
	}
	found := false
	for _, d := range f.devices {
		if i := slices.Index(c.loose, d); i >= 0 {
			c.loose, found = slices.Delete(c.loose, i, i+1), true
		}
		if c.either[d] {
			delete(c.either, d)
			found = true
		}
	}
	if found {
		return true
	}
	if f.kind == Leaking && s.endAt(f.leaf, f.devices[0]) {
		return true
	}
	if f.failure != none && f.kind == Circling { // whoever does something else only then, or has lost its own interface, ends it
		fails := &a.g.failures[f.failure]
		x := a.lookupOf(e)
		for _, d := range slices.Backward(f.devices) {
			was, _ := x.takenAbove(d, f.leaf, a.nothing)
			now, _ := x.takenAbove(d, f.leaf, fails)
			if was != now || c.isOwner(d) {
				if s.endAt(f.leaf, d) {
					return true
				}
			}
		}
	}
	if !s.exact[node.class] {
		s.exact[node.class] = true
		return true
	}
	return false
}

// whereToDiscard is the device of a flaw that is to discard what nobody has: who has what lies beside it, else the
// first.
func (a *answer) whereToDiscard(c *class, f *flaw) model.DeviceID {
	if f.kind == Circling {
		for _, d := range f.devices {
			if c.isOwner(d) {
				return d
			}
		}
		return slices.Min(f.devices)
	}
	return f.devices[0]
}

// discardAt has a device discard what is sent to a leaf, and reports whether it did not before.
func (s *space) discardAt(leaf int32, d model.DeviceID) bool { return s.put(leaf, d, discards) }

// endAt has a device discard what is sent to a leaf once its first line is out of use, and reports whether it did
// not before.
func (s *space) endAt(leaf int32, d model.DeviceID) bool { return s.put(leaf, d, endsThere) }

// must is what the proof of emitted routes makes a device do with a leaf.
type must uint8

const (
	anything  must = iota
	endsThere      // its first line, and nothing after it
	discards
)

func (s *space) put(leaf int32, d model.DeviceID, m must) bool {
	if s.made == nil {
		s.made = map[model.DeviceID]map[int32]must{}
	}
	if s.made[d] == nil {
		s.made[d] = map[int32]must{}
	}
	if s.made[d][leaf] >= m {
		return false
	}
	s.made[d][leaf] = m
	return true
}
