package network_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// stateOf is a plan's network with the named parts out of order.
func stateOf(t *testing.T, text string, without ...string) *network.State {
	t.Helper()
	topology := network.Build(coretest.Spec(t, text))
	var failures []network.Failure
	for _, name := range without {
		f, err := topology.FailureNamed(name)
		require.NoError(t, err)
		failures = append(failures, f)
	}
	return topology.State(failures...)
}

// statusWord is an interface's state in words.
func statusWord(t *testing.T, s *network.State, label string) string {
	t.Helper()
	id := coretest.Interface(t, s.Spec, label)
	return strings.TrimSuffix(s.Status(id).Oper.String()+": "+s.Why(id), ": ")
}

const beams = `
segments:
  ab: {prefix: 10.0.0.0/31}
  bc: {prefix: 10.0.0.2/31}
  lan: {vlan: 10, prefix: 10.1.0.0/24}
  air: {prefix: 10.2.0.0/24}
devices:
  a: {is: router, loopback: 10.9.9.9, interfaces: {p: {segment: ab, address: 1}, spare: {}, off: {admin: down}, air: {segment: air, address: 1}}}
  b: {is: router, interfaces: {p: {segment: ab, address: 2}, q: {segment: bc, address: 1}, lan0.10: {segment: lan, address: 1}}}
  c: {is: router, interfaces: {q: {segment: bc, address: 2, admin: down}, air: {segment: air, address: 2}}}
  sw: {is: switch, interfaces: {p1..p2: {access: lan}, p24: {tagged: [lan]}, mgmt: {vlan: lan, address: 2}, other: {vlan: lan, address: 3, admin: down}}}
cables:
  - ab: a:p to b:p
  - bc: b:q to c:q
  - b:lan0 to sw:p24
`

// The plan above uses a name twice on purpose in no other way than this: cables
// are called after what they carry.
var beamsPlan = strings.NewReplacer("- ab:", "- cable-ab:", "- bc:", "- cable-bc:").Replace(beams)

// The rules of status (DESIGN: status), one by one.
func TestStatus(t *testing.T) {
	tests := []struct{ about, without, iface, want string }{
		{"cabled, both ends up", "", "a:p", "up"},
		{"a loopback is up", "", "a:loopback", "up"},
		{"not cabled", "", "a:spare", "down: not cabled"},
		{"switched off", "", "a:off", "down: administratively down"},
		{"the far end switched off", "", "b:q", "down: the far end c:q is administratively down"},
		{"switched off itself", "", "c:q", "down: administratively down"},
		{"nobody on the segment is cabled: it is the wire", "", "a:air", "up"},
		{"a subinterface with its parent", "", "b:lan0.10", "up"},
		{"a VLAN interface with a live port", "", "sw:mgmt", "up"},
		{"a VLAN interface switched off", "", "sw:other", "down: administratively down"},
		{"an access port without a cable", "", "sw:p1", "down: not cabled"},
		{"the cable fails", "cable-ab", "a:p", "down: the cable cable-ab is down"},
		{"the far device fails", "b", "a:p", "down: the far device b is down"},
		{"its own device fails", "b", "b:p", "down: b is down"},
		{"even a loopback", "a", "a:loopback", "down: a is down"},
		{"it fails itself", "a:p", "a:p", "down: it failed"},
		{"the far end fails", "b:p", "a:p", "down: the far end b:p failed"},
		{"the parent goes", "sw", "b:lan0.10", "down: b:lan0 is down: the far device sw is down"},
		{"the VLAN's last live port goes", "b", "sw:mgmt", "down: no port that carries its VLAN is up; sw:p24: the far device b is down"},
		{"the segment fails", "ab", "a:p", "down: the segment ab is down"},
	}
	for _, tt := range tests {
		var without []string
		if tt.without != "" {
			without = []string{tt.without}
		}
		assert.Equal(t, tt.want, statusWord(t, stateOf(t, beamsPlan, without...), tt.iface), tt.about)
	}
}

func TestACableThatHidesFaults(t *testing.T) {
	const text = `
segments: {ab: {prefix: 10.0.0.0/31}}
devices:
  a: {is: router, interfaces: {p: {segment: ab, address: 1}}}
  b: {is: router, interfaces: {p: {segment: ab, address: 2}}}
cables: [{radio: {between: "a:p to b:p", fault: hidden}}]
`
	for _, without := range []string{"b", "b:p", "radio"} {
		s := stateOf(t, text, without)
		a := coretest.Interface(t, s.Spec, "a:p")
		assert.True(t, s.IsUp(a), "without %s the near port stays up", without)
		assert.Empty(t, s.Neighbours(a), "without %s nobody is heard all the same", without)
	}
	s := stateOf(t, text)
	assert.Len(t, s.Neighbours(coretest.Interface(t, s.Spec, "a:p")), 1)
}

