package devicestest

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const livePlan = `ropeswing: 1
plan: two rooms
operator: laptop
groups: {lights: [lamp, gone]}
must:
  - laptop reaches lamp
  - laptop does not reach gone
  - laptop reaches stray
  - everyone reaches lamp over tcp/22
segments: {room: {prefix: [10.77.1.0/24, "2001:db8:77:1::/64"]}, far: {prefix: [10.77.2.0/24, "2001:db8:77:2::/64"]}}
devices:
  laptop: {is: host, interfaces: {eth0: {segment: room, address: 10}}}
  r: {is: router, interfaces: {eth0: {segment: room, address: first}, eth1: {segment: far, address: first}}}
  lamp: {is: host, interfaces: {eth0: {segment: far, address: 10}}}
  gone: {is: host, interfaces: {eth0: {segment: far, address: 11}}}
  stray: {is: host, gateway: "10.77.2.99", interfaces: {eth0: {segment: far, address: 12}}}
`

// labs counts the labs made of namespaces.
var labs atomic.Int32

// namespaces makes some, and runs the lines of ip: @NAME is one of them. What comes back
// runs further lines, and runs a command within one.
func namespaces(t *testing.T, names []string, lines ...string) (ip func(line string), in func(name, dir string, args ...string) result) {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("passed over: it needs root to make network namespaces")
	}
	if _, err := exec.LookPath("ip"); err != nil {
		t.Skip("passed over: it needs the program ip (Debian's iproute2)")
	}
	number := labs.Add(1)
	ns := func(name string) string { return fmt.Sprintf("rslive-%d-%d-%s", os.Getpid(), number, name) }
	ip = func(line string) {
		t.Helper()
		for _, n := range names {
			line = strings.ReplaceAll(line, "@"+n, ns(n))
		}
		out, err := exec.Command("ip", strings.Fields(line)...).CombinedOutput()
		require.NoError(t, err, "%s: %s", line, out)
	}
	for _, n := range names {
		if out, err := exec.Command("ip", "netns", "add", ns(n)).CombinedOutput(); err != nil {
			t.Skipf("passed over: no network namespace can be made here: %s", out)
		}
		t.Cleanup(func() { _ = exec.Command("ip", "netns", "del", ns(n)).Run() })
	}
	for _, n := range names { // nobody is to wait for duplicates to be found, and errors are to come at once
		for _, setting := range []string{"net.ipv6.conf.all.accept_dad=0", "net.ipv6.conf.default.accept_dad=0", "net.ipv4.icmp_ratelimit=0",
			"net.ipv6.icmp.ratelimit=0"} {
			ip("netns exec @" + n + " sysctl -qw " + setting)
		}
	}
	for _, line := range lines {
		ip(line)
	}
	return ip, func(name, dir string, args ...string) result {
		cmd := exec.Command("ip", append([]string{"netns", "exec", ns(name)}, args...)...)
		cmd.Dir = dir
		var out, errs strings.Builder
		cmd.Stdout, cmd.Stderr = &out, &errs
		_ = cmd.Run()
		return result{Out: out.String(), Err: errs.String(), Code: cmd.ProcessState.ExitCode()}
	}
}

