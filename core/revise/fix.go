package revise

import (
	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// FixesOf gives the changes that findings say as their remedies, in words and, where the plan can be edited for them, as edits. There are
// none where a remedy is words only, or of a network that is not the plan's. What is said to mend pairs is typed into the plan, all of it
// together, and the plan is read and asked again: edits that do not do as the changes did are left out, and the words stay.
func FixesOf(x *workspace.Workspace, all []finding.Finding) func(finding.Finding) []Advice {
	if x == nil {
		return func(f finding.Finding) []Advice { return inWords(f) }
	}
	w, typed := reviser{x}, map[int][]plan.Edit{}
	var together []plan.Edit
	mends, of := 0, 0
	for i, f := range all {
		if f.Mends == 0 {
			continue
		}
		for _, a := range w.fixes(f) {
			if a.InPlan {
				typed[i] = append(typed[i], a.Edit)
			}
		}
		together, mends, of = append(together, typed[i]...), mends+f.Mends, f.Of
	}
	wrong := map[source.Place]bool{}
	if len(together) > 0 && !w.doAs(together, of-mends) {
		for i, edits := range typed {
			if !w.doAs(edits, of-1) {
				wrong[all[i].Place] = true
			}
		}
	}
	return func(f finding.Finding) []Advice {
		advice := w.fixes(f)
		for i := range advice {
			if f.Mends > 0 && wrong[f.Place] {
				advice[i].InPlan = false
			}
		}
		return advice
	}
}

// doAs tells whether with some edits the plan can be read, and no more than so many pairs fail.
func (w reviser) doAs(edits []plan.Edit, failing int) bool {
	if w.Found || w.Trying || w.size() > largestTyped {
		return true // of a network that is not the plan's there are none
	}
	n := w.Edited(w.LedgerText(), edits...)
	return n.Usable() && len(n.Slips()) <= len(w.Slips()) && verify.Failing(n.Predict().Network) <= failing
}

// fixes are the changes of one finding.
func (w reviser) fixes(f finding.Finding) []Advice {
	all, ok := f.Fix.([]verify.Applied)
	if !ok {
		return inWords(f)
	}
	var advice []Advice
	for _, s := range oneByOne(all) {
		advice = append(advice, w.advise(s))
	}
	return advice
}

// inWords is another word where a finding is of one that was mistyped.
func inWords(f finding.Finding) []Advice {
	word, is := f.Replacement()
	if !is {
		return nil
	}
	return []Advice{{Text: "write " + word, Device: f.Subject, Edit: plan.Edit{Place: f.Place, Text: word}, InPlan: true}}
}

// advise is a change in words and, where there is one, as an edit of the plan.
func (w reviser) advise(s verify.Applied) Advice {
	a := Advice{Text: s.Change.Describe(s.Before), Device: s.Before.Devices[s.Change.On(s.Before)].Name}
	if !w.Found {
		a.Edit, a.InPlan = w.edit(s)
	}
	return a
}
