package push

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/core/steps"
	"ropeswing/core/workspace"
	"ropeswing/internal/access"
)

// Where a management subnet moves, whoever did not answer may be at its old address still: what that hangs on is not taken
// away without a word. What is only added, and what others hang on, is sent.
func TestWhoDidNotAnswerIsNotCutOff(t *testing.T) {
	const before = `ropeswing: 1
operator: op
segments: {ops: {prefix: 10.1.0.0/24}, mgmt: {prefix: 10.77.7.0/24}, far: {prefix: 10.3.0.0/24}}
devices:
  r: {is: router, interfaces: {a: {segment: ops, address: 1}, b: {segment: mgmt, address: 1}, c: {segment: far, address: 1}}}
  sw: {is: router, interfaces: {m: {segment: mgmt, address: 5}}, routes: {default: r}}
  x: {is: router, interfaces: {m: {segment: far, address: 5}}, routes: {default: r}}
  op: {is: host, interfaces: {e: {segment: ops, address: 10}}, gateway: 10.1.0.1}
`
	after := strings.NewReplacer("10.77.7.0/24", "10.78.8.0/24").Replace(before)
	from, to := workspace.FromText("a.plan.yaml", []byte(before)), workspace.FromText("b.plan.yaml", []byte(after))
	require.True(t, from.Usable() && to.Usable(), "%v %v", from.Slips(), to.Slips())
	w := to.Predict()
	r, _ := w.StepsFrom(from.Predict())
	sheet := steps.Plan(r, nil)
	lost := func(silent string, leave ...string) string {
		p := &Pusher{Options: Options{Leave: leave}, w: w, Report: Report{Silent: []string{silent}}}
		var all []string
		for n := range sheet.Steps {
			set, _ := sheet.Steps[n].Sets[0].What()
			if names := p.mayLose(sheet, n); len(names) > 0 {
				all = append(all, w.Spec.Devices[sheet.Steps[n].Device].Name+": "+set)
			}
		}
		return strings.Join(all, "\n")
	}
	assert.Equal(t, "r: remove b address: 10.77.7.1/24, and keep 10.78.8.1/24", lost("sw"))
	assert.Empty(t, lost("sw", "sw"), "it is to be left")
	assert.Empty(t, lost("x"), "its path goes by another port")
	assert.Empty(t, lost("nobody"))

	// One that answers, though by what is planned of permits it would not, may be cut off as well.
	drops := workspace.FromText("c.plan.yaml", []byte(strings.Replace(before, "r: {is: router,", "r: {is: router, otherwise: drop,", 1)))
	require.True(t, drops.Usable(), "%v", drops.Slips())
	ways := map[string][]access.Way{"r": {{By: access.NETCONF}}, "sw": {{By: access.NETCONF}}, "x": {{By: access.NETCONF, At: "192.0.2.1:830"}}}
	p := &Pusher{w: w, Shell: Shell{Ways: func(name string) []access.Way { return ways[name] }}}
	heard := []*observed.Device{{Name: "r"}, {Name: "sw"}, {Name: "x"}, {Name: "op"}, {Name: "nobody"}}
	assert.Equal(t, []string{"sw"}, p.notForeseen(drops.Predict().Network, heard), "r is reached, and x beside the network")
	p.unforeseen = []string{"sw"}
	stopped := ""
	for n := range sheet.Steps {
		if names := p.mayLose(sheet, n); len(names) > 0 {
			stopped = p.loseWords(names)
		}
	}
	assert.Contains(t, stopped, "sw answers, though by what is known it would not")
}

// Gear without a timer is not told what may cut somebody off.
func TestWhatMayCutSomebodyOff(t *testing.T) {
	for _, x := range []struct {
		s   steps.Step
		may bool
	}{{steps.Step{Session: steps.Stays}, false}, {steps.Step{Session: steps.Ends}, true}, {steps.Step{Session: steps.Moves}, true},
		{steps.Step{Session: steps.Stays, Broken: 1}, true}, {steps.Step{Session: steps.Stays, Unmet: []string{"a reaches b"}}, true}} {
		assert.Equal(t, x.may, mayCut(&x.s), "%+v", x.s)
	}
}
