package plan

import (
	"fmt"
	"strings"

	"go.yaml.in/yaml/v4"
)

// Word is a text as a plan has it where one word stands, wherever that is: plain where YAML
// reads it as that text even within brackets and braces, else quoted.
func Word(text string) string {
	if !strings.ContainsAny(text, ",[]{}\n") {
		if written, err := yaml.Marshal(text); err == nil && strings.TrimSuffix(string(written), "\n") == text {
			return text
		}
	}
	var b strings.Builder
	b.WriteByte('"')
	for _, c := range text {
		switch c {
		case '"', '\\':
			b.WriteByte('\\')
		}
		if c < ' ' || c >= 0x7f && c < 0xa0 || c == 0x2028 || c == 0x2029 || c == 0xfeff {
			fmt.Fprintf(&b, "\\u%04x", c) // a line of the file ends where we end it
			continue
		}
		b.WriteRune(c)
	}
	b.WriteByte('"')
	return b.String()
}
