package workspace_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/finding"
	"ropeswing/core/workspace"
)

const closed = `ropeswing: 1
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}
devices:
  x: {is: host, interfaces: {p: {segment: a, address: 10}}}
  y: {is: host, interfaces: {p: {segment: b, address: 10}}}
`

// What a plan accepts does not stand, up to its day; what is accepted and not there does.
func TestWhatIsAccepted(t *testing.T) {
	check := func(accept, day string) (stand []string, accepted int) {
		n := workspace.FromText("p", []byte(closed+"accept:\n"+accept))
		require.True(t, n.Usable(), n.Read())
		all, taken := n.Predict().CheckOn(day)
		for _, f := range all {
			stand = append(stand, string(f.Name)+" "+f.Subject)
			if strings.Contains(f.Reason, "accepted until") {
				stand[len(stand)-1] += " ended"
			}
		}
		return stand, len(taken)
	}
	for _, tt := range []struct {
		accept, day string
		stand       []string
		accepted    int
	}{
		{"  - {finding: no-route-out, because: closed}\n", "2030-01-01", nil, 2},
		{"  - {finding: no-route-out, of: x, because: closed}\n", "2030-01-01", []string{"no-route-out y"}, 1},
		{"  - {finding: no-route-out, of: x, because: closed, until: 2030-06-30}\n  - {finding: no-route-out, of: y, because: closed}\n",
			"2030-06-30", nil, 2},
		{"  - {finding: no-route-out, of: x, because: closed, until: 2030-06-30}\n  - {finding: no-route-out, of: y, because: closed}\n",
			"2030-07-01", []string{"no-route-out x ended"}, 1},
		{"  - {finding: no-route-out, because: closed}\n  - {finding: space-overlap, because: old}\n", "", nil, 2},
	} {
		if strings.Contains(tt.accept, "space-overlap") {
			tt.accept = strings.Replace(tt.accept, "space-overlap", string(finding.DuplicateAddress), 1)
			tt.stand = []string{"accepted-not-found " + string(finding.DuplicateAddress)}
		}
		stand, accepted := check(tt.accept, tt.day)
		assert.Equal(t, tt.stand, stand, tt.accept)
		assert.Equal(t, tt.accepted, accepted, tt.accept)
	}
	for accept, want := range map[string]string{
		"  - {finding: no-route-ouch, because: closed}\n":                   "did you mean no-route-out?",
		"  - {because: closed}\n":                                           "it is not said which finding is accepted",
		"  - {finding: no-route-out}\n":                                     "it is not said why the finding is accepted",
		"  - {finding: no-route-out, because: closed, until: 31.3.2027}\n":  "is a date such as 2027-03-31, not 31.3.2027",
		"  - {finding: no-route-out, because: closed, until: 2027-13-01}\n": "is a date such as 2027-03-31, not 2027-13-01",
	} {
		n := workspace.FromText("p", []byte(closed+"accept:\n"+accept))
		if assert.NotEmpty(t, n.Read(), accept) {
			assert.Contains(t, n.Read()[0].Reason+" "+n.Read()[0].Remedy, want)
		}
	}
}
