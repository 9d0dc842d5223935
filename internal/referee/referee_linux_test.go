package referee

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
	"ropeswing/internal/rehearse"
)

// How Linux and the rules of the design differ by choice, so that the test knows:
//   - Linux drops an IPv4 packet that comes back to its own sender, where the rules
//     forward it: traces that come by their sender again are not compared.
//   - Some kernels send IPv6 errors from the interface the packet came in by, others
//     from the address used towards the sender (RFC 4443 §2.2): the setting is the
//     kernel's.
//   - An interface that is down keeps its addresses, and Linux answers for them:
//     they are taken away by hand.
//   - Linux does not look next hops up recursively: the networks here have none.
//   - A packet that comes by a translator for a second time is to Linux of a flow
//     that it has decided about, or of another with a number of its own: not compared.

// TestLinuxAgrees realises random networks and compares pings and traces. How
// many is said by ROPESWING_REFEREE, and where that is set it must be possible;
// else the test is passed over without root.
func TestLinuxAgrees(t *testing.T) {
	t.Parallel()
	count, mandatory := coretest.Cases(1, 5), false
	if text := os.Getenv("ROPESWING_REFEREE"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err, "ROPESWING_REFEREE is how many networks")
		count, mandatory = n, true
	}
	if err := able(); err != nil {
		if mandatory {
			t.Fatal(err)
		}
		t.Skipf("passed over: %s", err)
	}
	score := &score{rules: map[string]int{}}
	first := 0
	if text := os.Getenv("ROPESWING_REFEREE_FROM"); text != "" {
		var err error
		first, err = strconv.Atoi(text)
		require.NoError(t, err, "ROPESWING_REFEREE_FROM is the first network")
	}
	for seed := first; seed < first+count; seed++ {
		referee(t, uint64(seed), score)
	}
	t.Logf("%d networks: %d pings agree (%d of them get a reply), %d hops of traces agree, %d live pings and traces tell of no difference",
		count, score.pings, score.replies, score.hops, score.live)
	t.Log("rules seen to agree: " + counted(score.rules))
	if count >= 500 {
		for _, name := range shown {
			require.GreaterOrEqual(t, score.rules[name], 100, name)
		}
	}
	require.Greater(t, score.replies, 20*count, "enough pings that work")
	require.Greater(t, score.pings-score.replies, 20*count, "and enough that do not")
}

type score struct {
	pings, replies, hops, live int
	rules                      map[string]int
}

// able tells what keeps the test from running here.
func able() error {
	if os.Getuid() != 0 {
		return errors.New("it needs root to make network namespaces")
	}
	if _, err := exec.LookPath("ip"); err != nil {
		return fmt.Errorf("it needs the program ip (Debian's iproute2)")
	}
	_, err := rehearse.ErrorsTowardsSender6()
	return err
}

// lab is one network rehearsed.
type lab struct {
	*rehearse.Lab
	t     *testing.T
	spec  *model.Spec
	state *network.State
	name  string

	echoesOnly bool // not which address says where a trace is: of two subnets on a wire, Linux takes the one that is nearer to who asks
}

func referee(t *testing.T, seed uint64, s *score) {
	r := rand.New(rand.NewPCG(seed, 17))
	spec := coretest.Spec(t, strings.ReplaceAll(coretest.RandomNetwork(r, "{}"), "fault: hidden", "fault: seen"))
	if seed%3 == 0 {
		spec, _, _ = derive.Resolve(spec)
	} else {
		spec = withRandomRoutes(spec, r)
	}
	if seed%4 != 0 {
		spec = coretest.WithRandomPolicies(spec, r)
	}
	var failures []network.Failure
	for id := range spec.Cables {
		if r.IntN(6) == 0 {
			f := network.NoFailure
			f.Interface = spec.Cables[id].Ends[r.IntN(2)]
			failures = append(failures, f)
		}
	}
	realise(t, spec, failures, seed, r, s)
}

