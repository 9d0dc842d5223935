package review

import (
	"slices"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/verify"
)

// promises compares the requirements of both plans, and whom the operator reaches.
func (r *Review) promises() {
	was, is := verify.PromisesOf(r.Before.Network), verify.PromisesOf(r.After.Network)
	said := func(spec *model.Spec) (all []string) {
		for i := range spec.Must {
			all = append(all, spec.Must[i].Text)
		}
		return all
	}
	unmet := func(spec *model.Spec, some []int) map[string]bool {
		all := map[string]bool{}
		for _, i := range some {
			all[spec.Must[i].Text] = true
		}
		return all
	}
	asked, asks := said(r.Before.Spec), said(r.After.Spec)
	failed, fails := unmet(r.Before.Spec, was.Unmet), unmet(r.After.Spec, is.Unmet)
	for _, text := range asks {
		switch {
		case fails[text] && !failed[text]:
			r.Unmet = append(r.Unmet, text)
		case failed[text] && !fails[text]:
			r.Met = append(r.Met, text)
		case !fails[text] && !slices.Contains(asked, text):
			r.Added = append(r.Added, text)
		}
	}
	for _, text := range asked {
		if !slices.Contains(asks, text) {
			r.Dropped = append(r.Dropped, text)
		}
	}
	lost := map[string]bool{}
	for _, d := range was.Unmanaged {
		lost[r.Before.Spec.Devices[d].Name] = true
	}
	for _, d := range is.Unmanaged {
		if name := r.After.Spec.Devices[d].Name; !lost[name] {
			r.Unmanaged = append(r.Unmanaged, name)
		}
	}
}

// told are findings that say what a review says itself, in other words: of them nothing new is told.
var told = map[finding.Name]bool{finding.RequirementUnmet: true, finding.Unmanageable: true, finding.LedgerBehind: true}

// found compares what 'check' finds in both plans: by name, subject and words, since places move.
func (r *Review) found() {
	type id struct {
		name            finding.Name
		subject, reason string
	}
	count := func(all []finding.Finding) map[id]int {
		n := map[id]int{}
		for _, f := range all {
			n[id{f.Name, f.Subject, f.Reason}]++
		}
		return n
	}
	old, now := r.Before.Check(), r.After.Check()
	left := func(all []finding.Finding, taken map[id]int) (rest []finding.Finding) {
		for _, f := range all {
			k := id{f.Name, f.Subject, f.Reason}
			if taken[k] > 0 {
				taken[k]--
			} else if !told[f.Name] {
				rest = append(rest, f)
			}
		}
		return rest
	}
	r.Found, r.Mended = left(now, count(old)), left(old, count(now))
}

// numbers compares the ledgers of both plans, as they have to be.
func (r *Review) numbers() {
	lines := func(l *assign.Ledger) (held, retired map[string]bool, order []string) {
		held, retired = map[string]bool{}, map[string]bool{}
		if l == nil {
			return held, retired, nil
		}
		for _, e := range l.Entries {
			text := e.Owner + " " + e.Number()
			order = append(order, text)
			if e.Retired {
				retired[text] = true
			} else {
				held[text] = true
			}
		}
		return held, retired, order
	}
	was, _, old := lines(r.Before.Next)
	is, _, now := lines(r.After.Next)
	for _, text := range now {
		switch {
		case is[text] && was[text]:
			r.Numbers.Kept++
		case is[text]:
			r.Numbers.Given = append(r.Numbers.Given, text)
		}
	}
	for _, text := range old {
		if was[text] && !is[text] {
			r.Numbers.Retired = append(r.Numbers.Retired, text)
		}
	}
}
