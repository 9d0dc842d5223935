package verify_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCheckStatics(t *testing.T) {
	two := "segments: {l: {prefix: 10.0.0.0/31}, m: {prefix: 10.0.0.2/31}, far: {prefix: 10.2.0.0/24}}\ndevices:\n" +
		"  a: {is: router, interfaces: {p: {segment: l, address: 1}, q: {segment: m, address: 1}}, routes: {ROUTES}}\n" +
		"  b: {is: router, interfaces: {p: {segment: l, address: 2}, q: {segment: m, address: 2}, f: {segment: far, address: 1}}, routes: " +
		"{10.2.0.0/16: {discard: true}}}\n"
	plan := func(routes, cables string) string { return strings.Replace(two, "ROUTES", routes, 1) + cables }
	for _, tt := range []struct {
		about, text string
		want        []string
	}{
		{"a route that floats by another port", plan("10.2.0.0/16: [10.0.0.1, 10.0.0.3]", ""), nil},
		{"equal cost is no floating", plan("10.2.0.0/16: [10.0.0.1, {next-hop: 10.0.0.3, distance: 1}]", ""), nil},
		{"twice the same", plan("10.2.0.0/16: [10.0.0.1, 10.0.0.1]", ""),
			[]string{"duplicate-static a: a has this route to 10.2.0.0/16 twice, the other on line 4"}},
		{"the second by the same way", plan("10.2.0.0/16: [10.0.0.1, {out: p}]", ""),
			[]string{"floats-the-same-path a: the second choice of a for 10.2.0.0/16 leaves by p, as the first does: when that is down both are"}},
		{"behind a cable that hides faults",
			plan("10.2.0.0/16: [10.0.0.1, 10.0.0.3]", "cables: [x: {between: 'a:p to b:p', fault: hidden}, y: 'a:q to b:q']\n"),
			[]string{"never-floats a: the second choice of a for 10.2.0.0/16 never takes over when the far end of x fails: the cable of p " +
				"hides faults, and its port stays up"}},
		{"behind a discard route", plan("10.2.0.0/16: [10.0.0.1, 10.0.0.3], 10.0.0.0/8: {discard: true}", ""), []string{
			"never-floats a: the second choice of a for 10.2.0.0/16 never takes over: when p is down, the next hop 10.0.0.1 of the first " +
				"falls under the discard route 10.0.0.0/8, and the first discards instead of giving way | write the first as {next-hop: …, out: p}"}},
		{"but not where it names its interface", plan("10.2.0.0/16: [{next-hop: 10.0.0.1, out: p}, 10.0.0.3], 10.0.0.0/8: {discard: true}", ""),
			nil},
		{"nothing new beside a shorter route", plan("10.2.0.0/24: 10.0.0.1, 10.2.0.0/16: 10.0.0.1", ""),
			[]string{"redundant-static a: a sends 10.2.0.0/24 the same way as 10.2.0.0/16, which holds it | remove it"}},
		{"another way than the shorter route", plan("10.2.0.0/24: 10.0.0.1, 10.2.0.0/16: 10.0.0.3", ""), nil},
		{"not where a longer stop between them", plan("10.2.0.0/25: 10.0.0.1, 10.2.0.0/24: 10.0.0.3, 10.2.0.0/16: 10.0.0.1", ""), nil},
		{"what nobody has loops", strings.Replace(plan("10.2.0.0/16: 10.0.0.1", ""), "10.2.0.0/16: {discard: true}", "default: 10.0.0.0", 1),
			[]string{"no-discard-route b: addresses of 10.2.0.0/16 that nobody has, such as 10.2.16.0, loop between a and b | on a write the " +
				"route to 10.2.0.0/16 for 10.2.0.0/24 instead"}},
	} {
		assert.Equal(t, tt.want, checked(t, tt.text), tt.about)
	}

	// Three in a ring, of which c points the wrong way: found by trying.
	ring := "segments: {x: {prefix: 10.0.0.0/31}, y: {prefix: 10.0.0.2/31}, z: {prefix: 10.0.0.4/31}, far: {prefix: 10.2.0.0/24}}\n" +
		"devices:\n  a: {is: router, interfaces: {p: {segment: x, address: 1}}, routes: {far: b, default: b}}\n" +
		"  b: {is: router, interfaces: {p: {segment: x, address: 2}, q: {segment: y, address: 1}}, routes: {far: c, default: a}}\n" +
		"  c: {is: router, interfaces: {q: {segment: y, address: 2}, r: {segment: z, address: 1}}, routes: {far: b, default: b}}\n" +
		"  d: {is: router, interfaces: {r: {segment: z, address: 2}, f: {segment: far, address: 1}}, routes: {default: c}}\n"
	found := strings.Join(checked(t, ring), "\n")
	assert.Contains(t, found, "next-hop-sends-back c: c sends 10.2.0.0/24 back to b: it loops between c, b | on c send 10.2.0.0/24 via "+
		"10.0.0.5 (d) instead of 10.0.0.2 (b) (tried: it works)")
}