// Real pings in network namespaces agree with the prediction where the network is as
// planned, and tell where it is not: 'gone' is not there, 'stray' has a gateway though
// the plan's is wrong.
func TestLivePingsBesideThePrediction(t *testing.T) {
	t.Parallel()
	ip, in := namespaces(t, []string{"laptop", "router", "lamp"},
		"link add eth0 netns @laptop type veth peer name eth0 netns @router",
		"link add eth1 netns @router type veth peer name eth0 netns @lamp",
		"-n @laptop link set eth0 up", "-n @router link set eth0 up", "-n @router link set eth1 up", "-n @lamp link set eth0 up",
		"-n @laptop addr add 10.77.1.10/24 dev eth0", "-n @router addr add 10.77.1.1/24 dev eth0", "-n @router addr add 10.77.2.1/24 dev eth1",
		"-n @lamp addr add 10.77.2.10/24 dev eth0", "-n @lamp addr add 10.77.2.12/24 dev eth0",
		"-n @laptop addr add 2001:db8:77:1::a/64 dev eth0 nodad", "-n @router addr add 2001:db8:77:1::1/64 dev eth0 nodad",
		"-n @router addr add 2001:db8:77:2::1/64 dev eth1 nodad", "-n @lamp addr add 2001:db8:77:2::a/64 dev eth0 nodad",
		"-n @laptop route add default via 10.77.1.1", "-n @lamp route add default via 10.77.2.1",
		"-n @laptop route add default via 2001:db8:77:1::1", "-n @lamp route add default via 2001:db8:77:2::1",
		"netns exec @router sysctl -qw net.ipv4.ip_forward=1", "netns exec @router sysctl -qw net.ipv6.conf.all.forwarding=1",
	)
	dir := t.TempDir()
	write(t, dir, "rooms.plan.yaml", livePlan)
	inside := func(args ...string) result { return in("laptop", dir, append([]string{program}, args...)...) }
	ask := func(args ...string) result { return inside(append([]string{"ping", "--live"}, args...)...) }
	r := ask("lamp", "r", "--save", "before.json")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, "4 of 4 reply, as predicted · measured live", first(r.Out), "both families of both")

	r = ask("lamp", "gone", "stray", "-4", "-o", "json")
	assert.Equal(t, 1, r.Code)
	var v struct {
		Asked, Replied, Differ int
		Echoes                 []struct {
			Target, Answer, Predicted, Meaning string
			Replied                            bool
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v), r.Err)
	assert.Equal(t, []int{3, 2, 2}, []int{v.Asked, v.Replied, v.Differ})
	assert.Equal(t, "works", v.Echoes[1].Predicted)
	assert.False(t, v.Echoes[1].Replied)
	if v.Echoes[1].Answer != "" { // the router may take its time to say that nobody is there
		assert.Equal(t, "host unreachable says 10.77.1.1", v.Echoes[1].Answer)
		assert.Equal(t, "the answer came from hop 1, r: the fault is there or beyond it", v.Echoes[1].Meaning)
	} else {
		assert.Contains(t, v.Echoes[1].Meaning, "nothing came back")
	}
	assert.Equal(t, "fails", v.Echoes[2].Predicted)
	assert.Contains(t, v.Echoes[2].Meaning, "the network is not as planned: by the plan it should not work, for")

	assert.Equal(t, "3 of 6 reply, 4 not as predicted · measured live", first(ask("everyone").Out),
		"both families of lamp, gone and stray, not this machine's own")
	assert.Equal(t, "1 of 2 reply, 1 not as predicted · measured live", first(ask("lights", "-6").Out))

	r = inside("check", "--ping", "--standing-at", "laptop")
	assert.Equal(t, 1, r.Code, r.Err)
	assert.Contains(t, first(r.Out), "2 of 3 requirements that start at laptop hold, ")
	assert.Contains(t, oneLine(r.Out), "laptop reaches stray does not hold 2 no reply of 2001:db8:77:2::c (stray:eth0)")
	assert.Contains(t, oneLine(r.Out), "everyone reaches lamp over tcp/22 not measured 2 a ping says nothing of tcp/22")
	assert.Contains(t, inside("check", "--save", "x").Err, "go with --ping")
	inside("check", "--ping", "--save", "kept.json")
	r = inside("here")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, first(r.Out), "this machine is laptop")
	assert.Contains(t, oneLine(r.Out), "eth0 10.77.1.10/24 room laptop:eth0 10.77.1.1")
	assert.Contains(t, r.Out, "next    ropeswing ping --live 10.77.1.1 --standing-at laptop")

	ip("-n @lamp link set eth0 down")
	r = ask("lamp", "r", "--baseline", "before.json")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "answered before, and does not now: lamp (10.77.2.10)")
	assert.NotContains(t, r.Out, "does not now: r (")
	assert.Contains(t, inside("check", "--ping", "--baseline", "kept.json").Out, "answered before, and does not now: 10.77.2.10 (lamp:eth0)")
	assert.Contains(t, ask("lamp", "--baseline", "none.json").Err, "none.json: no such file")
	require.NoError(t, os.Remove(filepath.Join(dir, "rooms.plan.yaml")))
	r = ask("10.77.1.1")
	assert.Equal(t, "10.77.1.1 replies · measured live", first(r.Out), "without a plan there is nothing to compare with")
	assert.Contains(t, ask("lamp").Err, "without a plan targets are addresses")
	assert.Contains(t, ask().Err, "ping whom?")
}

