package derive_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// mesh is a random network without a bridge: a ring of 4 to 40 routers with a LAN each, and up
// to half as many chords.
func mesh(r *rand.Rand) (text string, routers int) {
	n := 4 + r.IntN(37)
	chords := r.IntN(n/2 + 1)
	var links [][2]int
	for i := range n {
		links = append(links, [2]int{i, (i + 1) % n})
	}
	have := map[[2]int]bool{}
	for _, l := range links {
		have[l] = true
		have[[2]int{l[1], l[0]}] = true
	}
	for range chords {
		a, b := r.IntN(n), r.IntN(n)
		if a == b || have[[2]int{a, b}] {
			continue
		}
		have[[2]int{a, b}], have[[2]int{b, a}] = true, true
		links = append(links, [2]int{a, b})
	}
	var b strings.Builder
	b.WriteString("wants: {world: none}\nblocks: {all: 10.0.0.0/8}\nsegments:\n")
	for i := range n {
		fmt.Fprintf(&b, "  lan-%d: {prefix: 10.1.%d.0/24}\n", i, i)
	}
	for k := range links {
		fmt.Fprintf(&b, "  l-%d: {prefix: 10.2.%d.%d/31}\n", k, k/100, k%100*2)
	}
	b.WriteString("devices:\n")
	for i := range n {
		fmt.Fprintf(&b, "  r%d: {is: router, interfaces: {lan: {segment: lan-%d, address: 1}", i, i)
		for k, l := range links {
			for e := range 2 {
				if l[e] == i {
					fmt.Fprintf(&b, ", e%d: {segment: l-%d, address: %d}", k, k, e+1)
				}
			}
		}
		b.WriteString("}}\n")
	}
	b.WriteString("cables:\n")
	for k, l := range links {
		fmt.Fprintf(&b, "  - r%d:e%d to r%d:e%d\n", l[0], k, l[1], k)
	}
	return b.String(), n
}

// In random networks without a bridge, of all failures of one cable at least 96 in a hundred take no
// LAN from any router; what is left never loops, and is listed. There are 60 of
// them where ROPESWING_PROOF is long.
func TestMeshesAreWholeAfterAFailure(t *testing.T) {
	t.Parallel()
	networks := coretest.Cases(5, 36)
	whole, all := 0, 0
	for seed := range networks {
		text, n := mesh(rand.New(rand.NewPCG(uint64(seed), 77)))
		net, result := derived(t, text)
		for _, f := range failures(net.Spec)[:len(net.Spec.Cables)] {
			after := net.Update(net.State.With(f))
			lost := false
			for d := range n {
				for to := range n {
					g := forward.Walk(after, forward.Sender(model.DeviceID(d)),
						forward.FlowTo(netip.Addr{}, netip.AddrFrom4([4]byte{10, 1, byte(to), 1})))
					lost = lost || g.Verdict() != forward.Works
					assert.NotEqual(t, forward.Looped, g.Endings[0].Outcome, "network %d", seed)
				}
			}
			all++
			if !lost {
				whole++
			}
			listed := slices.ContainsFunc(result.Open, func(o derive.Open) bool { return same(net.Spec, o.Failure, f) })
			assert.Equal(t, lost, listed, "network %d, without %s", seed, f.Name(net.Spec))
		}
	}
	assert.GreaterOrEqual(t, float64(whole)/float64(all), 0.96)
	t.Logf("%d of %d failures of a cable in %d networks take nothing", whole, all, networks)
}
