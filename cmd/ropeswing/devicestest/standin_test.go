package devicestest

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
	"ropeswing/internal/clitest"
)

// The whole round: a planned network of stand-ins is asked live, and is as planned; one that was
// found on a bad morning is not, by the very differences that its state has.
func TestStandInsAreAskedLive(t *testing.T) {
	t.Parallel()
	dir, at, who := standIns(t)
	assert.Len(t, at, 22)
	r := run(t, dir, "observe", "--live", "--access", filepath.Join(who, "access.yaml"), "-w", "asked")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Contains(t, r.Out, "22 of 22 devices answered")
	r = run(t, dir, "compare", "asked")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Contains(t, r.Out, "as planned: all")
	r = run(t, dir, "compare", "--live", "--access", filepath.Join(who, "access.yaml"))
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	r = run(t, dir, "observe", "--live", "cameras", "quay-edge", "--access", filepath.Join(who, "access.yaml"), "-o", "json")
	var v struct{ Asked, Answered int }
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
	assert.Equal(t, 4, v.Asked)
	r = run(t, dir, "observe", "--live", "nobody", "--access", filepath.Join(who, "access.yaml"))
	assert.Equal(t, 2, r.Code)
	secrets := ""
	for _, name := range []string{"auth", "privacy", "password", "community"} {
		text, err := os.ReadFile(filepath.Join(who, name))
		require.NoError(t, err)
		secrets += strings.TrimSpace(string(text)) + "|"
	}
	all := r.Out + r.Err
	require.NoError(t, filepath.WalkDir(filepath.Join(dir, "asked"), func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			all += string(text)
		}
		return err
	}))
	assert.NotRegexp(t, strings.TrimSuffix(secrets, "|"), all, "no secret is anywhere")
}

// 'check --live' is observing and then checking, in one; a state may be served by its folder alone.
func TestCheckLiveAsksAndThenChecks(t *testing.T) {
	t.Parallel()
	dir, at, who := standIns(t, "bad-morning/observed")
	assert.Len(t, at, 22)
	env := []string{"ROPESWING_ACCESS=" + filepath.Join(who, "access.yaml")}
	findings := func(r result) (basis string, all []any) {
		var v struct {
			Basis    string
			Findings []any
		}
		require.Equal(t, 1, r.Code, r.Err)
		require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
		return v.Basis, v.Findings
	}
	_, want := findings(run(t, dir, "check", "--observed", "bad-morning/observed", "-o", "json"))
	basis, got := findings(runWith(t, dir, env, "check", "--live", "-o", "json"))
	assert.Equal(t, "predicted from what was asked live", basis)
	assert.Equal(t, want, got)
	assert.Regexp(t, "^Skerry Lights: .*errors.* · predicted from what was asked live\n", runWith(t, dir, env, "check", "--live").Out)

	r := run(t, dir, "check", "--live")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "ROPESWING_ACCESS=FILE names another")
	assert.Contains(t, run(t, dir, "check", "--live", "--watch").Err, "look once")
	for _, with := range [][]string{{"--live"}, {"--with", "quay-edge: beam0 down"}} {
		r = run(t, dir, append([]string{"check", "--ping"}, with...)...)
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, "it goes without --with and --live")
	}
	r = run(t, dir, "check", "--ping")
	assert.Equal(t, 1, r.Code, "nothing found out is not well")
	assert.Regexp(t, `^nothing measured: .*ops-laptop \(2\)`, r.Out)
}

// A folder that is no state, and a plan or device that is not there, are told.
func TestStandInOfNothing(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "quay-edge"), 0o755))
	for _, x := range []struct{ name, err string }{
		{demo.Seen, "what devices said is read and kept by: ropeswing observe " + demo.Seen},
		{"nothere", "the plan has no device called nothere"},
		{"nothere.plan.yaml", "nothere.plan.yaml: error: there is no such file"},
	} {
		r := run(t, dir, "stand-in", x.name)
		assert.Equal(t, 2, r.Code, x.name)
		assert.Contains(t, r.Err, x.err)
	}
	assert.Contains(t, run(t, dir, "stand-in", "quay-edge", "nothere").Err, "nothere", "a device counts before a folder of its name")
}

