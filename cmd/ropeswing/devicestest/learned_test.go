package devicestest

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

const twoPlan = `ropeswing: 1
plan: two
operator: near
segments: {a: {prefix: 10.77.1.0/24}, b: {prefix: 10.77.2.0/24}, link: {prefix: 10.77.0.0/31}}
devices:
  near: {is: host, interfaces: {eth0: {segment: a, address: 10}}}
  r1: {is: router, interfaces: {lan: {segment: a, address: first}, up: {segment: link, address: 10.77.0.0}}}
  r2: {is: router, interfaces: {up: {segment: link, address: 10.77.0.1}, lan: {segment: b, address: first}}}
  far: {is: host, interfaces: {eth0: {segment: b, address: 10}}}
`

const learnedRoutes = `device,destination,next-hop,interface,source,distance,metric
r1,10.77.1.0/24,,lan,direct,0,
r1,10.77.0.0/31,,up,direct,0,
r1,10.77.2.0/24,10.77.0.1,up,ospf,110,20
r2,10.77.2.0/24,,lan,direct,0,
r2,10.77.0.0/31,,up,direct,0,
r2,10.77.1.0/24,10.77.0.0,up,ospf,110,20
`

// A network whose routes are learned by a dynamic protocol answers as found, though the
// plan has no route; the first line says how old that is, also by a clock that is wrong.
func TestRoutesOfADynamicProtocolAnswerAsFound(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "two.plan.yaml", twoPlan)
	write(t, dir, "r.csv", learnedRoutes)
	assert.Contains(t, run(t, dir, "ping", "far").Out, "near does not reach far in IPv4 · predicted from the plan")

	taken := time.Now().Add(-3*time.Hour - time.Minute).UTC().Format(time.RFC3339)
	assert.Equal(t, 0, run(t, dir, "observe", "r.csv", "-w", "observed", "--taken", taken).Code)
	r := run(t, dir, "ping", "far", "--observed", "observed")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Equal(t, "near reaches far in IPv4 · predicted from what was observed 3 h ago", first(r.Out))
	assert.Contains(t, oneLine(run(t, dir, "show", "routes", "r1", "--observed", "observed").Out),
		"10.77.2.0/24 10.77.0.1 r2 up learned 110 in use")
	r = run(t, dir, "compare")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "r1 route 10.77.2.0/24 extra via 10.77.0.1 (r2:up)")
	assert.Contains(t, r.Out, "not known: interfaces, IPv4 addresses of r1, r2",
		"that nothing is told of addresses does not make them missing")

	run(t, dir, "observe", "r.csv", "-w", "ahead", "--taken", time.Now().Add(48*time.Hour).UTC().Format(time.RFC3339))
	assert.Contains(t, first(run(t, dir, "ping", "far", "--observed", "ahead").Out), "by clocks that are ahead of this one")
	r = run(t, dir, "observe", "r.csv", "-w", "bad", "--taken", "yesterday")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "--taken is a time such as")
	assert.NoDirExists(t, dir+"/bad")
}

// Without any plan a state answers by itself: also where routes were learned.
func TestAStateAnswersWithoutAPlan(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "r.csv", learnedRoutes)
	write(t, dir, "i.csv", "device,interface,admin,oper,address\nr1,lan,up,up,10.77.1.1/24\nr1,up,up,up,10.77.0.0/31\n"+
		"r2,up,up,up,10.77.0.1/31\nr2,lan,up,up,10.77.2.1/24\nnear,eth0,up,up,10.77.1.10/24\nfar,eth0,up,up,10.77.2.10/24\n")
	r := run(t, dir, "observe", "r.csv", "i.csv", "-w", "observed")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "next: ropeswing draft observed", "with no plan there is nothing to compare with")
	r = run(t, dir, "ping", "near", "far", "--observed", "observed")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Regexp(t, `^near reaches far in IPv4 · predicted from what was observed \d+ s ago, with no plan$`, first(r.Out))
	assert.Contains(t, oneLine(run(t, dir, "trace", "near", "far", "--observed", "observed").Out),
		"1 10.77.1.1 r1 lan time exceeded 2 10.77.0.1 r2 up time exceeded 3 10.77.2.10 far eth0 reply")
	assert.Contains(t, oneLine(run(t, dir, "show", "routes", "r2", "--observed", "observed").Out),
		"10.77.1.0/24 10.77.0.0 r1 up learned 110 in use")
	assert.Contains(t, first(run(t, dir, "reach", "--observed", "observed").Out), "with no plan")
	r = run(t, dir, "ping", "near", "10.77.3.3", "--observed", "observed")
	assert.Equal(t, 1, r.Code)
	assert.NotContains(t, r.Out, "next    ", "there is nothing to compare with")
	assert.Contains(t, run(t, dir, "ping", "far", "--observed", "observed").Err, "names no operator")
	assert.Contains(t, run(t, dir, "ping", "near", "far").Err, "there is no *.plan.yaml here")
	assert.Contains(t, run(t, dir, "ping", "near", "far", "--observed", "nothing").Err, "there is no state nothing; make it")

	lit := lights(t)
	assert.Equal(t, 0, run(t, lit, "observe", demo.Seen, "-w", "morning").Code)
	require.NoError(t, os.Rename(filepath.Join(lit, "morning"), filepath.Join(dir, "morning")))
	alone := run(t, dir, "ping", "pilot-desk", "tern-cam", "-4", "--observed", "morning")
	assert.Equal(t, 1, alone.Code)
	assert.Contains(t, oneLine(alone.Out), "nobody on net-10-48-2-0-24 has the next hop 10.48.2.1 of pilot-desk")
}

// Nothing is sent where it is not clear for whom, or to whom.
func TestLiveAsksForWhatItNeeds(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "two.plan.yaml", twoPlan)
	for _, x := range []struct {
		want string
		args []string
	}{
		{"everyone: there is nobody to ask in that family", []string{"ping", "--live", "everyone", "-6"}},
		{"nobody in the plan has 203.0.113.99; name the host that this machine stands in for: --standing-at HOST",
			[]string{"ping", "--live", "far", "--standing-at", "203.0.113.99"}},
		{"nobody in the plan has 203.0.113.99; name the host", []string{"check", "--ping", "--standing-at", "203.0.113.99"}},
		{"no requirement of the plan starts at near", []string{"check", "--ping"}},
		{"--probes are icmp or udp", []string{"trace", "--live", "far", "--probes", "smoke"}},
		{"goes with --standing-at", []string{"trace", "--live", "far", "--size", "900"}},
	} {
		r := run(t, dir, x.args...)
		assert.Equal(t, 2, r.Code, x.want)
		assert.Contains(t, oneLine(r.Err), x.want)
	}
	write(t, dir, "other.plan.yaml", strings.Replace(twoPlan, "operator: near\n", "", 1))
	assert.Contains(t, run(t, dir, "ping", "--live", "192.0.2.1").Err, "-p", "which of two plans is meant is not guessed")
	assert.Contains(t, run(t, dir, "trace", "--live", "far", "-p", "other.plan.yaml").Err, "name the host that this machine stands in for")
}
