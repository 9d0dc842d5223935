package rehearse

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// lane is two hosts with two routers between them.
const lane = `
segments: {near: {prefix: 10.1.0.0/24}, link: {prefix: 10.0.0.0/31}, far: {prefix: 10.2.0.0/24}}
devices:
  desk: {is: host, interfaces: {e: {segment: near, address: 10}}, gateway: one}
  one: {is: router, interfaces: {a: {segment: near, address: 1}, b: {segment: link, address: 1}}, routes: {far: 10.0.0.1}}
  two: {is: router, interfaces: {a: {segment: link, address: 2}, b: {segment: far, address: 1}}, routes: {near: 10.0.0.0}}
  lamp: {is: host, interfaces: {e: {segment: far, address: 10}}, gateway: two}
cables: [desk:e to one:a, one:b to two:a, two:b to lamp:e]
`

// measured compares what came back from desk to an address.
func measured(t *testing.T, text, to string, traces bool, heard func(*Answers)) Comparison {
	t.Helper()
	net := forward.Resolve(network.Build(coretest.Spec(t, text)).State())
	desk, ok := net.Spec.DeviceNamed("desk")
	require.True(t, ok)
	target := netip.MustParseAddr(to)
	a := &Answers{Targets: []netip.Addr{target}, Replied: map[netip.Addr]bool{}, Hops: map[Probe]Heard{}}
	heard(a)
	return Compare(net, forward.Ping(net, desk, netip.Addr{}, target, model.None), a, traces)
}

func TestWhatIsMeasuredIsComparedHopByHop(t *testing.T) {
	addr := netip.MustParseAddr
	lamp := addr("10.2.0.10")
	whole := func(a *Answers) {
		a.Replied[lamp] = true
		a.Hops[Probe{lamp, 1}] = Heard{addr("10.1.0.1"), "time exceeded"}
		a.Hops[Probe{lamp, 2}] = Heard{addr("10.0.0.1"), "time exceeded"}
		for ttl := 3; ttl <= MostTTL; ttl++ {
			a.Hops[Probe{lamp, ttl}] = Heard{lamp, "reply"}
		}
	}
	c := measured(t, lane, "10.2.0.10", true, whole)
	assert.Equal(t, AsPredicted, c.Outcome)
	assert.True(t, c.Replied)
	assert.Len(t, c.Agreed, 3)

	c = measured(t, lane, "10.2.0.10", false, func(*Answers) {})
	assert.Equal(t, Otherwise, c.Outcome, "a reply was predicted")
	c = measured(t, lane, "10.9.0.1", false, func(a *Answers) { a.Replied[addr("10.9.0.1")] = true })
	assert.Equal(t, Otherwise, c.Outcome, "none was predicted")
	c = measured(t, lane, "10.9.0.1", false, func(*Answers) {})
	assert.Equal(t, AsPredicted, c.Outcome)

	for name, tt := range map[string]struct {
		change func(*Answers)
		hop    int
		want   Heard
	}{
		"nobody at a hop": {func(a *Answers) { delete(a.Hops, Probe{lamp, 2}) }, 2, Heard{addr("10.0.0.1"), "time exceeded"}},
		"somebody else at a hop": {func(a *Answers) { a.Hops[Probe{lamp, 1}] = Heard{addr("10.1.0.77"), "time exceeded"} }, 1,
			Heard{addr("10.1.0.1"), "time exceeded"}},
		"another word": {func(a *Answers) { a.Hops[Probe{lamp, 1}] = Heard{addr("10.1.0.1"), "network unreachable"} }, 1,
			Heard{addr("10.1.0.1"), "time exceeded"}},
		"the target too early": {func(a *Answers) { a.Hops[Probe{lamp, 2}] = Heard{lamp, "reply"} }, 2,
			Heard{addr("10.0.0.1"), "time exceeded"}},
		"the target does not reply": {func(a *Answers) { delete(a.Hops, Probe{lamp, 3}) }, 3, Heard{lamp, "reply"}},
	} {
		c := measured(t, lane, "10.2.0.10", true, func(a *Answers) { whole(a); tt.change(a) })
		assert.Equal(t, AtHop, c.Outcome, name)
		assert.Equal(t, tt.hop, c.Hop, name)
		assert.Equal(t, tt.want, c.Want, name)
	}
}

func TestUnlikeCountsWhatIsMadeInAnotherWay(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {a: {vlan: 10, prefix: 10.1.0.0/24}, b: {vlan: 20, prefix: 10.2.0.0/24}, line: {prefix: 10.0.0.0/30}}
devices:
  r:
    is: router
    interfaces: {p1: {}, p2: {}, g: {members: [p1, p2]}, g.10: {segment: a, address: 1, virtual: 5}, g.20: {segment: b, address: 1, table: apart}, s: {segment: line, line: serial, clock: here, address: 1}}
    tables: {apart: {default: 10.2.0.9}}
  q: {is: router, interfaces: {s: {segment: line, line: serial, address: 2}}, routes: {default: 10.0.0.1}}
  sw: {is: switch, interfaces: {p1: {}, p2: {}, p3: {access: a, mtu: 9000}, g: {members: [p1, p2], tagged: [a, b]}}}
cables: [r:p1 to sw:p1, r:p2 to sw:p2, r:s to q:s]
`)
	counts := map[UnlikeCode]int{}
	for _, u := range UnlikeOf(spec) {
		counts[u.Code] = u.Count
	}
	assert.Equal(t, 2, counts[UnlikeVLANs])
	assert.Equal(t, 2, counts[UnlikeGroups])
	assert.Equal(t, 2, counts[UnlikeSerial])
	assert.Equal(t, 1, counts[UnlikeTables])
	assert.Equal(t, 1, counts[UnlikeShared])
	assert.Equal(t, 1, counts[UnlikeSwitchMTU])
	assert.Zero(t, counts[UnlikeLeased])
}

// Each kind has words for one and for several.
func TestUnlikeHasWordsForEachKind(t *testing.T) {
	seen := map[string]bool{}
	for code := range UnlikePreference + 1 {
		one, several := Unlike{code, 1}.Words(), Unlike{code, 7}.Words()
		assert.Regexp(t, "^1 [a-zA-Z]", one)
		assert.Regexp(t, "^7 [a-zA-Z]", several)
		assert.NotContains(t, one+several, "%!")
		assert.False(t, seen[one] || seen[several], one)
		seen[one], seen[several] = true, true
	}
}
