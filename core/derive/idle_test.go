package derive_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// outcomes is how every router's packets to every address fare, in every state that is to be
// outlasted: delivered, dropped, leaked to the world, or gone in circles. Where a path costs
// more than the plan allows as things stand, that is said too.
func outcomes(net *forward.Network, to []netip.Addr) string {
	var all []byte
	states := append(slices.Concat(failures(net.Spec), deadDevices(net.Spec)), network.NoFailure)
	for id := range net.Spec.Segments { // also of links whose cable fails unseen: nothing may circle then
		f := network.NoFailure
		if f.Segment = model.SegmentID(id); !slices.Contains(states, f) {
			states = append(states, f)
		}
	}
	for _, f := range states {
		after := net
		if f != network.NoFailure {
			after = net.Update(net.State.With(f))
		}
		for d := range net.Spec.Devices {
			if net.Spec.Devices[d].Kind != model.Router {
				continue
			}
			for _, a := range to {
				g := forward.Walk(after, forward.Sender(model.DeviceID(d)), forward.FlowTo(netip.Addr{}, a))
				end, bad := g.Failing()
				last := g.Nodes[len(g.Nodes)-1].Device
				switch {
				case !bad && f == network.NoFailure:
					cost := 0
					for i := range g.Nodes {
						for _, e := range g.Nodes[i].Edges {
							if e.To >= 0 {
								cost += derive.Cost(net.State, e.Hop.Out, g.Nodes[e.To].In)
							}
						}
					}
					least, _ := derive.Cheapest(net, model.DeviceID(d), a)
					all = append(all, 'w')
					if cost > model.DefaultStretch*least {
						all = append(all, 'l')
					}
				case !bad:
					all = append(all, 'w')
				case end.Outcome == forward.Looped || end.Outcome == forward.Expired:
					all = append(all, 'c')
				case net.Spec.Devices[last].Kind == model.World:
					all = append(all, 'l')
				default:
					all = append(all, '-')
				}
			}
		}
	}
	return string(all)
}

// probed lists the addresses that watches ask, and those that they ask from.
func probed(spec *model.Spec, statics []model.Static) []netip.Addr {
	var all []netip.Addr
	for _, s := range statics {
		if !s.Watch.IsValid() {
			continue
		}
		all = append(all, s.Watch)
		for _, a := range spec.Interfaces[s.Out].Addresses {
			if a.Addr().Is4() == s.Watch.Is4() {
				all = append(all, a.Addr())
			}
		}
	}
	return all
}

// Each derived route is there for something: without it something that is wanted is lost in some
// state, or something circles or leaks; or it leads probes, which would go by a route that floats
// without it.
func TestNoLineIsIdle(t *testing.T) {
	t.Parallel()
	lines, idle := 0, map[string]int{}
	for seed := range coretest.Cases(1, 3) {
		r := rand.New(rand.NewPCG(uint64(seed), 17))
		text := coretest.RandomNetwork(r, "{}")
		spec, net, result := derive.Resolve(coretest.Spec(t, text))
		held, free := addresses(spec, r)
		to := append(slices.Concat(held, free), addr("192.0.2.9"), addr("2001:db8:ffff::9"))
		for _, s := range result.Statics {
			if s.To.Bits() > 0 {
				to = append(to, s.To.Addr(), prefix.Last(s.To))
			}
		}
		slices.SortFunc(to, netip.Addr.Compare)
		to = slices.Compact(to)
		want := outcomes(net, to)
		asked := probed(spec, result.Statics)
		for i, s := range result.Statics {
			if i%5 > 0 && !coretest.Long() {
				continue
			}
			if lines++; !s.Discard && slices.ContainsFunc(asked, s.To.Contains) && s.To.Bits() > 0 {
				continue
			}
			less := spec.WithDerived(slices.Delete(slices.Clone(result.Statics), i, i+1))
			if outcomes(forward.Resolve(network.Build(less).State()), to) == want {
				idle[fmt.Sprintf("%d: %s %s discard %v distance %d watch %v", seed, spec.Devices[s.Device].Name, s.To, s.Discard, s.Distance,
					s.Watch)]++
			}
		}
	}
	assert.Greater(t, lines, 15)
	assert.Empty(t, idle, "of %d", lines)
}
