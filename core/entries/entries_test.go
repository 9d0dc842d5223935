package entries_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/entries"
)

func TestEntriesAreRead(t *testing.T) {
	all, err := entries.Read("# a remark\n\nbell\nmeans: it rings: loudly\nexample:\n| a\\x07b\n|\n|   \\tc\nping: one two\n" +
		"\nrope\nmeans: to swing on")
	require.NoError(t, err)
	assert.Equal(t, []entries.Entry{
		{Name: "bell", Says: map[string]string{"means": "it rings: loudly", "example": "a\ab\n\n  \tc\n", "ping": "one two"}},
		{Name: "rope", Says: map[string]string{"means": "to swing on"}},
	}, all)
}

func TestWhatIsNoEntryIsRefused(t *testing.T) {
	for text, message := range map[string]string{
		"bell\n| a":                    "line 2: a line of a text without its key",
		"bell\nmeans: a\n| b":          "line 3: a line of a text without its key",
		"bell\nno colon":               "line 2: neither",
		"bell\nmeans: a\nmeans: twice": "line 3: neither",
	} {
		_, err := entries.Read(text)
		assert.ErrorContains(t, err, message, text)
	}
}
