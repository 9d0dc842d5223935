package form

import (
	"slices"
)

// guard finds the fewest facts that tell the things that have a line from those that could; false where none do.
func guard(kind Kind, has, could map[*Thing]bool) ([]Guard, bool) {
	same := len(has) == len(could)
	for t := range has {
		same = same && could[t]
	}
	if same {
		return nil, true
	}
	var pool []Guard
	for i := range Facts {
		f := &Facts[i]
		if f.Of != kind || f.Name == "oper" || f.Name == "active" { // they follow from others
			continue
		}
		switch {
		case f.Type == Words:
			for _, w := range f.Words {
				pool = append(pool, Guard{Fact: f, Value: w})
			}
			if len(f.Words) > 2 {
				for _, w := range f.Words {
					pool = append(pool, Guard{Fact: f, Value: w, Not: true})
				}
			}
		case f.Unset != "":
			pool = append(pool, Guard{Fact: f, Value: f.Unset}, Guard{Fact: f, Value: f.Unset, Not: true})
		case !f.Key:
			pool = append(pool, Guard{Fact: f})
		}
	}
	slices.SortStableFunc(pool, func(a, b Guard) int { return guardRank(a) - guardRank(b) })
	tells := func(all ...Guard) bool {
		for t := range could {
			holds := true
			for _, g := range all {
				holds = holds && g.holds(t)
			}
			if holds != has[t] {
				return false
			}
		}
		for t := range has {
			if !could[t] {
				return false
			}
		}
		return true
	}
	for _, g := range pool {
		if tells(g) {
			return []Guard{g}, true
		}
	}
	for i, g := range pool {
		for _, h := range pool[i+1:] {
			if g.Fact != h.Fact && tells(g, h) {
				return []Guard{g, h}, true
			}
		}
	}
	return nil, false
}

// guardRank is how far a guard is to be put behind others: facts by which languages part lines come first, what is by chance last.
func guardRank(g Guard) int {
	switch {
	case g.Value == "" && !g.Not:
		return 2
	case g.Fact.Name == "kind":
		return 3
	case g.Fact.Name == "source":
		return 4
	case g.Fact.Type != Words:
		return 1
	}
	return 0
}
