package derive_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// randomNetwork is the text of a plan of a few routers: links between them, some
// of which hide their faults, a segment with a host behind each, here and there a
// segment that several routers are on, and a carrier or two.
func randomNetwork(r *rand.Rand, wants string) string {
	var segments, devices, cables strings.Builder
	n := 3 + r.IntN(5)
	interfaces := make([]string, n)
	link := 0
	join := func(a, b int) {
		fmt.Fprintf(&segments, "  link%d: {prefix: [10.0.0.%d/31, \"2001:db8:0:%x::/127\"]}\n", link, 2*link, link)
		interfaces[a] += fmt.Sprintf("      l%d: {segment: link%d, address: first}\n", link, link)
		interfaces[b] += fmt.Sprintf("      l%d: {segment: link%d, address: last}\n", link, link)
		fault := "seen"
		if r.IntN(6) == 0 {
			fault = "hidden"
		}
		fmt.Fprintf(&cables, "  - c%d: {between: \"r%d:l%d to r%d:l%d\", cost: %d, fault: %s}\n", link, a, link, b, link, 5+r.IntN(3)*5, fault)
		link++
	}
	for i := 1; i < n; i++ {
		join(i, r.IntN(i)) // all hang together
	}
	for range r.IntN(n) {
		if a, b := r.IntN(n), r.IntN(n); a != b {
			join(a, b)
		}
	}
	for i := range n {
		fmt.Fprintf(&segments, "  lan%d: {prefix: [10.0.%d.0/%d, \"2001:db8:1:%x::/64\"]}\n", i, 16+i, 25+r.IntN(3), i)
		interfaces[i] += fmt.Sprintf("      lan: {segment: lan%d, address: first}\n", i)
		fmt.Fprintf(&devices, "  h%d: {is: host, interfaces: {port: {segment: lan%d, address: 5}}, gateway: r%d}\n", i, i, i)
	}
	if r.IntN(2) == 0 {
		segments.WriteString("  shared: {prefix: [10.0.15.0/28, \"2001:db8:2::/64\"]}\n")
		for i, where := range r.Perm(n)[:2] {
			interfaces[where] += fmt.Sprintf("      sh: {segment: shared, address: %d}\n", i+1)
		}
	}
	carriers := r.IntN(3)
	for i, where := range r.Perm(n)[:carriers] {
		fmt.Fprintf(&segments, "  up%d: {prefix: [198.51.100.%d/30, \"2001:db8:ca:%x::/64\"]}\n", i, 4*i, i)
		interfaces[where] += fmt.Sprintf("      up%d: {segment: up%d, address: last}\n", i, i)
		fmt.Fprintf(&devices, "  w%d: {is: world, beyond: [192.0.2.0/24, \"2001:db8:ffff::/48\"], interfaces: {to: {segment: up%d, address: first}}, routes: {home: r%d}}\n", i, i, where)
		fmt.Fprintf(&cables, "  - r%d:up%d to w%d:to\n", where, i, i)
	}
	for i := range n {
		loopback := ""
		if r.IntN(2) == 0 {
			loopback = fmt.Sprintf("    loopback: [10.0.14.%d, \"2001:db8:3::%x\"]\n", 1+i, i+1)
		}
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n%s    interfaces:\n%s", i, loopback, interfaces[i])
	}
	return fmt.Sprintf("wants: %s\nblocks: {home: [10.0.0.0/16, \"2001:db8::/46\"], links: [10.0.0.0/24], lans: [10.0.16.0/20]}\nsegments:\n%sdevices:\n%scables:\n%s", wants, &segments, &devices, &cables)
}

// derived is the tables of a plan, and what was derived for them.
func derived(t *testing.T, text string) (*routing.Tables, derive.Result) {
	t.Helper()
	spec := coretest.Spec(t, text)
	_, tables, result := derive.Resolve(spec)
	return tables, result
}