// A subnet that somebody has, and that loops, is no address that nobody has; and a discard
// route is not offered where it would take away what is come to by a shorter route.
func TestADiscardRouteTakesNothingAway(t *testing.T) {
	plan := func(quay, mole string) string {
		return `
must: []
segments: {beam: {prefix: 10.48.0.0/31}, lan1: {prefix: 10.48.1.0/24}, lan2: {prefix: 10.48.2.0/24}, lan5: {prefix: 10.48.5.0/24}, side: {prefix: 10.0.0.0/31}}
devices:
  quay: {is: router, interfaces: {b: {segment: beam, address: first}, l: {segment: lan1, address: first}}, routes: {` + quay + `}}
  mole: {is: router, interfaces: {b: {segment: beam, address: last}, l: {segment: lan2, address: first}, s: {segment: side, address: first}}, routes: {` + mole + `}}
  far: {is: router, interfaces: {l: {segment: lan5, address: first}, s: {segment: side, address: last}}, routes: {default: mole}}
`
	}
	loops := checked(t, plan("10.48.0.0/16: mole, default: mole", "default: quay"))
	require.NotEmpty(t, loops)
	assert.Contains(t, strings.Join(loops, "\n"),
		"it loops between mole, quay | on mole send 0.0.0.0/0 via 10.0.0.1 (far) instead of 10.48.0.0 (quay) (tried: it works)",
		"the two defaults face each other")
	assert.NotContains(t, strings.Join(loops, "\n"), "that nobody has")
	needs := strings.Join(checked(t, plan("10.48.0.0/16: mole", "10.48.1.0/24: quay, default: far")), "\n")
	assert.Contains(t, needs, "addresses of 10.48.0.0/16 that nobody has")
	assert.Contains(t, needs, "write a route of mole to lan5, which it reaches by a shorter one only; then '10.48.0.0/16: {discard: "+
		"true}' behind it")
}

// A route out of a shared segment to what is on that very wire is answered.
func TestARouteOutToWhatIsThere(t *testing.T) {
	plan := `
must: []
segments: {lan: {prefix: 10.1.0.0/24}, wan: {prefix: [10.0.0.0/29, 10.9.0.0/24]}}
devices:
  r1: {is: router, interfaces: {l: {segment: lan, address: first}, wan: {segment: wan, address: 10.0.0.1/29}}, routes: {ROUTE: {out: wan}}}
  r2: {is: router, interfaces: {wan: {segment: wan, address: [10.0.0.2/29, 10.9.0.1/24]}}, routes: {10.1.0.0/24: 10.0.0.1}}
`
	assert.NotContains(t, strings.Join(checked(t, strings.Replace(plan, "ROUTE", "10.9.0.0/24", 1)), "\n"), "out-onto-shared-segment")
	got := strings.Join(checked(t, strings.Replace(plan, "ROUTE", "10.0.0.0/8", 1)), "\n")
	assert.Contains(t, got, "out-onto-shared-segment")
	assert.Contains(t, got, "nobody answers for 10.1.0.1")
}
