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
	"ropeswing/core/model"
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
				assert.Fail(t, "not as planned", "%s %s %s: %s > %s\nset: %s", d.Device, d.What, d.Subject, d.Planned, d.Found,
					strings.Join(all, "\n"))
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
	for range coretest.Cases(30, 60) {
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

// Permits are set one by one: each step's words, tried one after the other on what was there, make
// the very lists that the step was judged by, and at the end those that are planned.
func TestPermitsAreSetOneByOne(t *testing.T) {
	const wall = "ropeswing: 1\noperator: ops\nsegments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}\ndevices:\n" +
		"  ops: {is: host, interfaces: {e: {segment: a, address: 10}}, gateway: w}\n" +
		"  w:\n    is: firewall\n    interfaces: {a: {segment: a, address: 1}, b: {segment: b, address: 1}}\n    own-permits: [a may reach " +
		"itself]\n    permits: [%s]\n"
	sentences := []string{"a may reach b over tcp/22", "a may not reach b over tcp/80", "a may reach b", "b may reach a over udp/53",
		"b may not reach a", "anyone may reach b over icmp"}
	random := rand.New(rand.NewPCG(18, 3))
	list := func() string {
		n := 1 + random.IntN(len(sentences))
		var some []string
		for _, i := range random.Perm(len(sentences))[:n] {
			some = append(some, sentences[i])
		}
		return strings.Join(some, ", ")
	}
	texts := func(spec *model.Spec) []string {
		d, _ := spec.DeviceNamed("w")
		var all []string
		for _, p := range spec.Devices[d].Permits {
			all = append(all, p.Text)
		}
		return all
	}
	set, whole := 0, 0
	for range coretest.Cases(100, 200) {
		from := workspace.FromText("from.plan.yaml", fmt.Appendf(nil, wall, list())).Predict()
		to := workspace.FromText("to.plan.yaml", fmt.Appendf(nil, wall, list())).Predict()
		r := compare.Differences(to.Network, compare.AsObserved(from.Network))
		require.Empty(t, r.AddFrom(to.Spec, from.Spec))
		sheet := Plan(r, nil)
		next := from
		for n, s := range sheet.Steps {
			for i := range s.Sets {
				words, _ := s.Sets[i].What()
				if strings.HasPrefix(words, "permits: ") { // as a whole, where the order changes
					next, whole = to, whole+1
					continue
				}
				after, err := revise.With(next, "w: "+words)
				require.NoError(t, err, words)
				next = after
				set++
			}
			require.Equal(t, texts(sheet.Network(n+1).Spec), texts(next.Spec), "from %v to %v: %v", texts(from.Spec), texts(to.Spec), s.Sets)
		}
		require.Equal(t, texts(to.Spec), texts(next.Spec))
	}
	t.Logf("%d permits set or removed, %d lists set as a whole", set, whole)
	assert.Greater(t, set, 100)
}
