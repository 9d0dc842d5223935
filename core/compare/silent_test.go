package compare

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
)

// What was found counts in predictions also where the plan is silent, and is no difference.
func TestWhatThePlanIsSilentOnCounts(t *testing.T) {
	net := planOf(t, "segments: {l: {prefix: 10.0.0.0/30}}\ndevices:\n  a: {is: router, interfaces: {e: {segment: l, address: 1}}}\n  b: "+
		"{is: router, interfaces: {e: {segment: l, address: 2}}}\n")
	found := AsObserved(net)
	found[0].Interface("e").MTU, found[0].Interface("e").Speed = 1400, 64000
	assert.Empty(t, Compare(net, found).Differences)
	there := Overlay(net, found).Spec
	e := there.Interfaces[coretest.Interface(t, there, "a:e")]
	assert.Equal(t, 1400, e.MTU)
	assert.Equal(t, int64(64000), e.Bandwidth)
}