func TestAVLANInterfaceWithoutPortsIsASetting(t *testing.T) {
	const text = `
segments: {lan: {vlan: 10, prefix: 10.1.0.0/24}}
devices: {sw: {is: switch, interfaces: {p1: {access: lan}, mgmt: {vlan: lan, address: 2}}}, sx: {is: switch, interfaces: {p1: {access: lan}}}}
cables: [sw:p1 to sx:p1]
`
	assert.Equal(t, "down: no port that carries its VLAN is up; sw:p1: the far device sx is down",
		statusWord(t, stateOf(t, text, "sx"), "sw:mgmt"))
	assert.Equal(t, "up", statusWord(t, stateOf(t, "settings: {vlan-interface-needs-port: false}\n"+text, "sx"), "sw:mgmt"))
}

// hears lists whom an interface hears, in order.
func hears(t *testing.T, s *network.State, label string) string {
	t.Helper()
	var all []string
	for _, id := range s.Neighbours(coretest.Interface(t, s.Spec, label)) {
		all = append(all, s.Spec.Label(id))
	}
	slices.Sort(all)
	return strings.Join(all, " ")
}

// Domains follow VLAN numbers port by port, never names (DESIGN: broadcast
// domains).
func TestBroadcastDomains(t *testing.T) {
	const text = `
segments:
  staff: {vlan: 10, prefix: 10.1.0.0/24}
  guest: {vlan: 20, prefix: 10.2.0.0/24}
  same:  {vlan: 10, prefix: 10.3.0.0/24}
devices:
  r:   {is: router, interfaces: {e.10: {segment: staff, address: 1}, e.20: {segment: guest, address: 1}}}
  one: {is: switch, interfaces: {up: {tagged: [10, 20]}, down: {tagged: [10]}, p1: {access: staff}, p2: {access: guest}, m: {vlan: staff, address: 9}}}
  two: {is: switch, interfaces: {up: {tagged: [10, 20]}, p1: {access: same}, p2: {access: guest}, p3: {tagged: [20], untagged: 10}}}
  h1: {is: host, at: "one:p1", address: 10}
  h2: {is: host, at: "one:p2", address: 10}
  h3: {is: host, at: "two:p1", address: 10.1.0.11/24}
  h4: {is: host, at: "two:p2", address: 11}
  h5: {is: host, at: "two:p3", address: 10.1.0.12/24}
cables: [r:e to one:up, one:down to two:up]
`
	s := stateOf(t, text)
	assert.Equal(t, "h3:port h5:port one:m r:e.10", hears(t, s, "h1:port"),
		"by number, though h3's port calls it by another name; h5 untagged on a trunk")
	assert.Equal(t, "r:e.20", hears(t, s, "h2:port"), "the trunk between the switches does not carry 20")
	assert.Equal(t, "", hears(t, s, "h4:port"))
	assert.Equal(t, []model.InterfaceID{coretest.Interface(t, s.Spec, "r:e.10")},
		s.Holders(coretest.Interface(t, s.Spec, "h1:port"), s.Spec.Interfaces[coretest.Interface(t, s.Spec, "r:e.10")].Addresses[0].Addr()))
}

func TestAccessPortsOfDifferentVLANsLeak(t *testing.T) {
	s := stateOf(t, `
segments: {a: {vlan: 10, prefix: 10.1.0.0/24}, b: {vlan: 20, prefix: 10.2.0.0/24}}
devices:
  one: {is: switch, interfaces: {x: {access: a}, m: {vlan: a, address: 1}}}
  two: {is: switch, interfaces: {x: {access: b}, m: {vlan: b, address: 1}}}
cables: [one:x to two:x]
`)
	assert.Equal(t, "two:m", hears(t, s, "one:m"), "untagged frames carry no number to tell them apart")
}

func TestATagNobodyListsIsDropped(t *testing.T) {
	s := stateOf(t, `
segments: {a: {vlan: 10, prefix: 10.1.0.0/24}}
devices:
  r:  {is: router, interfaces: {e.10: {segment: a, address: 1}}}
  sw: {is: switch, interfaces: {up: {tagged: [20], untagged: 10}, m: {vlan: a, address: 2}}}
cables: [r:e to sw:up]
`)
	assert.Equal(t, "", hears(t, s, "r:e.10"))
}

