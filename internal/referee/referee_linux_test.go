package referee

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
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
	count, mandatory := 3, false
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
	removeLeftovers()
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
	t.Logf("%d networks: %d pings agree (%d of them get a reply), %d hops of traces agree, %d live pings and traces tell of no difference", count, score.pings, score.replies, score.hops, score.live)
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
	for program, where := range map[string]string{"ip": "iproute2", "nft": "nftables"} {
		if _, err := exec.LookPath(program); err != nil {
			return fmt.Errorf("it needs the program %s (Debian's %s)", program, where)
		}
	}
	name := fmt.Sprintf("rs-%d-try", os.Getpid())
	if out, err := exec.Command("ip", "netns", "add", name).CombinedOutput(); err != nil {
		return fmt.Errorf("no network namespace can be made here: %s", out)
	}
	return exec.Command("ip", "netns", "del", name).Run()
}

// removeLeftovers removes the namespaces of runs that were killed.
func removeLeftovers() {
	all, _ := filepath.Glob("/var/run/netns/rs-*-*")
	for _, path := range all {
		name := filepath.Base(path)
		if _, err := os.Stat("/proc/" + strings.Split(name, "-")[1]); err != nil {
			_ = exec.Command("ip", "netns", "del", name).Run()
		}
	}
}

// lab is one network as namespaces: one for each device, and one for the wires
// of segments that are wires themselves.
type lab struct {
	t      *testing.T
	spec   *model.Spec
	state  *network.State
	prefix string
	wires  int // the number of the namespace of the wires

	echoesOnly bool // not which address says where a trace is: of two subnets on a wire, Linux takes the one that is nearer to who asks
}

func (l *lab) ns(n int) string { return fmt.Sprintf("%s-%d", l.prefix, n) }

