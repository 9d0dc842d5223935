package referee

import (
	"context"
	"math/rand/v2"
	"net/netip"
	"slices"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/internal/rehearse"
	"ropeswing/internal/wire"
)

// live has the program's own pings and traces, from within the namespaces, set beside
// the prediction: of what the prediction is sure of, they tell of no difference.
func (l *lab) live(net *forward.Network, r *rand.Rand, s *score) {
	for d := range l.spec.Devices {
		for _, udp := range []bool{false, true} {
			l.liveFrom(net, model.DeviceID(d), udp, r, s)
		}
	}
}

// probesGoTo is the service of UDP probes.
var probesGoTo = model.Service{Protocol: model.UDP, First: 33434, Last: 33434}

func (l *lab) liveFrom(net *forward.Network, d model.DeviceID, udp bool, r *rand.Rand, s *score) {
	probe := forward.Probe{}
	if udp {
		probe.Over, probe.AnyPort = probesGoTo, true
	}
	var targets []netip.Addr
	predicted := map[netip.Addr]*forward.Exchange{}
	for _, id := range r.Perm(len(l.spec.Interfaces)) {
		for _, a := range l.spec.Interfaces[id].Addresses {
			x := forward.PingBy(net, d, netip.Addr{}, a.Addr(), model.None, probe)
			if len(targets) < 6 && l.sure(x) && predicted[a.Addr()] == nil {
				targets, predicted[a.Addr()] = append(targets, a.Addr()), x
			}
		}
	}
	o := wire.PoliteTrace
	o.Together, o.Patience = len(targets), 1500*time.Millisecond
	var echoes []wire.Echo
	var traced []wire.Traced
	for try := range 3 { // a busy machine loses packets
		require.NoError(l.t, l.Inside(d, func() (err error) {
			if !udp && len(targets) > 0 {
				if echoes, err = wire.PingLive(context.Background(), targets, wire.PoliteEcho, nil); err != nil {
					return err
				}
			}
			traced, err = wire.TraceLive(context.Background(), targets, o, func(int, int) {})
			return err
		}))
		targets = slices.DeleteFunc(targets, func(to netip.Addr) bool {
			i := slices.IndexFunc(traced, func(t wire.Traced) bool { return t.Target == to })
			told := forward.Follow(net, predicted[to]).Tell(net, traced[i].Hops).Differs.Words(net, prefix.FamilyOf(to))
			if told == "" && !traced[i].Reached {
				told = "it is not reached"
			}
			if told == "" && !udp && !echoes[i].Replied {
				told = "no reply to a ping"
			}
			if told != "" && try == 2 {
				assert.Fail(l.t, "live and prediction differ", "network %s: %s to %s, by UDP %v: %s\n%s", l.name, l.spec.Devices[d].Name, to, udp,
					told, l.told(predicted[to]))
			}
			if told == "" {
				s.live++
			}
			return told == ""
		})
		if len(targets) == 0 {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// sure tells whether an exchange works in one way only, and in none that Linux does
// otherwise by choice.
func (l *lab) sure(x *forward.Exchange) bool {
	if x.Verdict() != forward.Works || rehearse.TranslatedAgain(l.spec, x) {
		return false
	}
	for i, n := range x.There.Nodes {
		if i > 0 && n.Device == x.From || judged(x.There) {
			return false
		}
	}
	return !slices.ContainsFunc(x.Back, judged)
}

// judged tells whether permits look at a packet for itself on its path.
func judged(g *forward.Graph) bool {
	looked := func(x *forward.Treatment) bool {
		return x != nil && (x.Judged.By >= 0 || x.Judged.By == policy.ByOtherwise)
	}
	return g != nil && slices.ContainsFunc(g.Nodes, func(n forward.Node) bool {
		return looked(n.Treated) || slices.ContainsFunc(n.Edges, func(e forward.Edge) bool { return looked(e.Treated) })
	})
}
