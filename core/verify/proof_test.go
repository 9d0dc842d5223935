package verify_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/verify"
)

// Each requirement is shown by a ping: of one that does not hold the ping that contradicts it, with
// what is out of order then.
func TestProofs(t *testing.T) {
	net := coretest.Network(t, `
must:
  - a reaches b
  - a reaches b without x
  - b does not reach a
segments:
  lan: {prefix: 10.1.0.0/24}
devices:
  a: {is: host, interfaces: {x: {segment: lan, address: 2}}}
  b: {is: host, interfaces: {x: {segment: lan, address: 3}}}
cables:
  - x: a:x to b:x
`)
	all := verify.Proofs(net)
	require.Len(t, all, 3)
	for i, holds := range []bool{true, false, false} {
		assert.Equal(t, holds, all[i].Holds, all[i].Of.Text)
		require.NotNil(t, all[i].Exchange)
		assert.Equal(t, 1, all[i].Pairs)
	}
	assert.Equal(t, forward.Works, all[0].Exchange.Verdict())
	assert.Empty(t, all[0].Without)
	assert.Equal(t, forward.Fails, all[1].Exchange.Verdict())
	assert.Len(t, all[1].Without, 1)
	assert.Equal(t, forward.Works, all[2].Exchange.Verdict(), "that it works is what contradicts it")
}
