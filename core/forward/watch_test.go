package forward_test

import (
	"maps"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// Three routers in a ring, with a LAN behind c. a prefers to go by b, and
// watches c's far end of the link b–c.
const watching = `
segments: {ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, ca: {prefix: 10.0.0.4/31}, lc: {prefix: 10.3.0.0/24}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}, c: {segment: ca, address: last}}, routes: {lc: [{next-hop: b, watch: 10.0.0.3}, c], bc: b}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}, c: {segment: bc, address: first}}, routes: {lc: c, ca: c}}
  c: {is: router, interfaces: {b: {segment: bc, address: last}, a: {segment: ca, address: first}, l: {segment: lc, address: 1}}, routes: {ab: b}}
cables: [x-ab: a:b to b:a, x-bc: b:c to c:b, x-ca: c:a to a:c]
`

// out is the interface a device sends packets to an address by, "" for none.
func out(t *testing.T, net *forward.Network, device, to string) string {
	t.Helper()
	m, ok := net.Table(coretest.Device(t, net.Spec, device)).Lookup(netip.MustParseAddr(to))
	if !ok || len(m.Hops) == 0 {
		return ""
	}
	return net.Spec.Interfaces[m.Hops[0].Out].Name
}

// The answer comes back to where the probe was sent from: asked from its loopback, to which c
// has a route by the third link only, a hears nothing once that is cut, though the path by b is
// whole.
func TestAWatchAsksFromWhereItIsTold(t *testing.T) {
	text := strings.NewReplacer("watch: 10.0.0.3", "watch: 10.0.0.3, watch-from: loopback", "a: {is: router,",
		"a: {is: router, loopback: 10.9.0.1,",
		"routes: {ab: b}", "routes: {ab: b, 10.9.0.1/32: a}").Replace(watching)
	net := coretest.Network(t, text)
	assert.Equal(t, "b", out(t, net, "a", "10.3.0.9"))
	f, err := net.State.FailureNamed("x-ca")
	require.NoError(t, err)
	after := net.Update(net.State.With(f))
	assert.Empty(t, out(t, after, "a", "10.3.0.9"))
	a := coretest.Device(t, net.Spec, "a")
	for _, e := range after.Table(a).Covering(netip.MustParseAddr("10.3.0.9")) {
		assert.Contains(t, after.Why(after.Table(a), e), "what it watches, 10.0.0.3, does not answer 10.9.0.1")
		break
	}
	for words, reason := range map[string]string{
		"watch: 10.0.0.3, watch-from: lopback":  "interface of a called lopback",
		"watch: 10.0.0.3, watch-from: 10.9.0.2": "10.9.0.2 is no address of a that could ask 10.0.0.3",
		"watch-from: loopback":                  "a route that watches nothing asks from nowhere",
	} {
		_, _, found := coretest.Resolve(strings.Replace(text, "watch: 10.0.0.3, watch-from: loopback", words, 1))
		require.NotEmpty(t, found, words)
		assert.Contains(t, found[0].Reason, reason)
	}
}

// §7, watched: usable only while what is watched answers a probe that leaves by
// this next hop.
func TestAWatchedRouteGivesWayWhenItsTargetIsSilent(t *testing.T) {
	net := coretest.Network(t, watching)
	assert.Equal(t, "b", out(t, net, "a", "10.3.0.9"))
	for without, want := range map[string]string{
		"x-bc": "c", // b lost its link to c; a cannot see that, but its probe gets no answer
		"x-ab": "c", // a's own link is down
		"x-ca": "b", // the reply to the probe comes back by b
		"b":    "c",
	} {
		f, err := net.State.FailureNamed(without)
		require.NoError(t, err)
		after := net.Update(net.State.With(f))
		assert.Equal(t, want, out(t, after, "a", "10.3.0.9"), "without %s", without)
		back := after.Update(net.State)
		assert.Equal(t, "b", out(t, back, "a", "10.3.0.9"), "and when %s is back", without)
		fresh := forward.Resolve(net.State.Topology.State(f))
		assert.Equal(t, want, out(t, fresh, "a", "10.3.0.9"), "worked out afresh without %s", without)
	}
	f, _ := net.State.FailureNamed("x-bc")
	after := net.Update(net.State.With(f))
	v := after.Table(coretest.Device(t, after.Spec, "a"))
	e := v.Covering(netip.MustParseAddr("10.3.0.9"))[0]
	assert.Equal(t, routing.WatchSilent, e.Usable)
	assert.Equal(t, "what it watches, 10.0.0.3, does not answer out of b: b:c is down: the cable x-bc is down", after.Why(v, e))
}

// A watch whose target is reached by the very route it watches for answers while
// the route is out of use, by the other path, and not when it is in use:
// it never settles, is out of use, and is told.
func TestWatchesThatChaseThemselvesAreToldAndOutOfUse(t *testing.T) {
	net := coretest.Network(t, `
segments: {ab: {prefix: 10.0.0.0/31}, at: {prefix: 10.0.0.2/31}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}, t: {segment: at, address: first}}, routes: {10.9.9.9/32: [{next-hop: b, watch: 10.9.9.9}, t]}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}}, routes: {default: a}}
  t: {is: router, loopback: 10.9.9.9, interfaces: {a: {segment: at, address: last}}, routes: {default: a}}
`)
	require.Len(t, net.Unsettled, 1)
	assert.Equal(t, "10.9.9.9", net.Unsettled[0].Watch.String())
	assert.Equal(t, "t", out(t, net, "a", "10.9.9.9"))
}

// Routes from elsewhere stand in the table with their distance: learned ones
// lose to static ones unless those are put behind them.
func TestLearnedRoutesCompeteByDistance(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {ab: {prefix: 10.0.0.0/31}, ac: {prefix: 10.0.0.2/31}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}, c: {segment: ac, address: first}}, routes: {10.3.0.0/24: 10.0.0.1, 10.4.0.0/24: {next-hop: 10.0.0.1, distance: 200}}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}}}
  c: {is: router, interfaces: {a: {segment: ac, address: last}}}
