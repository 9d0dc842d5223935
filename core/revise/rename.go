package revise

import (
	"errors"
	"fmt"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/assign"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
)

// Renaming is a new name for something, tried: what changes in the plan's files
// and in the ledger.
type Renaming struct {
	Edits   []plan.Edit
	Files   []*source.File // those that change
	Under   *assign.Ledger // to be written before the plan: it knows both names
	Next    *assign.Ledger // to be written after it
	Changes []assign.Change
}

// Rename gives a device, segment, block, cable or interface (DEVICE:INTERFACE)
// another name everywhere it is spoken of. What it has in the ledger goes with
// it. With ledgerOnly the plan has the new name already.
func Rename(n *workspace.Numbers, old, to string, ledgerOnly bool) (*Renaming, error) {
	w := renamer{n}
	if old == to {
		return nil, fmt.Errorf("%s is called that already", old)
	}
	r := &Renaming{}
	if ledgerOnly {
		if !w.Document.Has(to) {
			return nil, fmt.Errorf("the plan has no %s; with --ledger-only the plan has the new name already", to)
		}
		if w.Document.Has(old) {
			return nil, fmt.Errorf("the plan still has %s; leave out --ledger-only to rename it there too", old)
		}
	} else if err := w.renameInPlan(r, old, to); err != nil {
		return nil, err
	}
	if w.Ledger != nil {
		change := assign.Rename{Old: old, New: to}
		r.Next, r.Changes = w.Ledger.Renamed(change)
		under := *w.Ledger
		under.Rename = &change
		r.Under = &under
		if ledgerOnly && len(r.Changes) == 0 {
			return nil, fmt.Errorf("the ledger has nothing of %s", old)
		}
		if _, found := assign.ReadLedger(source.New(w.Ledger.File.Name, r.Next.Text())); len(found) > 0 {
			return nil, fmt.Errorf("the ledger has numbers of %s as well, and would contradict itself: %s; release what is retired first: assign --release %s", to, found[0].Reason, to)
		}
	}
	return r, nil
}

// renamer renames in one plan.
type renamer struct{ *workspace.Numbers }

// renameInPlan finds the edits of the plan, and tries them.
func (w renamer) renameInPlan(r *Renaming, old, to string) error {
	if !w.Document.Has(old) {
		return ask.Unknown("the plan has nothing called "+old, old, w.Names())
	}
	if w.Document.Has(to) {
		return fmt.Errorf("the plan has a %s already", to)
	}
	device, oldName, isInterface := strings.Cut(old, ":")
	toDevice, toName, alsoInterface := strings.Cut(to, ":")
	switch {
	case isInterface != alsoInterface, isInterface && device != toDevice:
		return errors.New("an interface keeps its device: rename DEVICE:OLD DEVICE:NEW")
	case !isInterface:
		oldName, toName, device = old, to, ""
	}
	seen := map[source.Place]bool{}
	for _, ref := range w.Document.References() {
		name := toName
		if device != "" && strings.HasPrefix(ref.Value, oldName+".") {
			name += ref.Value[len(oldName):] // a subinterface goes with its parent
		} else if ref.Value != oldName {
			continue
		}
		if ref.Of != device || seen[ref.Place] {
			continue
		}
		seen[ref.Place] = true
		edit, ok := w.renameAt(ref, name)
		if !ok {
			return fmt.Errorf("%s: %s comes of a pattern or is not written out here; change the plan by hand, then 'rename --ledger-only %s %s'", ref.Place, old, old, to)
		}
		r.Edits = append(r.Edits, edit)
	}
	return w.tryRename(r, to)
}

// renameAt is the edit of one word; false where the file does not have it as
// such.
func (w renamer) renameAt(ref plan.Reference, name string) (plan.Edit, bool) {
	written := ref.Place.Text()
	if strings.Trim(written, `"'`) != ref.Value {
		return plan.Edit{}, false
	}
	return plan.Edit{Place: ref.Place, Text: strings.Replace(written, ref.Value, name, 1)}, true
}

// tryRename reads the plan with the edits made, and refuses them where that
// finds a slip.
func (w renamer) tryRename(r *Renaming, to string) error {
	before := len(w.Slips())
	for _, f := range w.Document.Files() {
		text := plan.Apply(f, r.Edits...)
		if string(text) != string(f.Text) {
			r.Files = append(r.Files, f)
		}
	}
	if len(w.Document.Files()) > 1 {
		if wrong, bad := plan.CheckName(to); bad {
			return fmt.Errorf("nothing can be called %s: it %s", to, wrong)
		}
		return nil // the files can only be read together, and from the disk
	}
	again := workspace.FromText(w.Document.File.Name, plan.Apply(w.Document.File, r.Edits...))
	if slips := again.Slips(); len(slips) > before {
		return errors.New(slips[0].Reason)
	}
	return nil
}
