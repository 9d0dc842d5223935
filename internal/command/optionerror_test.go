package command

import (
	"io"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is wrong with an option is said in our words: of every option there is, without its value, with nonsense, and misspelt.
func TestErrorsOfOptionsAreInOurWords(t *testing.T) {
	root := (&app{out: io.Discard, err: io.Discard, getenv: func(string) string { return "" }}).root("")
	seen := 0
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		c.Flags().VisitAll(func(f *pflag.Flag) {
			for _, given := range []string{"--" + f.Name + "=wi\x01bble", "--" + f.Name, "--" + f.Name + "y", "-" + f.Shorthand, "--=x"} {
				err := c.ParseFlags([]string{given})
				if err == nil {
					continue
				}
				seen++
				said := optionError(c, err).Error()
				assert.NotRegexp(t, `strconv|parsing|shorthand|flag|argument|syntax`, said, "%s %s", c.CommandPath(), given)
				assert.Contains(t, said, "--", given)
			}
		})
		for _, child := range c.Commands() {
			walk(child)
		}
	}
	walk(root)
	require.Greater(t, seen, 200)
}

// Of a word that is no command, with options behind it, the word is what is said to be wrong.
func TestTheSlipIsInTheWordBeforeTheOption(t *testing.T) {
	for _, x := range [][]string{{"chekc", "-o", "json"}, {"chekc", "--nosuch"}, {"show", "rotues", "--nosuch"}, {"export", "tmeplate", "--nosuch"}} {
		root := (&app{out: io.Discard, err: io.Discard, getenv: func(string) string { return "" }}).root("")
		root.SetArgs(x)
		err := root.Execute()
		require.Error(t, err)
		assert.Contains(t, err.Error(), "did you mean 'ropeswing ", x)
	}
}
