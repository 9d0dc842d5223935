package workspace

import (
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
)

// accept parts findings into those that stand and those that the plan accepts on a day,
// YYYY-MM-DD; with no day nothing has ended. One that was accepted until an earlier day
// stands, and says so; what is accepted and not found is a finding itself.
func accept(all []finding.Finding, accepts []plan.Accept, day string) (stand, accepted []finding.Finding) {
	used := make([]bool, len(accepts))
	for _, f := range all {
		taken := false
		for i := range accepts {
			a := &accepts[i]
			if f.Stops() || string(f.Name) != a.Finding.Value || a.Of.Written() && f.Subject != a.Of.Value &&
				!strings.HasPrefix(f.Subject, a.Of.Value+":") {
				continue
			}
			used[i] = true
			if a.Until.Written() && day > a.Until.Value {
				f.Reason += "; it was accepted until " + a.Until.Value
				continue
			}
			taken = true
		}
		if taken {
			accepted = append(accepted, f)
		} else {
			stand = append(stand, f)
		}
	}
	for i := range accepts {
		if a := &accepts[i]; !used[i] {
			of := ""
			if a.Of.Written() {
				of = " of " + a.Of.Value
			}
			stand = append(stand, finding.New(finding.AcceptUnused, a.Place, "%s%s is accepted, and is not found", a.Finding.Value,
				of).About(a.Finding.Value))
		}
	}
	return stand, accepted
}
