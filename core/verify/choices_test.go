package verify_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
)

// Two routers with two links between them, b with a LAN behind it; what stands
// for ROUTES are a's.
const twoLinks = `
segments: {one: {prefix: 10.0.0.0/31}, two: {prefix: 10.0.0.2/31}, wide: {prefix: 10.0.1.0/29}, lan: {prefix: 10.2.0.0/24}}
devices:
  a: {is: router, interfaces: {e1: {segment: one, address: first}, e2: {segment: two, address: first}, w: {segment: wide, address: 1}}, routes: {ROUTES}}
  b: {is: router, interfaces: {e1: {segment: one, address: last}, e2: {segment: two, address: last}, w: {segment: wide, address: 2}, l: {segment: lan, address: 1}}, routes: {10.9.0.0/16: {discard: true}}}
cables: [x-one: a:e1 to b:e1, x-two: a:e2 to b:e2]
`

// What is preferred to what: found where it is a slip, and not where it is meant.
func TestPreferencesThatAreSlips(t *testing.T) {
	for routes, want := range map[string]string{
		"lan: [10.0.0.1, 10.0.0.3]": "",
		"lan: [{next-hop: 10.0.0.1, distance: 5}, {next-hop: 10.0.0.3, distance: 5}]":     "",
		"lan: [{next-hop: 10.0.0.1, distance: 9}, {next-hop: 10.0.0.3, distance: 5}]":     "floating-route-preferred a: a has this way to 10.2.0.0/24 behind another, and prefers it: its distance 5 is lower than 9 | write it first, or give it a distance above 9",
		"default: [10.0.0.1, 10.0.0.3]":                                                   "",
		"default: [{next-hop: 10.0.0.1, distance: 1}, {next-hop: 10.0.0.3, distance: 1}]": "defaults-compete a: a has two default routes of the same distance, by 10.0.0.1 and by 10.0.0.3",
		"lan: {out: e1}":                    "",
		"lan: {next-hop: 10.0.1.2, out: w}": "",
		"lan: {out: w}": "out-onto-shared-segment a: a sends 10.2.0.0/24 out of w without a next hop, and that is a " +
			"shared segment: it asks there for each address itself, and nobody answers for them | add 'next-hop: 10.0.1.2', which is b",
		"lan: [{next-hop: 10.0.0.1, watch: 10.0.0.1}, 10.0.0.3]": "",
		"10.9.1.0/24: 10.0.0.1":                                  "",
	} {
		got := checked(t, strings.Replace(twoLinks, "ROUTES", routes, 1))
		if want == "" {
			assert.Empty(t, got, routes)
			continue
		}
		require.Len(t, got, 1, routes)
		assert.Contains(t, got[0], want, routes)
	}
}

// A hidden cable makes a floating route wait for ever, unless the first one
// watches the far end.
func TestAWatchedFirstChoiceGivesWayOnAHiddenCable(t *testing.T) {
	hidden := strings.Replace(twoLinks, "x-one: a:e1 to b:e1", `x-one: {between: "a:e1 to b:e1", fault: hidden}`, 1)
	got := checked(t, strings.Replace(hidden, "ROUTES", "lan: [10.0.0.1, 10.0.0.3]", 1))
	require.Len(t, got, 1)
	assert.Contains(t, got[0], "never-floats a: the second choice of a for 10.2.0.0/24 never takes over when the far end of x-one fails")
	assert.Empty(t, checked(t, strings.Replace(hidden, "ROUTES", "lan: [{next-hop: 10.0.0.1, watch: 10.0.0.1}, 10.0.0.3]", 1)))
}

// A black hole is told at the route that leads into it, with what mends it.
func TestABlackHoleIsToldWithItsRemedy(t *testing.T) {
	got := checked(t, `
segments: {ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, lc: {prefix: 10.3.0.0/24}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}}, routes: {lc: b, bc: b}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}, c: {segment: bc, address: first}}, routes: {10.7.0.0/24: {discard: true}}}
  c: {is: router, interfaces: {b: {segment: bc, address: last}, l: {segment: lc, address: 1}}, routes: {default: b}}
`)
	require.Len(t, got, 1)
	assert.Contains(t, got[0], "black-hole a: a sends 10.3.0.1, which c:l has, to b, and b has no route for it | add to b: 10.3.0.0/24 "+
		"via 10.0.0.3 (c) (tried: it works)")
}

