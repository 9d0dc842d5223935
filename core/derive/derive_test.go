package derive_test

import (
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
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// derived is the tables of a plan, and what was derived for them.
func derived(t *testing.T, text string) (*forward.Network, derive.Result) {
	t.Helper()
	spec := coretest.Spec(t, text)
	_, net, result := derive.Resolve(spec)
	return net, result
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
		if !slices.ContainsFunc(spec.Cables, func(c model.Cable) bool { return c.Hidden && spec.Interfaces[c.Ends[0]].Segment == f.Segment }) {
			all = append(all, f)
		}
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

// onLink tells whether an address is one of a link between routers only, which nobody wants.
func onLink(spec *model.Spec, a netip.Addr) bool {
	s := spec.SegmentOf(a)
	return s != model.None && spec.Links()[s]
}

// source is the address a device pings another from: its main one; false where that is of a
// link.
func source(spec *model.Spec, d model.DeviceID, to netip.Addr) (netip.Addr, bool) {
	a := spec.MainAddress(d, prefix.FamilyOf(to))
	return a, a.IsValid() && !onLink(spec, a)
}

// deadDevices lists the failure of every device that forwards.
func deadDevices(spec *model.Spec) []network.Failure {
	var all []network.Failure
	for id := range spec.Devices {
		if spec.Devices[id].Forwards {
			f := network.NoFailure
			f.Device = model.DeviceID(id)
			all = append(all, f)
		}
	}
	return all
}

// Whatever is wanted works both ways, and nothing circles: no address of the blocks, held by somebody or not, from no
// router, under no single failure of a cable, a segment or a device, at no level of protection.
func TestDerivedTablesDeliverAndNeverCircle(t *testing.T) {
	t.Parallel()
	for seed := range coretest.Cases(8, 70) {
		r := rand.New(rand.NewPCG(uint64(seed), 5))
		text := coretest.RandomNetwork(r, "{protect: "+model.Protections[seed%4]+"}")
		net, _ := derived(t, text)
		spec := net.Spec
		held, free := addresses(spec, r)
		for d := range spec.Devices {
			if spec.Devices[d].Kind == model.World {
				continue
			}
			for _, a := range held {
				from, ok := source(spec, model.DeviceID(d), a)
				if !ok || onLink(spec, a) {
					continue
				}
				x := forward.Ping(net, model.DeviceID(d), from, a, model.None)
				if !assert.Equal(t, forward.Works, x.Verdict(), "seed %d: %s to %s", seed, spec.Devices[d].Name, a) {
					f, _ := x.Failure(net)
					t.Fatalf("%s\n%s", f.Words(net), text)
				}
			}
		}
		for _, f := range slices.Concat(failures(spec), deadDevices(spec)) {
			after := net.Update(net.State.With(f))
			for d := range spec.Devices {
				for _, a := range slices.Concat(held, free) {
					g := forward.Walk(after, forward.Sender(model.DeviceID(d)), forward.FlowTo(netip.Addr{}, a))
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
	t.Parallel()
	for seed := range coretest.Cases(8, 70) {
		r := rand.New(rand.NewPCG(uint64(seed), 6))
		text := coretest.RandomNetwork(r, "{world: none}")
		net, result := derived(t, text)
		spec := net.Spec
		for _, f := range failures(spec) {
			after := net.Update(net.State.With(f))
			for d := range spec.Devices {
				if spec.Devices[d].Kind != model.Router {
					continue
				}
				for s := range spec.Segments {
					for _, p := range spec.Segments[s].Prefixes {
						if p.Bits() == 31 || p.Bits() == 127 || strings.HasPrefix(spec.Segments[s].Name, "up") {
							continue // an end of a dead link that looks alive is not assigned to protect
						}
						if onLink(spec, p.Addr().Next()) {
							continue
						}
						a := p.Addr().Next() // the router itself
						g := forward.Walk(after, forward.Sender(model.DeviceID(d)), forward.FlowTo(netip.Addr{}, a))
						lost := g.Verdict() != forward.Works && wired(after.State, model.DeviceID(d), a)
						// A way is listed where it ends.
						at := g.Nodes[len(g.Nodes)-1].Device
						listed := slices.ContainsFunc(result.Open, func(o derive.Open) bool {
							return same(spec, o.Failure, f) && o.Device == at && slices.Contains(o.To, p.Prefix)
						})
						if lost != listed && (lost || at == model.DeviceID(d)) {
							t.Fatalf("seed %d: %s to %s under %+v: lost %v, listed %v at %s\n%s", seed, spec.Devices[d].Name, a, f, lost, listed,
								spec.Devices[at].Name, text)
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

// Summarised tables deliver what those with a route for each subnet deliver, to every address
// that is wanted and in every state, with fewer lines; and they claim nothing beyond the blocks.
func TestSummarisedTablesDeliverAlike(t *testing.T) {
	t.Parallel()
	fewer := 0
	for seed := range coretest.Cases(5, 25) {
		text := coretest.RandomNetwork(rand.New(rand.NewPCG(uint64(seed), 7)), "{}")
		short, result := derived(t, text)
		long, each := derived(t, strings.Replace(text, "wants: {}", "wants: {summarise: false}", 1))
		spec := short.Spec
		for _, s := range result.Statics {
			_, inBlock := spec.WidestBlock(s.To.Addr())
			assert.True(t, s.To.Bits() == 0 || inBlock && s.To.Bits() >= 16 || strings.HasPrefix(s.To.String(), "198.51.100.") ||
				strings.HasPrefix(s.To.String(), "2001:db8:ca:"), "seed %d: %s", seed, s.To)
		}
		fewer += len(each.Statics) - len(result.Statics)
		held, _ := addresses(spec, rand.New(rand.NewPCG(1, 1)))
		for _, f := range append(failures(spec), network.NoFailure) {
			a, b := short, long
			if f != network.NoFailure {
				a, b = short.Update(short.State.With(f)), long.Update(long.State.With(f))
			}
			for d := range spec.Devices {
				if spec.Devices[d].Kind == model.World {
					continue
				}
				for _, to := range held {
					if onLink(spec, to) {
						continue
					}
					x := forward.Walk(a, forward.Sender(model.DeviceID(d)), forward.FlowTo(netip.Addr{}, to)).Verdict()
					y := forward.Walk(b, forward.Sender(model.DeviceID(d)), forward.FlowTo(netip.Addr{}, to)).Verdict()
					if x != y && f == network.NoFailure || y == forward.Works && x != forward.Works && len(result.Open) == 0 {
						t.Fatalf("seed %d: %s to %s under %+v: %v, and %v with a route for each subnet\n%s", seed, spec.Devices[d].Name, to, f, x, y,
							text)
					}
				}
			}
		}
	}
	assert.Greater(t, fewer, 300)
}