func referee(t *testing.T, seed uint64, s *score) {
	r := rand.New(rand.NewPCG(seed, 17))
	spec := coretest.Spec(t, strings.ReplaceAll(coretest.RandomNetwork(r, "{}"), "fault: hidden", "fault: seen"))
	if seed%3 == 0 {
		spec, _, _ = derive.Resolve(spec)
		for i := range spec.Statics {
			spec.Statics[i].Watch = netip.Addr{} // nobody probes here
		}
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
// cut: what a watch finds silent is taken out as the prediction says, and what the others
// then reach is asked. How many is said by ROPESWING_REFEREE_CUTS.
func TestLinuxAgreesWhenACableIsCut(t *testing.T) {
	count := 1
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
		cables := []network.Failure{}
		for _, end := range spec.Cables[cut.Cable].Ends { // to the kernel: a port at each end
			f := network.NoFailure
			f.Interface = end
			cables = append(cables, f)
		}
		after := net.Update(net.State.With(cables...))
		for d := range spec.Devices {
			for _, e := range after.Table(model.DeviceID(d)).Entries() {
				if e.Usable == routing.WatchSilent {
					silent++
				}
			}
		}
		realise(t, spec, cables, seed, r, score)
	}
	t.Logf("%d networks with a cable cut, %d routes taken out by a silent watch: %d pings agree (%d of them get a reply), %d hops of traces agree", count, silent, score.pings, score.replies, score.hops)
	if count >= 20 {
		require.Greater(t, silent, 10*count)
	}
}

// realise makes the network with parts of it out of order, and compares.
func realise(t *testing.T, spec *model.Spec, failures []network.Failure, seed uint64, r *rand.Rand, s *score) {
	asking = t
	spec.Settings.ErrorsTowardsSender[prefix.IPv6] = towardsSender6()
	state := network.Build(spec).State(failures...)
	l := &lab{t: t, spec: spec, state: state, prefix: fmt.Sprintf("rs-%d-%d", os.Getpid(), seed), wires: len(spec.Devices)}
	defer l.remove()
	l.build(failures)
	l.policies()
	net := forward.Resolve(state)
	l.observe(net)
	l.compare(net, r, s)
	l.live(net, r, s)
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

// remove takes all namespaces away, and with them what is in them.
func (l *lab) remove() {
	for n := 0; n <= l.wires; n++ {
		_ = exec.Command("ip", "netns", "del", l.ns(n)).Run()
	}
}

// batch runs ip on lines of commands, in a namespace.
func (l *lab) batch(ns string, lines []string) {
	args := []string{"-batch", "-"}
	if ns != "" {
		args = []string{"-n", ns, "-batch", "-"}
	}
	cmd := exec.Command("ip", args...)
	cmd.Stdin = strings.NewReader(strings.Join(lines, "\n"))
	out, err := cmd.CombinedOutput()
	require.NoError(l.t, err, "%s:\n%s\n%s", ns, out, strings.Join(lines, "\n"))
}

// asRouter is what makes Linux behave as the rules say.
const asRouter = `
for f in 4 6; do for d in /proc/sys/net/ipv$f/conf/*; do echo 1 > $d/ignore_routes_with_linkdown; done; done
for d in /proc/sys/net/ipv4/conf/*; do echo 0 > $d/rp_filter; echo 0 > $d/send_redirects; echo 0 > $d/accept_redirects; echo 1 > $d/arp_ignore; echo 2 > $d/arp_announce; done
for d in /proc/sys/net/ipv6/conf/*; do echo 0 > $d/accept_dad; echo 0 > $d/accept_ra; echo 0 > $d/accept_redirects; done
echo 0 > /proc/sys/net/ipv4/icmp_ratelimit
echo 0 > /proc/sys/net/ipv6/icmp/ratelimit
echo 1 > /proc/sys/net/ipv4/icmp_errors_use_inbound_ifaddr
for f in icmp_msgs_per_sec icmp_msgs_burst; do [ ! -w /proc/sys/net/ipv4/$f ] || echo 1000000 > /proc/sys/net/ipv4/$f; done
`

const forwarding = "echo 1 > /proc/sys/net/ipv4/ip_forward\necho 1 > /proc/sys/net/ipv6/conf/all/forwarding\n"

// build makes the namespaces, the wires between them, addresses and routes.
func (l *lab) build(failures []network.Failure) {
	var all []string
	for n := 0; n <= l.wires; n++ {
		all = append(all, "netns add "+l.ns(n))
	}
	inWires := []string{}
	port := func(id model.InterfaceID) string { return fmt.Sprintf("i%d", id) }
	for _, c := range l.spec.Cables {
		a, b := c.Ends[0], c.Ends[1]
		all = append(all, fmt.Sprintf("link add %s netns %s type veth peer name %s netns %s", port(a), l.ns(int(l.spec.Interfaces[a].Device)), port(b), l.ns(int(l.spec.Interfaces[b].Device))))
	}
	for s := range l.spec.Segments {
		inWires = append(inWires, fmt.Sprintf("link add br%d type bridge mcast_snooping 0", s), fmt.Sprintf("link set br%d up", s))
	}
	for id := range l.spec.Interfaces {
		i := &l.spec.Interfaces[id]
		if i.Kind == model.Loopback || l.state.Cable(model.InterfaceID(id)) != model.None {
			continue
		}
		all = append(all, fmt.Sprintf("link add %s netns %s type veth peer name w%d netns %s", port(model.InterfaceID(id)), l.ns(int(i.Device)), id, l.ns(l.wires)))
		inWires = append(inWires, fmt.Sprintf("link set w%d master br%d", id, i.Segment), fmt.Sprintf("link set w%d up", id))
	}
	l.batch("", all)
	l.batch(l.ns(l.wires), inWires)
	for d := range l.spec.Devices {
		script := asRouter
		if l.spec.Devices[d].Forwards {
			script = forwarding + asRouter
		}
		out, err := exec.Command("ip", "netns", "exec", l.ns(d), "sh", "-ec", script).CombinedOutput()
		require.NoError(l.t, err, string(out))
		l.batch(l.ns(d), l.device(model.DeviceID(d), failures))
	}
}

// device is the addresses and routes of one device.
func (l *lab) device(d model.DeviceID, failures []network.Failure) []string {
	lines := []string{"link set lo up"}
	for _, id := range l.spec.InterfacesOf(d) {
		if l.spec.Interfaces[id].Kind != model.Loopback {
			lines = append(lines, fmt.Sprintf("link set i%d address %s", id, macOf(id)))
		}
	}
	for _, id := range l.spec.InterfacesOf(d) {
		i := &l.spec.Interfaces[id]
		name := fmt.Sprintf("i%d", id)
		if i.Kind == model.Loopback {
			name = "lo"
		} else if !slices.ContainsFunc(failures, func(f network.Failure) bool { return f.Interface == id }) {
			lines = append(lines, "link set "+name+" up")
		}
		if !l.state.IsUp(id) {
			continue
		}
		for _, a := range i.Addresses {
			line := fmt.Sprintf("addr add %s dev %s", a.Prefix, name)
			if a.Addr().Is6() {
				line += " nodad"
			}
			lines = append(lines, line)
		}
	}
	for _, p := range l.spec.Devices[d].Beyond {
		lines = append(lines, fmt.Sprintf("route replace local %s dev lo", p.Prefix))
	}
	for _, e := range l.tables().Table(d).Entries() {
		if e.Static() == model.None || e.Usable != routing.IsUsable {
			continue
		}
		metric := int(e.Distance)
		if e.Prefix.Addr().Is6() {
			metric += 1000 // Linux gives direct routes of IPv6 the metric 256
		}
		switch {
		case len(e.Hops) == 0:
			lines = append(lines, fmt.Sprintf("route add blackhole %s metric %d", e.Prefix, metric))
		default:
			lines = append(lines, fmt.Sprintf("route add %s via %s dev i%d metric %d", e.Prefix, e.Hops[0].Via, e.Hops[0].Out, metric))
		}
	}
	return lines
}

func macOf(id model.InterfaceID) string {
	return fmt.Sprintf("02:00:5e:00:%02x:%02x", int(id)>>8, int(id)&255)
}

func (l *lab) tables() *forward.Network { return forward.Resolve(l.state) }

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
		for d, a := range l.askAll(asked) {
			for _, to := range a.targets {
				differs := l.differs(net, d, to, a, s)
				switch {
				case differs != "" && try < 2:
					again[d] = append(again[d], to)
				case differs != "":
					l.t.Errorf("network %s: %s to %s%s\n%s", l.prefix, l.spec.Devices[d].Name, to, differs, l.told(forward.Ping(net, d, netip.Addr{}, to, model.None)))
				}
			}
		}
		asked = again
	}
}

