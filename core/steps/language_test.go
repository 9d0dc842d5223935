package steps

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/observed"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

// What a step says to set can be tried as it stands there: all steps of a worksheet, tried one
// after the other on what was found, make what is planned.
func TestWhatStepsSetCanBeTried(t *testing.T) {
	tried, whole := 0, 0
	try := func(w *workspace.Workspace, devices []*observed.Device) {
		sheet := Plan(compare.Compare(w.Network, devices), nil)
		next := w.Observed(devices, "found")
		var all []string
		for _, s := range sheet.Steps {
			for i := range s.Sets {
				set, _ := s.Sets[i].What()
				set, _, _ = strings.Cut(set, ", and keep ")
				after, err := revise.With(next, w.Spec.Devices[s.Device].Name+": "+set)
				if err != nil && strings.Contains(err.Error(), "is not tried") {
					return // on the way there an address is wrong by itself
				}
				require.NoError(t, err, set)
				next = after
				all = append(all, w.Spec.Devices[s.Device].Name+": "+set)
				tried++
			}
		}
		whole++
		for _, d := range compare.Differences(w.Network, compare.AsObserved(next.Network)).Differences {
			switch d.What {
			case compare.OfRoute, compare.OfNextHop, compare.OfAddress, compare.OfVLAN, compare.OfAdmin, compare.OfMembers:
				assert.Fail(t, "not as planned", "%s %s %s: %s > %s\nset: %s", d.Device, d.What, d.Subject, d.Planned, d.Found, strings.Join(all, "\n"))
			}
		}
	}
	lights := workspace.Open(demo.Files(), demo.Plan, demo.Plan).Predict()
	slipped := compare.AsObserved(lights.Network)
	for _, d := range slipped {
		switch d.Name {
		case "quay-sw1":
			d.Interface("p7").Admin = observed.Down
			d.Interface("trunk0").Tagged = []int{110, 190}
			*d.Interface("p5").Untagged = 160
		case "mole-rtr", "quay-edge":
			d.Routes = d.Routes[:len(d.Routes)-6]
		}
	}
	try(lights, slipped)
	assert.Equal(t, 1, whole)
	random := rand.New(rand.NewPCG(18, 1))
	for range Count(t, 60) {
		w := workspace.FromText("a.plan.yaml", []byte("ropeswing: 1\noperator: h0\n"+coretest.RandomNetwork(random, "{}")))
		require.True(t, w.Usable(), "%v", w.Slips())
		one := w.Predict()
		devices := compare.AsObserved(one.Network)
		Slip(random, one.Spec, devices, 1+random.IntN(5))
		for _, d := range devices { // no device has one next hop twice
			seen := map[string]bool{}
			d.Routes = slices.DeleteFunc(d.Routes, func(x observed.Route) bool {
				key := fmt.Sprint(x.Table, x.To, x.NextHop, x.Interface)
				twice := seen[key]
				seen[key] = true
				return twice
			})
		}
		try(one, devices)
	}
	assert.Greater(t, whole, 20)
	t.Logf("%d things set; %d worksheets tried whole", tried, whole)
}