// What changes while one looks is told, and only that.
func TestObserveEveryTellsWhatChanged(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var looking *exec.Cmd
	lines := make(chan string, 100)
	t.Run("while it is served", func(t *testing.T) {
		served, _, who := standIns(t, "desk-7")
		require.NoError(t, os.CopyFS(dir, os.DirFS(who)))
		for _, name := range []string{"key", "auth", "privacy", "password"} {
			require.NoError(t, os.Chmod(filepath.Join(dir, name), 0o600))
		}
		looking = exec.Command(program, "observe", "--live", "desk-7", "--access", filepath.Join(dir, "access.yaml"), "--every", "1s")
		looking.Dir = served
		out, err := looking.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, looking.Start())
		go func() {
			for s := bufio.NewScanner(out); s.Scan(); {
				lines <- s.Text()
			}
			close(lines)
		}()
		assert.Equal(t, "1 of 1 device answered · asked live", <-lines)
		time.Sleep(2500 * time.Millisecond)
	})
	told := []string{}
	timer := time.AfterFunc(10*time.Second, func() { _ = looking.Process.Signal(os.Interrupt) })
	defer timer.Stop()
	for line := range lines {
		if told = append(told, line); strings.Contains(line, "answers") {
			_ = looking.Process.Signal(os.Interrupt)
		}
	}
	_ = looking.Wait()
	assert.Equal(t, 130, looking.ProcessState.ExitCode())
	require.Len(t, told, 3, "the heading, the device, and one change: %v", told)
	assert.Contains(t, told[2], "desk-7  answers: was yes, is no: refused")
}

// peer is another's program; where it is missing the test is passed over, but where peers must be.
func peer(t *testing.T, name string) {
	t.Helper()
	if _, err := exec.LookPath(name); err != nil {
		if os.Getenv("ROPESWING_PEERS") == "must" {
			t.Fatalf("it needs %s", name)
		}
		t.Skipf("passed over: it needs %s", name)
	}
}

// Debian's SNMP tools walk every stand-in to its end, by both versions, and are told why they may
// not where they may not.
func TestSNMPToolsWalkStandIns(t *testing.T) {
	t.Parallel()
	peer(t, "snmpbulkwalk")
	_, at, who := standIns(t, "quay-edge", "quay-core", "desk-7")
	word := func(name string) string {
		text, err := os.ReadFile(filepath.Join(who, name))
		require.NoError(t, err)
		return strings.TrimSpace(string(text))
	}
	for name, where := range at {
		plain, err := exec.Command("snmpwalk", "-v2c", "-c", word("community"), "-On", where[0], ".1").Output()
		require.NoError(t, err, name)
		bulk, err := exec.Command("snmpbulkwalk", "-v3", "-l", "authPriv", "-u", "stand-in", "-a", "SHA-256", "-A", word("auth"), "-x", "AES",
			"-X", word("privacy"), "-On", where[0], ".1").Output()
		require.NoError(t, err, name)
		ticks := regexp.MustCompile(`(?m)^\.1\.3\.6\.1\.2\.1\.1\.3\.0 .*$`)
		assert.Equal(t, ticks.ReplaceAllString(string(plain), ""), ticks.ReplaceAllString(string(bulk), ""), name)
		assert.Greater(t, strings.Count(string(plain), "\n"), 60, name)
		assert.NotContains(t, string(plain)+string(bulk), "Error", name)
	}
	out, err := exec.Command("snmpget", "-v3", "-l", "authPriv", "-u", "stand-in", "-a", "SHA-256", "-A", "wrong-wrong", "-x", "AES", "-X",
		word("privacy"), "-r", "0", at["desk-7"][0], ".1.3.6.1.2.1.1.5.0").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "Authentication failure")
	out, err = exec.Command("snmpset", "-v2c", "-c", word("community"), "-r", "0", at["desk-7"][0], ".1.3.6.1.2.1.1.5.0", "s",
		"x").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "notWritable")
}

