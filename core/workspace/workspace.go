// Package workspace reads a plan and works everything out from it, once, for
// every command alike.
package workspace

import (
	"io/fs"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/plan"
	"ropeswing/core/routing"
	"ropeswing/core/source"
	"ropeswing/core/verify"
)

// Workspace is a plan with all that follows from it.
type Workspace struct {
	Document *plan.Document
	Spec     *model.Spec
	Tables   *routing.Tables // nil while the plan cannot be used
	Basis    string          // what answers stand on: "predicted from the plan"

	read []finding.Finding
}

// Open reads the plan called name from fsys; shown is what messages call it.
func Open(fsys fs.FS, name, shown string) *Workspace {
	return resolve(plan.Read(fsys, name, shown))
}

// FromText is the workspace of a plan in memory.
func FromText(name string, text []byte) *Workspace {
	return resolve(plan.Parse(source.New(name, text)))
}

func resolve(doc *plan.Document, found []finding.Finding) *Workspace {
	w := &Workspace{Document: doc, read: found, Basis: "predicted from the plan"}
	if doc != nil {
		spec, more := model.Resolve(doc)
		w.Spec, w.read = spec, finding.Sort(append(w.read, more...))
	}
	if !finding.Stops(w.read) {
		w.Tables = routing.Resolve(network.Build(w.Spec).State(), w.Spec.Statics)
	}
	return w
}

// Usable tells whether the plan could be understood.
func (w *Workspace) Usable() bool { return w.Tables != nil }

// Slips are the findings for which the plan cannot be used.
func (w *Workspace) Slips() []finding.Finding {
	var slips []finding.Finding
	for _, f := range w.read {
		if f.Stops() {
			slips = append(slips, f)
		}
	}
	return slips
}

// Check is every finding about the plan, those of reading it among them.
func (w *Workspace) Check() []finding.Finding {
	all := append([]finding.Finding(nil), w.read...)
	if w.Usable() {
		all = append(all, verify.Check(w.Tables)...)
	}
	return finding.Sort(all)
}

// Without is the same workspace with the named parts out of order: cables,
// devices, segments or interfaces.
func (w *Workspace) Without(names ...string) (*Workspace, error) {
	if len(names) == 0 {
		return w, nil
	}
	var failures []network.Failure
	for _, name := range names {
		f, err := w.Tables.State.FailureNamed(name)
		if err != nil {
			return nil, err
		}
		failures = append(failures, f)
	}
	next := *w
	next.Tables = w.Tables.Update(w.Tables.State.With(failures...))
	return &next, nil
}
