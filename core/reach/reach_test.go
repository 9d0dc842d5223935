package reach_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
)

// Three routers in a ring with a LAN each; a and b have no other path, c has.
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
func lans(t *testing.T, net *forward.Network) []*reach.End {
	t.Helper()
	var all []*reach.End
	for _, e := range reach.Ends(net.Spec) {
		if len(net.Spec.Segments[e.Segment].Name) == 2 && net.Spec.Segments[e.Segment].Name[0] == 'l' {
			all = append(all, e)
		}
	}
	require.Len(t, all, 3)
	return all
}

func TestEveryoneToEveryone(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, ring)
	ends := lans(t, net)
	assert.Equal(t, "10.1.0.2", ends[0].Address.String(), "a host stands for its segment")
	m := reach.All(net, ends)
	count := 0
	m.Pairs(func(w reach.Pair) bool {
		assert.Equal(t, forward.Works, w.Verdict)
		count++
		return true
	})
	assert.Equal(t, 6, count)
	count = 0
	m.Pairs(func(reach.Pair) bool { count++; return count < 2 })
	assert.Equal(t, 2, count, "it stops when told to")
}

// Several ends on one LAN, some of them down: each has its own answer, and none
// that of the one beside it.
func TestHostsOnOneLANDiffer(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, strings.Replace(ring, "  ha:", `
  low: {is: host, interfaces: {p: {segment: la, address: 10.1.0.2, admin: down}}}
  high: {is: host, interfaces: {p: {segment: la, address: 10.1.0.200, admin: down}}}
  ha:`, 1))
	verdicts := map[forward.Verdict]int{}
	reach.All(net, reach.Hosts(net.Spec)).Pairs(func(w reach.Pair) bool {
		x := forward.Ping(net, w.From.Device, w.From.Address, w.To.Address, model.None)
		assert.Equal(t, x.Verdict(), w.Verdict, "%s to %s", w.From.Address, w.To.Address)
		verdicts[w.Verdict]++
		return true
	})
	assert.Equal(t, 6, verdicts[forward.Works], "three hosts are up")
	assert.Greater(t, len(verdicts), 1)
}

// When ab fails, a loops by c, but b has nothing behind its route to a:
// both directions of a-b are lost, and of no other pair. When ca fails, a goes
// by b to c and c by b to a; b's routes need no change: all is well.
func TestWhatAFailureTakesAway(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, ring)
	spec := net.Spec
	got := map[string][3]int{}
	require.NoError(t, reach.Sweep(t.Context(), net, reach.Asked{Ends: lans(t, net), Over: model.Echo},
		reach.Together(reach.Cables(net.State), 1), func(l reach.Loss) {
			got[spec.Cables[l.Failures[0].Cable].Name] = [3]int{l.Lost, l.Cannot, l.Loops}
		}))
	assert.Equal(t, map[string][3]int{"x-ab": {2, 0, 0}, "x-bc": {2, 0, 0}, "x-ca": {0, 0, 0}}, got)
	losses := map[string][3]int{}
	require.NoError(t, reach.Sweep(t.Context(), net, reach.Asked{Ends: lans(t, net), Over: model.Echo},
		reach.Together(reach.Devices(spec), 1), func(l reach.Loss) {
			losses[spec.Devices[l.Failures[0].Device].Name] = [3]int{l.Lost, l.Cannot, l.Loops}
		}))
	assert.Equal(t, [3]int{4, 4, 0}, losses["a"], "with a its LAN goes: no wire leads there")
	assert.Len(t, losses, 3)
}