// Debian's snmpd and this program's own reading of a machine agree, on static, default, discarded, equal-cost and IPv6 routes too;
// but for what that agent does not tell: of several next hops in IPv4 any but the first, and what is unreachable in IPv6.
func TestSNMPDaemonIsReadRight(t *testing.T) {
	t.Parallel()
	peer(t, "snmpd")
	peer(t, "ip")
	clitest.Rehearsable(t)
	dir := t.TempDir()
	write(t, dir, "snmpd.conf", "agentaddress udp:127.0.0.1:21161\nrocommunity long-secret-word 127.0.0.1\n")
	write(t, dir, "here.plan.yaml", "ropeswing: 1\nsegments: {s: {prefix: 192.0.2.0/24}}\ndevices: {here: {is: host, interfaces: {e: "+
		"{segment: s, address: 1}}}}\n")
	write(t, dir, "here.access.yaml", "ropeswing-access: 1\naccess:\n  - for: here\n    methods: [{by: snmp, version: 2c, at: "+
		"'127.0.0.1:21161', community: {env: WORD}}]\n")
	write(t, dir, "script", `set -e
ip link set lo up; ip link add d0 type veth peer name d1; ip link set d1 up; ip link set d0 up alias "to the mole"
ip addr add 10.1.0.1/24 dev d0; ip addr add 10.1.0.9/24 dev d0; ip -6 addr add 2001:db8::1/64 dev d0 nodad
ip route add 10.9.0.0/16 nexthop via 10.1.0.2 nexthop via 10.1.0.3; ip route add 10.33.0.0/16 via 10.1.0.2 proto static
ip route add default via 10.1.0.4 metric 5; ip route add default via 10.1.0.5 metric 10; ip route add blackhole 10.7.0.0/16
ip -6 route add unreachable 2001:db8:dead::/48; ip -6 route add default via 2001:db8::4
ip -6 route add 2001:db8:9::/48 nexthop via 2001:db8::2 nexthop via 2001:db8::3
snmpd -f -C -c snmpd.conf -Lf log -p pid & trap "kill $!" EXIT; sleep 1
export WORD=long-secret-word
`+program+` observe --live here -w asked; `+program+" observe --here --device here -w told\n")
	cmd := exec.Command("unshare", "-n", "sh", "script")
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	lists := func(state string) (all []string) {
		text, err := os.ReadFile(filepath.Join(dir, state, "here.json"))
		require.NoError(t, err)
		var d struct {
			Interfaces []struct {
				Name, MAC string
				Addresses []struct{ Address string }
			}
			Routes []struct {
				Destination string
				Hop         string `json:"next_hop"`
				Interface   string
				Discard     bool
			}
		}
		require.NoError(t, json.Unmarshal(text, &d))
		for _, i := range d.Interfaces {
			all = append(all, i.Name+" "+i.MAC)
			for _, a := range i.Addresses {
				all = append(all, i.Name+" "+a.Address)
			}
		}
		for _, x := range d.Routes {
			all = append(all, fmt.Sprint(x.Destination, " ", x.Hop, " ", x.Interface, " ", x.Discard))
		}
		return all
	}
	untold := []string{"10.9.0.0/16 10.1.0.3 d0 false", "2001:db8:dead::/48   true"}
	told := lists("told")
	assert.Subset(t, told, untold)
	assert.ElementsMatch(t, slices.DeleteFunc(told, func(x string) bool { return slices.Contains(untold, x) }), lists("asked"))
}

// The client of another speaks NETCONF with a stand-in: it reads, changes with a confirmed commit
// that is taken back by itself, and is refused what is wrong. What it reads is valid by the models.
func TestNETCONFClientOfAnother(t *testing.T) {
	t.Parallel()
	peer(t, "/usr/bin/python3")
	if exec.Command("/usr/bin/python3", "-c", "import ncclient").Run() != nil {
		if os.Getenv("ROPESWING_PEERS") == "must" {
			t.Fatal("it needs Debian's python3-ncclient")
		}
		t.Skip("passed over: it needs Debian's python3-ncclient")
	}
	valid := linted(t)
	dir, at, who := standIns(t, "quay-edge", "quay-sw1")
	for name, where := range at {
		host, port, _ := strings.Cut(where[1], ":")
		write(t, dir, "client.py", ncclient)
		cmd := exec.Command("/usr/bin/python3", "client.py", host, port, filepath.Join(who, "key"))
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s: %s", name, out)
		assert.Equal(t, "down up data-missing unknown-element invalid-value\n", string(out), name)
		valid("config", filepath.Join(dir, "running.xml"))
		valid("config", filepath.Join(dir, "startup.xml"))
		valid("data", filepath.Join(dir, "operational.xml"))
	}
}

