package form_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/form"
)

// Without anything that is known of a device, kinds of values tell what they can: names, states, addresses, routes. All of it is a guess,
// and reads the text of another device.
func TestAloneItGoesByKindsOfValues(t *testing.T) {
	const one = "lan0 is up\n   packets up to 1500 bytes, card 02:00:5e:00:00:01\n   answers to 10.48.1.1/26\nlan1 is down\n   packets up " +
		"to 9000 bytes, card 02:00:5e:00:00:02\n   answers to 10.48.1.65/26\n\n" +
		"Destination    Gate       Out   Kind\n0.0.0.0/0      10.48.1.2  lan0  static\n10.48.1.0/26   -          lan0  direct\n" +
		"10.48.1.64/26  -          lan1  direct\n"
	const other = "wan7 is up\n   packets up to 1400 bytes, card 02:00:5e:00:00:07\n   answers to 10.9.1.1/30\n\nDestination  Gate      " +
		"Out   Kind\n10.0.0.0/8   10.9.1.2  wan7  static\n"
	l, err := form.Learn("alone", []form.Example{{Device: form.Alone("one", one), Text: one}})
	require.NoError(t, err)
	assert.Equal(t, l.Lines, l.Understood)
	l.Form.Guessed()
	assert.NotEmpty(t, l.Form.Guesses())
	assert.NotContains(t, l.Form.Write(form.Alone("one", one)), "10.48.1.1", "what is guessed is not written")
	r := l.Form.Read(other, "other")
	assert.Empty(t, r.Unread)
	d := r.Observed()[0]
	require.Len(t, d.Interfaces, 1)
	assert.Equal(t, 1400, d.Interfaces[0].MTU)
	assert.Equal(t, "10.9.1.1/30", d.Interfaces[0].Addresses[0].String())
	require.Len(t, d.Routes, 1)
	assert.Equal(t, "10.0.0.0/8", d.Routes[0].To.String())
	assert.Equal(t, "10.9.1.2", d.Routes[0].NextHop.String())
}
