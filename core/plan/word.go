package plan

import (
	"strings"

	"go.yaml.in/yaml/v4"
)

// Word is a text as a plan has it where one word stands, wherever that is: plain where YAML
// reads it as that text even within brackets and braces, else quoted.
func Word(text string) string {
	if !strings.ContainsAny(text, ",[]{}") {
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
		b.WriteRune(c)
	}
	b.WriteByte('"')
	return b.String()
}
