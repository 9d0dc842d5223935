package lsp

import (
	"path/filepath"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/source"
)

// text is a file as the editor has it.
type text struct {
	path  string
	lines []string
	all   string
}

func newText(u uri.URI, all string) *text {
	return &text{path: pathOf(u), all: all, lines: strings.Split(all, "\n")}
}

// pathOf is the file that an address names; "" where it is none.
func pathOf(u uri.URI) (path string) {
	defer func() {
		if recover() != nil { // the library panics at what is no file's address
			path = ""
		}
	}()
	return filepath.Clean(u.Filename())
}

// offset is where a position is in the text, in bytes. The protocol counts in UTF-16.
func (t *text) offset(p protocol.Position) int {
	at := 0
	for i, line := range t.lines {
		if i == int(p.Line) {
			units := 0
			for k, r := range line {
				if units >= int(p.Character) {
					return at + k
				}
				units += max(1, utf16.RuneLen(r))
			}
			return at + len(line)
		}
		at += len(line) + 1
	}
	return len(t.all)
}

// before is a line up to a position.
func (t *text) before(p protocol.Position) string {
	if int(p.Line) >= len(t.lines) {
		return ""
	}
	start := t.offset(protocol.Position{Line: p.Line})
	return t.all[start:t.offset(p)]
}

// word is the word at a position: letters, digits and what names and addresses have.
func (t *text) word(p protocol.Position) string {
	isWord := func(b byte) bool {
		return b >= utf8.RuneSelf || b == '-' || b == '_' || b == '.' || b == ':' || b == '/' || b >= '0' && b <= '9' || b|0x20 >= 'a' &&
			b|0x20 <= 'z'
	}
	at := t.offset(p)
	from, to := at, at
	for from > 0 && isWord(t.all[from-1]) {
		from--
	}
	for to < len(t.all) && isWord(t.all[to]) {
		to++
	}
	return strings.Trim(t.all[from:to], ":/.")
}

// rangeOf is a place as the protocol has it. A whole file is its first line.
func rangeOf(p source.Place) protocol.Range {
	if p.End == 0 {
		return protocol.Range{}
	}
	return protocol.Range{Start: positionOf(p.File, p.Start), End: positionOf(p.File, p.End)}
}

func positionOf(f *source.File, at int) protocol.Position {
	line, _ := source.Place{File: f, Start: at, End: at + 1}.Position()
	units := 0
	for _, r := range string(f.Text[f.LineStart(line):at]) {
		units += max(1, utf16.RuneLen(r))
	}
	return protocol.Position{Line: uint32(line - 1), Character: uint32(units)}
}
