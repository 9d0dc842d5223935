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
	Next    *assign.Ledger // to be written with them
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
		if ledgerOnly && len(r.Changes) == 0 {
			return nil, fmt.Errorf("the ledger has nothing of %s", old)
		}
		if _, found := assign.ReadLedger(source.New(w.Ledger.File.Name, r.Next.Text())); len(found) > 0 {
			return nil, fmt.Errorf("the ledger has numbers of %s as well, and would contradict itself: %s; release what is retired first: "+
				"assign --release %s", to, found[0].Reason, to)
		}
	}
	if !ledgerOnly {
		return r, w.tryRename(r, old, to)
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
	seen, whole := map[source.Place]bool{}, w.Document.Scalars()
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
		edit, ok := w.renameAt(whole, ref, name)
		if !ok {
			return fmt.Errorf("%s: %s comes of a pattern or is not written out here; change the plan by hand, then 'rename --ledger-only %s %s'",
				ref.Place, old, old, to)
		}
		r.Edits = append(r.Edits, edit)
	}
	return nil
}

// renameAt is the edit of one word; false where the file does not have it as such. Of those
// that stand alone, and not in a sentence, whole tells.
func (w renamer) renameAt(whole map[source.Place]string, ref plan.Reference, name string) (plan.Edit, bool) {
	if word, alone := whole[ref.Place]; alone && word == ref.Value {
		return plan.Edit{Place: ref.Place, Text: plan.Word(name)}, true
	}
	written := ref.Place.Text()
	if strings.Trim(written, `"'`) != ref.Value {
		return plan.Edit{}, false
	}
	return plan.Edit{Place: ref.Place, Text: strings.Replace(written, ref.Value, name, 1)}, true
}

// tryRename reads the plan with the edits made, all of its files together and the ledger
// with them: it must say what it said, but for the one name.
func (w renamer) tryRename(r *Renaming, old, to string) error {
	for _, f := range w.Document.Files() {
		if string(plan.Apply(f, r.Edits...)) != string(f.Text) {
			r.Files = append(r.Files, f)
		}
	}
	ledger := w.LedgerText()
	if r.Next != nil {
		ledger = r.Next.Text()
	}
	again := w.Edited(ledger, r.Edits...)
	if !again.Usable() || len(again.Slips()) > len(w.Slips()) {
		return errors.New(again.Slips()[0].Reason)
	}
	device, oldPort, _ := strings.Cut(old, ":")
	toPort := to
	if _, after, ok := strings.Cut(to, ":"); ok {
		toPort = after
	}
	called := func(name string) string {
		if name == old {
			return to
		}
		if oldPort != "" && strings.HasPrefix(name, device+":"+oldPort+".") {
			return device + ":" + toPort + strings.TrimPrefix(name, old) // a subinterface goes with its parent
		}
		return name
	}
	if other, differs := firstOther(meaning(w.Spec, called), meaning(again.Spec, same)); differs {
		return fmt.Errorf("the plan would say something else then: %s; change it by hand, then 'rename --ledger-only %s %s'", other, old, to)
	}
	return nil
}
