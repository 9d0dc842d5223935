package changetest

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is leased or made of what is advertised is only likely: it is left out where a format cannot say so, and told,
// and marked where it can.
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

// A template is filled once for the whole plan, with its cables and who is at their ends.
func TestATemplateForTheWholePlan(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	write(t, dir, "all.txt.tmpl", "{{.plan}}\n{{range .cables}}{{.device}} {{.interface}} = {{.far_device}} {{.far_interface}}\n{{end}}"+
		"{{range .segments}}{{.segment}} {{.vlan}}{{range .prefixes}} {{.}}{{end}}\n{{end}}"+
		"{{range .devices}}{{range .interfaces}}{{if .far_device}}{{.interface}}>{{.far_device}} {{end}}{{end}}{{end}}\n")
	r := run(t, dir, "export", "template", "all.txt.tmpl", "--whole")
	assert.Equal(t, 0, r.Code, r.Err)
	for _, line := range []string{"Skerry Lights\n", "quay-edge beam0 = mole-rtr beam0\n",
		"quay-staff 110 10.48.1.0/26 2001:db8:5ea:110::/64\n",
		"lan0>quay-core ", "up0>quay-edge "} {
		assert.Contains(t, r.Out, line)
	}
	assert.Contains(t, run(t, dir, "export", "template", "all.txt.tmpl", "quay-edge", "--whole").Err, "it goes with no device")
	assert.Contains(t, run(t, dir, "export", "json", "mole-rtr").Out, `"far_device": "mole-sw",`)
}
