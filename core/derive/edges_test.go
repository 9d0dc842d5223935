package derive_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// without is the tables of a plan, derived, with parts out of order.
func without(t *testing.T, text string, names ...string) func(from, to string) forward.Verdict {
	t.Helper()
	_, net, _ := derive.Resolve(coretest.Spec(t, text))
	for _, name := range names {
		f, err := net.State.FailureNamed(name)
		require.NoError(t, err)
		net = net.Update(net.State.With(f))
	}
	return func(from, to string) forward.Verdict {
		d := coretest.Device(t, net.Spec, from)
		return forward.Ping(net, d, net.Spec.MainAddress(d, prefix.FamilyOf(addr(to))), addr(to), model.None).Verdict()
	}
}

// A line without addresses carries routes that name the interface, and stands in
// for the cable beside it; nothing on it can be watched.
func TestALineWithoutAddressesIsAWayRound(t *testing.T) {
	t.Parallel()
	text := `
wants: {}
segments: {ab: {prefix: 10.0.0.0/31}, la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}}
devices:
  a: {is: router, loopback: 10.9.0.1, interfaces: {e: {segment: ab, address: first}, s: {line: serial, clock: here, borrow: loopback}, l: {segment: la, address: 1}}}
  b: {is: router, loopback: 10.9.0.2, interfaces: {e: {segment: ab, address: last}, s: {line: serial, borrow: loopback}, l: {segment: lb, address: 1}}}
cables: [x-ab: a:e to b:e, {slow: {between: "a:s to b:s", cost: 100}}]
`
	text = strings.Replace(text, "{slow: {between", "slow: {between", 1)
	text = strings.Replace(text, "cost: 100}}]", "cost: 100}]", 1)
	spec := coretest.Spec(t, text)
	_, _, r := derive.Resolve(spec)
	assert.Contains(t, lines(spec, r.Statics), "a 10.2.0.0/24 e, s")
	assert.Empty(t, r.Open)
	assert.Equal(t, forward.Works, without(t, text)("a", "10.2.0.1"))
	assert.Equal(t, forward.Works, without(t, text, "x-ab")("a", "10.2.0.1"))
	assert.Equal(t, forward.Works, without(t, text, "slow")("a", "10.2.0.1"))
	assert.Equal(t, forward.Fails, without(t, text, "x-ab", "slow")("a", "10.2.0.1"))
}

// The preferred carrier has everybody's default; when it fails the other takes
// over, also at routers far from both.
func TestTheSecondCarrierTakesOver(t *testing.T) {
	t.Parallel()
	text := `
wants: {carriers: [w2, w1]}
blocks: {home: 10.0.0.0/14}
segments: {ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}, u1: {prefix: 198.51.100.0/30}, u2: {prefix: 198.51.100.4/30}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}, l: {segment: la, address: 1}, u: {segment: u1, address: 2}}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}, c: {segment: bc, address: first}, l: {segment: lb, address: 1}}}
  c: {is: router, interfaces: {b: {segment: bc, address: last}, u: {segment: u2, address: 2}}}
  w1: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: u1, address: 1}}, routes: {home: a}}
  w2: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: u2, address: 1}}, routes: {home: c}}
  hb: {is: host, gateway: b, interfaces: {p: {segment: lb, address: 9}}}
cables: [x-ab: a:b to b:a, x-bc: b:c to c:b, x-1: a:u to w1:to, x-2: c:u to w2:to]
`
	spec := coretest.Spec(t, text)
	_, net, r := derive.Resolve(spec)
	got := lines(spec, r.Statics)
	assert.Contains(t, got, "a 0.0.0.0/0 b watch 198.51.100.5, u", "a cannot see c's carrier fail")
	assert.True(t, slices.ContainsFunc(got, func(l string) bool {
		return strings.HasPrefix(l, "b 0.0.0.0/0 c watch ") && strings.HasSuffix(l, ", a")
	}), "%v", got)
	x := forward.Ping(net, coretest.Device(t, spec, "hb"), addr("10.2.0.9"), addr("192.0.2.1"), model.None)
	assert.Equal(t, "w2", spec.Devices[x.There.Nodes[len(x.There.Nodes)-1].Device].Name)
	for _, failed := range []string{"x-2", "w2", "x-bc"} {
		assert.Equal(t, forward.Works, without(t, text, failed)("hb", "192.0.2.1"), "without %s", failed)
	}
	assert.Equal(t, forward.Fails, without(t, text, "x-1", "x-2")("hb", "192.0.2.1"))
}

