package command

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// roff is a page of the manual, in the macros of man(7).
type roff struct{ strings.Builder }

// escaper writes text so that the formatter takes none of it for its own.
var escaper = strings.NewReplacer(`\`, `\e`, "-", `\-`, "'", `\(aq`, "^", `\(ha`, "~", `\(ti`, "`", `\(ga`)

// text writes lines as they are, but for what the formatter would take for a request.
func (r *roff) text(text string) {
	for line := range strings.SplitSeq(strings.TrimRight(text, "\n"), "\n") {
		if line == "" {
			r.WriteString(".PP\n")
			continue
		}
		for line != "" {
			one := line
			if at := strings.LastIndexByte(line[:min(len(line), longestRoff)], ' '); len(line) > longestRoff && at > 0 {
				one = line[:at]
			}
			line = strings.TrimPrefix(line[len(one):], " ")
			one = escaper.Replace(strings.ReplaceAll(one, "\t", "        "))
			if one[0] == '.' {
				one = `\&` + one
			}
			r.WriteString(one + "\n")
		}
	}
}

// longestRoff is how long a line of a page's source may be, before its signs are escaped.
const longestRoff = 60

func (r *roff) section(name string) { r.WriteString(".SH " + name + "\n") }

// item is a word and what it means.
func (r *roff) item(word, text string) {
	r.WriteString(".TP\n\\fB" + escaper.Replace(word) + "\\fP\n")
	r.text(text)
}

// literal writes lines as they stand.
func (r *roff) literal(text string) {
	r.WriteString(".nf\n")
	r.text(text)
	r.WriteString(".fi\n")
}

// heading begins a page; the date is that of SOURCE_DATE_EPOCH, or none.
func (r *roff) heading(name, section, date, short string) {
	fmt.Fprintf(r, ".TH \"%s\" \"%s\" \"%s\" \"ropeswing %s\" \"\"\n", escaper.Replace(strings.ToUpper(name)), section, date, Version)
	r.section("NAME")
	r.WriteString(escaper.Replace(name) + " \\-\n")
	r.text(short)
}

// manPage is the page of a command.
func manPage(c *cobra.Command, date string) []byte {
	var r roff
	name := dashed(c.CommandPath())
	r.heading(name, "1", date, c.Short)
	r.section("SYNOPSIS")
	r.WriteString("\\fB" + escaper.Replace(c.UseLine()) + "\\fP\n")
	r.section("DESCRIPTION")
	about := c.Long
	if about == "" {
		about = c.Short
	}
	r.text(about)
	for _, x := range []struct {
		title string
		flags *pflag.FlagSet
	}{{"OPTIONS", c.NonInheritedFlags()}, {"OPTIONS OF ALL COMMANDS", c.InheritedFlags()}} {
		if !x.flags.HasAvailableFlags() {
			continue
		}
		r.section("\"" + x.title + "\"")
		x.flags.VisitAll(func(f *pflag.Flag) {
			if f.Hidden {
				return
			}
			value, usage := pflag.UnquoteUsage(f)
			word := "--" + f.Name
			if f.Shorthand != "" {
				word = "-" + f.Shorthand + ", " + word
			}
			r.item(strings.TrimSpace(word+" "+value), usage)
		})
	}
	if c.Example != "" {
		r.section("EXAMPLES")
		r.literal(strings.ReplaceAll(strings.TrimPrefix(c.Example, "  "), "\n  ", "\n"))
	}
	var also []string
	if c.HasParent() {
		also = append(also, c.Parent().CommandPath())
	}
	for _, child := range c.Commands() {
		if !child.Hidden && child.Name() != "help" {
			also = append(also, child.CommandPath())
		}
	}
	if len(also) > 0 {
		r.section("\"SEE ALSO\"")
		for i, name := range also {
			end := ","
			if i == len(also)-1 {
				end = ""
			}
			r.WriteString(".BR " + escaper.Replace(dashed(name)) + " (1)" + end + "\n")
		}
	}
	return []byte(r.String())
}

// manPage is the page of a topic.
func (t topic) manPage(date string) []byte {
	var r roff
	r.heading("ropeswing-"+t.name, "7", date, strings.ToLower(t.title))
	r.section("DESCRIPTION")
	r.text(t.about)
	for _, row := range t.rows {
		r.item(row[0], row[1])
	}
	return []byte(r.String())
}
