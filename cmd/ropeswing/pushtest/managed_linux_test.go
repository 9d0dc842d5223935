package pushtest

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/internal/clitest"
)

// yards is two yards, each with a switch that is managed over a VLAN of its own, and the operator in the first.
const yards = `ropeswing: 1
plan: Two Yards
operator: ops
settings: {answers-without-link: true}
segments:
  desk: {vlan: 10, prefix: 10.1.0.0/24}
  tend: {vlan: 77, prefix: 10.77.0.0/24}
  shed: {vlan: 20, prefix: 10.2.0.0/24}
  keep: {vlan: 88, prefix: 10.88.0.0/24}
  span: {prefix: 10.0.0.0/30}
devices:
  ops: {is: host, at: "sw1:p2", segment: desk, address: 10, gateway: r1}
  r1:
    is: router
    interfaces:
      a: {}
      a.10: {parent: a, tag: 10, segment: desk, address: 1}
      a.77: {parent: a, tag: 77, segment: tend, address: 1}
      b: {segment: span, address: 1}
    routes: {10.2.0.0/24: 10.0.0.2, 10.88.0.0/16: 10.0.0.2}
  sw1:
    is: switch
    interfaces: {p1: {tagged: [desk, tend]}, p2: {access: desk}, v: {vlan: tend, address: 5}}
    gateway: r1
  r2:
    is: router
    interfaces:
      b: {segment: span, address: 2}
      c: {}
      c.20: {parent: c, tag: 20, segment: shed, address: 1}
      c.88: {parent: c, tag: 88, segment: keep, address: 1}
    routes: {default: 10.0.0.1}
  sw2:
    is: switch
    interfaces: {p1: {tagged: [shed, keep]}, p2: {access: shed}, v: {vlan: keep, address: 5}}
    gateway: r2
  cart: {is: host, at: "sw2:p2", segment: shed, address: 10, gateway: r2}
cables: ["r1:a to sw1:p1", "r1:b to r2:b", "r2:c to sw2:p1"]
must: [ops reaches cart]
`

// managing are changes of how these are managed: what in the plan, and what stands there then.
var managing = [][]string{
	{"vlan: keep, address: 5", "vlan: keep, address: 6"},                                                             // a switch's own address
	{"vlan: tend, address: 5", "vlan: tend, address: 7"},                                                             // one in the operator's yard
	{"10.88.0.0/24", "10.88.4.0/24"},                                                                                 // its whole subnet
	{"10.77.0.0/24", "10.77.3.0/24"},                                                                                 // and the other's
	{"segment: keep, address: 1}", "segment: keep, address: 2}"},                                                     // its gateway
	{"segment: tend, address: 1}", "segment: tend, address: 2}"},                                                     // and the other's
	{"keep: {vlan: 88", "keep: {vlan: 89", "tag: 88", "tag: 89"},                                                     // its VLAN
	{"tend: {vlan: 77", "tend: {vlan: 78", "tag: 77", "tag: 78"},                                                     // and the other's
	{"span: {prefix: 10.0.0.0/30}", "span: {prefix: 10.0.0.4/30}", "10.0.0.2", "10.0.0.6", "10.0.0.1}", "10.0.0.5}"}, // the link there
	{"    routes: {default: 10.0.0.1}", "    own-permits: [ops may reach itself]\n    otherwise: drop\n    routes: {default: 10.0.0.1}"},
}

