// Package view turns results into text, JSON, CSV and Markdown. It decides how
// things look and computes nothing.
package view

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/clipperhouse/displaywidth"
)

// look is how a piece of text looks on a terminal: the parameters of the
// control sequence that selects it (ECMA-48 §8.3.117).
type look string

// Render puts the look around text.
func (l look) Render(s string) string {
	if l == "" || s == "" {
		return s
	}
	return "\x1b[" + string(l) + "m" + s + "\x1b[m"
}

// The few looks there are. Colour is never the only carrier of meaning, and
// the writer drops it where it is not wanted.
const (
	plain = look("")
	bold  = look("1")
	faint = look("2")
	good  = look("1;32")
	bad   = look("1;31")
	warn  = look("1;33")
)

// measure knows how many columns a text takes up on a terminal.
var measure = displaywidth.Options{ControlSequences: true}

func columns(s string) int {
	for i := range len(s) {
		if s[i] < ' ' || s[i] > '~' {
			return measure.String(s)
		}
	}
	return len(s) // most text is plain
}

// Clean makes text from a file fit for a terminal: control characters, marks
// that turn the direction of writing, and bytes that are no text are shown by
// their codes.
func Clean(s string) string {
	if strings.IndexFunc(s, unsafe) < 0 && utf8.ValidString(s) {
		return s
	}
	var b strings.Builder
	for i, c := range s {
		switch {
		case c == utf8.RuneError && !strings.HasPrefix(s[i:], "\ufffd"):
			fmt.Fprintf(&b, "\\x%02x", s[i])
		case unsafe(c):
			fmt.Fprintf(&b, "\\u%04x", c)
		default:
			b.WriteRune(c)
		}
	}
	return b.String()
}

func unsafe(c rune) bool {
	return c < 0x20 || c >= 0x7f && c < 0xa0 || c == 0x200e || c == 0x200f || c == 0xfeff ||
		c >= 0x2028 && c <= 0x202e || c >= 0x2060 && c <= 0x206f
}

// wrap breaks text into lines of at most width columns, at spaces and behind
// commas. A word longer than that stands alone on a line.
func wrap(text string, width int) []string {
	if !strings.Contains(text, "  ") && columns(text) <= width && strings.TrimSpace(text) == text {
		return []string{text}
	}
	var lines []string
	var line strings.Builder
	at := 0 // columns of the line so far
	for word := range strings.FieldsSeq(text) {
		wide := columns(word)
		switch {
		case at == 0:
		case at+1+wide <= width:
			line.WriteByte(' ')
			at++
		default:
			lines = append(lines, line.String())
			line.Reset()
			at = 0
		}
		line.WriteString(word)
		at += wide
	}
	if at > 0 || len(lines) == 0 {
		lines = append(lines, line.String())
	}
	return lines
}

// pad fills text up to width columns.
func pad(text string, width int) string {
	return text + strings.Repeat(" ", max(0, width-columns(text)))
}

// longestWord is the width of the widest word in a text.
func longestWord(text string) int {
	if !strings.Contains(text, " ") {
		return columns(text)
	}
	most := 0
	for w := range strings.FieldsSeq(text) {
		most = max(most, columns(w))
	}
	return most
}

// Count is a number with its noun, in the plural where it should be.
func Count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// Title is a line that says what comes.
func Title(s string) string { return bold.Render(Clean(s)) }

// Prompt is a command as a user would type it.
func Prompt(s string) string { return faint.Render("$ ") + bold.Render(Clean(s)) }

// cleaned is Clean for each of several texts.
func cleaned(all []string) []string {
	out := make([]string, len(all))
	for i, s := range all {
		out[i] = Clean(s)
	}
	return out
}

// Some is the first of many names, with how many more there are.
func Some(names []string, most int) string {
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %d more", len(names)-most)
}

// Wrapped writes a text within a width, further lines behind the indent.
func Wrapped(w io.Writer, width int, text, indent string) { paragraph(w, width, text, indent) }
