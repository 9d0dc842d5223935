package command

import (
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every word of the trade leads to a command that there is, and is none itself.
func TestWordsLeadToCommands(t *testing.T) {
	root := (&app{out: io.Discard, err: io.Discard, getenv: func(string) string { return "" }}).root("")
	for word, to := range said {
		c, rest, err := root.Find(strings.Fields(to))
		require.NoError(t, err, word)
		assert.True(t, c.HasParent(), "%s: %s", word, to)
		assert.True(t, len(rest) == 0 || strings.HasPrefix(rest[0], "--") || to == "draw "+rest[0], "%s: %s", word, to)
		c, _, err = root.Find([]string{word})
		assert.True(t, err != nil || c == root, "%s is a command", word)
	}
}
