package reach_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/model"
	"ropeswing/core/reach"
)

// losses makes every single failure of a cable in turn, in derived tables with real probes,
// and counts those in which a LAN or loopback loses another though a wire is left. Nothing may
// circle.
func losses(t *testing.T, name, text string) (failures, lost int) {
	t.Helper()
	_, net, _ := derive.Resolve(coretest.Spec(t, text))
	ends := append(reach.WithoutLinks(net.Spec, reach.Ends(net.Spec)), reach.Loopbacks(net.Spec)...)
	lans := make([]*reach.End, 0, len(ends))
	for _, e := range ends {
		if net.Spec.Devices[e.Device].Kind != model.World {
			lans = append(lans, e)
		}
	}
	require.Empty(t, net.Unsettled, name)
	err := reach.Sweep(t.Context(), net, reach.Asked{Ends: lans, Over: model.Echo}, reach.Together(reach.Cables(net.State), 1),
		func(l reach.Loss) {
			failures++
			if l.Lost > l.Cannot {
				lost++
			}
			assert.Zero(t, l.Loops, "%s without %v", name, l.Failures)
			assert.Empty(t, l.After.Unsettled, "%s without %v", name, l.Failures)
		})
	require.NoError(t, err)
	return failures, lost
}

// In every ring, ladder, grid, pair of hubs and ring of rings, whatever a single cable need not
// take it does not take.
func TestShapesAreWholeAfterAnyFailure(t *testing.T) {
	t.Parallel()
	var shapes []coretest.Shape
	for n := 3; n <= 12; n++ {
		shapes = append(shapes, coretest.Ring(n))
	}
	for n := 2; n <= 6; n++ {
		shapes = append(shapes, coretest.Grid(2, n), coretest.Grid(n, n))
	}
	shapes = append(shapes, coretest.Grid(3, 5), coretest.DualHub(5), coretest.DualHub(12), coretest.RingOfRings(3, 4),
		coretest.RingOfRings(4, 5), coretest.Hub(4))
	for _, s := range shapes {
		for i, carriers := range [][]int{nil, {0}, {0, s.Routers - 1}} {
			if !coretest.Long() && i > 0 {
				continue
			}
			failures, lost := losses(t, s.Name, s.Plan(1, carriers, "{}"))
			assert.Positive(t, failures)
			assert.Zero(t, lost, "%s, carriers %v", s.Name, carriers)
		}
	}
}

// On random networks without a bridge, of 4 to 40 routers with up to half as many chords, at
// least 92 of 100 failures of a cable take nothing that they need not. What else is lost is where there is no room for a
// watch by which what is sent to a dead device would end: then a path is given up, and told.
// ROPESWING_CASES says how many networks; 300 take minutes.
func TestRandomMeshesAreWholeAfterAlmostAnyFailure(t *testing.T) {
	t.Parallel()
	meshes := coretest.Cases(5, 25)
	failures, lost := 0, 0
	for seed := range meshes {
		r := rand.New(rand.NewPCG(uint64(seed), 29))
		s := coretest.Chords(r, 4+r.IntN(37), r.IntN(51))
		var carriers []int
		for range r.IntN(3) {
			carriers = append(carriers, r.IntN(s.Routers))
		}
		f, l := losses(t, fmt.Sprintf("seed %d: %s", seed, s.Name), s.Plan(1, carriers, "{}"))
		failures, lost = failures+f, lost+l
		if l > 0 {
			t.Logf("seed %d: %s, carriers %v: %d of %d", seed, s.Name, carriers, l, f)
		}
	}
	t.Logf("%d of %d failures take something they need not", lost, failures)
	assert.LessOrEqual(t, lost*100, failures*8)
}

// Each level of protection outlasts what it says, and costs no fewer lines than the one before.
func TestEachLevelOfProtection(t *testing.T) {
	t.Parallel()
	shapes := []coretest.Shape{coretest.Ring(6), coretest.Grid(3, 3), coretest.DualHub(4), coretest.Hub(3)}
	for seed := range 4 {
		shapes = append(shapes, coretest.Chords(rand.New(rand.NewPCG(uint64(seed), 41)), 10, 40))
	}
	for _, s := range shapes {
		before := 0
		for _, level := range model.Protections {
			_, net, derived := derive.Resolve(coretest.Spec(t, s.Plan(1, nil, "{protect: "+level+"}")))
			watches, standing := 0, 0
			for _, x := range derived.Statics {
				if x.Watch.IsValid() {
					watches++
				}
				if x.Distance > 1 && !x.Discard {
					standing++
				}
			}
			ends := append(reach.WithoutLinks(net.Spec, reach.Ends(net.Spec)), reach.Loopbacks(net.Spec)...)
			failures := reach.Cables(net.State)
			if level == "devices" {
				failures = append(failures, reach.Devices(net.Spec)...)
			}
			lost := 0
			require.NoError(t, reach.Sweep(t.Context(), net, reach.Asked{Ends: ends, Over: model.Echo}, reach.Together(failures, 1),
				func(l reach.Loss) {
					assert.Zero(t, l.Loops, "%s, %s without %v", s.Name, level, l.Failures)
					lost += l.Lost - l.Cannot
				}))
			what := fmt.Sprintf("%s, protect: %s", s.Name, level)
			switch level {
			case "none":
				assert.Zero(t, watches+standing, what)
			case "own":
				assert.Zero(t, watches, what)
			default:
				assert.Zero(t, lost, what)
			}
			m := reach.All(net, ends)
			asked, work := m.Count()
			assert.Equal(t, asked, work, what)
			t.Logf("%s: %d lines, %d watches, %d lost", what, len(derived.Statics), watches, lost)
			assert.GreaterOrEqual(t, len(derived.Statics), before, what)
			before = len(derived.Statics)
		}
	}
}
