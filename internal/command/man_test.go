package command

import (
	"bytes"
	"os"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
)

// Every command that help shows has a page of the manual, and so has what is true of all.
func TestTheManual(t *testing.T) {
	a := &app{out: &bytes.Buffer{}, err: &bytes.Buffer{}, getenv: os.Getenv}
	pages := a.pages()
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
	assert.Equal(t, pages, a.pages(), "the same program makes the same pages")
	a.getenv = func(string) string { return "1764633600" }
	assert.Contains(t, string(a.pages()[0].text), `"2025-12-02"`)
}

// Help is in our own words: nothing of the library's stands there, and no line is longer than a terminal.
func TestHelpIsInOurWords(t *testing.T) {
	root := (&app{out: &bytes.Buffer{}, err: &bytes.Buffer{}, getenv: os.Getenv}).root("")
	n := 0
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if !c.Hidden && c.Name() != "completion" && (!c.HasParent() || c.Parent().Name() != "completion") {
			c.InitDefaultHelpFlag()
			text := c.UsageString()
			for _, leak := range []string{"(default", "help for", " string ", " strings ", " stringArray ", " int ", " duration ", "[flags]"} {
				assert.NotContains(t, text, leak, c.CommandPath())
			}
			for line := range strings.Lines(text) {
				if !strings.HasPrefix(line, "  ropeswing") {
					assert.LessOrEqual(t, len(line), helpWidth+1, "%s: %s", c.CommandPath(), line)
				}
			}
			n++
		}
		for _, child := range c.Commands() {
			walk(child)
		}
	}
	walk(root)
	assert.Greater(t, n, 40)
	assert.EqualError(t, atMost(1)(root, []string{"a", "b"}), `ropeswing takes 1 behind it at most, and "b" is one more`)
}
