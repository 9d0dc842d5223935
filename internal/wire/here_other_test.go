//go:build !linux

package wire

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
)

// This machine tells its interfaces, its addresses and its routes, on every system.
func TestThisMachineIsRead(t *testing.T) {
	r, err := ReadHere("me")
	require.NoError(t, err)
	assert.Empty(t, r.Unread)
	d := r.Devices[0]
	require.NotEmpty(t, d.Interfaces)
	assert.True(t, d.Knows(observed.Routes4))
	for _, x := range d.Routes {
		assert.True(t, x.To.IsValid() && x.To.Masked() == x.To, x)
		assert.NotEqual(t, netip.IPv4Unspecified(), x.NextHop)
	}
	_, err = ReadHere("no/name")
	assert.Error(t, err)
}
