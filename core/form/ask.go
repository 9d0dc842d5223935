package form

import (
	"slices"
	"strconv"
	"strings"
)

// ask asks what the texts leave open of the form as a whole.
func (l *learner) ask(f *Form) {
	said := map[string]bool{}
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, line := range all {
			for _, a := range flat(line.Atoms) {
				if a.Fact == nil {
					continue
				}
				said[a.Fact.Name] = true
				if a.HasNone && a.Fact.Name == "next-hop" {
					said["discard"] = true
				}
				if (a.Fact.Type == Names || a.Fact.Type == Numbers) && strings.HasSuffix(a.Shape, " any") {
					l.questions = append(l.questions, Question{HowRun, spell(line.Atoms, false), []string{a.Fact.Name}})
				}
				if slices.Contains([]string{"distance", "mtu", "length", "metric"}, a.Fact.Name) && !a.HasNone {
					if v, n := l.same(a.Fact); n > 1 {
						l.questions = append(l.questions, Question{AlwaysSo, spell(line.Atoms, false), []string{a.Fact.Name, v, strconv.Itoa(n)}})
					}
				}
			}
			for _, g := range line.Guards {
				said[g.Fact.Name] = true
			}
			if len(line.Atoms) == 1 && line.Atoms[0].constant() && len(line.Guards)+len(line.Kids) == 0 {
				l.questions = append(l.questions, Question{Kept, spell(line.Atoms, false), []string{line.Kind.String()}})
			}
			walk(line.Kids)
		}
	}
	walk(f.Lines)
	for _, p := range []string{"untagged-port", "untagged-ports"} {
		said["untagged"] = said["untagged"] || said[p]
	}
	for _, p := range []string{"tagged-port", "tagged-ports", "tagged-vlan"} {
		said["tagged"] = said["tagged"] || said[p]
	}
	for _, name := range []string{"admin", "note", "mtu", "untagged", "tagged", "address", "destination", "secondary", "discard",
		"distance"} {
		if !said[name] {
			l.questions = append(l.questions, Question{NoLineTells, name, l.valuesOf(name)})
		}
	}
}

// same is the value that a fact has in all things that have it, and in how many.
func (l *learner) same(f *Fact) (string, int) {
	value, n := "", 0
	for _, e := range l.examples {
		ok := e.Device.all(f.Of, func(t *Thing) bool {
			v, has := t.V[f.Name]
			if !has {
				return true
			}
			if n > 0 && v != value {
				return false
			}
			value, n = v, n+1
			return true
		})
		if !ok {
			return "", 0
		}
	}
	return value, n
}

// valuesOf are the values that a fact has in the examples.
func (l *learner) valuesOf(name string) []string {
	var all []string
	for _, e := range l.examples {
		for _, t := range e.Device.everything() {
			if v, ok := t.V[name]; ok && factNamed(t.Kind, name) != nil && !slices.Contains(all, v) {
				all = append(all, v)
			}
		}
	}
	slices.Sort(all)
	return all
}