// The matrix says of every way what a ping says, and the sweep of every failure
// what pings say before and after: on random networks with routes written at
// random, of which many loop or lead nowhere.
func TestMatrixAgreesWithPings(t *testing.T) {
	t.Parallel()
	verdicts := map[forward.Verdict]int{}
	for seed := range coretest.Cases(40, 160) {
		r := rand.New(rand.NewPCG(uint64(seed), 11))
		spec := coretest.Spec(t, coretest.RandomNetwork(r, "{}"))
		if seed%2 == 0 {
			spec = withRandomRoutes(spec, r)
		} else {
			spec, _, _ = derive.Resolve(spec)
		}
		if seed >= 60 { // with permits and translations
			spec = coretest.WithRandomPolicies(spec, r)
		}
		net := forward.Resolve(network.Build(spec).State())
		ends := reach.Ends(spec)
		works := func(net *forward.Network, w reach.Pair) forward.Verdict {
			return forward.Ping(net, w.From.Device, w.From.Address, w.To.Address, model.None).Verdict()
		}
		var ways []reach.Pair
		reach.All(net, ends).Pairs(func(w reach.Pair) bool {
			require.Equal(t, works(net, w), w.Verdict, "seed %d: %s to %s", seed, w.From.Address, w.To.Address)
			verdicts[w.Verdict]++
			ways = append(ways, w)
			return true
		})
		m := reach.All(net, ends)
		ofTheMatrix(t, m, ways, seed)
		if seed%2 == 1 && seed < 60 {
			ofPaths(t, net, m, seed)
		}
		require.NoError(t, reach.Sweep(t.Context(), net, reach.Asked{Ends: ends, Over: model.Echo}, reach.Together(reach.Cables(net.State), 1),
			func(l reach.Loss) {
				after := net.Update(net.State.With(l.Failures...))
				lost, loops, rerouted := 0, 0, 0
				for _, w := range ways {
					if w.Verdict != forward.Works {
						continue
					}
					x := forward.Ping(after, w.From.Device, w.From.Address, w.To.Address, model.None)
					if x.Verdict() == forward.Works {
						if seed%2 == 1 && !slices.Equal(devicesOn(x.There),
							devicesOn(forward.Ping(net, w.From.Device, w.From.Address, w.To.Address, model.None).There)) {
							rerouted++
						}
						continue
					}
					lost++
					// That a way circles is told of its answer too, where the request gets lost.
					back := forward.Walk(after, forward.Sender(w.To.Device), forward.FlowTo(w.To.Address, w.From.Address))
					for _, g := range []*forward.Graph{x.There, back} {
						if slices.ContainsFunc(g.Endings, func(e forward.Ending) bool { return e.Outcome == forward.Looped }) {
							loops++
							break
						}
					}
				}
				require.Equal(t, lost, l.Lost, "seed %d", seed)
				if seed < 60 {
					require.Equal(t, loops, l.Loops, "seed %d", seed)
					if seed%2 == 1 {
						require.Equal(t, rerouted, l.Rerouted, "seed %d", seed)
					}
				}
				require.Len(t, l.Pairs, min(lost, 1000))
			}))
	}
	for _, v := range []forward.Verdict{forward.Works, forward.Fails, forward.Depends} {
		assert.Greater(t, verdicts[v], 50, v)
	}
}

// Paths as long as a TTL lasts, to routers and to hosts behind them, and with a
// detour of equal cost on which it does not: the matrix says what a ping says.
func TestAsFarAsATTLLasts(t *testing.T) {
	t.Parallel()
	verdicts := map[forward.Verdict]int{}
	for routers := 61; routers < 69; routers++ {
		for _, detour := range []bool{false, true} {
			spec := chain(t, routers, detour)
			net := forward.Resolve(network.Build(spec).State())
			m := reach.All(net, reach.Ends(spec))
			near := func(e *reach.End) bool {
				n := strings.TrimLeft(spec.Devices[e.Device].Name, "rhx")
				return len(n) == 1 || n >= strconv.Itoa(routers-4)
			}
			m.Between(near, near, func(w reach.Pair) bool {
				x := forward.Ping(net, w.From.Device, w.From.Address, w.To.Address, model.None)
				require.Equal(t, x.Verdict(), w.Verdict, "%d routers, %v: %s to %s", routers, detour, w.From.Address, w.To.Address)
				verdicts[w.Verdict]++
				return true
			})
		}
	}
	for _, v := range []forward.Verdict{forward.Works, forward.Fails, forward.Depends} {
		assert.Greater(t, verdicts[v], 20, v)
	}
}

