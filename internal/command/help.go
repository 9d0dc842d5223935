package command

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// helpWidth is how many columns help takes up.
const helpWidth = 80

// options are the options of a command as help shows them: what each takes, what it does, and what holds where it is not said.
func options(flags *pflag.FlagSet) string {
	type row struct{ head, text string }
	var rows []row
	width := 0
	flags.VisitAll(func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		head := "      --" + f.Name
		if f.Shorthand != "" {
			head = "  -" + f.Shorthand + ", --" + f.Name
		}
		value, text := pflag.UnquoteUsage(f)
		if value != "" {
			head += " " + value
		}
		if f.Name == "help" {
			text = "how to use this command"
		}
		if !slices.Contains([]string{"", "0", "false", "[]", "0s", "-1"}, f.DefValue) && !strings.Contains(text, "unless") {
			text += "; " + f.DefValue + " unless said"
		}
		rows, width = append(rows, row{head, text}), max(width, len(head))
	})
	var b strings.Builder
	for _, r := range rows {
		line := fmt.Sprintf("%-*s", width+3, r.head)
		for n, word := range strings.Fields(r.text) {
			if n > 0 && len(line)+1+len(word) > helpWidth {
				b.WriteString(strings.TrimRight(line, " ") + "\n")
				line = strings.Repeat(" ", width+3)
			} else if n > 0 {
				line += " "
			}
			line += word
		}
		b.WriteString(strings.TrimRight(line, " ") + "\n")
	}
	return strings.TrimRight(b.String(), "\n")
}

// atMost refuses more words behind a command than it takes.
func atMost(n int) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) > n {
			return fmt.Errorf("%s takes %d behind it at most, and %q is one more", cmd.CommandPath(), n, args[n])
		}
		return nil
	}
}
