package workspace_test

import (
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/finding"
	"ropeswing/core/workspace"
)

// Each device and failure is told once, however many families and links are cut, and a
// segment that is one cable is that cable. Check and the list say the same.
func TestWhatIsUnprotectedIsToldOnce(t *testing.T) {
	text := `ropeswing: 1
wants: {protect: none}
segments:
  line-ab: {prefix: [10.0.0.0/31, "2001:db8:0:f1::/127"]}
  line-bc: {prefix: [10.0.0.2/31, "2001:db8:0:f2::/127"]}
  line-ca: {prefix: [10.0.0.4/31, "2001:db8:0:f3::/127"]}
  lan-(1..3): {prefix: [10.1.(n).0/24, "2001:db8:1:(n)::/64"]}
devices:
  a: {is: router, loopback: 10.9.0.1, interfaces: {b: {segment: line-ab}, c: {segment: line-ca}, "l(1..3)": {segment: lan-(n)}}}
  b: {is: router, loopback: [10.9.0.2, "2001:db8:9::2"], interfaces: {a: {segment: line-ab}, c: {segment: line-bc}}}
  c: {is: router, interfaces: {a: {segment: line-ca}, b: {segment: line-bc}}}
  "pc-(1..3)": {is: host, at: "a:l(n)"}
cables: [ab: a:b to b:a, bc: b:c to c:b, ca: c:a to a:c]
`
	n := workspace.Open(fstest.MapFS{"a.plan.yaml": {Data: []byte(text)}}, "a.plan.yaml", "a.plan.yaml")
	require.True(t, n.Usable(), n.Slips())
	w := n.Predict()
	no := "no floating routes are wanted"
	assert.Equal(t, []workspace.Unprotected{
		{Device: "c", To: "the loopback of b", Failure: "bc", Because: no},
		{Device: "c", To: "lan-1, 2 other segments and the loopback of a", Failure: "ca", Because: no},
		{Device: "a", To: "the loopback of b", Failure: "ab", Because: no},
		{Device: "b", To: "lan-1, 2 other segments and the loopback of a", Failure: "ab", Because: no},
	}, w.Unprotected())
	told := 0
	for _, f := range w.Check() {
		if f.Name == finding.Unprotected {
			told++
		}
	}
	assert.Equal(t, 4, told)
}
