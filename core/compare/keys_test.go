package compare

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/plan"
)

// planOf is a network of a plan's text, whatever its checks say.
func planOf(t *testing.T, text string) *forward.Network {
	t.Helper()
	_, spec, found := coretest.Resolve(text)
	require.NotNil(t, spec, found)
	return forward.Resolve(network.Build(spec).State())
}

// Between two plans every key is compared that the table of keys has, or it is said why
// it need not be. Each is changed in turn.
func TestEveryKeyOfAPlanIsCompared(t *testing.T) {
	one := planOf(t, coretest.EveryKey)
	between := func(text string) *Result {
		other := planOf(t, text)
		r := differences(one, AsObserved(other), false).Result
		r.Sentences(one.Spec, other.Spec)
		r.Facts(one.Spec, other.Spec)
		return r
	}
	require.Empty(t, told(between(coretest.EveryKey)), "a plan is like itself")
	without := between(regexp.MustCompile(`(?m)^wants: .*$`).ReplaceAllString(coretest.EveryKey, ""))
	assert.Contains(t, told(without), "wants  different: true > false", "wants that are in one plan only")
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			how, known := HowCompared[g.Of][k.Name]
			require.True(t, known, "nothing says how %s of a %s is compared", k.Name, g.Of)
			if how.Because != "" {
				continue
			}
			c, ok := coretest.Changes[g.Of][k.Name]
			require.True(t, ok, "%s of a %s is not changed", k.Name, g.Of)
			require.Contains(t, coretest.EveryKey, c[0], "%s of a %s", k.Name, g.Of)
			r := between(strings.Replace(coretest.EveryKey, c[0], c[1], 1))
			seen := slices.ContainsFunc(r.Differences, func(d Difference) bool { return slices.Contains(how.Whats, d.What) })
			assert.True(t, seen, "%s of a %s: not told as %v:\n%s", k.Name, g.Of, how.Whats, told(r))
		}
	}
}

// What a list of a device tells of a key is compared with a state, too.
func TestEveryKeyThatAStateTellsIsCompared(t *testing.T) {
	one := planOf(t, coretest.EveryKey)
	require.Empty(t, told(Compare(one, AsObserved(one))))
	for of, keys := range HowCompared {
		for name, how := range keys {
			if len(how.State) == 0 {
				continue
			}
			c := coretest.Changes[of][name]
			devices := AsObserved(planOf(t, strings.Replace(coretest.EveryKey, c[0], c[1], 1)))
			r := differences(one, devices, false).Result
			seen := slices.ContainsFunc(r.Differences, func(d Difference) bool {
				return slices.Contains(how.State, d.What) || slices.Contains(how.State, OfNextHop) && d.What == OfRoute
			})
			assert.True(t, seen, "%s of a %s: not told as %v:\n%s", name, of, how.State, told(r))
			found := Overlay(one, devices)
			assert.NotPanics(t, func() { AsObserved(found) })
		}
	}
}

// Each part of a state can be found otherwise than planned.
func TestEveryPartOfAStateIsCompared(t *testing.T) {
	one := planOf(t, coretest.EveryKey)
	for _, part := range observed.Parts {
		if part == observed.Neighbours || part == observed.MACs || part == observed.Links {
			continue // a plan says nothing of them
		}
		devices := AsObserved(one)
		for _, d := range devices {
			if _, router := one.Spec.DeviceNamed(d.Name); !router {
				continue
			}
			for n := range d.Interfaces {
				x := &d.Interfaces[n]
				switch part {
				case observed.Interfaces:
					x.Oper = map[observed.Status]observed.Status{observed.Up: observed.Down, observed.Down: observed.Up}[x.Oper]
				case observed.Addresses4, observed.Addresses6:
					x.Addresses = slices.DeleteFunc(x.Addresses,
						func(a observed.Address) bool { return a.Addr().Is4() == (part == observed.Addresses4) })
				case observed.VLANs:
					x.Tagged = append(x.Tagged, 77)
				}
			}
			if part == observed.Standby {
				d.Routes = slices.DeleteFunc(d.Routes, func(x observed.Route) bool { return !*x.Active })
			}
			if part == observed.Routes4 || part == observed.Routes6 {
				d.Routes = nil
			}
		}
		if part == observed.Routes6 && !slices.ContainsFunc(one.Spec.Statics, func(s model.Static) bool { return s.To.Addr().Is6() }) {
			continue
		}
		assert.NotEmpty(t, Compare(one, devices).Differences, part)
	}
}

