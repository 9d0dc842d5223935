package derive

import (
	"fmt"
	"slices"
)

// twin takes over what was derived for the other family, where the two are of one
// shape: the same steps between the same interfaces, and classes of the same
// owners. It tells which class is like which of the other; false where they are
// not.
func (a *answer) twin(of *answer) ([]classID, bool) {
	g, h := a.g, of.g
	if len(a.classes) != of.plain || !slices.EqualFunc(g.steps, h.steps, func(x, y link) bool {
		return x.from == y.from && x.to == y.to && x.out == y.out && x.in == y.in && x.cost == y.cost && x.via.IsValid() == y.via.IsValid()
	}) {
		return nil, false
	}
	shape := func(c *class) string {
		key := fmt.Sprint(c.owners, c.world, c.link, c.wanted, c.id == a.common || c.id == of.common)
		for _, d := range c.writers() {
			x := c.writes[d]
			key += fmt.Sprint(d, x.steps, x.watch.IsValid())
			if x.watch.IsValid() {
				return "" // what is watched may be another thing
			}
		}
		return key
	}
	theirs := map[string]classID{}
	for id := range of.plain {
		theirs[shape(&of.classes[id])] = classID(id)
	}
	like, mine := make([]classID, len(a.classes)), make([]classID, len(a.classes)) // here to there, and back
	for id := range a.classes {
		key := shape(&a.classes[id])
		c, ok := theirs[key]
		if !ok || key == "" {
			return nil, false
		}
		delete(theirs, key)
		like[id], mine[c] = c, classID(id)
	}
	for s, c := range a.linkClass {
		if (c == none) != (of.linkClass[s] == none) || c != none && like[c] != of.linkClass[s] {
			return nil, false
		}
	}
	for id := range a.classes {
		x, y := &a.classes[id], &of.classes[like[id]]
		x.forced, x.said, x.cost, x.first, x.options, x.ends, x.gaveUp = y.forced, y.said, y.cost, y.first, y.options, y.ends, y.gaveUp
		x.behind, x.either, x.wants, x.sound, x.nearest = y.behind, y.either, y.wants, y.sound, y.nearest
		if x.link && !x.wanted {
			x.options, x.ends = nil, nil // they are made of what watches need
		}
		if y.behind != none {
			x.behind = mine[y.behind]
		}
	}
	g.failures, g.breaking, g.cutting = h.failures, h.breaking, h.cutting
	a.findHomes()
	a.settleLinks()
	for id := range a.plain {
		if y := &of.classes[like[id]]; y.wanted && y.demanded {
			a.classes[id].demanded = true
		}
	}
	a.loosen()
	a.need = a.findNeed()
	return like, true
}
