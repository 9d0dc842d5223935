package forward_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// quays is a LAN with two gateways that share an address, each with a way out behind a switch of its own, so that what
// fails beyond takes no port of theirs down.
const quays = `
segments:
  lan: {prefix: 10.1.0.0/24}
  east: {prefix: 10.2.0.0/24}
  west: {prefix: 10.3.0.0/24}
  ex: {prefix: 10.4.0.0/30}
  wx: {prefix: 10.5.0.0/30}
devices:
  pc: {is: host, gateway: 10.1.0.1, interfaces: {p: {segment: lan, address: 10}}}
  r1:
    is: router
    interfaces: {l: {segment: lan, address: 2, virtual: 1, priority: 110, follows: FOLLOWS}, u: {segment: east, address: 1}}
    routes: {default: [{next-hop: e, watch: 192.0.2.7}]}
  r2:
    is: router
    interfaces: {l: {segment: lan, address: 3, virtual: 1}, u: {segment: west, address: 1}}
    routes: {default: w}
  e: {is: router, interfaces: {u: {segment: east, address: 2}, x: {segment: ex, address: 1}}, routes: {default: x, 10.1.0.0/24: r1}}
  w: {is: router, interfaces: {u: {segment: west, address: 2}, x: {segment: wx, address: 1}}, routes: {default: x, 10.1.0.0/24: r2}}
  x: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: ex, address: 2}, w: {segment: wx, address: 2}},
    routes: {10.1.0.0/24: [e, w], 10.2.0.0/24: e, 10.3.0.0/24: w}}
`

func quaysOf(t *testing.T, follows string) *forward.Network {
	return coretest.Network(t, strings.ReplaceAll(quays, "FOLLOWS", follows))
}

// master is who answers for the shared gateway.
func master(t *testing.T, net *forward.Network) string {
	var all []string
	for _, id := range net.State.Holders(coretest.Interface(t, net.Spec, "pc:p"), netip.MustParseAddr("10.1.0.1")) {
		all = append(all, net.Spec.Devices[net.Spec.Interfaces[id].Device].Name)
	}
	require.Len(t, all, 1)
	return all[0]
}

// A priority that follows what is watched is lower while that is not heard, though every port is up: the other becomes master, and
// gives it back when it is heard again. By how much decides; in a network that failed in steps it is as in one that failed at once.
func TestAPriorityFollowsAWatch(t *testing.T) {
	world := netip.MustParseAddr("192.0.2.9")
	for follows, then := range map[string]string{"[]": "r1", "192.0.2.7": "r2", "192.0.2.7 by 30": "r2", "192.0.2.7 by 5": "r1", "[u, 192.0.2.7]": "r2"} {
		t.Run(follows, func(t *testing.T) {
			net := quaysOf(t, follows)
			pc := coretest.Device(t, net.Spec, "pc")
			works := func(net *forward.Network) bool {
				return forward.Ping(net, pc, netip.Addr{}, world, model.None).Verdict() == forward.Works
			}
			assert.Equal(t, "r1", master(t, net))
			cut := network.NoFailure
			cut.Segment, _ = net.Spec.SegmentNamed("ex")
			broken := net.Update(net.State.With(cut))
			assert.Equal(t, then, master(t, broken))
			assert.Equal(t, then == "r2", works(broken))
			assert.Equal(t, "r1", master(t, broken.Update(net.State.WithUnheard(nil))), "it is heard again")
			other := network.NoFailure
			other.Device = coretest.Device(t, net.Spec, "w")
			both := broken.Update(broken.State.With(other))
			assert.Equal(t, master(t, forward.Resolve(net.State.With(cut, other))), master(t, both))
			assert.False(t, works(both))
		})
	}
}

// A watch that is heard only while the other is master has no state to rest in: it is taken not to be heard, and told.
func TestAPriorityThatChasesItsWatch(t *testing.T) {
	text := strings.NewReplacer("e: {is: router, interfaces: {", "e: {is: router, interfaces: {l: {segment: lan, address: 4}, ",
		"routes: {default: x, 10.1.0.0/24: r1}", "routes: {default: x, 192.0.2.7/32: 10.1.0.1}",
		"next-hop: e,", "next-hop: 10.2.0.2,").Replace(quays)
	net := coretest.Network(t, strings.ReplaceAll(text, "FOLLOWS", "192.0.2.7"))
	assert.Equal(t, "r2", master(t, net))
	require.Len(t, net.Unsettled, 1)
	assert.Equal(t, netip.MustParseAddr("192.0.2.7"), net.Unsettled[0].Watch)
}
