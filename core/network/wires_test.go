package network_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// why is an interface's state with its reason.
func why(t *testing.T, s *network.State, label string) string {
	t.Helper()
	id := coretest.Interface(t, s.Spec, label)
	return strings.TrimSuffix(s.Status(id).Oper.String()+": "+s.Why(id), ": ")
}

// together tells whether two interfaces are in one broadcast domain.
func together(t *testing.T, s *network.State, a, b string) bool {
	t.Helper()
	x, y := s.Domain(coretest.Interface(t, s.Spec, a)), s.Domain(coretest.Interface(t, s.Spec, b))
	return x != network.NoDomain && x == y
}

// without is the state with parts out of order.
func without(t *testing.T, s *network.State, names ...string) *network.State {
	t.Helper()
	for _, n := range names {
		f, err := s.FailureNamed(n)
		require.NoError(t, err)
		s = s.With(f)
	}
	return s
}

func TestASerialLineHasOneClock(t *testing.T) {
	plan := func(a, b string) *network.State {
		return stateOf(t, "segments: {l: {prefix: 10.0.0.0/31}}\ndevices:\n  a: {is: router, interfaces: {s: {segment: l, line: serial"+a+
			"}}}\n  b: {is: router, interfaces: {s: {segment: l, line: serial"+b+"}}}\ncables: [a:s to b:s]\n")
	}
	assert.Equal(t, "up", why(t, plan(", clock: here", ""), "a:s"))
	assert.Equal(t, "up", why(t, plan("", ", clock: here"), "a:s"))
	assert.Equal(t, "down: neither it nor the far end b:s clocks the line", why(t, plan("", ""), "a:s"))
	assert.Equal(t, "down: both it and the far end a:s clock the line", why(t, plan(", clock: here", ", clock: here"), "b:s"))
}

const grouped = `
segments: {lan: {vlan: 7, prefix: 10.0.0.0/24}}
devices:
  a: {is: switch, interfaces: {p1..p2: {access: lan}, bond: {members: [p1, p2], tagged: [lan]}, m: {vlan: lan}}}
  b: {is: switch, interfaces: {p1: {}, p2: {}, bond: {members: [p1, p2], tagged: [lan]}, m: {vlan: lan}}}
cables: [one: a:p1 to b:p1, two: a:p2 to b:p2]
`

func TestAGroupIsUpWhileAMemberIs(t *testing.T) {
	s := stateOf(t, grouped)
	assert.Equal(t, "up", why(t, s, "a:bond"))
	assert.True(t, together(t, s, "a:m", "b:m"))
	assert.Empty(t, s.Loops(), "two cables of one group are no loop")
	s = without(t, s, "one")
	assert.Equal(t, "up", why(t, s, "a:bond"))
	assert.True(t, together(t, s, "a:m", "b:m"))
	s = without(t, s, "two")
	assert.Equal(t, "down: no port of the group is up; a:p1: the cable one is down", why(t, s, "a:bond"))
	assert.Equal(t, "down: no port that carries its VLAN is up; a:bond: no port of the group is up; a:p1: the cable one is down",
		why(t, s, "a:m"))
	assert.False(t, together(t, s, "a:m", "b:m"))

	// A port taken out of its group at one end: what the other end sends by it is lost, unless the ends agree to leave it out.
	half := strings.Replace(grouped, "p2: {}, bond: {members: [p1, p2]", "p2: {tagged: [lan]}, bond: {members: [p1]", 1)
	assert.False(t, together(t, stateOf(t, half), "a:m", "b:m"), "some of it is lost")
	assert.True(t, together(t, without(t, stateOf(t, half), "two"), "a:m", "b:m"), "with that cable out all goes by the other")
	agreed := strings.ReplaceAll(half, "members:", "negotiates: true, members:")
	assert.True(t, together(t, stateOf(t, agreed), "a:m", "b:m"), "it is left out")
	assert.Empty(t, stateOf(t, agreed).Loops())
	one := strings.Replace(grouped, "bond: {members:", "bond: {negotiates: true, members:", 1)
	assert.False(t, together(t, stateOf(t, one), "a:m", "b:m"), "it finds nobody to agree with")
	loose := strings.Replace(grouped, "p1: {}, p2: {}, bond: {members: [p1, p2], tagged: [lan]}", "p1: {tagged: [lan]}, p2: {tagged: [lan]}",
		1)
	assert.False(t, together(t, stateOf(t, loose), "a:m", "b:m"), "two loose ports are no one link")
	assert.True(t, together(t, without(t, stateOf(t, loose), "one"), "a:m", "b:m"))
}