// What no list of a device tells is told as such, key by key.
func TestWhatNoListTellsIsTold(t *testing.T) {
	for _, of := range []string{"device", "interface", "route", "permit"} {
		for name, how := range HowCompared[of] {
			if len(how.State) > 0 || how.Because != "" || name == "from" {
				continue // a block is compared by the numbers from it
			}
			assert.True(t, slices.ContainsFunc(how.Whats,
				func(w What) bool { return slices.Contains(noList, w) || model.InterfaceKeyNamed(string(w)) != nil }), "%s of a %s", name, of)
		}
	}
	one := planOf(t, coretest.EveryKey)
	r := Compare(one, AsObserved(one))
	assert.Equal(t, []What{OfPermit, OfTranslation, OfWatch, OfPrefer, OfAnswers, OfNames, OfTimes, OfLogs, OfCable, "tag", "line", "clock", "negotiates", "borrow",
		"table", "relay", "advertises", "virtual", "priority", "follows"}, r.Untold)
	assert.Equal(t, []What{OfCable}, Compare(one, AsObserved(one)[:1]).Untold, "of a host that was seen alone")
}

// A difference tells which requirements it breaks, and whom the operator does not come
// to any more.
func TestWhatADifferenceBreaks(t *testing.T) {
	one := planOf(t, strings.Replace(quay, "segments:", "operator: pc\nmust: [pc reaches far]\nsegments:", 1))
	devices := AsObserved(one)
	of(devices, "r2").Routes = nil
	r := Compare(one, devices)
	require.Len(t, r.Differences, 1)
	assert.Equal(t, []string{"pc reaches far"}, r.Differences[0].Unmet)
	assert.Equal(t, []string{"r2"}, r.Differences[0].Unmanaged)
}

// Each device has its row: what is in place, what is to do, all of a device not seen.
func TestProgress(t *testing.T) {
	one := planOf(t, strings.Replace(quay, "segments:", "operator: far\nsegments:", 1))
	devices := AsObserved(one)
	of(devices, "r1").Interface("up").MTU = 1400
	of(devices, "pc").Doubt(observed.Routes4)
	seen := slices.DeleteFunc(slices.Clone(devices), func(d *observed.Device) bool { return d.Name == "sw" || d.Name == "r2" })
	saved := AsObserved(one)
	of(saved, "r1").Routes = nil
	all, done := ProgressOf(one, seen, saved[1:2])
	rows := map[string]Progress{}
	for _, p := range all {
		rows[p.Device] = p
	}
	assert.Equal(t, Progress{Device: "r1", Seen: true, InPlace: rows["r1"].InPlace, ToDo: 1, Unsaved: 3, Away: 2}, rows["r1"],
		"its routes to two destinations, and the MTU that it runs")
	assert.Greater(t, rows["r1"].InPlace, 10)
	assert.False(t, rows["r2"].Seen)
	assert.Equal(t, 5, rows["r2"].ToDo, "two interfaces, two addresses, a route")
	assert.Equal(t, []string{"IPv4 routes"}, rows["pc"].Unknown)
	assert.Equal(t, -1, rows["pc"].Unsaved)
	assert.Contains(t, done, Done{OfAddress, "far", "e", "10.2.0.10/24"})
	next, found := Next(all)
	assert.True(t, found)
	assert.Equal(t, "r2", next.Device, "nearest to the operator")
}