// A push changes how devices are managed: addresses, subnets, VLANs, gateways, the way there, permits, several at once. Whether it is
// carried out, refused, or taken back: nobody who answered is lost once the timer has run out, and what is told at the end is what is
// there. ROPESWING_FAULTS says how often, ROPESWING_FROM from which seed on.
func TestAPushChangesHowDevicesAreManaged(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	seeds := []int{247} // its steps cannot all be carried out without losing somebody
	if coretest.Long() {
		seeds = []int{0, 1, 2, 247}
	}
	number := func(name string) int { n, _ := strconv.Atoi(os.Getenv(name)); return n }
	if times := number("ROPESWING_FAULTS"); times > 0 {
		seeds = nil
		for n := range times {
			seeds = append(seeds, number("ROPESWING_FROM")+n)
		}
	}
	carried := 0
	for _, n := range seeds {
		r := rand.New(rand.NewPCG(uint64(n), 31))
		goal := yards
		var changes []string
		for range 1 + r.IntN(3) {
			c := managing[r.IntN(len(managing))]
			if strings.Contains(strings.Join(changes, "\n"), c[1]) {
				continue
			}
			changes = append(changes, c[1])
			goal = strings.NewReplacer(c...).Replace(goal)
		}
		if n%2 == 1 && !strings.Contains(goal, "own-permits") { // the other way round
			managed(t, n, goal, yards, changes, &carried)
		} else {
			managed(t, n, yards, goal, changes, &carried)
		}
	}
	t.Logf("%d of %d carried out", carried, len(seeds))
}

// managed pushes from one plan to another, in a rehearsal of the first.
func managed(t *testing.T, n int, found, goal string, changes []string, carried *int) {
	t.Helper()
	dir := t.TempDir()
	for _, name := range []string{"found", "goal"} {
		require.NoError(t, os.Mkdir(filepath.Join(dir, name), 0o755))
	}
	write(t, dir, "found/a.plan.yaml", found)
	write(t, dir, "goal/a.plan.yaml", goal)
	write(t, dir, "script", fmt.Sprintf(`cd %s
A=$(dirname $ROPESWING_ACCESS)/all.yaml
echo 'ropeswing-access: 1
known-hosts: known-hosts
access: [{for: everyone, methods: [{by: netconf, user: stand-in, key: {file: key}}]}]' > $A
export ROPESWING_ACCESS=$A
R=%s
$R -p found/a.plan.yaml observe --live -w goal/observed > observed 2>&1
$R -p goal/a.plan.yaml compare --live -o json > before 2> before.err
$R -p goal/a.plan.yaml push -w --yes --timer 5s > push 2>&1
echo $? > code
sleep 5.5
$R -p goal/a.plan.yaml compare --live -o json > left 2> left.err
$R -p goal/a.plan.yaml push > next 2>&1
exit 0
`, dir, program))
	cmd := exec.Command(program, "-p", "found/a.plan.yaml", "rehearse", "--stand-ins", "--", "sh", filepath.Join(dir, "script"))
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	text := func(name string) string { return clitest.Read(t, dir, name) }
	about := fmt.Sprintf("%d: %q\n%s\n%s\n--- push\n%s\n--- left\n%s\n%s--- next\n%s", n, changes, text("observed"), text("before.err"),
		text("push"), text("left"), text("left.err"), text("next"))
	read := func(name string) (differences map[string]bool, silent []string) {
		var v struct {
			Differences []struct{ Device, What, Of, Planned, Found string }
			NotObserved []string `json:"not_observed"`
		}
		require.NoError(t, json.Unmarshal([]byte(text(name)), &v), about)
		differences = map[string]bool{}
		for _, d := range v.Differences {
			differences[fmt.Sprint(d.Device, " ", d.What, " ", d.Of, " ", d.Planned, " ", d.Found)] = true
		}
		return differences, v.NotObserved
	}
	before, silent := read("before")
	require.Empty(t, silent, about)
	left, silent := read("left")
	assert.Empty(t, silent, "somebody is lost: %s", about)
	code := strings.TrimSpace(text("code"))
	if code != "0" {
		t.Logf("%d: %q stopped:\n%s", n, changes, text("push"))
	}
	switch {
	case code == "0":
		assert.Empty(t, left, "it said that all is done: %s", about)
		assert.Contains(t, text("next"), "nothing needs to be sent", about)
		*carried++
	case len(left) == 0:
		assert.Contains(t, text("next"), "nothing needs to be sent", about)
	default:
		assert.NotContains(t, text("next"), "nothing needs to be sent", about)
		assert.LessOrEqual(t, len(left), len(before)+2, about) // an address stands beside the one that takes its place
	}
}
