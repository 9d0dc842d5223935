package changetest

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is leased or made of what is advertised is only likely: it is left out where a format cannot say so, and told, and marked where it can.
// A MAC address that the plan does not have is not made up.
func TestWhatIsOnlyLikelyIsNoFact(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "a.plan.yaml", `ropeswing: 1
segments: {lan: {prefix: [10.1.0.0/24, "2001:db8:1::/64"], leases: {range: 100..149, by: r}}}
devices:
  r: {is: router, interfaces: {l: {segment: lan, address: 1, advertises: true, mac: "02:00:00:00:00:07"}}}
  pc: {is: host, interfaces: {e: {segment: lan, address: [leased, advertised]}}}
  srv: {is: host, interfaces: {e: {segment: lan, address: 10}}}
`)
	for _, args := range [][]string{{"export", "hosts"}, {"export", "zones", "--domain", "x.example", "--server", "srv"}} {
		r := run(t, dir, args...)
		assert.Equal(t, 0, r.Code, r.Err)
		assert.NotContains(t, r.Out, "pc")
		assert.NotContains(t, r.Out, "10.1.0.100")
		assert.Contains(t, r.Out, "srv")
		assert.Contains(t, oneLine(r.Err), "left out, since they are leased or made of what is advertised, and so only likely: addresses of pc")
	}
	out := run(t, dir, "export", "csv").Out
	assert.Contains(t, out, "pc,host,e,port,lan,,10.1.0.100,24,255.255.255.0,10.1.0.0/24,10.1.0.1,,,leased\n")
	assert.Contains(t, out, ",,,likely\n")
	assert.Contains(t, out, "srv,host,e,port,lan,,10.1.0.10,24,255.255.255.0,10.1.0.0/24,10.1.0.1,,,\n")
	assert.NotContains(t, run(t, dir, "export", "models", "srv").Out, "phys-address")
	assert.Contains(t, run(t, dir, "export", "models", "r").Out, `"phys-address": "02:00:00:00:00:07"`)
}
