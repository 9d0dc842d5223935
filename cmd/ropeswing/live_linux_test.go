package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
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

// Real pings in network namespaces agree with the prediction where the network is as
// planned, and tell where it is not: 'gone' is not there, 'stray' has a gateway though
// the plan's is wrong.
func TestLivePingsBesideThePrediction(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("passed over: it needs root to make network namespaces")
	}
	if _, err := exec.LookPath("ip"); err != nil {
		t.Skip("passed over: it needs the program ip (Debian's iproute2)")
	}
	ns := func(name string) string { return fmt.Sprintf("rslive-%d-%s", os.Getpid(), name) }
	ip := func(line string) {
		for _, n := range []string{"laptop", "router", "lamp"} {
			line = strings.ReplaceAll(line, "@"+n, ns(n))
		}
		out, err := exec.Command("ip", strings.Fields(line)...).CombinedOutput()
		require.NoError(t, err, "%s: %s", line, out)
	}
	for _, n := range []string{"laptop", "router", "lamp"} {
		if out, err := exec.Command("ip", "netns", "add", ns(n)).CombinedOutput(); err != nil {
			t.Skipf("passed over: no network namespace can be made here: %s", out)
		}
		t.Cleanup(func() { _ = exec.Command("ip", "netns", "del", ns(n)).Run() })
	}
	for _, n := range []string{"@laptop", "@router", "@lamp"} { // nobody is to wait for duplicates to be found
		for _, which := range []string{"all", "default"} {
			ip("netns exec " + n + " sysctl -qw net.ipv6.conf." + which + ".accept_dad=0")
		}
	}
	for _, line := range []string{
		"link add eth0 netns @laptop type veth peer name eth0 netns @router", "link add eth1 netns @router type veth peer name eth0 netns @lamp",
		"-n @laptop link set eth0 up", "-n @router link set eth0 up", "-n @router link set eth1 up", "-n @lamp link set eth0 up",
		"-n @laptop addr add 10.77.1.10/24 dev eth0", "-n @router addr add 10.77.1.1/24 dev eth0", "-n @router addr add 10.77.2.1/24 dev eth1", "-n @lamp addr add 10.77.2.10/24 dev eth0", "-n @lamp addr add 10.77.2.12/24 dev eth0",
		"-n @laptop addr add 2001:db8:77:1::a/64 dev eth0 nodad", "-n @router addr add 2001:db8:77:1::1/64 dev eth0 nodad", "-n @router addr add 2001:db8:77:2::1/64 dev eth1 nodad", "-n @lamp addr add 2001:db8:77:2::a/64 dev eth0 nodad",
		"-n @laptop route add default via 10.77.1.1", "-n @lamp route add default via 10.77.2.1", "-n @laptop route add default via 2001:db8:77:1::1", "-n @lamp route add default via 2001:db8:77:2::1",
		"netns exec @router sysctl -qw net.ipv4.ip_forward=1", "netns exec @router sysctl -qw net.ipv6.conf.all.forwarding=1",
	} {
		ip(line)
	}
	dir := t.TempDir()
	write(t, dir, "rooms.plan.yaml", livePlan)
	ask := func(args ...string) result {
		cmd := exec.Command("ip", append([]string{"netns", "exec", ns("laptop"), program, "ping", "--live"}, args...)...)
		cmd.Dir = dir
		var out, errs strings.Builder
		cmd.Stdout, cmd.Stderr = &out, &errs
		_ = cmd.Run()
		return result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
	}
	r := ask("lamp", "r", "--save", "before.json")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.Equal(t, "4 of 4 reply, as predicted · measured live", first(r.out), "both families of both")

	r = ask("lamp", "gone", "stray", "-4", "-o", "json")
	assert.Equal(t, 1, r.code)
	var v struct {
		Asked, Replied, Differ int
		Echoes                 []struct {
			Target, Answer, Predicted, Tells string
			Replied                          bool
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &v), r.err)
	assert.Equal(t, []int{3, 2, 2}, []int{v.Asked, v.Replied, v.Differ})
	assert.Equal(t, "works", v.Echoes[1].Predicted)
	assert.False(t, v.Echoes[1].Replied)
	if v.Echoes[1].Answer != "" { // the router may take its time to say that nobody is there
		assert.Equal(t, "host unreachable says 10.77.1.1", v.Echoes[1].Answer)
		assert.Equal(t, "the answer came from hop 1, r: the fault is there or beyond it", v.Echoes[1].Tells)
	} else {
		assert.Contains(t, v.Echoes[1].Tells, "nothing came back")
	}
	assert.Equal(t, "fails", v.Echoes[2].Predicted)
	assert.Contains(t, v.Echoes[2].Tells, "the network is not as planned: by the plan it should not work, for")

	assert.Equal(t, "3 of 6 reply, 4 not as predicted · measured live", first(ask("everyone").out), "both families of lamp, gone and stray, not this machine's own")
	assert.Equal(t, "1 of 2 reply, 1 not as predicted · measured live", first(ask("lights", "-6").out))

	inside := func(args ...string) result {
		cmd := exec.Command("ip", append([]string{"netns", "exec", ns("laptop"), program}, args...)...)
		cmd.Dir = dir
		var out, errs strings.Builder
		cmd.Stdout, cmd.Stderr = &out, &errs
		_ = cmd.Run()
		return result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
	}
	r = inside("check", "--live", "--standing-at", "laptop")
	assert.Equal(t, 1, r.code, r.err)
	assert.Contains(t, first(r.out), "2 of 3 requirements that start at laptop hold · measured live")
	assert.Contains(t, oneLine(r.out), "laptop reaches stray does not hold 2 no reply of 2001:db8:77:2::c (stray:eth0)")
	assert.Contains(t, oneLine(r.out), "everyone reaches lamp over tcp/22 not measured 2 a ping says nothing of tcp/22")
	r = inside("here")
	assert.Equal(t, 0, r.code, r.err)
	assert.Contains(t, first(r.out), "this machine is laptop")
	assert.Contains(t, oneLine(r.out), "eth0 10.77.1.10/24 room laptop:eth0 10.77.1.1")
	assert.Contains(t, r.out, "next    ropeswing ping --live 10.77.1.1 --standing-at laptop")

	ip("-n @lamp link set eth0 down")
	r = ask("lamp", "r", "--baseline", "before.json")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.out, "answered before, and does not now: lamp (10.77.2.10)")
	assert.NotContains(t, r.out, "does not now: r (")
	require.NoError(t, os.Remove(filepath.Join(dir, "rooms.plan.yaml")))
	r = ask("10.77.1.1")
	assert.Equal(t, "10.77.1.1 replies · measured live", first(r.out), "without a plan there is nothing to compare with")
	assert.Contains(t, ask("lamp").err, "without a plan targets are addresses")
	assert.Contains(t, ask().err, "ping whom?")
}
