package form

import (
	"slices"
	"sync"
)

// settle finds the shapes of lists that print every row; false where none does.
func settle(atoms []Atom, rows []row) ([]Atom, bool) {
	for _, a := range flat(atoms) {
		if a.Fact == nil || a.Fact.Type != Names && a.Fact.Type != Numbers {
			continue
		}
		var fits []listShape
		for _, s := range plainFirst() {
			trial := reshaped(atoms, a.Fact, s.String())
			if !slices.ContainsFunc(rows, func(r row) bool { text, ok := render(trial, r.thing, 0); return !ok || text != r.line.text }) {
				fits = append(fits, s)
			}
		}
		if len(fits) == 0 {
			return nil, false
		}
		atoms = reshaped(atoms, a.Fact, common(fits))
	}
	return atoms, true
}

// plainFirst are the shapes of lists, those first that are likeliest where nothing tells.
var plainFirst = sync.OnceValue(func() []listShape {
	all := slices.Clone(listShapes())
	weight := func(s listShape) int {
		w := 0
		if s.runs != "" {
			w += 4
		}
		if s.short {
			w++
		}
		if s.last != "" {
			w += 8
		}
		return w
	}
	slices.SortStableFunc(all, func(a, b listShape) int { return weight(a) - weight(b) })
	return all
})

// reshaped is atoms with another shape for a fact.
func reshaped(atoms []Atom, f *Fact, shape string) []Atom {
	all := slices.Clone(atoms)
	for i := range all {
		if all[i].Part != nil {
			all[i].Part = reshaped(all[i].Part, f, shape)
		} else if all[i].Fact == f {
			all[i].Shape = shape
		}
	}
	return all
}