// failures lists every single failure of a cable or segment.
func failures(spec *model.Spec) []network.Failure {
	var all []network.Failure
	for id := range spec.Cables {
		f := network.NoFailure
		f.Cable = model.CableID(id)
		all = append(all, f)
	}
	for id := range spec.Segments {
		f := network.NoFailure
		f.Segment = model.SegmentID(id)
		all = append(all, f)
	}
	return all
}

// addresses lists every address of a network, and some nobody has.
func addresses(spec *model.Spec, r *rand.Rand) (held, free []netip.Addr) {
	for id := range spec.Interfaces {
		for _, a := range spec.Interfaces[id].Addresses {
			held = append(held, a.Addr())
		}
	}
	for range 20 {
		four := netip.AddrFrom4([4]byte{10, 0, byte(r.IntN(256)), byte(r.IntN(256))})
		six := netip.AddrFrom16([16]byte{0x20, 1, 0xd, 0xb8, 0, byte(r.IntN(4)), 0, byte(r.IntN(16)), 15: byte(r.IntN(9))})
		free = append(free, four, six)
	}
	return held, slices.DeleteFunc(free, func(a netip.Addr) bool { return slices.Contains(held, a) })
}

func seeds(t *testing.T) int {
	if testing.Short() {
		return 20
	}
	return 150
}

// Whatever is wanted works both ways, and nothing goes round in circles: no
// address of the blocks, from no router, under no single failure.
func TestDerivedTablesDeliverAndNeverCircle(t *testing.T) {
	for seed := range seeds(t) {
		r := rand.New(rand.NewPCG(uint64(seed), 5))
		text := randomNetwork(r, "{}")
		tables, _ := derived(t, text)
		spec := tables.State.Spec
		held, free := addresses(spec, r)
		for d := range spec.Devices {
			if spec.Devices[d].Kind == model.World {
				continue
			}
			for _, a := range held {
				x := forward.Ping(tables, model.DeviceID(d), netip.Addr{}, a, model.None)
				if !assert.Equal(t, forward.Works, x.Verdict(), "seed %d: %s to %s", seed, spec.Devices[d].Name, a) {
					f, _ := x.Failure(tables)
					t.Fatalf("%s\n%s", f.Reason, text)
				}
			}
		}
		for _, f := range failures(spec) {
			after := forward.Update(tables, tables.State.With(f))
			for d := range spec.Devices {
				for _, a := range slices.Concat(held, free) {
					g := forward.Walk(after, forward.At{Device: model.DeviceID(d), In: model.None}, forward.Flow{Destination: a, Out: model.None})
					if end, bad := g.Failing(); bad && (end.Outcome == forward.Looped || end.Outcome == forward.Expired) {
						t.Fatalf("seed %d: %s to %s circles under %+v\n%s", seed, spec.Devices[d].Name, a, f, text)
					}
				}
			}
		}
	}
}

// What a failure takes away though a wire is left is on the list of what is not
// protected, and nothing else is.
func TestWhatIsNotProtectedIsListed(t *testing.T) {
	for seed := range seeds(t) {
		r := rand.New(rand.NewPCG(uint64(seed), 6))
		text := randomNetwork(r, "{world: none}")
		tables, result := derived(t, text)
		spec := tables.State.Spec
		for _, f := range failures(spec) {
			after := forward.Update(tables, tables.State.With(f))
			for d := range spec.Devices {
				if spec.Devices[d].Kind != model.Router {
					continue
				}
				for s := range spec.Segments {
					for _, p := range spec.Segments[s].Prefixes {
						if p.Bits() == 31 || p.Bits() == 127 || strings.HasPrefix(spec.Segments[s].Name, "up") {
							continue // an end of a dead link that looks alive is nobody's to protect
						}
						a := p.Addr().Next() // the router itself
						g := forward.Walk(after, forward.At{Device: model.DeviceID(d), In: model.None}, forward.Flow{Destination: a, Out: model.None})
						lost := g.Verdict() != forward.Works && wired(after.State, model.DeviceID(d), a)
						// A way is listed where it ends.
						at := g.Nodes[len(g.Nodes)-1].Device
						listed := slices.ContainsFunc(result.Open, func(o derive.Open) bool {
							return same(spec, o.Failure, f) && o.Device == at && slices.Contains(o.To, p.Prefix)
						})
						if lost != listed && (lost || at == model.DeviceID(d)) {
							t.Fatalf("seed %d: %s to %s under %+v: lost %v, listed %v at %s\n%s", seed, spec.Devices[d].Name, a, f, lost, listed, spec.Devices[at].Name, text)
						}
					}
				}
			}
		}
	}
}

