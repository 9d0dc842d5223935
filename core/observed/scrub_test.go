package observed_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
)

// A name that nobody can read poisons nothing: what has it goes, is not known wholly, and the rest can be kept and read again.
func TestNamesThatNobodyCanReadGo(t *testing.T) {
	turned, control := "p\u202e1", "p\x1b[2J"
	d := &observed.Device{Name: "quay-edge",
		Interfaces: []observed.Interface{{Name: "p1", Description: turned}, {Name: turned}, {Name: "p2", Parent: control}},
		Links: []observed.Link{{Interface: "p1", Device: control},
			{Interface: "p1", Device: "other"}}, MACs: []observed.MACEntry{{Interface: turned}},
		Neighbours: []observed.Neighbour{{Interface: control}}}
	d.Learn(observed.Parts...)
	assert.Equal(t, 5, d.Scrub())
	assert.Equal(t, []observed.Interface{{Name: "p1"}}, d.Interfaces)
	assert.False(t, d.Knows(observed.Interfaces))
	assert.False(t, d.Knows(observed.Links))
	assert.True(t, d.Knows(observed.Routes4))
	assert.NoError(t, d.Check())
	again, err := observed.Decode(d.Encode())
	require.NoError(t, err)
	assert.Len(t, again.Interfaces, 1)
	assert.Zero(t, again.Scrub())
}
