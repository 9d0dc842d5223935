package pushtest

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/clitest"
)

// isles is three routers in a row, with the operator at the first: as planned. What is found is
// made of it by foundIsles.
const isles = `ropeswing: 1
plan: Three Isles
operator: ops
segments:
  hall: {prefix: 10.1.0.0/24}
  barn: {prefix: 10.2.0.0/24}
  mill: {prefix: 10.3.0.0/24}
  one: {prefix: 10.0.0.0/30}
  two: {prefix: 10.0.0.4/30}
devices:
  ops: {is: host, interfaces: {e: {segment: hall, address: 10}}, gateway: r1}
  r1:
    is: router
    interfaces: {lan: {segment: hall, address: 1}, a: {segment: one, address: 1}}
    routes: {10.2.0.0/15: 10.0.0.2, 10.0.0.4/30: 10.0.0.2, 192.0.2.0/24: {discard: true}}
  r2:
    is: router
    interfaces: {lan: {segment: barn, address: 1}, a: {segment: one, address: 2}, b: {segment: two, address: 1}}
    routes: {10.1.0.0/24: 10.0.0.1, 10.3.0.0/24: 10.0.0.6, 198.51.100.0/24: {discard: true}}
  r3:
    is: router
    interfaces: {lan: {segment: mill, address: 2}, b: {segment: two, address: 2}}
    routes: {default: 10.0.0.5, 203.0.113.0/24: {discard: true}}
  cow: {is: host, interfaces: {e: {segment: barn, address: 10}}, gateway: r2}
  wheel: {is: host, interfaces: {e: {segment: mill, address: 10}}, gateway: r3}
cables: [ops:e to r1:lan, r1:a to r2:a, r2:b to r3:b, cow:e to r2:lan, wheel:e to r3:lan]
must: [ops reaches cow, ops reaches wheel]
`

// foundIsles changes as much as makes a handful of steps.
var foundIsles = strings.NewReplacer(", 192.0.2.0/24: {discard: true}", "", ", 198.51.100.0/24: {discard: true}",
	", 198.51.100.0/25: {discard: true}", ", 203.0.113.0/24: {discard: true}", "", "mill, address: 2", "mill, address: 1")

// A push over a network that is real, namespaces with their devices in them, meets a fault at a
// random moment: it is killed, it is stopped for longer than the timer, or the operator's own cable
// leads nowhere for a while. Once the timer has run out each device is as it was or as it should be,
// all answer who answered before, and the next push says what is left. ROPESWING_FAULTS says how often.
func TestAPushOverARealNetworkMeetsFaults(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	if _, err := exec.LookPath("ip"); err != nil {
		t.Skip("passed over: no ip program")
	}
	times := 1
	if n, err := strconv.Atoi(os.Getenv("ROPESWING_FAULTS")); err == nil {
		times = n
	}
	dir := t.TempDir()
	write(t, dir, "goal.plan.yaml", isles)
	require.NoError(t, os.Mkdir(filepath.Join(dir, "found"), 0o755))
	write(t, dir, "found/found.plan.yaml", foundIsles.Replace(isles))
	random := rand.New(rand.NewPCG(29, 11))
	var script strings.Builder
	fmt.Fprintf(&script, "cd %s\nR='%s -p goal.plan.yaml'\n$R compare --live -o json > before.json 2> before.err\n", dir, program)
	faults := []string{
		"kill -9 $P",
		"kill -STOP $P; sleep 6; kill -CONT $P",
		"ip route add blackhole 10.0.0.0/8 metric 1 2>/dev/null; ip route change blackhole default; sleep 6; ip route replace default via " +
			"10.1.0.1; ip route del blackhole 10.0.0.0/8 metric 1",
		"ip route add blackhole 10.0.0.0/8 metric 1; sleep 1; ip route del blackhole 10.0.0.0/8 metric 1",
	}
	fault := func(n int) string { return faults[n%len(faults)] }
	for n := range times {
		fmt.Fprintf(&script, "$R push -w --yes --timer 5s > %[1]d.push 2> %[1]d.push.err &\nP=$!\nsleep %.2[2]f\n%[3]s\nwait $P\necho $? > "+
			"%[1]d.code\nsleep 5.5\n", n, 0.1+6*random.Float64(), fault(n))
		fmt.Fprintf(&script, "$R compare --live -o json > %[1]d.left 2> %[1]d.err\n$R push > %[1]d.next 2>&1\n", n)
		fmt.Fprintf(&script, "until $R push --take-back -w > %[1]d.back 2>&1; grep -q 'nothing to take back' %[1]d.back; do test $((i=i+1)) "+
			"-lt 400 || break; done\n$R compare --live -o json > %[1]d.again 2>/dev/null\n", n)
	}
	script.WriteString("exit 0\n")
	write(t, dir, "script", script.String())
	cmd := exec.Command(program, "-p", "found/found.plan.yaml", "rehearse", "--stand-ins", "--", "sh", filepath.Join(dir, "script"))
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))

	read := func(name string) (differences map[string]bool, silent int) {
		text, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		var v struct {
			Differences []struct{ Device, What, Of, Planned, Found string }
			NotObserved []string `json:"not_observed"`
		}
		require.NoError(t, json.Unmarshal(text, &v), "%s: %s", name, text)
		differences = map[string]bool{}
		for _, d := range v.Differences {
			differences[fmt.Sprint(d.Device, " ", d.What, " ", d.Of, " ", d.Planned, " ", d.Found)] = true
		}
		return differences, len(v.NotObserved)
	}
	before, silent := read("before.json")
	require.Len(t, before, 6, "%v", before)
	require.Zero(t, silent)
	broken, done := 0, 0
	for n := range times {
		text := func(name string) string {
			b, err := os.ReadFile(filepath.Join(dir, fmt.Sprint(n, ".", name)))
			require.NoError(t, err)
			return string(b)
		}
		left, silent := read(fmt.Sprint(n, ".left"))
		about := fmt.Sprintf("%d: %s\n%s%s\nleft %v\nnext %s", n, fault(n), text("push"), text("push.err"), left, text("next"))
		assert.Zero(t, silent, "somebody is cut off: %s", about)
		for d := range left {
			// Between its steps an address stands beside the one that takes its place.
			assert.True(t, before[d] || strings.HasPrefix(d, "r3 address "), "%s was not so before, nor is it planned: %s", d, about)
		}
		if strings.TrimSpace(text("code")) == "0" {
			assert.Empty(t, left, "it said that all is done: %s", about)
			done++
		} else {
			broken++
		}
		if len(left) == 0 {
			assert.Contains(t, text("next"), "nothing needs to be sent", about)
		} else {
			more := 0 // an address moves in two steps
			if left["r3 address  10.3.0.2/24 10.3.0.1/24"] {
				more = 1
			}
			assert.Regexp(t, regexp.MustCompile(fmt.Sprintf("(?m)^%d steps? on ", len(left)+more)), text("next"), about)
		}
		again, _ := read(fmt.Sprint(n, ".again"))
		assert.Equal(t, before, again, "taken back: %s\n%s", about, text("back"))
	}
	t.Logf("%d faults: %d broken off, %d carried out all the same", times, broken, done)
}