// Debian's own client of netconfd, which checks each answer by the models that the greeting names, with
// the features it names, reads a stand-in, edits it, validates and commits.
func TestNETCONFClientByTheModels(t *testing.T) {
	t.Parallel()
	peer(t, "yangcli")
	dir, at, who := standIns(t, "tern-rock")
	host, port, _ := strings.Cut(at["tern-rock"][1], ":")
	word, err := os.ReadFile(filepath.Join(who, "password"))
	require.NoError(t, err)
	write(t, dir, "edit.xml", `<interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"><interface><name>beam0</name><description>seen to</description></interface></interfaces>`)
	write(t, dir, "script", "get-config source=running\nlock target=candidate\nedit-config target=candidate config=@"+
		filepath.Join(dir, "edit.xml")+
		"\nvalidate source=candidate\ncommit\nunlock target=candidate\nget\nclose-session\nquit\n")
	models, err := filepath.Abs("../../../internal/yang/modules")
	require.NoError(t, err)
	path := strings.Join([]string{models, modules + "/nmda-modules", modules + "/modules", "/usr/share/yang/modules/libyang"}, ":")
	client := exec.Command("yangcli", "--modpath="+path, "--server="+host, "--ncport="+port,
		"--user=stand-in",
		"--password="+strings.TrimSpace(string(word)), "--batch-mode", "--run-script="+filepath.Join(dir, "script"), "--log-level=info")
	client.Dir, client.Env = dir, append(os.Environ(), "HOME="+dir)
	out, err := client.CombinedOutput()
	require.NoError(t, err, "%s", out)
	_, said, _ := strings.Cut(string(out), "Checking Server Modules")
	assert.Contains(t, []int{5, 6}, strings.Count(said, "RPC OK Reply"),
		"whether the reply to close-session is still printed is a matter of time: %s", said)
	assert.Equal(t, 2, strings.Count(said, "RPC Data Reply"))
	assert.Contains(t, said, "description 'seen to'", "what it reads at last has what it set")
	for _, wrong := range []string{"RPC Error", "invalid reply", "no child node", "not available"} {
		assert.NotContains(t, said, wrong)
	}
}

const ncclient = `
import sys, time
from ncclient import manager
from ncclient.operations import RPCError
m = manager.connect(host=sys.argv[1], port=int(sys.argv[2]), username="stand-in", key_filename=sys.argv[3], hostkey_verify=False, look_for_keys=False, allow_agent=False)
for store in ("running", "startup"):
    open(store + ".xml", "w").write(m.get_config(store).data_xml)
open("operational.xml", "w").write(m.get().data_xml)
space = 'xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"'
first = m.get_config("running").data.find(".//{*}interface/{*}name").text
def change(inner, top='<interfaces %s>%%s</interfaces>' % space):
    return m.edit_config(target="candidate", config="<config>" + top % inner + "</config>")
def admin():
    return m.get(filter=("subtree", "<interfaces %s><interface><name>%s</name><admin-status/></interface></interfaces>" % (space, first))).data.find(".//{*}admin-status").text
with m.locked("candidate"):
    change("<interface><name>%s</name><enabled>false</enabled></interface>" % first)
    m.validate("candidate")
    m.commit(confirmed=True, timeout="1")
said = [admin()]
time.sleep(1.5)
said.append(admin())
for inner in ('<interface xmlns:nc="urn:ietf:params:xml:ns:netconf:base:1.0" nc:operation="delete"><name>zzz</name></interface>', "<interface><name>%s</name><colour/></interface>" % first, "<interface><name>new</name></interface>"):
    try:
        change(inner)
        said.append("taken")
    except RPCError as e:
        said.append(e.tag)
m.close_session()
print(*said)
`