func TestWithAddsFailuresAndLeavesTheFirstStateAlone(t *testing.T) {
	s := stateOf(t, beamsPlan)
	a := coretest.Interface(t, s.Spec, "a:p")
	f, err := s.FailureNamed("cable-ab")
	require.NoError(t, err)
	next := s.With(f)
	assert.True(t, s.IsUp(a))
	assert.False(t, next.IsUp(a))
	assert.Len(t, next.Failures(), 1)
	assert.Same(t, s.Topology, next.Topology)
	assert.Same(t, s, s.With())
}

func TestFailuresAreNamedByOneSyntax(t *testing.T) {
	topology := network.Build(coretest.Spec(t, beamsPlan))
	for name, want := range map[string]string{
		"cable-ax": "did you mean cable-ab?",
		"b:z":      "did you mean b:p?",
		"nonsense": "there is no cable, device, segment or interface called nonsense",
	} {
		_, err := topology.FailureNamed(name)
		assert.ErrorContains(t, err, want)
	}
	for _, name := range topology.PartNames() {
		_, err := topology.FailureNamed(name)
		assert.NoError(t, err, name)
	}
}

// flood is a naive simulator of frames: it carries a tagged or untagged frame
// from port to port, one at a time, and notes who gets it.
type flood struct {
	spec *model.Spec
	s    *network.State
	got  map[model.InterfaceID]bool
	seen map[string]bool

	blocked map[model.CableID]bool
}

// send puts a frame with a tag onto the cable in a port.
func (f *flood) send(port model.InterfaceID, tag model.VLAN) {
	key := fmt.Sprint("wire ", port, tag)
	if far := f.s.Peer(port); far != model.None && f.s.IsUp(port) && f.s.IsUp(far) && !f.seen[key] && !f.blocked[f.s.Cable(port)] {
		f.seen[key] = true
		f.receive(far, tag)
	}
}

// receive takes a frame in by a port.
func (f *flood) receive(port model.InterfaceID, tag model.VLAN) {
	i := &f.spec.Interfaces[port]
	if !i.Switched {
		for _, id := range f.spec.InterfacesOf(i.Device) {
			x := &f.spec.Interfaces[id]
			if f.s.IsUp(id) && (id == port && tag == 0 || x.Kind == model.Subinterface && x.Parent == port && x.Tag == tag) {
				f.got[id] = true
			}
		}
		return
	}
	switch {
	case tag == 0 && i.Untagged != 0:
		f.inside(i.Device, i.Untagged)
	case tag != 0 && slices.Contains(i.Tagged, tag):
		f.inside(i.Device, tag)
	}
}

// inside floods a frame within one VLAN of a switch.
func (f *flood) inside(d model.DeviceID, vlan model.VLAN) {
	key := fmt.Sprint("switch ", d, vlan)
	if f.seen[key] {
		return
	}
	f.seen[key] = true
	for _, id := range f.spec.InterfacesOf(d) {
		x := &f.spec.Interfaces[id]
		switch {
		case x.Kind == model.VLANInterface && x.Tag == vlan && f.s.IsUp(id):
			f.got[id] = true
		case x.Switched && x.Untagged == vlan:
			f.send(id, 0)
		}
		if x.Switched && slices.Contains(x.Tagged, vlan) {
			f.send(id, vlan)
		}
	}
}

// heardBy is everyone who gets a frame that the interface sends.
func heardBy(s *network.State, id model.InterfaceID) map[model.InterfaceID]bool {
	f := &flood{s.Spec, s, map[model.InterfaceID]bool{}, map[string]bool{}, blockedBy(s)}
	i := &s.Spec.Interfaces[id]
	switch {
	case !s.IsUp(id):
	case i.Kind == model.VLANInterface:
		f.inside(i.Device, i.Tag)
	case i.Kind == model.Subinterface:
		f.send(i.Parent, i.Tag)
	default:
		f.send(id, 0)
	}
	delete(f.got, id)
	return f.got
}

