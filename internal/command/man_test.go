package command

import (
	"bytes"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every command that help shows has a page of the manual, and so has what is true of all.
func TestTheManual(t *testing.T) {
	a := &app{out: &bytes.Buffer{}, err: &bytes.Buffer{}, getenv: os.Getenv}
	pages, err := a.pages()
	require.NoError(t, err)
	by := map[string]string{}
	for _, p := range pages {
		by[p.name] = string(p.text)
		assert.Contains(t, string(p.text), ".TH", p.name)
		assert.NotContains(t, string(p.text), "0001", p.name)
	}
	for _, c := range a.commands() {
		assert.Contains(t, by, "ropeswing-"+c.name+".1")
	}
	for _, x := range topics {
		page := by["ropeswing-"+x.name+".7"]
		for _, r := range x.rows {
			assert.Contains(t, page, strings.ReplaceAll(r[0], "-", `\-`))
		}
	}
	again, err := a.pages()
	require.NoError(t, err)
	assert.Equal(t, pages, again, "the same program makes the same pages")
}
