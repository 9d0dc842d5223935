package derive

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/parallel"
)

// unheard lists watches that do not hear, by the routes as they are emitted, whether their path is whole: with nothing
// broken the probe or its answer takes another way, or is dropped; or it comes through though the path is broken.
func (x *tableProof) unheard() []flaw {
	if x.wanted.Protect < model.ProtectLinks {
		return nil
	}
	var all []*watch
	for _, d := range x.deriving {
		for _, l := range x.made[d].by {
			if l != nowhere && l.watch != none {
				all = append(all, x.made[d].watches[l])
			}
		}
	}
	slices.SortStableFunc(all, func(v, w *watch) int { return cmp.Compare(w.to-w.from, v.to-v.from) })
	x.places()
	done := newServed() // of a path that was looked at all parts were
	all = slices.DeleteFunc(all, func(w *watch) bool {
		near, far := done.has(w.steps())
		if first := w.steps()[0]; len(done.near[first]) < fewPaths && len(done.far[w.target()]) < fewPaths {
			done.add(w)
		}
		return near && far && !x.g.spec.Settings.ProbesByTable
	})
	is := make([]*flaw, len(all))
	parallel.Each(len(all), func(i int) { is[i] = x.mishears(all[i]) })
	var found []flaw
	for _, f := range is {
		if f != nil && !slices.ContainsFunc(found, func(o flaw) bool { return o.leaf == f.leaf && slices.Equal(o.devices, f.devices) }) {
			found = append(found, *f)
		}
	}
	return found
}

// fewPaths is among how many paths from a step, or to one, it is looked whether another is part of one.
const fewPaths = 4

// places notes by node where a leaf stands among all.
func (x *tableProof) places() {
	x.place = make([]int32, len(x.space.nodes))
	for i, n := range x.leaves {
		x.place[n] = int32(i)
	}
}

// leafOf is the place of the leaf that an address lies in; none where it lies in no root.
func (x *tableProof) leafOf(at netip.Addr) int32 {
	for _, n := range x.space.roots {
		if !x.space.nodes[n].prefix.Contains(at) {
			continue
		}
		for {
			node := &x.space.nodes[n]
			if node.class != mixed {
				return x.place[n]
			}
			if n = node.child[1]; x.space.nodes[node.child[0]].prefix.Contains(at) {
				n = node.child[0]
			}
		}
	}
	return none
}

// leg is one of the two ways of a probe: there, or back.
type leg struct {
	by   []stepID // the path that is watched
	leaf int32    // where the address lies that it goes to
	link classID  // the class of the link that has it
}

// legs are the ways of a watch's probe; false where they cannot be told: where a link has no step back, or a device of the
// path has written routes of another kind, of which the checks tell.
func (x *tableProof) legs(w *watch) ([2]leg, bool) {
	steps := w.steps()
	var back []stepID
	for _, s := range slices.Backward(steps) {
		back = append(back, x.g.back[s])
	}
	there := leg{by: steps, leaf: x.leafOf(x.g.steps[w.target()].via), link: x.linkClass[w.target()]}
	if !x.g.spec.Settings.ProbesByTable { // the probe itself leaves by its next hop
		there.by = steps[1:]
	}
	if slices.Contains(back, none) {
		return [2]leg{}, false
	}
	and := leg{by: back, leaf: x.leafOf(x.g.steps[back[len(back)-1]].via), link: x.linkClass[steps[0]]}
	for _, s := range slices.Concat(there.by, back) {
		if x.groups[x.g.steps[s].from] == nil || x.g.beyond[x.g.to[s]] {
			return [2]leg{}, false
		}
	}
	return [2]leg{there, and}, there.leaf != none && and.leaf != none
}

// isOn reports whether a device is on a link.
func (x *tableProof) isOn(d model.DeviceID, link classID) bool { return x.classes[link].isOwner(d) }

// mishears looks at a watch, and is what is wrong with it; nil where nothing is.
func (x *tableProof) mishears(w *watch) *flaw {
	legs, ok := x.legs(w)
	if !ok {
		return nil
	}
	simple := true
	for _, l := range legs {
		for _, s := range l.by {
			d := x.g.steps[s].from
			chain := x.chains[d][x.top[d][l.leaf]]
			if x.isOn(d, l.link) {
				simple = simple && len(chain) == 0 // where its port is down it goes on by these
				continue
			}
			if len(chain) == 0 || chain[0] != (line{s, none}) {
				return &flaw{x.leaves[l.leaf], none, []model.DeviceID{d}, Unheard}
			}
			simple = simple && len(chain) == 1
		}
	}
	if simple {
		return nil
	}
	for _, l := range legs { // another way may be open to it when one of these is broken
		var bad *flaw
		x.eachFailure(w.steps(), func(id failureID) bool {
			f := &x.g.failures[id]
			sender, target := x.g.steps[w.steps()[0]].from, x.g.to[w.target()]
			if f.fails == sender || !x.isSilent(w, f) || !x.comes(legs[0], sender, target, f, w) || !x.comes(legs[1], target, sender, f, w) {
				return true
			}
			for _, s := range l.by {
				if d := x.g.steps[s].from; len(x.chains[d][x.top[d][l.leaf]]) > 1 || x.isOn(d, l.link) {
					bad = &flaw{x.leaves[l.leaf], id, []model.DeviceID{d}, Unheard}
				}
			}
			return bad == nil
		})
		if bad != nil {
			return bad
		}
	}
	return nil
}

// comes reports whether a packet of a probe gets from a device to another under a failure.
func (x *tableProof) comes(l leg, from, to model.DeviceID, f *failure, w *watch) bool {
	at := from
	if first := w.steps()[0]; len(l.by) < len(w.steps()) && from == x.g.steps[first].from { // by its next hop
		if f.effect[first] != whole {
			return false
		}
		at = x.g.to[first]
	}
	for range len(x.g.leaving) {
		if at == to {
			return true
		}
		if at == f.fails || x.g.beyond[at] || x.groups[at] == nil {
			return false
		}
		next := stepID(none)
		for _, s := range x.g.leaving[at] { // its own link comes first, while its port is up
			if x.linkClass[s] == l.link && x.g.to[s] == to && f.effect[s] != seen {
				next = s
			}
		}
		for _, c := range x.chains[at][x.top[at][l.leaf]] {
			if next == none && x.made[at].takes(c, f) {
				next = c.step
			}
		}
		if next == none || f.effect[next] != whole {
			return false
		}
		at = x.g.to[next]
	}
	return false
}