const ring = `
segments: {x: {vlan: 10, prefix: 10.0.0.0/24}, y: {vlan: 20, prefix: 10.0.1.0/24}}
devices:
  a: {is: switch, interfaces: {p1: {tagged: [10, 20]}, p2: {tagged: [10]}, m: {vlan: x}, n: {vlan: y}}}
  b: {is: switch, interfaces: {p1: {tagged: [10, 20]}, p2: {tagged: [10, 20]}, m: {vlan: x}}}
  c: {is: switch, interfaces: {p1: {tagged: [10, 20]}, p2: {tagged: [10]}, m: {vlan: x}, n: {vlan: y}}}
cables: [ab: a:p1 to b:p1, bc: b:p2 to c:p1, ca: c:p2 to a:p2]
`

// loops is the names of the cables that close loops.
func loops(s *network.State) string {
	var names []string
	for _, l := range s.Loops() {
		names = append(names, s.Spec.Cables[l.Cable].Name)
	}
	return strings.Join(names, " ")
}

// From root a: b and c are one link away, so that bc closes the loop; VLAN 20
// is not on ca, and has no other way.
func TestOneTreeBlocksACableForEveryVLAN(t *testing.T) {
	s := stateOf(t, ring)
	assert.Equal(t, "bc", loops(s))
	assert.True(t, together(t, s, "a:m", "c:m"))
	assert.False(t, together(t, s, "a:n", "c:n"))
	require.Len(t, s.Lost(), 1)
	assert.EqualValues(t, 20, s.Lost()[0].VLAN)

	s = stateOf(t, "settings: {tree-root: b}\n"+ring)
	assert.Equal(t, "ca", loops(s), "seen from b, ca is off the shortest paths")
	assert.True(t, together(t, s, "a:n", "c:n"))

	s = stateOf(t, "settings: {spanning-tree: per-vlan}\n"+ring)
	assert.Equal(t, "bc", loops(s), "VLAN 10 goes all round")
	assert.True(t, together(t, s, "a:n", "c:n"), "and VLAN 20 has a tree of its own")

	s = without(t, stateOf(t, ring), "ab")
	assert.Empty(t, loops(s), "when a cable fails the blocked one takes over")
	assert.True(t, together(t, s, "a:m", "b:m"))
	assert.Empty(t, stateOf(t, "settings: {spanning-tree: none}\n"+
		strings.ReplaceAll(ring, "p2: {tagged: [10]}", "p2: {tagged: [30]}")).Loops(), "no VLAN goes all round")
}

func TestTheMasterHoldsASharedAddress(t *testing.T) {
	plan := `
segments: {lan: {prefix: 10.0.0.0/24}}
devices:
  a: {is: router, interfaces: {p: {segment: lan, virtual: first, priority: 90}}}
  b: {is: router, interfaces: {p: {segment: lan, virtual: first}}}
  c: {is: router, interfaces: {p: {segment: lan, virtual: first}}}
  h: {is: host, interfaces: {p: {segment: lan}}}
`
	s := stateOf(t, plan)
	spec := s.Spec
	gateway := spec.Statics[0].Via
	assert.Equal(t, "10.0.0.1", gateway.String(), "hosts use the address that is shared")
	master := func(s *network.State) string {
		holders := s.Holders(coretest.Interface(t, spec, "h:p"), gateway)
		if len(holders) != 1 {
			return "nobody"
		}
		return spec.Label(holders[0])
	}
	assert.Equal(t, "c:p", master(s), "the priority is the same, and c has the higher address")
	assert.Equal(t, "b:p", master(without(t, s, "c")))
	assert.Equal(t, "a:p", master(without(t, s, "c", "b:p")))
	assert.Equal(t, "nobody", master(without(t, s, "a", "b", "c")))
}

// A priority follows another port: by a number, or down to the lowest.
func TestAPriorityFollowsAPort(t *testing.T) {
	follows := func(how string) string {
		s := stateOf(t, `
segments: {lan: {prefix: 10.0.0.0/24}, one: {prefix: 10.1.0.0/24}, two: {prefix: 10.2.0.0/24}}
devices:
  a: {is: router, interfaces: {p: {segment: lan, virtual: first, priority: 120, follows: `+how+`}, u: {segment: one}, v: {segment: two}}}
  b: {is: router, interfaces: {p: {segment: lan, virtual: first}, u: {segment: one}, v: {segment: two}}}
`)
		gateway := s.Spec.Interfaces[coretest.Interface(t, s.Spec, "b:p")].Addresses[0].Addr()
		for _, a := range s.Spec.Interfaces[coretest.Interface(t, s.Spec, "b:p")].Addresses {
			if a.Virtual {
				gateway = a.Addr()
			}
		}
		all := ""
		for _, down := range [][]string{nil, {"a:u"}, {"a:v"}, {"a:u", "a:v"}} {
			now := s
			for _, name := range down { // one after another, as a walk over failures does
				now = without(t, now, name)
			}
			holders := now.Holders(coretest.Interface(t, s.Spec, "b:p"), gateway)
			assert.Len(t, holders, 1, "%s without %v", how, down)
			all += s.Spec.Devices[s.Spec.Interfaces[holders[0]].Device].Name
		}
		return all
	}
	assert.Equal(t, "abab", follows("u"))
	assert.Equal(t, "aaaa", follows("u by 19"))
	assert.Equal(t, "abab", follows("u by 21"))
	assert.Equal(t, "aaab", follows("[u by 10, v by 11]"), "both together")
	assert.Equal(t, "abbb", follows("[u, v by 30]"))
}