// chain is routers in a row, each with a link to the next, a LAN with a host, and
// routes to all LANs and links; with a detour of equal cost from the first to the next.
func chain(t *testing.T, routers int, detour bool) *model.Spec {
	var segments, devices, hosts strings.Builder
	fmt.Fprint(&segments, "  x0: {prefix: 10.0.200.0/31}\n  x1: {prefix: 10.0.201.0/31}\n")
	for i := range routers {
		fmt.Fprintf(&segments, "  s%d: {prefix: 10.1.%d.0/24}\n  l%d: {prefix: 10.0.%d.0/31}\n", i, i, i, i)
		fmt.Fprintf(&devices, "  r%d: {is: router, interfaces: {s: {segment: s%d, address: first}, b: {segment: l%d, address: first}", i, i, i)
		if i > 0 {
			fmt.Fprintf(&devices, ", a: {segment: l%d, address: last}", i-1)
		}
		if i < 2 {
			fmt.Fprintf(&devices, ", x: {segment: x%d, address: %s}", i, [2]string{"first", "last"}[i])
		}
		fmt.Fprint(&devices, "}}\n")
		fmt.Fprintf(&hosts, "  h%d: {is: host, interfaces: {p: {segment: s%d, address: 10.1.%d.9}}}\n", i, i, i)
	}
	fmt.Fprint(&devices, "  x: {is: router, interfaces: {a: {segment: x0, address: last}, b: {segment: x1, address: first}}}\n")
	spec := coretest.Spec(t, fmt.Sprintf("wants: {}\nsegments:\n%sdevices:\n%s%s", &segments, &devices, &hosts))
	var statics []model.Static
	add := func(device, to int, via string) {
		for _, p := range []string{"10.1.%d.0/24", "10.0.%d.0/31"} {
			statics = append(statics, model.Static{
				Device: model.DeviceID(device), To: netip.MustParsePrefix(fmt.Sprintf(p, to)), Via: netip.MustParseAddr(via),
				Out: model.None, Distance: 1, Origin: model.Derived,
			})
		}
	}
	for i := range routers {
		for to := range routers {
			switch {
			case to > i:
				add(i, to, fmt.Sprintf("10.0.%d.1", i))
				if detour && i == 0 {
					add(i, to, "10.0.200.1")
				}
			case to < i:
				add(i, to, fmt.Sprintf("10.0.%d.0", i-1))
			}
		}
	}
	for to := 1; to < routers; to++ {
		add(routers, to, "10.0.201.1")
	}
	add(routers, 0, "10.0.200.0")
	return spec.WithDerived(statics)
}

// ofTheMatrix holds what else the matrix says of paths against pings: whether anything
// arrives, whom one does not reach, and who is not answered though it arrives.
func ofTheMatrix(t *testing.T, m *reach.Matrix, ways []reach.Pair, seed int) {
	at := map[*reach.End]int{}
	for i, e := range m.Ends {
		at[e] = i
	}
	working := m.Working()
	lost := map[int][]int32{}
	for _, w := range ways {
		i, j := at[w.From], at[w.To]
		x := forward.Ping(m.Network(), w.From.Device, w.From.Address, w.To.Address, model.None)
		require.Equal(t, x.There.Verdict() != forward.Fails, m.Arrives(i, j), "seed %d: %s to %s", seed, w.From.Address, w.To.Address)
		require.Equal(t, w.Verdict == forward.Works, working.Works(i, j), "seed %d: %s to %s", seed, w.From.Address, w.To.Address)
		if w.Verdict != forward.Works {
			lost[i] = append(lost[i], int32(j))
		}
	}
	for i := range m.Ends {
		require.Equal(t, lost[i], working.LostFrom(i, nil), "seed %d", seed)
	}
	m.Unanswered(func(from, to *reach.End) {
		x := forward.Ping(m.Network(), from.Device, from.Address, to.Address, model.None)
		require.NotEqual(t, forward.Fails, x.There.Verdict(), "seed %d: %s to %s", seed, from.Address, to.Address)
		require.Equal(t, forward.Fails, x.Verdict(), "seed %d: %s to %s", seed, from.Address, to.Address)
	})
}

// ofPaths holds which pairs come back by another path than they go against walks.
func ofPaths(t *testing.T, net *forward.Network, m *reach.Matrix, seed int) {
	walked := func(from, to *reach.End) (all []model.DeviceID) {
		g := forward.Walk(net, forward.Sender(from.Device), forward.FlowTo(from.Address, to.Address))
		for _, n := range g.Nodes {
			if n.Device != from.Device && n.Device != to.Device {
				all = append(all, n.Device)
			}
		}
		return all
	}
	paths, working := m.Paths(), m.Working()
	type pair [2]int32
	different := map[pair]bool{}
	paths.Different(func(a, b int32, there, back []model.DeviceID) {
		different[pair{a, b}], different[pair{b, a}] = true, true
	})
	for i, from := range m.Ends {
		for j, to := range m.Ends {
			if from.Segment == to.Segment || !working.Works(i, j) {
				continue
			}
			there, back := walked(from, to), walked(to, from)
			slices.Reverse(back)
			devices, sure := paths.Between(paths.Class(i), paths.Class(j))
			require.True(t, sure, "seed %d: %s to %s", seed, from.Address, to.Address)
			require.True(t, slices.Equal(there, devices), "seed %d: %s to %s: %v, not %v", seed, from.Address, to.Address, devices, there)
			require.Equal(t, !slices.Equal(there, back), different[pair{paths.Class(i), paths.Class(j)}], "seed %d: %s and %s", seed,
				from.Address, to.Address)
		}
	}
}

