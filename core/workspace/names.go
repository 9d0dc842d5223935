package workspace

import (
	"fmt"

	"ropeswing/core/finding"
)

// Names lists everything in the plan that has a name.
func (w *Numbers) Names() []string {
	var names []string
	for _, r := range w.Document.References() {
		switch {
		case r.Defines && r.Of != "":
			names = append(names, r.Of+":"+r.Value)
		case r.Defines:
			names = append(names, r.Value)
		}
	}
	return names
}

// Named guesses at a name; it is the error of one that the plan does not have.
func (w *Numbers) Named(name string) error {
	if w.Document.Has(name) {
		return nil
	}
	if near, ok := finding.Nearest(name, w.Names()); ok {
		return fmt.Errorf("the plan has nothing called %s; did you mean %s?", name, near)
	}
	return fmt.Errorf("the plan has nothing called %s", name)
}