func TestSettingsOfWhatMakesDifferIn(t *testing.T) {
	plan := "segments: {s: {vlan: 1}}\ndevices: {a: {is: switch, interfaces: {p1: {}, p2: {tagged: [7]}, m: {vlan: s, address: " +
		"10.0.0.1/24}}}, h: {is: host, at: 'a:p1', address: 10.0.0.2/24}}\n"
	assert.False(t, together(t, stateOf(t, plan), "a:m", "h:port"), "a port that says nothing carries nothing")
	s := stateOf(t, "settings: {default-vlan: 1}\n"+plan)
	assert.True(t, together(t, s, "a:m", "h:port"))
	assert.EqualValues(t, 1, s.Spec.Interfaces[coretest.Interface(t, s.Spec, "a:p2")].Untagged)
	s = stateOf(t, "settings: {ports-start: down}\nsegments: {l: {prefix: 10.0.0.0/31}}\ndevices: {a: {is: router, interfaces: {p: "+
		"{segment: l}}}, b: {is: router, interfaces: {p: {segment: l, admin: up}}}}\n")
	assert.Equal(t, "down: administratively down", why(t, s, "a:p"))
	assert.Equal(t, "up", why(t, s, "b:p"))
}

// What is worked out from the state before is what would be worked out from
// nothing: on random switch networks, failure upon failure.
func TestAFurtherFailureIsWorkedOutTheSameEitherWay(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 18))
	for range 150 {
		text := randomSwitches(r)
		s := stateOf(t, text)
		names := s.PartNames()
		for range 4 {
			f, err := s.FailureNamed(names[r.IntN(len(names))])
			require.NoError(t, err)
			s = s.With(f)
			afresh := s.Topology.State(s.Failures()...)
			for n := range s.Spec.Interfaces {
				id := model.InterfaceID(n)
				label := s.Spec.Label(id)
				require.Equal(t, afresh.Status(id), s.Status(id), "%s in\n%s", label, text)
				require.ElementsMatch(t, afresh.Neighbours(id), s.Neighbours(id), "%s in\n%s", label, text)
				for _, a := range s.Spec.Interfaces[(n*7)%len(s.Spec.Interfaces)].Addresses {
					require.ElementsMatch(t, afresh.Holders(id, a.Addr()), s.Holders(id, a.Addr()))
				}
			}
		}
	}
}

// wide is a network of 2,000 switches and 100,000 ports, with 200 trunks that
// carry 4,000 VLANs each.
func wide(b *testing.B) *network.Topology {
	var t strings.Builder
	t.WriteString("devices:\n")
	for d := range 2000 {
		trunks := ""
		if d <= 200 {
			trunks = "t0: {tagged: [2..4001]}, t1: {tagged: [2..4001]}, "
		}
		fmt.Fprintf(&t, "  s%d: {is: switch, interfaces: {%sp1..p48: {access: %d}, m: {vlan: '%d', address: 10.%d.%d.1/24}}}\n", d, trunks, 2+d,
			2+d, d/256, d%256)
		fmt.Fprintf(&t, "  h%d: {is: host, at: 's%d:p1', address: 10.%d.%d.2/24}\n", d, d, d/256, d%256)
	}
	t.WriteString("cables:\n")
	for d := range 200 {
		fmt.Fprintf(&t, "  - s%d:t1 to s%d:t0\n", d, d+1)
	}
	return network.Build(coretest.Spec(b, t.String()))
}

func BenchmarkStateOfAWideNetwork(b *testing.B) {
	topology := wide(b)
	b.ReportAllocs()
	for b.Loop() {
		topology.State()
	}
}

func BenchmarkOnePortDownInAWideNetwork(b *testing.B) {
	s := wide(b).State()
	f, err := s.FailureNamed("s777:p1")
	require.NoError(b, err)
	b.ReportAllocs()
	for b.Loop() {
		s.With(f)
	}
}
