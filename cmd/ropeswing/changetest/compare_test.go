package changetest

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

func TestPlansAndStatesAreCompared(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "compare", demo.Plan)
	assert.Equal(t, 0, r.Code)
	assert.Contains(t, first(r.Out), "the two plans say the same")
	r = run(t, dir, "compare", demo.BadMorning, "--wide")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "this plan the other")
	assert.Contains(t, oneLine(r.Out), "admin status 1")
	assert.Contains(t, oneLine(r.Out), "quay-sw1 admin p7 different up down")
	assert.Contains(t, run(t, dir, "compare", demo.BadMorning, "-o", "csv").Out,
		",requirement,fibre-carrier does not reach quay-staff,missing,written")
	plan := read(t, dir, demo.Plan)
	write(t, dir, "bare.yaml", strings.NewReplacer("      - {permit: anyone may answer home, in: [wan0, wan1]}\n", "",
		"    keeps-state: true\n", "", "      - home shares wan0 ", "      #").Replace(plan))
	r = run(t, dir, "compare", "bare.yaml", "-o", "csv")
	for _, line := range []string{`quay-edge,permit,"anyone may answer home, in by wan0 or wan1",missing,written`,
		"quay-core,permit,keeps state,missing,written", "quay-edge,translation,home shares wan0,missing,written"} {
		assert.Contains(t, r.Out, line, "what no device tells, two plans do")
	}
	assert.Contains(t, run(t, dir, "compare", "bare.yaml", "-o", "sarif").Out, `"pair-lost"`)
	assert.Contains(t, run(t, dir, "compare", demo.BadMorning, "-o", "sarif").Out, "the operator does not reach tern-rock")
	other := strings.Replace(plan, "      - {permit: anyone may answer home, in: [wan0, wan1]}\n", "", 1)
	other = strings.Replace(other, "    translates:\n", "      - {permit: anyone may answer home, in: [wan0, wan1]}\n    translates:\n", 1)
	require.NotEqual(t, plan, other)
	write(t, dir, "other.yaml", strings.Replace(other, "  - fibre-carrier does not reach quay-staff\n",
		"  - fibre-carrier does not reach quay-guest\n", 1))
	r = run(t, dir, "compare", "other.yaml", "-o", "csv")
	assert.Contains(t, r.Out, "quay-edge,permit,order,different,")
	assert.Contains(t, r.Out, ",requirement,fibre-carrier does not reach quay-guest,extra,,written")
	require.Equal(t, 0, run(t, dir, "export", "models", "--to", "out", "-w").Code)
	require.Equal(t, 0, run(t, dir, "observe", "out", "-w", "before").Code)
	require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", "after").Code)
	r = run(t, dir, "compare", "after", "--before", "before")
	assert.Contains(t, first(r.Out), "5 differences", "the standard models do not tell of VLANs")
	assert.Contains(t, oneLine(r.Out), "not known: VLANs of mole-sw, quay-core, quay-sw1")
	assert.Contains(t, oneLine(r.Out), "it is before after")
	assert.Equal(t, 0, run(t, dir, "compare", "before", "--before", "before").Code)
	assert.Contains(t, run(t, dir, "compare", demo.Plan, "--before", "before").Err, "--before and --saved go with a state")
}