// What is wanted and cannot be: told once for each reason, with what would mend
// it.
func TestWhatIsWantedAndMissing(t *testing.T) {
	row := `
wants: {WANTS}
segments: {ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, la: {prefix: 10.1.0.0/24}, lc: {prefix: 10.3.0.0/24}}
devices:
  a: {is: router, interfaces: {l: {segment: la, address: 1}, b: {segment: ab, address: first}}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}, c: {segment: bc, address: first}}}
  c: {is: router, interfaces: {b: {segment: bc, address: last}, l: {segment: lc, address: 1}}, routes: {10.1.0.0/24: {discard: true}}}
`
	assert.Empty(t, checked(t, strings.Replace(strings.Replace(row, "10.1.0.0/24: {discard: true}", "10.8.0.0/24: {discard: true}", 1),
		"WANTS", "", 1)))
	got := checked(t, strings.Replace(row, "WANTS", "reach: [la to lc]", 1))
	require.NotEmpty(t, got)
	assert.Contains(t, strings.Join(got, "\n"),
		"wanted-path-missing c: la should reach lc, and does not in IPv4: on the return path, c discards what it has for 10.1.0.0/24",
		"what is written stands")
}

// Loopbacks are wanted as LANs are; what takes one is told once, whoever asks.
func TestLoopbacksAreWanted(t *testing.T) {
	row := `
wants: {}
segments: {ab: {prefix: 10.0.0.0/31}, la: {prefix: 10.1.0.0/24}}
devices:
  a: {is: router, loopback: 10.9.0.1, interfaces: {l: {segment: la, address: 1}, b: {segment: ab, address: first}}, routes: {10.9.0.2/32: {discard: true}}}
  b: {is: router, loopback: 10.9.0.2, interfaces: {a: {segment: ab, address: last}}}
`
	var missing []string
	for _, f := range checked(t, row) {
		if strings.HasPrefix(f, "wanted-path-missing") {
			missing = append(missing, f)
		}
	}
	require.Len(t, missing, 1)
	assert.Contains(t, missing[0], "la should reach b, and does not in IPv4: on the forward path, a discards what it has for 10.9.0.2/32")
	assert.NotContains(t, strings.Join(checked(t, strings.Replace(row, ", routes: {10.9.0.2/32: {discard: true}}", "", 1)), "\n"),
		"wanted-path-missing")
}

// Slips in what is wanted, watched and paid.
func TestSlipsInWants(t *testing.T) {
	plan := "wants: {WANTS}\nsegments: {ab: {prefix: 10.0.0.0/31}}\ndevices:\n  a: {is: router, interfaces: {b: {segment: ab}}, routes: " +
		"{10.9.0.0/24: HOP}}\n  b: {is: router, interfaces: {a: {segment: ab}}, routes: {10.9.0.0/24: {discard: true}}}\ncables: [{between: " +
		"\"a:b to b:a\", cost: COST}]\n"
	for _, tt := range []struct{ wants, hop, cost, want string }{
		{"reach: [a b]", "b", "10", "a pair is 'A to B' or 'all', not a b"},
		{"reach: [ab to ax]", "b", "10", "there is no segment or device called ax"},
		{"carriers: b", "b", "10", "b is a router, and a carrier is a device of the world"},
		{"leave-out: c", "b", "10", "there is no device called c"},
		{"world: [abc]", "b", "10", "did you mean ab?"},
		{"protec: links", "b", "10", "did you mean protect?"},
		{"protect: all", "b", "10", "is none, own, links or devices, not all"},
		{"stretch: 0", "b", "10", "a whole number from 1 to 100, not 0"},
		{"", "b", "0", "cost"},
		{"", "b", "70000", "cost"},
		{"", "{next-hop: b, watch: 10.0.0}", "10", "10.0.0"},
		{"", "{discard: true, watch: 10.0.0.1}", "10", "a route that discards has nothing to watch"},
	} {
		_, _, found := coretest.Resolve(strings.NewReplacer("WANTS", tt.wants, "HOP", tt.hop, "COST", tt.cost).Replace(plan))
		if assert.NotEmpty(t, found, "%+v", tt) {
			assert.Contains(t, found[0].Reason+" "+found[0].Remedy, tt.want)
		}
	}
}
