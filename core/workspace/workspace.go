// Package workspace reads a plan and works everything out from it, once, for
// every command alike.
package workspace

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/verify"
)

// Workspace is a plan with all that follows from it.
type Workspace struct {
	Document *plan.Document
	Ledger   *assign.Ledger // as it is on the disk; nil where there is none
	Next     *assign.Ledger // as it has to be
	Changes  []assign.Change
	NotGrown []string // segments that were to grow and have no reason or no way to
	Spec     *model.Spec
	Derived  derive.Result    // the routes that are not written, which are in Spec and Tables too
	Network  *forward.Network // nil while the plan cannot be used, and where only numbers were asked for
	Basis    string           // what answers stand on: "predicted from the plan"

	found   bool // Tables are of the network as found: what mends it is no edit of the plan
	read    []finding.Finding
	renamed []assign.Change
}

// Open reads the plan called name from fsys, and the ledger beside it; shown is
// what messages call the plan. Segments named in grow are to get a larger subnet,
// if theirs is too small.
func Open(fsys fs.FS, name, shown string, grow ...string) *Workspace {
	w := OpenNumbers(fsys, name, shown, grow...)
	w.Resolve()
	return w
}

// OpenNumbers is Open as far as numbers go: there are no tables, and so nothing
// that packets do.
func OpenNumbers(fsys fs.FS, name, shown string, grow ...string) *Workspace {
	doc, found := plan.Read(fsys, name, shown)
	ledger, more := readLedger(fsys, LedgerName(name), LedgerName(shown))
	return resolve(doc, ledger, append(found, more...), grow...)
}

// Resolve works out what packets do, where the plan can be used and that was not
// done yet.
func (w *Workspace) Resolve() {
	if w.Usable() && w.Network == nil {
		w.Spec, w.Network, w.Derived = derive.Resolve(w.Spec)
	}
}

// LedgerName is what the ledger of a plan is called: NAME.ledger for
// NAME.plan.yaml.
func LedgerName(plan string) string {
	base, ok := strings.CutSuffix(plan, ".plan.yaml")
	if !ok {
		base = strings.TrimSuffix(plan, path.Ext(plan))
	}
	return base + ".ledger"
}

// readLedger reads a plan's ledger; nil where there is none.
func readLedger(fsys fs.FS, name, shown string) (*assign.Ledger, []finding.Finding) {
	info, err := fs.Stat(fsys, name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	text := []byte(nil)
	switch {
	case err != nil:
	case info.Size() > assign.LargestFile:
		err = fmt.Errorf("it has %d MB; a ledger has %d MB at most", info.Size()>>20, assign.LargestFile>>20)
	default:
		text, err = fs.ReadFile(fsys, name)
	}
	if err != nil {
		var cause *fs.PathError
		if errors.As(err, &cause) {
			err = cause.Err
		}
		return nil, []finding.Finding{finding.New(finding.LedgerBroken, source.New(shown, nil).Whole(), "the ledger cannot be read: %s", err)}
	}
	return assign.ReadLedger(source.New(shown, text))
}

// FromText is the workspace of a plan in memory that has no ledger.
func FromText(name string, text []byte) *Workspace { return FromTexts(name, text, nil) }

// FromTexts is the workspace of a plan and its ledger in memory; with the
// ledger nil there is none.
func FromTexts(name string, text, ledger []byte) *Workspace {
	doc, found := plan.Parse(source.New(name, text))
	var read *assign.Ledger
	if ledger != nil {
		var more []finding.Finding
		read, more = assign.ReadLedger(source.New(LedgerName(name), ledger))
		found = append(found, more...)
	}
	w := resolve(doc, read, found)
	w.Resolve()
	return w
}

func resolve(doc *plan.Document, ledger *assign.Ledger, found []finding.Finding, grow ...string) *Workspace {
	w := &Workspace{Document: doc, Ledger: ledger, read: found, Basis: "predicted from the plan"}
	if doc != nil {
		if ledger != nil && ledger.Rename != nil {
			ledger = w.finishRename(ledger)
		}
		numbering := assign.NewNumbering(ledger, grow...)
		spec, more := model.Resolve(doc, numbering)
		w.Changes, w.Next = numbering.Finish(spec)
		w.NotGrown = numbering.NotGrown()
		w.Changes = append(w.Changes, w.renamed...)
		w.Spec = spec
		w.read = append(w.read, more...)
		if !finding.Stops(found) { // else the numbers were given out on a wrong footing
			w.read = append(w.read, numbering.Findings(doc.File)...)
		}
	}
	w.read = finding.Sort(w.read)
	return w
}

// finishRename is the ledger with a rename in it carried through that was cut
// short: the plan has the new name already.
func (w *Workspace) finishRename(l *assign.Ledger) *assign.Ledger {
	if !w.Document.Has(l.Rename.New) || w.Document.Has(l.Rename.Old) {
		return l // it never got as far as the plan, and is void
	}
	next, changes := l.Renamed(*l.Rename)
	w.renamed = changes
	return next
}

// Usable tells whether the plan could be understood.
func (w *Workspace) Usable() bool { return w.Document != nil && !finding.Stops(w.read) }

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

// Unmet are the findings about needs for which no number was left.
func (w *Workspace) Unmet() []finding.Finding {
	var all []finding.Finding
	for _, f := range w.read {
		if f.Name == finding.NeedUnfit || f.Name == finding.NoNumberFree {
			all = append(all, f)
		}
	}
	return all
}

// Check is every finding about the plan, those of reading it among them.
func (w *Workspace) Check() []finding.Finding {
	all := append([]finding.Finding(nil), w.read...)
	if w.Usable() {
		all = append(all, verify.Check(w.Network, w.Derived.Open...)...)
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
		f, err := w.Network.State.FailureNamed(name)
		if err != nil {
			return nil, err
		}
		failures = append(failures, f)
	}
	next := *w
	next.Network = w.Network.Update(w.Network.State.With(failures...))
	return &next, nil
}
