package derive_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/model"
)

// What each level of protection costs is what deriving by that level makes; watches leave no more open than none, and
// the plan's own is marked.
func TestPricesAreWhatEachLevelMakes(t *testing.T) {
	t.Parallel()
	for seed := range 8 {
		text := coretest.RandomNetwork(rand.New(rand.NewPCG(uint64(seed), 29)), "{protect: own}")
		spec := coretest.Spec(t, text)
		prices := derive.Prices(spec)
		assert.Len(t, prices, len(model.Protections))
		for i, p := range prices {
			assert.Equal(t, model.Protection(i), p.Protect)
			assert.Equal(t, p.Protect == model.ProtectOwn, p.Wanted)
			other := *spec
			wants := *spec.Wants
			wants.Protect = p.Protect
			other.Wants = &wants
			_, _, r := derive.Resolve(&other)
			assert.Equal(t, len(r.Statics), p.Lines, "network %d", seed)
			assert.Equal(t, len(r.Open), p.Open, "network %d", seed)
			watched := slices.ContainsFunc(r.Statics, func(s model.Static) bool { return s.Watch.IsValid() })
			assert.Equal(t, watched, p.Watches > 0, "network %d", seed)
			if p.Protect < model.ProtectLinks {
				assert.Zero(t, p.Watches, "nothing is watched below links")
			}
			if p.Protect == model.ProtectLinks {
				assert.LessOrEqual(t, p.Open, min(prices[i-1].Open, prices[i-2].Open), "network %d, %s", seed, model.Protections[i])
			}
		}
	}
	assert.Nil(t, derive.Prices(coretest.Spec(t, "segments: {a: {prefix: 10.0.0.0/24}}")), "nothing is derived")
}

// The destinations that cost most come first, and the most lines of one device are counted.
func TestCostliestAndMostLines(t *testing.T) {
	t.Parallel()
	_, _, r := derive.Resolve(coretest.Spec(t, coretest.Ring(6).Plan(2, nil, "{}")))
	lines, devices := map[string]int{}, map[model.DeviceID]int{}
	for _, s := range r.Statics {
		devices[s.Device]++
		if !s.Discard && s.To.Bits() > 0 {
			lines[s.To.String()]++
		}
	}
	all := r.Costliest(1000)
	assert.Len(t, all, len(lines))
	for i, c := range all {
		assert.Equal(t, lines[c.To.String()], c.Lines)
		assert.Positive(t, c.To.Bits())
		if i > 0 {
			assert.GreaterOrEqual(t, all[i-1].Lines, c.Lines)
		}
	}
	assert.Equal(t, all[:3], r.Costliest(3))
	assert.Empty(t, derive.Result{}.Costliest(3))
	most := 0
	for _, n := range devices {
		most = max(most, n)
	}
	assert.Equal(t, most, r.MostLines())
	assert.Zero(t, derive.Result{}.MostLines())
}
