package workspace_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
)

// names lists the kinds of findings, each once.
func names(found []finding.Finding) []string {
	var all []string
	for _, f := range found {
		if len(all) == 0 || all[len(all)-1] != string(f.Name) {
			all = append(all, string(f.Name))
		}
	}
	return all
}

// ledgerOf is an example's ledger, nil where it has none.
func ledgerOf(e finding.Entry) []byte {
	if e.Ledger == "" {
		return nil
	}
	return []byte(e.Ledger)
}

// Every example of the catalogue shows its finding, and no other.
func TestEveryExampleShowsJustItsFinding(t *testing.T) {
	for _, e := range finding.Catalogue() {
		n := workspace.FromTexts("example.plan.yaml", []byte(e.Example), ledgerOf(e))
		if e.Stage == finding.Reading {
			assert.Equal(t, []string{string(e.Name)}, names(n.Read()), e.Name)
			assert.False(t, n.Usable(), "%s: such a plan cannot be used", e.Name)
			assert.Len(t, n.Slips(), 1, e.Name)
			continue
		}
		require.True(t, n.Usable(), "%s: such a plan can be used: %v", e.Name, n.Read())
		w := n.Predict()
		switch e.Stage {
		case finding.Checking:
			stand, _ := w.CheckOn("2026-12-01")
			assert.Equal(t, []string{string(e.Name)}, names(stand), e.Name)
		case finding.Walking:
			from, err := w.Endpoint(e.Ping[0])
			require.NoError(t, err, e.Name)
			to, err := w.Endpoint(e.Ping[1])
			require.NoError(t, err, e.Name)
			trials, _, err := ask.Pings(w.Network, from, to, prefix.Both, forward.Probe{TTL: e.TTL, Size: e.Size, Whole: e.Whole})
			require.NoError(t, err, e.Name)
			require.Len(t, trials, 1, e.Name)
			f, failing := trials[0].Failure(w.Network)
			assert.True(t, failing, e.Name)
			assert.Equal(t, e.Name, f.Name, f.Words(w.Network))
		}
	}
}

// A silence is expected up to and with its last day.
func TestSilenceIsExpectedUntilItsDay(t *testing.T) {
	n := workspace.FromTexts("x.plan.yaml", []byte("ropeswing: 1\ndevices:\n  a: {is: router, expect: silent until 2027-03-31}\n"+
		"  b: {is: router, expect: silent}\n  c: {is: router}\n"), nil)
	for _, x := range []struct {
		device, day string
		silent      bool
	}{{"a", "2027-03-31", true}, {"a", "2027-04-01", false}, {"b", "2127-01-01", true}, {"c", "2027-01-01", false}} {
		silent, _ := n.Expected(x.device, x.day)
		assert.Equal(t, x.silent, silent, "%s on %s", x.device, x.day)
	}
}
