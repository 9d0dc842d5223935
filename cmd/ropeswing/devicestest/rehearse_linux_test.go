package devicestest

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/clitest"

	"ropeswing/demo"
)

const roomsPlan = `ropeswing: 1
plan: two rooms
operator: desk
must:
  - desk reaches lamp over tcp/80
  - lamp does not reach desk over udp/53
  - lamp reaches 192.0.2.129 over tcp/8443
  - lamp reaches 192.0.2.140 over udp/5300
  - lamp reaches desk over udp/7 marked ef
  - lamp does not reach desk over udp/7 marked af11
  - lamp does not reach desk over udp/7
  - lamp reaches desk over tcp/7 marked 1
segments: {left: {prefix: [192.0.2.0/25, "2001:db8:1::/64"]}, right: {prefix: [192.0.2.128/25, "2001:db8:2::/64"]}}
devices:
  middle:
    is: firewall
    interfaces: {eth0: {segment: left, address: first}, eth1: {segment: right, address: first}}
    permits:
      - left may reach right
      - lamp may reach desk over icmp
      - lamp may reach desk over tcp/443,udp/54
      - lamp may reach desk over udp/7 marked ef
      - lamp may reach desk over tcp/7 marked le
    translates: [desk:443 is eth1:8443 beyond eth1, desk:54 is 192.0.2.140:5300 beyond eth1 over udp]
  desk: {is: host, interfaces: {eth0: {segment: left, address: 10}}}
  lamp: {is: host, interfaces: {eth0: {segment: right, address: 10}}}
`

// spacesOf is the network namespaces that a process holds beside its own, as the kernel names them. Nobody else's
// count: whatever ends meanwhile on the machine is no matter of this program.
func spacesOf(pid int) map[string]bool {
	own, _ := os.Readlink("/proc/self/ns/net")
	all := map[string]bool{}
	for _, pattern := range []string{"fd/*", "task/*/ns/net"} {
		links, _ := filepath.Glob(fmt.Sprintf("/proc/%d/%s", pid, pattern))
		for _, link := range links {
			if to, err := os.Readlink(link); err == nil && strings.HasPrefix(to, "net:[") && to != own {
				all[to] = true
			}
		}
	}
	return all
}

// held is which of some namespaces any process still holds.
func held(spaces map[string]bool) []string {
	var all []string
	processes, _ := filepath.Glob("/proc/[0-9]*")
	for _, p := range processes {
		pid, _ := strconv.Atoi(filepath.Base(p))
		for s := range spacesOf(pid) {
			if spaces[s] {
				all = append(all, fmt.Sprintf("%s by process %d", s, pid))
			}
		}
	}
	return all
}

func TestRehearseDoesAsPredicted(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	dir := t.TempDir()
	write(t, dir, "rooms.plan.yaml", roomsPlan)
	r := run(t, dir, "rehearse", "--failures", "1", "-o", "json", "--capture", "middle:eth1", "first.pcapng")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	var v struct {
		Pings        int `json:"pings"`
		Predicted    int `json:"pings_as_predicted"`
		Replies      int
		Requirements []struct{ Outcome string }
		Differ       []any
		Failures     []struct {
			Part   string
			Lost   int
			CutOff []string `json:"cut_off"`
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
	assert.Empty(t, v.Differ)
	assert.Equal(t, v.Pings, v.Predicted)
	assert.Equal(t, 24, v.Pings, "three devices, four addresses in each family")
	assert.Greater(t, v.Replies, 10)
	for _, m := range v.Requirements {
		assert.Equal(t, "holds", m.Outcome)
	}
	var swept struct {
		Losses []struct {
			Without []string
			Lost    int
			CutOff  []string `json:"cut_off"`
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "reach", "--failures", "1", "-o", "json").Out), &swept))
	require.Len(t, swept.Losses, len(v.Failures))
	for _, l := range swept.Losses { // the same places, counted alike
		for _, f := range v.Failures {
			if f.Part == l.Without[0] {
				assert.Equal(t, l.Lost, f.Lost, f.Part)
				assert.Equal(t, l.CutOff, f.CutOff, f.Part)
			}
		}
	}
	shown := run(t, dir, "show", "packets", "first.pcapng")
	assert.Contains(t, shown.Out, "192.0.2.138")
}

// A requirement that does not hold is told with the pair, and ends with code 1.
func TestRehearseTellsWhatDoesNotHold(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	dir := t.TempDir()
	write(t, dir, "rooms.plan.yaml", strings.Replace(roomsPlan, "lamp does not reach desk over udp/53", "lamp reaches desk over tcp/22", 1))
	r := run(t, dir, "rehearse")
	assert.Equal(t, 1, r.Code, r.Out+r.Err)
	assert.Contains(t, r.Out, "does not hold  lamp reaches desk over tcp/22: 192.0.2.138 (lamp:eth0) does not reach 192.0.2.10 (desk:eth0)")
}

