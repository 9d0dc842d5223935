package assign

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/source"
)

// Finish retires what nobody has any more, and returns every change with the
// ledger that has them. To be called when the plan is resolved, to spec.
func (n *Numbering) Finish(spec *model.Spec) ([]Change, *Ledger) {
	next := &Ledger{File: n.ledger.File, Entries: n.next, remarks: n.ledger.remarks, Serials: n.ledger.Serials}
	for _, e := range n.ledger.Entries {
		k := wanted{e.Owner, e.Kind, e.family()}
		if e.Retired {
			restored := slices.ContainsFunc(n.retired[k], func(h *held) bool { return h.Entry == e && h.kept })
			if !restored {
				next.Entries = append(next.Entries, e)
			}
			continue
		}
		if n.entries[k].kept {
			continue
		}
		old := e
		old.Retired, old.Since = true, n.today
		next.Entries = append(next.Entries, old)
		moved := slices.ContainsFunc(n.changes, func(c Change) bool {
			return c.What == Moved && c.Entry.Owner == e.Owner && c.Entry.Kind == e.Kind && c.Entry.family() == e.family()
		})
		if !moved {
			n.changes = append(n.changes, Change{What: Retired, Entry: old, Because: Because{Code: NobodyAsks}})
		}
	}
	for _, e := range next.Entries {
		if e.Retired && e.Kind != VLAN {
			spec.Retired = append(spec.Retired, model.Retired{Prefix: e.Prefix, Owner: e.Owner, Block: e.Kind == Block, Place: e.Place})
		}
	}
	return n.changes, next
}

// Findings is what was found while numbers were assigned. Plan is the plan's
// file.
func (n *Numbering) Findings(plan *source.File) []finding.Finding {
	if len(n.changes) == 0 {
		return n.found
	}
	count := map[What]int{}
	for _, c := range n.changes {
		count[c.What]++
	}
	given := len(n.changes) - count[Retired]
	text := ""
	switch {
	case given > 0 && count[Retired] > 0:
		text = fmt.Sprintf("%s not in the ledger yet, and %s for nothing in the plan", are(given), are(count[Retired]))
	case given > 0:
		text = are(given) + " not in the ledger yet, and could come out differently another time"
	default:
		text = are(count[Retired]) + " in the ledger for nothing in the plan"
	}
	return append(n.found, finding.New(finding.LedgerBehind, plan.Whole(), "%s", text).Then("assign"))
}

// are is 'so many numbers are'.
func are(n int) string {
	if n == 1 {
		return "1 number is"
	}
	return fmt.Sprintf("%d numbers are", n)
}

// NotChanged lists those asked to grow or to be renumbered that had no need to grow, or have
// nothing assigned.
func (n *Numbering) NotChanged() []string {
	var names []string
	for _, name := range slices.Concat(slices.Collect(maps.Keys(n.grow)), slices.Collect(maps.Keys(n.renumber))) {
		if !n.grew[name] {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Release drops the retired numbers of the owners named from the ledger, those
// of a device's interfaces among them; with no owners, all. Where until is a day, only
// those that were retired on it or before are. It lists them, and counts those of
// which it is not known since when they are retired.
func (l *Ledger) Release(until string, owners ...string) (changes []Change, undated int) {
	l.Entries = slices.DeleteFunc(l.Entries, func(e Entry) bool {
		if !e.Retired || len(owners) > 0 && !slices.ContainsFunc(owners, e.belongsTo) {
			return false
		}
		if until != "" && e.Since == "" {
			undated++
		}
		if until != "" && (e.Since == "" || e.Since > until) {
			return false
		}
		changes = append(changes, Change{What: Released, Entry: e, Because: Because{Code: WasRetired}})
		return true
	})
	slices.SortFunc(changes, func(a, b Change) int {
		return cmp.Or(cmp.Compare(a.Entry.Owner, b.Entry.Owner), cmp.Compare(a.Entry.Number(), b.Entry.Number()))
	})
	return changes, undated
}

// belongsTo tells whether the number is the owner's, or one of the interfaces
// of the device that it is.
func (e Entry) belongsTo(owner string) bool {
	if e.Owner == owner {
		return true
	}
	return e.Kind == Address && len(e.Owner) > len(owner) && e.Owner[:len(owner)] == owner && e.Owner[len(owner)] == ':'
}

// renamed is a name after the change; false where it is not concerned.
func (r Rename) renamed(owner string) (string, bool) {
	if owner == r.Old {
		return r.New, true
	}
	if len(owner) > len(r.Old) && owner[:len(r.Old)] == r.Old && owner[len(r.Old)] == ':' {
		return r.New + owner[len(r.Old):], true
	}
	// A subinterface goes with its parent: DEVICE:lan0.110 with DEVICE:lan0.
	if slices.Contains([]byte(r.Old), ':') && len(owner) > len(r.Old) && owner[:len(r.Old)] == r.Old && owner[len(r.Old)] == '.' {
		return r.New + owner[len(r.Old):], true
	}
	return owner, false
}

// Renamed returns the ledger in which what was Old's is New's, of each by itself, and what changed.
func (l *Ledger) Renamed(names ...Rename) (*Ledger, []Change) {
	next := *l
	next.Entries, next.Rename = slices.Clone(l.Entries), nil
	var changes []Change
	for i := range next.Entries {
		e := &next.Entries[i]
		for _, r := range names {
			if to, ok := r.renamed(e.Owner); ok {
				was := e.Owner
				e.Owner = to
				changes = append(changes, Change{What: Renamed, Entry: *e, Was: was})
				break
			}
		}
	}
	return &next, changes
}
