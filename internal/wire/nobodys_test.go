package wire_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/wire"
)

// A row whose column of devices is empty is nobody's: it makes no device named after the file, and may be of any that is told of.
func TestARowOfNobodyMakesNoDevice(t *testing.T) {
	r, err := wire.Read([]byte("device,interface,admin\n,e0,up\nr2,e0,up\n"), "csv", "found")
	require.NoError(t, err)
	require.Len(t, r.Devices, 1)
	assert.Equal(t, "r2", r.Devices[0].Name)
	assert.False(t, r.Devices[0].Knows(observed.Interfaces), "the row may be one of its")
	require.Len(t, r.Unread, 1)
	assert.Equal(t, 2, r.Unread[0].Line)
	_, err = wire.Read([]byte("device,interface,admin\n,e0,up\n"), "csv", "found")
	assert.ErrorContains(t, err, "no row says which device it is of")
	r, err = wire.Read([]byte("interface,admin\ne0,up\n"), "csv", "found")
	require.NoError(t, err)
	assert.Equal(t, "found", r.Devices[0].Name, "without such a column the file is of one device")
	m, err := wire.ReadMap([]byte("ropeswing-map: 1\n" +
		"tables: [{heading: [WHO, PORT, IS], fields: {device: WHO, interface: PORT, admin: IS}}]\n"))
	require.NoError(t, err)
	r, err = m.ReadText([]byte("WHO   PORT  IS\nr2    e0    up\n      e1    up\n"), "found")
	require.NoError(t, err)
	require.Len(t, r.Devices, 1)
	assert.Len(t, r.Devices[0].Interfaces, 1)
	assert.False(t, r.Devices[0].Knows(observed.Interfaces))
	assert.Len(t, r.Unread, 1)
}