const hallPlan = `ropeswing: 1
plan: two rooms and a hall
operator: laptop
segments:
  room: {prefix: [10.77.1.0/24, "2001:db8:77:1::/64"]}
  hall: {prefix: [10.77.0.0/30, "2001:db8:77::/64"]}
  far: {prefix: [10.77.2.0/24, "2001:db8:77:2::/64"]}
devices:
  laptop: {is: host, interfaces: {eth0: {segment: room, address: 10}}}
  r1: {is: router, interfaces: {eth0: {segment: room, address: first}, eth1: {segment: hall, address: first}}, routes: {default: r2}}
  r2: {is: router, interfaces: {eth0: {segment: hall, address: 2}, eth1: {segment: far, address: first}}, routes: {room: r1}}
  lamp: {is: host, interfaces: {eth0: {segment: far, address: 10}}}
`

// hall makes the network of the plan of that name.
func hall(t *testing.T) (ip func(line string), in func(name, dir string, args ...string) result) {
	t.Helper()
	var lines []string
	for _, l := range [][2]string{{"laptop eth0", "one eth0"}, {"one eth1", "two eth0"}, {"two eth1", "lamp eth0"}} {
		a, b := strings.Fields(l[0]), strings.Fields(l[1])
		lines = append(lines, fmt.Sprintf("link add %s netns @%s type veth peer name %s netns @%s", a[1], a[0], b[1], b[0]))
	}
	for _, r := range []string{"one", "two"} {
		lines = append(lines, "netns exec @"+r+" sysctl -qw net.ipv4.ip_forward=1", "netns exec @"+r+
			" sysctl -qw net.ipv6.conf.all.forwarding=1")
	}
	return namespaces(t, []string{"laptop", "one", "two", "lamp"}, append(lines, hallAddressing()...)...)
}

// hallAddressing are the lines that give the network its addresses and routes, again too.
func hallAddressing() []string {
	var lines []string
	for _, x := range []string{"laptop eth0 10.77.1.10/24 2001:db8:77:1::a/64", "one eth0 10.77.1.1/24 2001:db8:77:1::1/64",
		"one eth1 10.77.0.1/30 2001:db8:77::1/64",
		"two eth0 10.77.0.2/30 2001:db8:77::2/64", "two eth1 10.77.2.1/24 2001:db8:77:2::1/64", "lamp eth0 10.77.2.10/24 2001:db8:77:2::a/64"} {
		f := strings.Fields(x)
		lines = append(lines, fmt.Sprintf("-n @%s link set %s up", f[0], f[1]), fmt.Sprintf("-n @%s addr replace %s dev %s", f[0], f[2], f[1]),
			fmt.Sprintf("-n @%s addr replace %s dev %s nodad", f[0], f[3], f[1]))
	}
	for _, n := range []string{"laptop", "one", "two", "lamp"} {
		lines = append(lines, "-n @"+n+" -4 route flush proto boot", "-n @"+n+" -6 route flush proto boot")
	}
	for _, x := range []string{"laptop default 10.77.1.1", "laptop default 2001:db8:77:1::1", "one default 10.77.0.2",
		"one default 2001:db8:77::2",
		"two 10.77.1.0/24 10.77.0.1", "two 2001:db8:77:1::/64 2001:db8:77::1", "lamp default 10.77.2.1", "lamp default 2001:db8:77:2::1"} {
		f := strings.Fields(x)
		lines = append(lines, fmt.Sprintf("-n @%s route add %s via %s", f[0], f[1], f[2]))
	}
	return lines
}

