// Package workspace reads a plan and works everything out from it, once, for
// every command alike.
package workspace

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/assign"
	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/verify"
)

// Numbers is a plan as it was read, with every number assigned: all that can be
// told without following packets.
type Numbers struct {
	ask.Who
	Document   *plan.Document
	Ledger     *assign.Ledger // as it is on the disk; nil where there is none
	Next       *assign.Ledger // as it has to be
	Changes    []assign.Change
	NotChanged []string // what was asked to grow or to be renumbered, and was not

	read    []finding.Finding
	renamed []assign.Change
}

// Workspace is a plan with all that follows from it.
type Workspace struct {
	Numbers
	Network *forward.Network
	Derived derive.Result // the routes that are not written, which are in the Network too
	Basis   string        // what answers stand on: "predicted from the plan"
	Trying  bool          // Network has changes that the plan has not
	Found   bool          // Network is the one found: what mends it is no edit of the plan
}

// Open reads the plan called name from fsys, and the ledger beside it; shown is
// what messages call the plan.
func Open(fsys fs.FS, name, shown string) *Numbers { return OpenTo(fsys, name, shown, assign.Ask{}) }

// OpenTo is Open with numbers changed that were given, as asked.
func OpenTo(fsys fs.FS, name, shown string, change assign.Ask) *Numbers {
	doc, found := plan.Read(fsys, name, shown)
	ledger, more := readLedger(fsys, LedgerName(name), LedgerName(shown), change)
	return number(doc, ledger, append(found, more...), change)
}

// Predict works out what packets do. The plan is one that can be used.
func (n *Numbers) Predict() *Workspace {
	w := &Workspace{Numbers: *n, Basis: "predicted from the plan"}
	w.Spec, w.Network, w.Derived = derive.Resolve(n.Spec)
	return w
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
func readLedger(fsys fs.FS, name, shown string, change assign.Ask) (*assign.Ledger, []finding.Finding) {
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
	if change.Merge {
		return assign.MergeLedger(source.New(shown, text), change.Keep)
	}
	return assign.ReadLedger(source.New(shown, text))
}

// FromText is the numbers of a plan in memory that has no ledger.
func FromText(name string, text []byte) *Numbers { return FromTexts(name, text, nil) }

// FromTexts is the numbers of a plan and its ledger in memory; with the ledger nil
// there is none.
func FromTexts(name string, text, ledger []byte) *Numbers {
	doc, found := plan.Parse(source.New(name, text))
	var read *assign.Ledger
	if ledger != nil {
		var more []finding.Finding
		read, more = assign.ReadLedger(source.New(LedgerName(name), ledger))
		found = append(found, more...)
	}
	return number(doc, read, found, assign.Ask{})
}

// Edited is the numbers of the same plan as it is read again with edits made in its files,
// and with a ledger of another text; nil is none. Nothing is written.
func (n *Numbers) Edited(ledger []byte, edits ...plan.Edit) *Numbers {
	doc, found := n.Document.Edited(edits...)
	var read *assign.Ledger
	if ledger != nil {
		var more []finding.Finding
		read, more = assign.ReadLedger(source.New(LedgerName(n.Document.File.Name), ledger))
		found = append(found, more...)
	}
	return number(doc, read, found, assign.Ask{})
}

// LedgerText is the text of the plan's ledger; nil where there is none.
func (n *Numbers) LedgerText() []byte {
	if n.Ledger == nil {
		return nil
	}
	return n.Ledger.File.Text
}

// number assigns the numbers that a plan leaves open.
func number(doc *plan.Document, ledger *assign.Ledger, found []finding.Finding, change assign.Ask) *Numbers {
	w := &Numbers{Document: doc, Ledger: ledger, read: found}
	if doc != nil {
		if ledger != nil && ledger.Rename != nil {
			ledger = w.finishRename(ledger)
		}
		numbering := assign.NewNumbering(ledger, change)
		spec, more := model.Resolve(doc, numbering)
		w.Changes, w.Next = numbering.Finish(spec)
		if w.Ledger != nil {
			w.Changes = w.Ledger.Remade(w.Changes)
		}
		w.NotChanged = numbering.NotChanged()
		w.Changes = append(w.Changes, w.renamed...)
		w.Who = ask.Who{Spec: spec, Groups: doc.Groups}
		w.read = append(w.read, more...)
		if !finding.Stops(found) { // else the numbers were assigned on a wrong footing
			w.read = append(w.read, numbering.Findings(doc.File)...)
		}
	}
	w.read = finding.Sort(w.read)
	return w
}

// finishRename is the ledger with a rename in it carried through that was cut
// short: the plan has the new name already.
func (w *Numbers) finishRename(l *assign.Ledger) *assign.Ledger {
	if !w.Document.Has(l.Rename.New) || w.Document.Has(l.Rename.Old) {
		return l // it never got as far as the plan, and is void
	}
	next, changes := l.Renamed(*l.Rename)
	w.renamed = changes
	return next
}

// Usable tells whether the plan could be understood.
func (w *Numbers) Usable() bool { return w.Document != nil && !finding.Stops(w.read) }

// Slips are the findings for which the plan cannot be used.
func (w *Numbers) Slips() []finding.Finding {
	var slips []finding.Finding
	for _, f := range w.read {
		if f.Stops() {
			slips = append(slips, f)
		}
	}
	return slips
}

// Unmet are the findings about needs for which no number was left.
func (w *Numbers) Unmet() []finding.Finding {
	var all []finding.Finding
	for _, f := range w.read {
		if f.Name == finding.NeedUnfit || f.Name == finding.NoNumberFree {
			all = append(all, f)
		}
	}
	return all
}

// Read is every finding of reading the plan and assigning its numbers.
func (w *Numbers) Read() []finding.Finding { return w.read }

// Check is every finding about the plan, those of reading it among them.
func (w *Workspace) Check() []finding.Finding {
	stand, _ := w.CheckOn("")
	return stand
}

// CheckOn is Check on a day, YYYY-MM-DD, and apart from that what the plan accepts.
func (w *Workspace) CheckOn(day string) (stand, accepted []finding.Finding) {
	if w.Found { // what the plan's text says wrong is not of the network as found
		return finding.Sort(verify.Check(w.Network, derive.Result{})), nil
	}
	all := append(slices.Clone(w.read), verify.Check(w.Network, w.Derived)...)
	all = append(all, w.unsummarised()...)
	all = append(all, over(w.Document.Devices, day)...)
	stand, accepted = accept(all, w.Document.Accepts, day)
	return finding.Sort(stand), finding.Sort(accepted)
}

// Without is the same workspace with the named parts out of order: cables,
// devices, segments or interfaces.
func (w *Workspace) Without(names ...string) (*Workspace, error) {
	if len(names) == 0 {
		return w, nil
	}
	failures, err := w.Network.State.FailuresNamed(names...)
	if err != nil {
		return nil, err
	}
	next := *w
	next.Network = w.Network.Update(w.Network.State.With(failures...))
	return &next, nil
}
