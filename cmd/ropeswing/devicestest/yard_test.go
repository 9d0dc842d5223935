package devicestest

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// yard is a plan with a device that is closed on purpose, one that answers no ssh, groups
// by patterns, and a finding that is accepted.
const yard = `ropeswing: 1
plan: Timber Yard
operator: foreman
groups: {saws-(1..2): [saw-(1..2)], offices: [office, site]}
segments:
  office: {vlan: 20, prefix: [10.20.0.0/24, "2001:db8:20::/64"]}
  saws: {vlan: 21, prefix: 10.21.0.0/24}
  site: {vlan: 22, prefix: 10.22.0.0/26}
  trunk: {point-to-point: true, prefix: 10.9.0.0/31}
devices:
  gate: {is: router, manage: o, answers: [ping, https], interfaces: {o: {segment: office, address: first}, t: {segment: trunk, address: first}}, routes: {saws: shed, site: shed}}
  shed: {is: router, interfaces: {t: {segment: trunk, address: last}, s: {segment: saws, address: first}, x: {segment: site, address: first}}, routes: {office: gate}}
  foreman: {is: host, interfaces: {e: {segment: office, address: 10}}}
  saw-(1..2): {is: host, interfaces: {e: {segment: saws, address: (10+n)}}}
  crane: {is: host, gateway: none, interfaces: {e: {segment: site, address: 9}}}
must:
  - foreman reaches saws
  - saws-1 reaches foreman
  - foreman reaches gate over tcp/22
  - foreman reaches shed:t
accept: [{finding: requirement-unmet, of: foreman reaches gate over tcp/22, because: the web page does}]
`

// What was asked is answered, or refused; what is accepted is counted apart.
func TestAYardIsAskedAbout(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "yard.plan.yaml", yard)
	r := run(t, dir, "check")
	assert.Equal(t, 0, r.Code, r.Out)
	assert.Equal(t, "Timber Yard: 1 advice, 1 accepted · predicted from the plan", first(r.Out))
	assert.Contains(t, oneLine(r.Out), "3 of 4 requirements hold")
	assert.Contains(t, oneLine(r.Out),
		"gate is managed at 10.20.0.1, the address of the very interface the operator comes in by (managed-by-itself)")

	apart := t.TempDir()
	write(t, apart, "cut.plan.yaml", strings.Replace(yard, "- saws-1 reaches foreman", "- saws-1 reaches foreman without any one cable", 1))
	r = run(t, apart, "check")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "saws-1 reaches foreman without any one cable: without trunk: ", "the trunk is a wire itself")

	r = run(t, dir, "reach", "--from", "offices", "--to", "saws-2")
	assert.Equal(t, "1 of 2 paths from offices to saws-2 work · predicted from the plan", first(r.Out))
	assert.Contains(t, r.Out, "crane has no gateway for 10.21.0.12")
	r = run(t, dir, "reach", "--from", "foreman", "--to", "saws", "--failures", "1", "--devices", "-o", "json")
	assert.Contains(t, r.Out, `"between": "from foreman to saws"`)
	for _, words := range [][]string{{"--from", "nobody"}, {"--to", "10.99.0.1"}, {"--from", "office", "--to", "office"}, {"--devices"},
		{"--from", "crane", "-6"}} {
		r := run(t, dir, append([]string{"reach"}, words...)...)
		assert.Equal(t, 2, r.Code, "%v: %s%s", words, r.Out, r.Err)
		assert.Empty(t, r.Out, words)
	}

	r = run(t, dir, "ping", "foreman", "gate", "--over", "tcp/22")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "gate does not answer ssh; it answers ping and https (service-not-answered)")
	assert.Contains(t, r.Out, "show management gate")
	r = run(t, dir, "ping", "foreman", "crane")
	assert.Contains(t, oneLine(r.Out), "+ crane: {is: host, gateway: shed,")
	assert.Contains(t, oneLine(run(t, dir, "show", "management").Out), "gate 10.20.0.1 ping, https https reached")

	other := strings.Replace(strings.Replace(yard, "answers: [ping, https]", "answers: [ping]", 1), "saw-(1..2)]", "saw-1]", 1)
	write(t, dir, "other.yaml", other)
	out := oneLine(run(t, dir, "compare", "other.yaml", "-p", "yard.plan.yaml").Out)
	assert.Contains(t, out, "gate answers ping, https ping")
	assert.Equal(t, 2, run(t, dir, "check", "-p", "missing.yaml").Code)
	write(t, dir, "other.yaml", strings.Replace(yard, "saw-(1..2)]", "saw-(1..3)]", 1))
	assert.Contains(t, oneLine(run(t, dir, "check", "-p", "other.yaml").Out),
		"there is no segment, device, block, address or group called saw-3")
}