// same tells whether two failures do the same: a cable and the only segment on
// it are one, where the cable hides nothing.
func same(spec *model.Spec, a, b network.Failure) bool {
	segment := func(f network.Failure) model.SegmentID {
		if f.Segment == model.None && f.Cable != model.None && !spec.Cables[f.Cable].Hidden {
			return spec.Interfaces[spec.Cables[f.Cable].Ends[0]].Segment
		}
		return f.Segment
	}
	return a == b || segment(a) != model.None && segment(a) == segment(b)
}

// wired tells whether some way over wires leads from a router to whoever has an
// address.
func wired(s *network.State, from model.DeviceID, to netip.Addr) bool {
	seen := map[model.DeviceID]bool{from: true}
	queue := []model.DeviceID{from}
	for len(queue) > 0 {
		d := queue[0]
		queue = queue[1:]
		for _, id := range s.Spec.InterfacesOf(d) {
			for _, a := range s.Spec.Interfaces[id].Addresses {
				if a.Addr() == to {
					return s.IsUp(id)
				}
			}
			for _, n := range s.Neighbours(id) {
				if next := s.Spec.Interfaces[n].Device; !seen[next] && s.Spec.Devices[next].Kind == model.Router {
					seen[next] = true
					queue = append(queue, next)
				}
			}
		}
	}
	return false
}

// Summarised tables decide as those with a route for each subnet, for every
// address somebody has and in every state, and claim nothing beyond the blocks.
func TestSummarisedTablesDecideAlike(t *testing.T) {
	fewer := 0
	for seed := range seeds(t) {
		text := randomNetwork(rand.New(rand.NewPCG(uint64(seed), 7)), "{}")
		short, result := derived(t, text)
		long, each := derived(t, strings.Replace(text, "wants: {}", "wants: {summarise: false}", 1))
		spec := short.State.Spec
		for _, s := range result.Statics {
			_, inBlock := spec.WidestBlock(s.To.Addr())
			assert.True(t, s.To.Bits() == 0 || inBlock && s.To.Bits() >= 16 || strings.HasPrefix(s.To.String(), "198.51.100.") || strings.HasPrefix(s.To.String(), "2001:db8:ca:"), "seed %d: %s", seed, s.To)
		}
		assert.LessOrEqual(t, len(result.Statics), len(each.Statics), "seed %d", seed)
		fewer += len(each.Statics) - len(result.Statics)
		held, _ := addresses(spec, rand.New(rand.NewPCG(1, 1)))
		for _, f := range append(failures(spec), network.NoFailure) {
			a, b := short, long
			if f != network.NoFailure {
				a, b = forward.Update(short, short.State.With(f)), forward.Update(long, long.State.With(f))
			}
			for d := range spec.Devices {
				for _, to := range held {
					at, flow := forward.At{Device: model.DeviceID(d), In: model.None}, forward.Flow{Destination: to, Out: model.None}
					x, y := forward.Decide(a, at, flow), forward.Decide(b, at, flow)
					if x.Action == forward.NoRoute || y.Action == forward.NoRoute {
						// Whether it is dropped with a word or without is all the same.
						require.Empty(t, append(x.Match.Hops, y.Match.Hops...), "seed %d", seed)
						continue
					}
					require.Equal(t, y.Action, x.Action, "seed %d: %s to %s under %+v\n%s", seed, spec.Devices[d].Name, to, f, text)
					require.Equal(t, y.Match.Hops, x.Match.Hops, "seed %d: %s to %s under %+v\n%s", seed, spec.Devices[d].Name, to, f, text)
				}
			}
		}
	}
	assert.Positive(t, fewer)
}