// randomSwitches is a plan of switches joined at random, with hosts and a
// router, ports down, VLANs missing here and there.
func randomSwitches(r *rand.Rand) string {
	var devices, cables strings.Builder
	n := 2 + r.IntN(4)
	vlans := func() string {
		var all []string
		for v := 10; v < 14; v++ {
			if r.IntN(3) > 0 {
				all = append(all, fmt.Sprint(v))
			}
		}
		if len(all) == 0 {
			all = []string{"10"}
		}
		return strings.Join(all, ", ")
	}
	ports := make([][]string, n)
	for k := range n {
		for j := range 2 * n {
			what := fmt.Sprintf("tagged: [%s]", vlans())
			if r.IntN(3) == 0 {
				what += fmt.Sprintf(", untagged: %d", 10+r.IntN(4))
			}
			if r.IntN(8) == 0 {
				what += ", admin: down"
			}
			ports[k] = append(ports[k], fmt.Sprintf("t%d: {%s}", j, what))
		}
		for j := range 3 {
			ports[k] = append(ports[k], fmt.Sprintf("p%d: {access: %d}", j, 10+r.IntN(4)))
		}
		for v := 10; k == 0 && v < 14; v++ { // each segment has a cable: none of them is itself the wire
			ports[k] = append(ports[k], fmt.Sprintf("q%d: {access: %d}", v, v))
			fmt.Fprintf(&devices, "  x%d: {is: host, at: 'w0:q%d', address: 10.3.0.%d/8}\n", v, v, v)
		}
		ports[k] = append(ports[k], fmt.Sprintf("m: {vlan: s%d, address: 10.0.%d.1/8}", 10+r.IntN(4), k))
	}
	for k := range n {
		fmt.Fprintf(&devices, "  w%d: {is: switch, interfaces: {%s}}\n", k, strings.Join(ports[k], ", "))
		for j := range 3 {
			fmt.Fprintf(&devices, "  h%d-%d: {is: host, at: 'w%d:p%d', address: 10.1.%d.%d/8}\n", k, j, k, j, k, j)
		}
		for l := k + 1; l < n; l++ {
			if r.IntN(2) == 0 {
				fmt.Fprintf(&cables, "  - w%d:t%d to w%d:t%d\n", k, l, l, k)
			}
		}
	}
	fmt.Fprintf(&devices, "  r: {is: router, interfaces: {e: {address: 10.2.0.1/8}, e.11: {segment: s11, address: 10.2.0.2/8}, e.12: "+
		"{segment: s12, address: 10.2.0.3/8}}}\n")
	fmt.Fprintf(&cables, "  - r:e to w0:t0\n")
	return "segments: {s10: {vlan: 10}, s11: {vlan: 11}, s12: {vlan: 12}, s13: {vlan: 13}}\ndevices:\n" + devices.String() + "cables:\n" +
		cables.String()
}

// blockedBy is the cables that frames do not pass: those that a tree for all
// VLANs leaves out.
func blockedBy(s *network.State) map[model.CableID]bool {
	blocked := map[model.CableID]bool{}
	for _, l := range s.Loops() {
		blocked[l.Cable] = s.Spec.Settings.Tree == model.SingleTree
	}
	return blocked
}

// checkTree: what one tree for all leaves open joins the switches that are
// joined at all, and no two of them by two paths.
func checkTree(t *testing.T, s *network.State, text string) {
	t.Helper()
	if s.Spec.Settings.Tree != model.SingleTree {
		return
	}
	blocked := blockedBy(s)
	join := func(parts []int, a, b int) bool {
		from, to := parts[a], parts[b]
		for i := range parts {
			if parts[i] == from {
				parts[i] = to
			}
		}
		return from != to
	}
	var open, all []int
	for d := range s.Spec.Devices {
		open, all = append(open, d), append(all, d)
	}
	for id, c := range s.Spec.Cables {
		a, b := &s.Spec.Interfaces[c.Ends[0]], &s.Spec.Interfaces[c.Ends[1]]
		if !a.Switched || !b.Switched || !s.IsUp(c.Ends[0]) || !s.IsUp(c.Ends[1]) {
			continue
		}
		join(all, int(a.Device), int(b.Device))
		if !blocked[model.CableID(id)] {
			require.True(t, join(open, int(a.Device), int(b.Device)), "%s closes a loop in\n%s", c.Name, text)
		}
	}
	for a := range open {
		for b := range open {
			require.Equal(t, all[a] == all[b], open[a] == open[b], "the tree joins what is joined in\n%s", text)
		}
	}
}

func TestDomainsAgreeWithFloodedFrames(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	joined, apart := 0, 0
	for n := range coretest.Cases(700, 2100) {
		text := "settings: {spanning-tree: " + []string{"single", "per-vlan", "none"}[n%3] + "}\n" + randomSwitches(r)
		s := stateOf(t, text)
		checkTree(t, s, text)
		for id := range s.Spec.Interfaces {
			a := model.InterfaceID(id)
			if s.Spec.Interfaces[id].Switched {
				continue
			}
			got := heardBy(s, a)
			want := map[model.InterfaceID]bool{}
			for _, n := range s.Neighbours(a) {
				want[n] = true
			}
			require.Equal(t, got, want, "%s in\n%s", s.Spec.Label(a), text)
			joined += len(want)
			if len(want) == 0 {
				apart++
			}
		}
	}
	assert.Greater(t, joined, 1000, "the random networks join something")
	assert.Greater(t, apart, 100, "and keep something apart")
}