// TestLinuxAgreesWhenACableIsCut realises meshes with derived routes, in which one cable is
// cut: real probes find out which watches are silent, and what everybody then reaches is
// asked. How many is said by ROPESWING_REFEREE_CUTS.
func TestLinuxAgreesWhenACableIsCut(t *testing.T) {
	t.Parallel()
	count := coretest.Cases(1, 3)
	if text := os.Getenv("ROPESWING_REFEREE_CUTS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err, "ROPESWING_REFEREE_CUTS is how many networks")
		count = n
		require.NoError(t, able())
	} else if err := able(); err != nil {
		t.Skipf("passed over: %s", err)
	}
	score := &score{rules: map[string]int{}}
	silent := 0
	for seed := range uint64(count) {
		r := rand.New(rand.NewPCG(seed, 29))
		shape := coretest.Chords(r, 4+r.IntN(11), r.IntN(51))
		spec, net, _ := derive.Resolve(coretest.Spec(t, shape.Plan(1+r.IntN(2), []int{0}[:r.IntN(2)], "{}")))
		cut := network.NoFailure
		cut.Cable = model.CableID(r.IntN(len(spec.Cables)))
		after := net.Update(net.State.With(cut))
		for d := range spec.Devices {
			for _, e := range after.Table(model.DeviceID(d)).Entries() {
				if e.Usable == routing.WatchSilent {
					silent++
				}
			}
		}
		realise(t, spec, nil, seed, r, score, cut)
	}
	t.Logf("%d networks with a cable cut, %d routes taken out by a silent watch: %d pings agree (%d of them get a reply), %d hops of "+
		"traces agree", count, silent, score.pings, score.replies, score.hops)
	if count >= 20 {
		require.Greater(t, silent, 5*count)
	}
}

// realise makes the network with parts of it out of order, puts others out of order once it is
// there, and compares.
func realise(t *testing.T, spec *model.Spec, failures []network.Failure, seed uint64, r *rand.Rand, s *score, then ...network.Failure) {
	spec.Settings.ErrorsTowardsSender[prefix.IPv6] = towardsSender6(t)
	state := network.Build(spec).State(failures...)
	net := forward.Resolve(state)
	l := rehearsed(t, net, fmt.Sprintf("seed %d", seed))
	defer l.Close()
	if len(net.Unsettled) == 0 {
		require.True(t, l.Settled(20*time.Second), "the watches of %s come to rest", l.name)
	}
	if len(then) > 0 {
		require.NoError(t, l.Put(then...))
		net = l.Network()
		l.state = net.State
		require.True(t, l.Settled(20*time.Second), "the watches of %s come to rest again", l.name)
	}
	l.observe(net)
	l.compare(net, r, s)
	l.live(net, r, s)
}

// rehearsed makes a network in its state.
func rehearsed(t *testing.T, net *forward.Network, name string) *lab {
	made, err := rehearse.Make(t.Context(), net, func(int, int) {}, nil)
	require.NoError(t, err, name)
	return &lab{Lab: made, t: t, spec: net.Spec, state: net.State, name: name}
}

func towardsSender6(t *testing.T) bool {
	towards, err := rehearse.ErrorsTowardsSender6()
	require.NoError(t, err)
	return towards
}

// withRandomRoutes gives each router a route to most subnets by some neighbour,
// now and then a second one behind it, and here and there one that discards.
func withRandomRoutes(spec *model.Spec, r *rand.Rand) *model.Spec {
	state := network.Build(spec).State()
	var statics []model.Static
	for d := range spec.Devices {
		if spec.Devices[d].Kind != model.Router {
			continue
		}
		type hop struct {
			via netip.Addr
			out model.InterfaceID
		}
		var hops []hop
		for _, out := range spec.InterfacesOf(model.DeviceID(d)) {
			for _, n := range state.Neighbours(out) {
				for _, a := range spec.Interfaces[n].Addresses {
					if spec.Devices[spec.Interfaces[n].Device].Forwards || r.IntN(4) == 0 {
						hops = append(hops, hop{a.Addr(), out})
					}
				}
			}
		}
		for _, s := range spec.Segments {
			for _, p := range s.Prefixes {
				static := model.Static{Device: model.DeviceID(d), To: p.Prefix, Out: model.None, Origin: model.Derived}
				switch n := r.IntN(12); {
				case n == 0:
				case n == 1:
					static.Discard, static.Distance = true, 1
					statics = append(statics, static)
				default:
					for distance := uint8(1); distance <= uint8(1+r.IntN(2)); distance++ {
						h := hops[r.IntN(len(hops))]
						for tries := 0; h.via.Is4() != p.Addr().Is4() && tries < 50; tries++ {
							h = hops[r.IntN(len(hops))]
						}
						if h.via.Is4() == p.Addr().Is4() {
							static.Via, static.Out, static.Distance = h.via, h.out, distance
							statics = append(statics, static)
						}
					}
				}
			}
		}
	}
	return spec.WithDerived(statics)
}