// On a segment that three routers share, the loss of one of them is seen by
// nobody else there: the routes by it watch it.
func TestANeighbourOnASharedSegmentIsWatched(t *testing.T) {
	t.Parallel()
	text := `
wants: {}
segments: {mid: {vlan: 7, prefix: 10.0.0.0/29}, bc: {prefix: 10.0.1.0/31}, la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}}
devices:
  s: {is: switch, interfaces: {p1..p3: {access: mid}}}
  a: {is: router, interfaces: {m: {segment: mid, address: 1}, l: {segment: la, address: 1}}}
  b: {is: router, interfaces: {m: {segment: mid, address: 2}, c: {segment: bc, address: first}, l: {segment: lb, address: 1}}}
  c: {is: router, interfaces: {m: {segment: mid, address: 3}, b: {segment: bc, address: last}}}
cables: [x-a: a:m to s:p1, x-b: b:m to s:p2, x-c: c:m to s:p3, x-bc: b:c to c:b]
`
	spec := coretest.Spec(t, text)
	_, _, r := derive.Resolve(spec)
	require.Contains(t, lines(spec, r.Statics), "a 10.2.0.0/24 m watch 10.0.0.2, m", "the second is by c, out of the same port")
	ping := without(t, text, "x-b")
	assert.Equal(t, forward.Works, ping("a", "10.2.0.1"), "round by c")
}

// Where the two families have different shapes, each is worked out for itself.
func TestFamiliesOfDifferentShapes(t *testing.T) {
	t.Parallel()
	text := `
wants: {}
segments: {ab: {prefix: [10.0.0.0/31, '2001:db8::/127']}, bc: {prefix: [10.0.0.2/31]}, ac: {prefix: ['2001:db8:0:2::/127']}, la: {prefix: [10.1.0.0/24, '2001:db8:a::/64']}, lc: {prefix: [10.3.0.0/24, '2001:db8:c::/64']}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}, c: {segment: ac, address: first}, l: {segment: la, address: 1}}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}, c: {segment: bc, address: first}}}
  c: {is: router, interfaces: {b: {segment: bc, address: last}, a: {segment: ac, address: last}, l: {segment: lc, address: 1}}}
cables: [x-ab: a:b to b:a, x-bc: b:c to c:b, x-ac: a:c to c:a]
`
	ping := without(t, text)
	assert.Equal(t, forward.Works, ping("a", "10.3.0.1"))
	assert.Equal(t, forward.Works, ping("a", "2001:db8:c::1"))
	spec := coretest.Spec(t, text)
	_, _, r := derive.Resolve(spec)
	by := map[string]string{}
	for _, s := range r.Statics {
		if spec.Devices[s.Device].Name == "a" && s.Out != model.None {
			by[s.To.String()] = spec.Interfaces[s.Out].Name
		}
	}
	assert.Equal(t, "b", by["10.3.0.0/24"], "IPv4 has no addresses on a's link to c")
	assert.Equal(t, "c", by["2001:db8:c::/64"])
}

// A written route with a floating one behind it counts as the other path for others,
// and its watch as one that is noticed.
func TestWrittenFloatingRoutesAreBuiltOn(t *testing.T) {
	t.Parallel()
	text := strings.Replace(ringOf("{}"), "a: {is: router,", "a: {is: router, routes: {lb: [b, c], lc: [c, b], bc: [b, c]},", 1)
	spec := coretest.Spec(t, text)
	_, _, r := derive.Resolve(spec)
	for _, l := range lines(spec, r.Statics) {
		assert.False(t, strings.HasPrefix(l, "a "), "%s: everything a needs is written", l)
	}
	assert.Contains(t, lines(spec, r.Statics), "b 10.3.0.0/24 c, a watch 10.0.0.4")
	assert.Contains(t, lines(spec, r.Statics), "c 10.2.0.0/24 b, a watch 10.0.0.1")
	assert.Empty(t, r.Open)
}
