// Package entries reads texts that ship with the program as files of their own: one entry after another, each a name and what is said
// of it.
package entries

import (
	"fmt"
	"strings"
)

// Entry is one entry: its name, and what each of its keys says.
type Entry struct {
	Name string
	Says map[string]string
}

// written are the characters that a text cannot hold as they are.
var written = strings.NewReplacer(`\x07`, "\a", `\t`, "\t")

// Read reads entries. An empty line ends one, and a line that begins with '#' is a remark. An entry begins with its name; each line
// after it is 'key: value', or 'key:' with the lines of a text below it, each behind '| '. A text that is not so is an error with the
// number of its line: it is a slip in this program.
func Read(text string) ([]Entry, error) {
	var all []Entry
	var key string
	open := false // an entry has begun
	for i, line := range strings.Split(text, "\n") {
		wrong := func(what string) error { return fmt.Errorf("line %d: %s: %q", i+1, what, line) }
		switch {
		case strings.HasPrefix(line, "#"):
		case line == "":
			open, key = false, ""
		case !open:
			all = append(all, Entry{Name: line, Says: map[string]string{}})
			open = true
		case line == "|" || strings.HasPrefix(line, "| "):
			if key == "" {
				return nil, wrong("a line of a text without its key")
			}
			all[len(all)-1].Says[key] += written.Replace(strings.TrimPrefix(strings.TrimPrefix(line, "|"), " ")) + "\n"
		default:
			says := all[len(all)-1].Says
			name, value, ok := strings.Cut(line, ":")
			if _, twice := says[name]; !ok || twice {
				return nil, wrong("neither 'key: value' nor a line of a text, or a key that stands twice")
			}
			says[name], key = strings.TrimPrefix(value, " "), ""
			if value == "" {
				key = name
			}
		}
	}
	return all, nil
}