// Real traces agree with the prediction by ICMP and UDP, for root and for others, and
// tell where the way is not as planned.
func TestLiveTracesBesideThePrediction(t *testing.T) {
	t.Parallel()
	ip, in := hall(t)
	dir := t.TempDir()
	write(t, dir, "hall.plan.yaml", hallPlan)
	trace := func(args ...string) result {
		return in("laptop", dir, append([]string{program, "trace", "--live"}, args...)...)
	}
	times := regexp.MustCompile(` \d+\.\d\d `)
	rows := func(r result) string { return times.ReplaceAllString(oneLine(r.Out), " ") }

	r := trace("lamp", "-4")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, "lamp is reached in 3 hops, as predicted · measured live with ICMP", first(r.Out))
	assert.Contains(t, rows(r), "1 10.77.1.1 r1 time exceeded r1 2 10.77.0.2 r2 time exceeded r2 3 10.77.2.10 lamp reply lamp")
	for _, n := range []string{"laptop", "one", "two", "lamp"} { // now that they know one another
		require.Equal(t, 0, in(n, dir, program, "observe", "--here", "-w", "known").Code)
	}
	require.Equal(t, 0, in("laptop", dir, program, "draft", "known", "--to", "drafted.yaml", "-w").Code)
	drafted := read(t, dir, "drafted.yaml")
	for _, cable := range []string{"laptop:eth0 to r1:eth0", "r1:eth1 to r2:eth0", "lamp:eth0 to r2:eth1"} {
		assert.Contains(t, drafted, cable, "from who is whose neighbour")
	}
	r = in("laptop", dir, program, "compare", "known", "-p", "drafted.yaml")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	r = trace("lamp", "r1", "--probes", "udp")
	assert.Equal(t, "4 of 4 reached, as predicted · measured live with UDP", first(r.Out), r.Err)
	assert.Contains(t, rows(r), "2 2001:db8:77::2 r2 time exceeded r2 3 2001:db8:77:2::a lamp port unreachable lamp")

	// Each tells what it is by its kernel, and all is as planned.
	for _, n := range []string{"laptop", "one", "two", "lamp"} {
		r = in(n, dir, program, "observe", "--here", "-w", "state")
		assert.Equal(t, 0, r.Code, r.Err)
	}
	r = in("laptop", dir, program, "compare", "state")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Regexp(t, `^as planned: all \d+ things that are known`, first(r.Out))
	assert.NotContains(t, r.Out, "not observed")
	ip("-n @laptop route replace default via 10.77.1.9")
	assert.Contains(t, in("laptop", dir, program, "here").Out, "should hold too: the default route via 10.77.1.1, and not via 10.77.1.9")
	in("laptop", dir, program, "observe", "--here", "-w", "state")
	assert.Contains(t, oneLine(in("laptop", dir, program, "compare", "state").Out),
		"laptop next hop 0.0.0.0/0 different via 10.77.1.1 (r1:eth0) via 10.77.1.9")
	ip("-n @laptop route replace default via 10.77.1.1")
	assert.Contains(t, in("laptop", dir, program, "observe", "--here", "lists.json").Err, "--here is this machine itself")

	// A user without rights: by datagrams, until the system lets everyone ping.
	common := filepath.Join(dir, "ropeswing")
	text, err := os.ReadFile(program)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(common, text, 0o755))
	require.NoError(t, os.Chmod(filepath.Dir(dir), 0o755))
	if _, err := exec.LookPath("setpriv"); err == nil {
		anyone := func(args ...string) result {
			return in("laptop", dir, append([]string{"setpriv", "--reuid", "65534", "--clear-groups", common}, args...)...)
		}
		in("laptop", dir, "sysctl", "-qw", "net.ipv4.ping_group_range=1 0")
		assert.Equal(t, "2 of 2 reached, as predicted · measured live with UDP", first(anyone("trace", "--live", "lamp").Out))
		r = anyone("ping", "--live", "lamp")
		assert.Equal(t, 3, r.Code)
		assert.Contains(t, r.Err, "the system does not let you send pings")
		in("laptop", dir, "sysctl", "-qw", "net.ipv4.ping_group_range=0 2147483647")
		assert.Equal(t, "2 of 2 reached, as predicted · measured live with ICMP", first(anyone("trace", "--live", "lamp").Out))
		assert.Equal(t, "2 of 2 reply, as predicted · measured live", first(anyone("ping", "--live", "lamp").Out))
		ip("-n @two route add prohibit 10.77.2.10/32")
		assert.Contains(t, rows(anyone("ping", "--live", "lamp", "-4")), "administratively prohibited says 10.77.0.2",
			"errors are heard without rights too")
		ip("-n @two route del prohibit 10.77.2.10/32")
	}

	tells := func(about, want, next string, args ...string) {
		t.Helper()
		r := trace(args...)
		assert.Equal(t, 1, r.Code, about)
		assert.Contains(t, rows(r), "not as predicted: "+want, about)
		if next != "" {
			assert.Contains(t, r.Out, "next    ropeswing show "+next, about)
		}
	}
	ip("-n @two route add prohibit 10.77.2.10/32")
	tells("refused", "r2 says 'administratively prohibited': it does not let the probe pass", "permits r2", "lamp", "-4")
	ip("-n @two route del prohibit 10.77.2.10/32")
	ip("-n @two route add 10.77.2.10/32 via 10.77.0.1")
	tells("a loop", "hop 3 is r1, and by the plan it is lamp: r1 and r2 pass it round", "routes r2", "lamp", "-4")
	ip("-n @two route del 10.77.2.10/32 via 10.77.0.1")
	ip("-n @two route del 10.77.1.0/24 via 10.77.0.1")
	tells("no return path", "nothing comes back from hop 2 on, which is r2 by the plan: look at the routes of r1, at r2, and at the "+
		"return path", "routes r1 r2", "lamp", "-4", "--probes", "udp")
	ip("-n @two route add 10.77.1.0/24 via 10.77.0.1")
	ip("-n @one route del default via 2001:db8:77::2")
	tells("no route", "r1 says 'no route to destination': it has no route there", "routes r1", "lamp", "-6")
	ip("-n @laptop route del default via 10.77.1.1")
	tells("this machine has no route", "this machine cannot send it: network is unreachable", "routes laptop", "lamp", "-4")
	ip("-n @laptop route add default via 10.77.1.1")
	ip("-n @lamp link set eth0 down")
	r = trace("lamp", "-4", "-o", "json")
	var v struct {
		Reached int
		Traces  []struct {
			Differs string
			Hops    []struct {
				Predicted []string
				Answers   []struct{ Device, Answer string }
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v), r.Err)
	require.Len(t, v.Traces[0].Hops, 3)
	assert.Equal(t, "r2 says 'host unreachable', and by the plan hop 3 is lamp: nobody answers it on the link, so look at lamp, its "+
		"address and the cable", v.Traces[0].Differs)
	assert.Equal(t, []string{"lamp"}, v.Traces[0].Hops[2].Predicted)
	assert.Equal(t, "host unreachable", v.Traces[0].Hops[2].Answers[0].Answer)

	require.NoError(t, os.Remove(filepath.Join(dir, "hall.plan.yaml")))
	assert.Equal(t, "10.77.0.2 is reached in 2 hops · measured live with ICMP", first(trace("10.77.0.2").Out),
		"without a plan there is nothing to compare with")
	assert.Contains(t, trace().Err, "trace whom?")
	assert.Contains(t, trace("10.77.0.2", "--probes", "smoke").Err, "--probes are icmp or udp")
}