// 'live' is a state that is asked for when it is named: every question can be about it.
func TestLiveIsAState(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "--observed", "bad-morning/observed")
	r := run(t, dir, "show", "interfaces", "quay-sw1", "--live")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "in skerry.access.yaml, and neither is there")
	live := func(args ...string) result {
		return runWith(t, dir, []string{"ROPESWING_ACCESS=" + filepath.Join(who, "access.yaml")}, args...)
	}
	r = live("show", "interfaces", "quay-sw1", "--live")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "administratively down")
	r = live("check", "--observed", "live")
	assert.Equal(t, 1, r.Code, r.Err)
	assert.Contains(t, r.Out, "errors")
	r = live("ping", "ops-laptop", "tern-cam", "--observed", "live")
	assert.Equal(t, 1, r.Code, r.Err)
	r = live("steps", "live")
	assert.Equal(t, 1, r.Code, r.Err)
	assert.Contains(t, r.Out, "5 steps on 5 devices")
}

// A restart since it was asked last is told, and a clock that is off.
func TestRestartsAndClocksAreTold(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "desk-7", "--trouble", "clock")
	ask := []string{"observe", "--live", "--access", filepath.Join(who, "access.yaml"), "-w", "asked"}
	r := run(t, dir, ask...)
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Regexp(t, "its clock is (90|89) min ahead", r.Out)
	assert.NotContains(t, r.Out, "restarted")
	assert.NotContains(t, run(t, dir, ask...).Out, "restarted", "it ran on")
	kept := filepath.Join(dir, "asked", "desk-7.json")
	text, err := os.ReadFile(kept)
	require.NoError(t, err)
	earlier := regexp.MustCompile(`"started": "[^"]+"`).ReplaceAll(text, []byte(`"started": "2026-01-02T03:04:05Z"`))
	require.NotEqual(t, string(text), string(earlier))
	require.NoError(t, os.WriteFile(kept, earlier, 0o644))
	assert.Contains(t, run(t, dir, ask...).Out, "it restarted since it was asked last")
}

// How devices are reached may stand in the plan: the same as in a file beside it, which counts in
// its place.
func TestAccessStandsInThePlan(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t)
	text, err := os.ReadFile(filepath.Join(who, "access.yaml"))
	require.NoError(t, err)
	_, inPlan, ok := strings.Cut(string(text), "ropeswing-access: 1\n")
	require.True(t, ok)
	inPlan = strings.NewReplacer("file: ", "file: who/", "known-hosts: ", "known-hosts: who/", "gear: ", "gear: who/").Replace(inPlan)
	path := filepath.Join(dir, "skerry.plan.yaml")
	of, err := os.ReadFile(path)
	require.NoError(t, err)

	r := run(t, dir, "observe", "--live", "quay-edge")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "under 'access' in the plan or in skerry.access.yaml, and neither is there")

	require.NoError(t, os.WriteFile(path, append(of, inPlan...), 0o600))
	assert.Equal(t, 0, run(t, dir, "check").Code, "the plan is as good as it was")
	r = run(t, dir, "observe", "--live")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Contains(t, r.Out, "22 of 22 devices answered")

	require.NoError(t, os.WriteFile(path, append(of, strings.Replace(inPlan, "for: quay-edge\n", "for: quay-egde\n", 1)...), 0o600))
	r = run(t, dir, "check")
	assert.Contains(t, r.Out+r.Err, "quay-egde", "nobody is called so")
	assert.NotEqual(t, 0, r.Code)

	require.NoError(t, os.WriteFile(path, append(of, inPlan...), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "skerry.access.yaml"),
		[]byte("ropeswing-access: 1\n"+
			"access: [{for: quay-edge, methods: [{by: netconf, user: a, at: '127.0.0.1:1', password: {env: NONE}}]}]\n"), 0o600))
	r = run(t, dir, "observe", "--live")
	assert.NotEqual(t, 0, r.Code)
	assert.NotContains(t, r.Out, "22 of 22")
}
