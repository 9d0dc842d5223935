package steps_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/steps"
)

// asked are the steps of a worksheet as it says them.
func asked(w *steps.Worksheet) []steps.Asked {
	var all []steps.Asked
	for i := range w.Steps {
		a := steps.Asked{Device: w.After.Spec.Devices[w.Steps[i].Device].Name}
		for n := range w.Steps[i].Sets {
			set, _ := w.Steps[i].Sets[n].What()
			a.Sets = append(a.Sets, set)
		}
		all = append(all, a)
	}
	return all
}

// movingOffice is the office, found with another management subnet.
func movingOffice(t *testing.T) *compare.Result {
	t.Helper()
	goal := network(t, office)
	start := network(t, strings.Replace(office, "10.9.0.0/24", "10.19.0.0/24", 1))
	r := compare.Differences(goal, compare.AsObserved(start))
	require.Empty(t, r.AddFrom(goal.Spec, start.Spec))
	return r
}

// A worksheet that is proven as it was written is judged as it was; in another order, in that
// order, with what then fails; and with a part of it, what is left is told.
func TestAWorksheetIsProvenInItsOrder(t *testing.T) {
	r := movingOffice(t)
	w := steps.Plan(r, nil)
	require.Greater(t, len(w.Steps), 2)
	require.True(t, w.Safe(), told(w))
	again, err := steps.Check(r, nil, asked(w))
	require.NoError(t, err)
	assert.Equal(t, told(w), told(again))
	assert.Empty(t, again.Left)
	assert.True(t, again.Whole)

	all := asked(w)
	part, err := steps.Check(r, nil, all[:1])
	require.NoError(t, err)
	assert.Len(t, part.Steps, 1)
	assert.NotEmpty(t, part.Left, "the rest is left to set")

	for _, x := range []struct {
		asked []steps.Asked
		err   string
	}{
		{[]steps.Asked{{Device: "attic", Sets: []string{"x"}}}, "step 1: there is no device attic"},
		{[]steps.Asked{{Device: "rtr", Sets: []string{"lan.90 address 10.66.0.1"}}},
			"step 1: nothing is left to set on rtr that reads 'lan.90 address 10.66.0.1'"},
		{[]steps.Asked{all[0], all[0]}, "step 2: nothing is left to set on"},
		{[]steps.Asked{{Device: all[0].Device}}, "step 1 sets nothing on " + all[0].Device},
		{[]steps.Asked{{Device: "desk", Sets: all[0].Sets}}, "step 1: nothing is left to set on desk"},
	} {
		_, err := steps.Check(r, nil, x.asked)
		assert.ErrorContains(t, err, x.err)
	}
}

// Every order of the steps can be proven, and says what it does; the one that was found is safe, and not all are.
func TestEveryOrderIsProvenAsItStands(t *testing.T) {
	r := movingOffice(t)
	best := asked(steps.Plan(r, nil))
	require.LessOrEqual(t, len(best), 5)
	orders, proven, safe := 0, 0, 0
	var try func(done, left []steps.Asked)
	try = func(done, left []steps.Asked) {
		if len(left) == 0 {
			orders++
			w, err := steps.Check(r, nil, done)
			if err != nil { // a helper that stands before what it helps
				return
			}
			if proven++; w.Safe() {
				safe++
			}
			for i := range w.Steps {
				s := &w.Steps[i]
				assert.True(t, s.Judged)
				words := s.SessionWords()
				switch {
				case s.Session == steps.Ends:
					assert.Contains(t, words, "be at the console, or set a timer")
					assert.True(t, s.Hands())
				case s.Session == steps.AtConsole:
					assert.Contains(t, words, "be at its console")
					assert.True(t, s.Hands())
				case s.Session == steps.Moves:
					assert.Contains(t, words, "ends: log in again at "+s.Then.Address.String())
				case s.Session == steps.Stays:
					assert.Equal(t, "stays", words)
				}
				if s.Broken == 0 && len(s.Unmet) == 0 {
					assert.Equal(t, "nothing", s.FailsWords())
				} else {
					assert.NotEqual(t, "nothing", s.FailsWords())
				}
				for n := range s.Sets {
					set, _ := s.Sets[n].What()
					assert.NotEmpty(t, set)
					assert.NotEqual(t, set, s.Sets[n].TakeBack(), "taking back is something else")
				}
			}
			return
		}
		for i := range left {
			rest := append(append([]steps.Asked{}, left[:i]...), left[i+1:]...)
			try(append(append([]steps.Asked{}, done...), left[i]), rest)
		}
	}
	try(nil, best)
	assert.Greater(t, orders, 1)
	assert.Positive(t, safe)
	assert.Less(t, safe, proven)
}

// Where the operator is not where it says it is logged in is told, with where it could be.
func TestALoginThatLeadsNowhereIsTold(t *testing.T) {
	r := movingOffice(t)
	rtr := coretest.Device(t, r.Net.Spec, "rtr")
	_, _, is := steps.Plan(r, nil).NotThere()
	assert.False(t, is)
	w := steps.Plan(r, map[model.DeviceID]netip.Addr{rtr: netip.MustParseAddr("10.77.0.1")})
	d, at, is := w.NotThere()
	require.True(t, is)
	assert.Equal(t, rtr, d)
	require.NotEmpty(t, at)
	for _, l := range at {
		assert.Regexp(t, `^log in at 10\.(1|19)\.0\.1`, l.Words(r.Net.Spec))
	}
}