// compare sends pings and traces from every device, and holds what comes back
// against what was predicted.
func (l *lab) compare(net *forward.Network, r *rand.Rand, s *score) {
	var targets []netip.Addr
	for id := range l.spec.Interfaces {
		for _, a := range l.spec.Interfaces[id].Addresses {
			targets = append(targets, a.Addr())
			if free := a.Addr().Next().Next(); a.Contains(free) && r.IntN(6) == 0 && len(l.spec.HoldersOf(free)) == 0 {
				targets = append(targets, free)
			}
		}
	}
	var translated []netip.Addr
	for d := range l.spec.Devices {
		for _, x := range l.spec.Devices[d].Translates {
			if !x.ByInterface {
				translated = append(translated, x.First)
			}
		}
	}
	targets = append(targets, netip.MustParseAddr("192.0.2.9"), netip.MustParseAddr("2001:db8:ffff::9"), netip.MustParseAddr("10.0.200.1"))
	asked := map[model.DeviceID][]netip.Addr{}
	for d := range l.spec.Devices {
		chosen := slices.Clone(targets)
		r.Shuffle(len(chosen), func(i, j int) { chosen[i], chosen[j] = chosen[j], chosen[i] })
		r.Shuffle(len(translated), func(i, j int) { translated[i], translated[j] = translated[j], translated[i] })
		asked[model.DeviceID(d)] = slices.Concat(chosen[:min(16, len(chosen))], translated[:min(6, len(translated))])
	}
	// A busy machine loses packets: what disagrees is asked again, twice.
	for try := range 3 {
		again := map[model.DeviceID][]netip.Addr{}
		all, err := l.Ask(asked, !l.echoesOnly)
		require.NoError(l.t, err)
		for d, a := range all {
			for _, to := range a.Targets {
				differs := l.differs(net, d, to, a, s)
				switch {
				case differs != "" && try < 2:
					again[d] = append(again[d], to)
				case differs != "":
					l.t.Errorf("network %s: %s to %s%s\n%s", l.name, l.spec.Devices[d].Name, to, differs,
						l.told(forward.Ping(net, d, netip.Addr{}, to, model.None)))
				}
			}
		}
		asked = again
	}
}

// differs says in what Linux differs from what is predicted of one target; ""
// where in nothing.
func (l *lab) differs(net *forward.Network, d model.DeviceID, to netip.Addr, a *rehearse.Answers, s *score) string {
	x := forward.Ping(net, d, netip.Addr{}, to, model.None)
	c := rehearse.Compare(net, x, a, !l.echoesOnly)
	switch c.Outcome {
	case rehearse.NotSaid:
		return ""
	case rehearse.Otherwise:
		f, _ := x.Failure(net)
		return fmt.Sprintf(": predicted %v, Linux says %v (%s)", x.Verdict(), c.Replied, f.Words(net))
	case rehearse.AtHop:
		return fmt.Sprintf(", TTL %d: predicted %v of %s, Linux says %v", c.Hop, c.Want, l.spec.Devices[c.Device].Name, c.Got)
	}
	s.pings++
	s.hops += len(c.Agreed)
	tally(net, x, c.Agreed, s.rules)
	if c.Replied {
		s.replies++
	}
	return ""
}

// told is the walks of an exchange, for who has to find out why Linux differs.
func (l *lab) told(x *forward.Exchange) string {
	var b strings.Builder
	for _, g := range append([]*forward.Graph{x.There}, x.Back...) {
		for i, n := range g.Nodes {
			fmt.Fprintf(&b, "  %d %s in %d: %s to %s, looks up %s", i, l.spec.Devices[n.Device].Name, n.In, n.Source, n.Destination, n.To)
			if n.Treated != nil {
				fmt.Fprintf(&b, " (%+v)", *n.Treated)
			}
			for _, e := range n.Edges {
				fmt.Fprintf(&b, "; out of i%d to node %d, %s to %s", e.Hop.Out, e.To, e.Left.Source, e.Left.Destination)
				if e.Treated != nil {
					fmt.Fprintf(&b, " (%+v)", *e.Treated)
				}
			}
			b.WriteString("\n")
		}
		fmt.Fprintf(&b, "  ends %+v\n", g.Endings)
	}
	return b.String()
}
