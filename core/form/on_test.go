package form_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/form"
)

// A form that was corrected by hand keeps what was corrected, and learns from another text what it does not read yet.
func TestLearningOnKeepsWhatWasCorrected(t *testing.T) {
	first := parsed(t, "# by hand, form 1\nremove: not {line}\nkeeper {device}\nprint style long\nstream {vlan}\n  label {any}\nsocket "+
		"{interface}\n  lamp {admin: up = lit | down = dark}\n  load {mtu}\nrest\n")
	all := examples(t, randomPlan(3))
	var ex []form.Example
	for _, x := range all[:2] {
		ex = append(ex, form.Example{Device: form.Of(x.d, x.names), Text: languages[0].written(x.d, x.names)})
	}
	before := len(first.Read(ex[0].Text, "").Unread)
	require.Positive(t, before)
	l, err := form.Learn("x", ex)
	require.NoError(t, err)
	added, err := first.LearnOn(l.Form, ex)
	require.NoError(t, err)
	assert.Positive(t, added)
	text := first.Text()
	assert.True(t, strings.HasPrefix(text, "# by hand, form 1\nremove: not {line}\n"), text)
	assert.Contains(t, text, "\n  label {any}\n")
	assert.NotContains(t, text, "label {vlan-name}")
	assert.Equal(t, 1, strings.Count(text, "socket {interface}"))
	assert.Equal(t, 1, strings.Count(text, "load {mtu}"))
	again := parsed(t, text)
	for _, e := range ex {
		assert.Empty(t, again.Read(e.Text, "").Unread, text)
	}
	added, err = again.LearnOn(l.Form, ex)
	require.NoError(t, err)
	assert.Zero(t, added, "what is read is not learnt twice")
}
