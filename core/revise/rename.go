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

// Rename gives devices, segments, blocks, cables or interfaces (DEVICE:INTERFACE) other names everywhere they are
// spoken of, all at once, so
// that two may swap theirs. What they have in the ledger goes with them. With ledgerOnly the plan has the new names already.
func Rename(n *workspace.Numbers, names []assign.Rename, ledgerOnly bool) (*Renaming, error) {
	w := renamer{n, map[string]string{}}
	for _, x := range names {
		switch other, twice := w.to[x.Old]; {
		case x.Old == x.New:
			return nil, fmt.Errorf("%s is called that already", x.Old)
		case twice && other != x.New:
			return nil, fmt.Errorf("%s is to be called both %s and %s", x.Old, other, x.New)
		}
		w.to[x.Old] = x.New
	}
	r := &Renaming{}
	for _, x := range names {
		if !ledgerOnly {
			if err := w.renameInPlan(r, x.Old, x.New); err != nil {
				return nil, err
			}
			continue
		}
		if !w.Document.Has(x.New) {
			return nil, fmt.Errorf("the plan has no %s; with --ledger-only the plan has the new name already", x.New)
		}
		if w.Document.Has(x.Old) && !w.isNew(x.Old) {
			return nil, fmt.Errorf("the plan still has %s; leave out --ledger-only to rename it there too", x.Old)
		}
	}
	if w.Ledger != nil {
		r.Next, r.Changes = w.Ledger.Renamed(names...)
		if ledgerOnly && len(r.Changes) == 0 {
			return nil, fmt.Errorf("the ledger has nothing of %s", names[0].Old)
		}
		if _, found := assign.ReadLedger(source.New(w.Ledger.File.Name, r.Next.Text())); len(found) > 0 {
			return nil, fmt.Errorf("the ledger has numbers of %s as well, and would contradict itself: %s; release what is retired first: "+
				"assign --release %s", names[0].New, found[0].Reason, names[0].New)
		}
	}
	if !ledgerOnly {
		return r, w.tryRename(r)
	}
	return r, nil
}

// Renames is what is meant by an old and a new name, which may both end with a star: all names that begin so, and keep the rest.
func Renames(n *workspace.Numbers, old, to string) ([]assign.Rename, error) {
	start, star := strings.CutSuffix(old, "*")
	begin, also := strings.CutSuffix(to, "*")
	switch {
	case star != also:
		return nil, errors.New("both names end with a star, or neither: what stands for the star is kept")
	case !star:
		return []assign.Rename{{Old: old, New: to}}, nil
	}
	var all []assign.Rename
	seen := map[string]bool{}
	for _, name := range n.Names() {
		rest, ok := strings.CutPrefix(name, start)
		if !ok || seen[name] || strings.Contains(name, ":") != strings.Contains(start, ":") {
			continue
		}
		seen[name] = true
		all = append(all, assign.Rename{Old: name, New: begin + rest})
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("the plan has nothing whose name begins with %s", start)
	}
	return all, nil
}

// renamer renames in one plan.
type renamer struct {
	*workspace.Numbers
	to map[string]string // the new name by the old one
}

// isNew tells whether a name is one of the new ones.
func (w renamer) isNew(name string) bool {
	for _, to := range w.to {
		if to == name {
			return true
		}
	}
	return false
}

// renameInPlan finds the edits of the plan, and tries them.
func (w renamer) renameInPlan(r *Renaming, old, to string) error {
	if !w.Document.Has(old) {
		return ask.Unknown("the plan has nothing called "+old, old, w.Names())
	}
	if _, goes := w.to[to]; w.Document.Has(to) && !goes {
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
func (w renamer) tryRename(r *Renaming) error {
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
	called := func(name string) string {
		if to, ok := w.to[name]; ok {
			return to
		}
		device, port, _ := strings.Cut(name, ":")
		parent, number, ok := strings.Cut(port, ".")
		if to, also := w.to[device+":"+parent]; ok && also {
			return to + "." + number // a subinterface goes with its parent
		}
		return name
	}
	if other, differs := firstOther(meaning(w.Spec, called), meaning(again.Spec, same)); differs {
		return fmt.Errorf("the plan would say something else then: %s; change it by hand, then 'rename --ledger-only'", other)
	}
	return nil
}