// askAll sends what each device is to ask, all at once.
func (l *lab) askAll(asked map[model.DeviceID][]netip.Addr) map[model.DeviceID]*answers {
	results := map[model.DeviceID]*answers{}
	var mutex sync.Mutex
	var group sync.WaitGroup
	for d, targets := range asked {
		asker, err := newAsker(l.ns(int(d)), 0x4000+int(d)<<4)
		require.NoError(l.t, err)
		group.Go(func() {
			defer asker.close()
			a := asker.ask(targets)
			mutex.Lock()
			defer mutex.Unlock()
			results[d] = a
		})
	}
	group.Wait()
	return results
}

// differs says in what Linux differs from what is predicted of one target; ""
// where in nothing.
func (l *lab) differs(net *forward.Network, d model.DeviceID, to netip.Addr, a *answers, s *score) string {
	x := forward.Ping(net, d, netip.Addr{}, to, model.None)
	if l.translatedTwice(x) {
		return ""
	}
	if x.Verdict() == forward.Depends || x.Verdict() == forward.Unclear {
		return ""
	}
	want, got := x.Verdict() == forward.Works, a.replied[to]
	if want != got {
		f, _ := x.Failure(net)
		return fmt.Sprintf(": predicted %v, Linux says %v (%s)", x.Verdict(), got, f.Words(net))
	}
	if l.echoesOnly {
		s.pings++
		if got {
			s.replies++
		}
		return ""
	}
	hops, differs := l.traceDiffers(net, x, a)
	if differs == "" {
		s.pings++
		s.hops += len(hops)
		tally(net, x, hops, s.rules)
		if got {
			s.replies++
		}
	}
	return differs
}

// translatedTwice tells whether packets come by a translator again.
func (l *lab) translatedTwice(x *forward.Exchange) bool {
	for _, g := range append([]*forward.Graph{x.There}, x.Back...) {
		seen := map[model.DeviceID]bool{}
		for _, n := range g.Nodes {
			if seen[n.Device] && len(l.spec.Devices[n.Device].Translates) > 0 {
				return true
			}
			seen[n.Device] = true
		}
		for _, e := range g.Endings {
			for _, n := range e.Loop {
				if len(l.spec.Devices[g.Nodes[n].Device].Translates) > 0 {
					return true
				}
			}
		}
	}
	return false
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

// traceDiffers compares who answers at each TTL. Only those answers are looked at
// that come at once: that nobody answers on a link is told after seconds.
func (l *lab) traceDiffers(net *forward.Network, x *forward.Exchange, a *answers) (hops []forward.TraceHop, differs string) {
	for i, n := range x.There.Nodes {
		if i > 0 && n.Device == x.From {
			return nil, "" // it comes by its sender again
		}
	}
	for _, hop := range forward.Follow(net, x).Hops {
		if hop.TTL > mostTTL || len(hop.Answers) != 1 {
			continue
		}
		answer := hop.Answers[0]
		word := answer.ICMP.Words(prefix.FamilyOf(x.Target))
		if !answer.Silent && late(word) {
			continue // that nobody answers on a link takes its time
		}
		got, did := a.hops[probeKey{x.Target, hop.TTL}]
		want := !answer.Silent && !answer.Lost && answer.Back != nil && answer.Back.Verdict() == forward.Works
		by := l.spec.Devices[answer.Device].Name
		switch {
		case did && late(got.word) && !want:
			continue // told of an earlier probe's neighbour
		case want && !did && word == "network unreachable":
			continue // Linux tells a peer of it only now and then, whatever the settings
		case want != did:
			differs := fmt.Sprintf(", TTL %d: predicted '%s' of %s: %v; Linux: %v %s %s", hop.TTL, word, by, want, did, got.from, got.word)
			if answer.Back != nil {
				differs += "; its way:\n" + l.told(&forward.Exchange{There: answer.Back})
			}
			return nil, differs
		case want && got.word != word:
			return nil, fmt.Sprintf(", TTL %d: predicted '%s' of %s, Linux says '%s' from %s", hop.TTL, word, by, got.word, got.from)
		case want && got.from != answer.Address:
			return nil, fmt.Sprintf(", TTL %d: predicted %s %s, Linux says %s", hop.TTL, by, answer.Address, got.from)
		}
		hops = append(hops, hop)
	}
	return hops, ""
}

// late tells whether a word is told only after a neighbour was asked in vain.
func late(word string) bool { return word == "host unreachable" || word == "address unreachable" }
