package puzzle_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/puzzle"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

func lights(t *testing.T) *workspace.Workspace {
	n := workspace.Open(demo.Files(), demo.Plan, demo.Plan)
	require.True(t, n.Usable())
	return n.Predict()
}

// Each puzzle breaks something, is the same for the same seed, and is solved by putting back what the plan has: by nothing less.
func TestPuzzlesBreakAndAreMended(t *testing.T) {
	w := lights(t)
	kinds := map[string]int{}
	for seed := range uint64(60) {
		p, err := puzzle.New(w, seed)
		require.NoError(t, err)
		kinds[p.Kind]++
		again, err := puzzle.New(w, seed)
		require.NoError(t, err)
		assert.Equal(t, p.Slip, again.Slip)
		broken := p.Broken()
		require.NotEmpty(t, broken, p.Slip)
		assert.NotEmpty(t, p.Hint())
		require.NoError(t, p.Type("desk-7: port mtu 1400"), "some change that mends nothing")
		assert.Len(t, p.Broken(), len(broken), p.Slip)
		require.True(t, p.Undo())
		assert.Equal(t, broken, p.Broken())
		assert.False(t, p.Undo())
	}
	assert.Greater(t, len(kinds), 5, kinds)
}