// devicesOn lists the devices of a path that does not branch.
func devicesOn(g *forward.Graph) (all []model.DeviceID) {
	for _, n := range g.Nodes {
		all = append(all, n.Device)
	}
	return all
}

// withRandomRoutes gives each router routes to some subnets by some neighbour,
// now and then by two at equal cost.
func withRandomRoutes(spec *model.Spec, r *rand.Rand) *model.Spec {
	var statics []model.Static
	state := network.Build(spec).State()
	for d := range spec.Devices {
		if spec.Devices[d].Kind != model.Router {
			continue
		}
		var hops []netip.Addr
		for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
			for _, n := range state.Neighbours(id) {
				if far := &spec.Interfaces[n]; spec.Devices[far.Device].Forwards {
					for _, a := range far.Addresses {
						hops = append(hops, a.Addr())
					}
				}
			}
		}
		for _, s := range spec.Segments {
			for _, p := range s.Prefixes {
				for range 1 + r.IntN(2) {
					if via := hops[r.IntN(len(hops))]; via.Is4() == p.Addr().Is4() {
						statics = append(statics,
							model.Static{Device: model.DeviceID(d), To: p.Prefix, Via: via, Out: model.None, Distance: uint8(1 + r.IntN(2)),
								Origin: model.Derived})
					}
				}
			}
		}
	}
	return spec.WithDerived(statics)
}

// Devices are ends too, those on one segment among them, and failures are asked of picked
// pairs only: all as pings say.
func TestDevicesAndPickedPairs(t *testing.T) {
	t.Parallel()
	lost := 0
	for seed := range coretest.Cases(10, 60) {
		r := rand.New(rand.NewPCG(uint64(seed), 19))
		spec := coretest.Spec(t, coretest.RandomNetwork(r, "{}"))
		if spec, _, _ = derive.Resolve(spec); seed%3 == 0 {
			spec = coretest.WithRandomPolicies(spec, r)
		}
		for d := range spec.Devices {
			if r.IntN(5) == 0 {
				spec.Devices[d].Answers = []string{"ssh"}
			}
		}
		net := forward.Resolve(network.Build(spec).State())
		ends := reach.Ends(spec)
		for d := range spec.Devices {
			for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
				for _, a := range spec.Interfaces[id].Addresses {
					if r.IntN(2) == 0 && !a.Addr().IsLinkLocalUnicast() {
						ends = append(ends, &reach.End{Segment: model.None, Device: model.DeviceID(d), Interface: id, Address: a.Addr()})
					}
				}
			}
		}
		ping := func(net *forward.Network, from, to *reach.End) forward.Verdict {
			return forward.Ping(net, from.Device, from.Address, to.Address, model.None).Verdict()
		}
		at := map[*reach.End]int{}
		for i, e := range ends {
			at[e] = i
		}
		m := reach.All(net, ends)
		working := m.Working()
		works := 0
		m.Pairs(func(w reach.Pair) bool {
			require.Equal(t, w.Verdict == forward.Works, working.Works(at[w.From], at[w.To]), "seed %d", seed)
			if w.Verdict == forward.Works {
				works++
			}
			x := forward.Ping(net, w.From.Device, w.From.Address, w.To.Address, model.None)
			require.Equal(t, x.There.Verdict() != forward.Fails, m.Arrives(at[w.From], at[w.To]), "seed %d: %s to %s", seed, w.From.Address,
				w.To.Address)
			require.Equal(t, ping(net, w.From, w.To), w.Verdict, "seed %d: %s to %s", seed, w.From.Address, w.To.Address)
			return true
		})
		_, counted := m.Count()
		require.Equal(t, works, counted, "seed %d", seed)
		from, to := map[*reach.End]bool{}, map[*reach.End]bool{}
		for _, e := range ends {
			from[e], to[e] = r.IntN(3) == 0, r.IntN(3) == 0
		}
		asked := reach.Asked{Ends: ends, Over: model.Echo, Of: func(a, b *reach.End) bool { return from[a] && to[b] }}
		require.NoError(t, reach.Sweep(t.Context(), net, asked, reach.Together(reach.Cables(net.State), 1), func(l reach.Loss) {
			want := 0
			for _, a := range ends {
				for _, b := range ends {
					if from[a] && to[b] && a.Asks(b) && ping(net, a, b) == forward.Works && ping(l.After, a, b) != forward.Works {
						want++
					}
				}
			}
			require.Equal(t, want, l.Lost, "seed %d", seed)
			for _, p := range l.Pairs {
				require.True(t, from[p.From] && to[p.To])
			}
			lost += l.Lost
		}))
	}
	assert.Greater(t, lost, 500)
}