func TestRehearsePrompt(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	in := "ping tern-cam\ncut beam-a\ncut beam-a\nstate\ntrace tern-cam\nwhy\nat tern-rock /bin/sh -c exit\nrestart tern-rock\nmend all\n" +
		"ping nobody\npign tern-cam\nhelp\nleave\nping tern-cam\n"
	r := start(t, filepath.Join(dir), []string{"PATH=" + os.Getenv("PATH")}, in, "rehearse", "--from", "ops-laptop", "--to", "tern-cam",
		"--stay")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	for _, want := range []string{
		"reply  ops-laptop to 10.48.3.2 (tern-cam:port) · as predicted", "out of order: beam-a", "beam-a is out of order already",
		"silent: quay-edge watches 10.48.0.5",
		"(gull-point:beam1)  time exceeded", "ops-laptop reaches tern-cam in IPv4 and IPv6 without beam-a", "tern-rock restarted",
		"nothing is out of order", "did you mean ping?",
	} {
		assert.Contains(t, r.Out, want)
	}
	assert.Equal(t, 1, strings.Count(r.Out, "$ ping tern-cam"), "nothing is done behind 'leave'")
}

// Nothing is left, however the program ends.
func TestRehearseIsGoneWhenKilled(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	dir := t.TempDir()
	most := 0
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	for _, sig := range []syscall.Signal{syscall.SIGKILL, syscall.SIGTERM, syscall.SIGINT} {
		for _, after := range []time.Duration{150 * time.Millisecond, 1500 * time.Millisecond} {
			cmd := exec.Command(program, "rehearse", "--failures", "1")
			cmd.Dir = dir
			require.NoError(t, cmd.Start())
			time.Sleep(after)
			spaces := spacesOf(cmd.Process.Pid)
			most = max(most, len(spaces))
			require.NoError(t, cmd.Process.Signal(sig))
			ended := make(chan error)
			go func() { ended <- cmd.Wait() }()
			select {
			case <-ended:
			case <-time.After(20 * time.Second):
				_ = cmd.Process.Kill()
				t.Fatalf("%v after %v does not end it", sig, after)
			}
			assert.EventuallyWithT(t, func(c *assert.CollectT) { // a child that it had hears of the end from the system
				assert.Empty(c, held(spaces), "%v after %v", sig, after)
			}, 3*time.Second, 50*time.Millisecond)
		}
	}
	assert.Positive(t, most, "it had namespaces to leave")
}

// What makes a rehearsal impossible is told in one message, with exit code 3.
func TestRehearseNotPossible(t *testing.T) {
	clitest.Rehearsable(t)
	dir := t.TempDir()
	write(t, dir, "rooms.plan.yaml", roomsPlan)
	cmd := exec.Command("unshare", "-Ur", "sh", "-c", "echo 0 > /proc/sys/user/max_net_namespaces && exec "+program+" rehearse")
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	var ended *exec.ExitError
	require.ErrorAs(t, err, &ended, string(out))
	assert.Equal(t, 3, ended.ExitCode(), string(out))
	assert.Contains(t, string(out), "allows no more network namespaces")

	var many strings.Builder
	many.WriteString("ropeswing: 1\nsegments: {s: {prefix: 10.0.0.0/16}}\ndevices:\n  h-(1..501): {is: host, interfaces: {e: {segment: s, " +
		"address: (n)}}}\n")
	write(t, dir, "rooms.plan.yaml", many.String())
	r := run(t, dir, "rehearse")
	assert.Equal(t, 3, r.Code)
	assert.Contains(t, r.Err, "501 devices, and up to 500 are made")
	r = run(t, dir, "rehearse", "--join")
	assert.Equal(t, 3, r.Code)
	assert.Contains(t, r.Err, "no rehearsal runs here")
}

// A user who is not root may rehearse too, where the system lets users make namespaces.
func TestRehearseWithoutRoot(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	if os.Getuid() != 0 {
		t.Skip("passed over: the others are run without root then")
	}
	dir, err := os.MkdirTemp("/tmp", "rehearse")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	write(t, dir, "rooms.plan.yaml", roomsPlan)
	text, err := os.ReadFile(program)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ropeswing"), text, 0o755))
	cmd := exec.Command(filepath.Join(dir, "ropeswing"), "rehearse")
	cmd.Dir = dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
	out, err := cmd.CombinedOutput()
	if strings.Contains(string(out), "no user namespace can be made") {
		t.Skip("passed over: this system lets no user make namespaces")
	}
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "24 of 24 pings")
}
