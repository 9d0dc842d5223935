package revise

import (
	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// Fixes are the changes that a finding says as its remedy, in words and, where the plan can be edited for them, as edits.
// There are none where the remedy is words only, or of a network that is not the plan's.
func Fixes(x *workspace.Workspace, f finding.Finding) []Advice {
	all, ok := f.Fix.([]verify.Applied)
	if word, is := f.Replacement(); is && !ok {
		return []Advice{{Text: "write " + word, Device: f.Subject, Edit: plan.Edit{Place: f.Place, Text: word}, InPlan: true}}
	}
	if !ok || x == nil {
		return nil
	}
	w := reviser{x}
	var advice []Advice
	for _, s := range oneByOne(all) {
		advice = append(advice, w.advise(s))
	}
	return advice
}

// advise is a change in words and, where there is one, as an edit of the plan.
func (w reviser) advise(s verify.Applied) Advice {
	a := Advice{Text: s.Change.Describe(s.Before), Device: s.Before.Devices[s.Change.On(s.Before)].Name}
	if !w.Found {
		a.Edit, a.InPlan = w.edit(s)
	}
	return a
}