`)
	for _, to := range []string{"10.3.0.0/24", "10.4.0.0/24"} {
		spec.Statics = append(spec.Statics,
			model.Static{Device: 0, To: netip.MustParsePrefix(to), Via: netip.MustParseAddr("10.0.0.3"), Out: model.None, Distance: 110,
				Metric: 20, Origin: model.Learned})
	}
	net := forward.Resolve(network.Build(spec).State())
	assert.Equal(t, "b", out(t, net, "a", "10.3.0.1"))
	assert.Equal(t, "c", out(t, net, "a", "10.4.0.1"))
	e := net.Table(0).Covering(netip.MustParseAddr("10.4.0.1"))[0]
	assert.Equal(t, "learned", e.Source.String())
}

// What a failure leaves of watches is worked out from what was found before. Worked out
// afresh it is the same, one failure after the other, and when all is well again: on
// random networks, some watches put where they do not belong.
func TestWatchesAfterAFailureAreThoseFoundAfresh(t *testing.T) {
	silent, unsettled := 0, 0
	for seed := range coretest.Cases(50, 150) {
		r := rand.New(rand.NewPCG(uint64(seed), 31))
		spec, _, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		spec.Statics = slices.Clone(spec.Statics)
		for i := range spec.Statics {
			s := &spec.Statics[i]
			if target := &spec.Interfaces[r.IntN(len(spec.Interfaces))]; s.Via.IsValid() && r.IntN(2) == 0 && len(target.Addresses) > 0 {
				if a := target.Addresses[r.IntN(len(target.Addresses))].Addr(); a.Is4() == s.Via.Is4() {
					s.Watch = a
				}
			}
		}
		if seed%3 == 0 {
			spec = coretest.WithRandomPolicies(spec, r)
		}
		whole := network.Build(spec).State()
		net := forward.Resolve(whole)
		same := func(want, got *forward.Network) {
			assert.Equal(t, want.Silent(), got.Silent(), "seed %d", seed)
			require.ElementsMatch(t, want.Unsettled, got.Unsettled, "seed %d", seed)
			silent, unsettled = silent+len(got.Silent()), unsettled+len(got.Unsettled)
		}
		for c := range spec.Cables {
			first, second := network.NoFailure, network.NoFailure
			first.Cable, second.Cable = model.CableID(c), model.CableID(r.IntN(len(spec.Cables)))
			after := net.Update(whole.With(first))
			same(forward.Resolve(whole.Topology.State(first)), after)
			further := after.Update(whole.With(first, second))
			same(forward.Resolve(whole.Topology.State(first, second)), further)
			same(net, further.Update(whole))
		}
	}
	assert.Greater(t, silent, coretest.Cases(300, 1000))
	assert.Greater(t, unsettled, coretest.Cases(0, 3))
}

// The watches of derived routes settle from whatever state, asked in whatever order, and always
// to the same: whether they hear depends on the wires alone.
func TestDerivedWatchesSettleFromAnyState(t *testing.T) {
	watches := 0
	for seed := range 8 {
		r := rand.New(rand.NewPCG(uint64(seed), 53))
		shape := coretest.Chords(r, 4+r.IntN(9), r.IntN(51))
		level := []string{"links", "devices"}[seed%2]
		spec, net, _ := derive.Resolve(coretest.Spec(t, shape.Plan(1, []int{0, 1}[:seed%3], "{protect: "+level+"}")))
		for c := range spec.Cables {
			f := network.NoFailure
			f.Cable = model.CableID(c)
			want := net.Update(net.State.With(f))
			assert.Empty(t, want.Unsettled, "seed %d", seed)
			for range 3 {
				got, settled := want.SettledFrom(r)
				require.True(t, settled, "seed %d without %s", seed, spec.Cables[c].Name)
				require.True(t, maps.Equal(want.Silent(), got.Silent()), "seed %d without %s: %v and %v", seed, spec.Cables[c].Name, want.Silent(),
					got.Silent())
			}
			watches += len(want.Silent())
		}
	}
	assert.Greater(t, watches, 300)
}
