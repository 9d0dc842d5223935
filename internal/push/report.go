package push

import (
	"fmt"

	"ropeswing/core/steps"
	"ropeswing/core/workspace"
)

// Report is where everything stands.
type Report struct {
	Steps     []Step
	Silent    []string // devices that were asked before, and did not answer
	Otherwise []string // what differs and no step sets
	Stopped   string   // why it went no further, "" where it did not stop
	Back      bool     // it takes back
}

// Step is one step as it is told.
type Step struct {
	Number  int
	Device  string
	Set     string
	Told    bool   // it can be told
	Why     string // it cannot
	Outcome string // done, taken back or not done; "" where it was not come to
}

// begin takes the steps of a worksheet.
func (r *Report) begin(w *workspace.Workspace, sheet *steps.Worksheet) {
	for n := range sheet.Steps {
		s := &sheet.Steps[n]
		x := Step{Number: n + 1, Device: w.Spec.Devices[s.Device].Name}
		for i := range s.Sets {
			set, _ := s.Sets[i].What()
			if i > 0 {
				x.Set += "; "
			}
			x.Set += set
		}
		r.Steps = append(r.Steps, x)
	}
	for _, d := range sheet.Otherwise {
		r.Otherwise = append(r.Otherwise,
			fmt.Sprintf("%s: %s %s is %s, planned %s", d.Device, d.What, d.Subject, orNothing(d.Found), orNothing(d.Planned)))
	}
}

// stop tells that it went no further than a step, and why.
func (r *Report) stop(n int, why string) {
	r.Steps[n].Outcome = "not done"
	r.Stopped = fmt.Sprintf("step %d, %s: %s", r.Steps[n].Number, r.Steps[n].Device, why)
}

// Whole tells whether every step was carried out.
func (r *Report) Whole() bool {
	for _, s := range r.Steps {
		if s.Outcome != "done" && s.Outcome != "taken back" {
			return false
		}
	}
	return r.Stopped == ""
}
