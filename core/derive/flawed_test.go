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

// Where written routes lead wrong, whatever loops in a failure of one cable is listed: as a flaw, or as a path that is
// not protected.
func TestLoopsThatWrittenRoutesLeaveAreTold(t *testing.T) {
	t.Parallel()
	loops := 0
	for seed := range coretest.Cases(5, 50) {
		r := rand.New(rand.NewPCG(uint64(seed), 32))
		text, n := mesh(r)
		for range 1 + r.IntN(3) { // a route to a LAN by any neighbour
			d := r.IntN(n)
			device := fmt.Sprintf("  r%d: {is: router, interfaces", d)
			other := func(line string) string {
				a, b, _ := strings.Cut(strings.TrimPrefix(strings.TrimSpace(line), "- "), " to ")
				a, _, _ = strings.Cut(a, ":")
				b, _, _ = strings.Cut(b, ":")
				if a == fmt.Sprintf("r%d", d) {
					return b
				}
				return a
			}
			var near []string
			for line := range strings.Lines(text) {
				if strings.HasPrefix(line, "  - ") && strings.Contains(line, fmt.Sprintf("r%d:", d)) {
					near = append(near, other(line))
				}
			}
			to := r.IntN(n)
			if to != d && !strings.Contains(text, fmt.Sprintf("  r%d: {is: router, routes", d)) {
				route := fmt.Sprintf("  r%d: {is: router, routes: {lan-%d: %s}, interfaces", d, to, near[r.IntN(len(near))])
				text = strings.Replace(text, device, route, 1)
			}
		}
		net, result := derived(t, text)
		for _, f := range failures(net.Spec)[:len(net.Spec.Cables)] {
			after := net.Update(net.State.With(f))
			for to := range n {
				for d := range n {
					g := forward.Walk(after, forward.Sender(model.DeviceID(d)),
						forward.FlowTo(netip.Addr{}, netip.AddrFrom4([4]byte{10, 1, byte(to), 1})))
					if g.Endings[0].Outcome != forward.Looped {
						continue
					}
					loops++
					lan := netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 1, byte(to), 0}), 24)
					told := slices.ContainsFunc(result.Flaws, func(x derive.Flaw) bool {
						return same(net.Spec, x.Failure, f) && slices.ContainsFunc(x.To, func(p netip.Prefix) bool { return p.Overlaps(lan) })
					}) || slices.ContainsFunc(result.Open,
						func(o derive.Open) bool { return same(net.Spec, o.Failure, f) && slices.Contains(o.To, lan) })
					assert.True(t, told, "network %d, without %s: r%d to %s", seed, f.Name(net.Spec), d, lan)
				}
			}
		}
	}
	assert.Positive(t, loops)
	t.Logf("%d loops", loops)
}
