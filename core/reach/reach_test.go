package reach_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/reach"
	"ropeswing/core/routing"
)

// Three routers in a ring with a LAN each; a and b have no way round, c has.
const ring = `
segments: {la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}, lc: {prefix: 10.3.0.0/24}, ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, ca: {prefix: 10.0.0.4/31}}
devices:
  a: {is: router, interfaces: {l: {segment: la}, b: {segment: ab}, c: {segment: ca}}, routes: {lb: [b, c], lc: [c, b]}}
  b: {is: router, interfaces: {l: {segment: lb}, a: {segment: ab}, c: {segment: bc}}, routes: {la: a, lc: c}}
  c: {is: router, interfaces: {l: {segment: lc}, b: {segment: bc}, a: {segment: ca}}, routes: {la: [a, b], lb: [b, a]}}
  ha: {is: host, interfaces: {p: {segment: la}}}
  hb: {is: host, interfaces: {p: {segment: lb}}}
  hc: {is: host, interfaces: {p: {segment: lc}}}
cables: [x-ab: a:b to b:a, x-bc: b:c to c:b, x-ca: c:a to a:c]
`

// lans keeps the ends of the three LANs.
func lans(t *testing.T, tables *routing.Tables) []*reach.End {
	t.Helper()
	var all []*reach.End
	for _, e := range reach.Ends(tables.State.Spec) {
		if len(tables.State.Spec.Segments[e.Segment].Name) == 2 && tables.State.Spec.Segments[e.Segment].Name[0] == 'l' {
			all = append(all, e)
		}
	}
	require.Len(t, all, 3)
	return all
}

func TestEveryoneToEveryone(t *testing.T) {
	tables := coretest.Tables(t, ring)
	ends := lans(t, tables)
	assert.Equal(t, "10.1.0.2", ends[0].Address.String(), "a host stands for its segment")
	count := 0
	reach.All(tables, ends, func(w reach.Way) bool {
		assert.Equal(t, forward.Works, w.Verdict)
		count++
		return true
	})
	assert.Equal(t, 6, count)
	count = 0
	reach.All(tables, ends, func(reach.Way) bool { count++; return count < 2 })
	assert.Equal(t, 2, count, "it stops when told to")
}

// When ab fails, a goes round by c, but b has nothing behind its route to a:
// both directions of a-b are lost, and of no other pair. When ca fails, a goes
// by b to c and c by b to a; b's routes need no change: all is well.
func TestWhatAFailureTakesAway(t *testing.T) {
	tables := coretest.Tables(t, ring)
	spec := tables.State.Spec
	got := map[string][3]int{}
	reach.Sweep(tables, lans(t, tables), reach.Cables(spec), func(l reach.Loss) bool {
		got[spec.Cables[l.Failure.Cable].Name] = [3]int{len(l.Lost), l.Cannot, l.Loops}
		return true
	})
	assert.Equal(t, map[string][3]int{"x-ab": {2, 0, 0}, "x-bc": {2, 0, 0}, "x-ca": {0, 0, 0}}, got)
	losses := map[string][3]int{}
	reach.Sweep(tables, lans(t, tables), reach.Devices(spec), func(l reach.Loss) bool {
		losses[spec.Devices[l.Failure.Device].Name] = [3]int{len(l.Lost), l.Cannot, l.Loops}
		return true
	})
	assert.Equal(t, [3]int{4, 4, 0}, losses["a"], "with a its LAN goes: no wire leads there")
	assert.Len(t, losses, 3)
}
