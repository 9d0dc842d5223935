// Package source holds the texts Rope Swing reads and the places in them that
// its answers point back to.
package source

import (
	"bytes"
	"sort"
	"strconv"
	"unicode/utf8"
)

// File is a text in memory under the name its reader knows it by. It is never
// changed once made, but that its reader may find secrets in it.
type File struct {
	Name string
	Text []byte

	starts []int         // byte offset of the first byte of each line
	secret [][2]int      // from where to where, in bytes, is never shown
	marks  map[int][]int // of each long line, counted from 1: the offset of every markEvery-th character
}

// markEvery is how far apart the marks of a long line are: a plan may be one
// line of many megabytes, and counting its characters from the start for every
// word would take forever.
const markEvery = 512

// byteOrderMark may begin a UTF-8 text; it is no character of the first line.
var byteOrderMark = []byte("\ufeff")

// New returns the file called name that holds text. It keeps text.
func New(name string, text []byte) *File {
	f := &File{Name: name, Text: text, starts: []int{0}}
	if bytes.HasPrefix(text, byteOrderMark) {
		f.starts[0] = len(byteOrderMark)
	}
	for i, b := range text {
		if b == '\n' {
			f.starts = append(f.starts, i+1)
		}
	}
	for line := 1; line <= len(f.starts); line++ {
		if f.lineEnd(line)-f.starts[line-1] > 2*markEvery {
			f.mark(line)
		}
	}
	return f
}

// mark notes where every markEvery-th character of a line is.
func (f *File) mark(line int) {
	if f.marks == nil {
		f.marks = map[int][]int{}
	}
	end := f.lineEnd(line)
	var marks []int
	for at, n := f.starts[line-1], 0; at < end; n++ {
		if n%markEvery == 0 {
			marks = append(marks, at)
		}
		_, size := utf8.DecodeRune(f.Text[at:end])
		at += size
	}
	f.marks[line] = marks
}

// Lines is the number of lines; a text that ends in a line break has an empty
// last line.
func (f *File) Lines() int { return len(f.starts) }

// Offset turns a line and a column, both counted from 1 and the column in
// characters, into a byte offset. What lies outside the text is moved to the
// nearest place inside it.
func (f *File) Offset(line, column int) int {
	if line < 1 {
		return 0
	}
	if line > len(f.starts) {
		return len(f.Text)
	}
	at := f.starts[line-1]
	end := f.lineEnd(line)
	if marks := f.marks[line]; len(marks) > 0 && column > 1 {
		n := min((column-1)/markEvery, len(marks)-1)
		at, column = marks[n], column-n*markEvery
	}
	for ; column > 1 && at < end; column-- {
		_, size := utf8.DecodeRune(f.Text[at:end])
		at += size
	}
	return at
}

// LineStart is the byte offset at which the line (counted from 1) begins.
func (f *File) LineStart(line int) int { return f.starts[line-1] }

// lineEnd is the offset just behind the line's last character, its line break
// not counted.
func (f *File) lineEnd(line int) int {
	end := len(f.Text)
	if line < len(f.starts) {
		end = f.starts[line] - 1
	}
	if end > f.starts[line-1] && f.Text[end-1] == '\r' {
		end--
	}
	return end
}

// Place is a stretch of a file: bytes Start up to, not including, End. The
// zero Place is nowhere; a Place whose End is 0 is the file as a whole.
type Place struct {
	File       *File
	Start, End int
}

// Whole is the place that stands for all of a file.
func (f *File) Whole() Place { return Place{File: f} }

// Known tells whether the place is anywhere at all.
func (p Place) Known() bool { return p.File != nil }

// Position is the place's line and column, both counted from 1, the column in
// characters. Both are 0 for a whole file or an unknown place.
func (p Place) Position() (line, column int) {
	if p.File == nil || p.End == 0 {
		return 0, 0
	}
	line = sort.SearchInts(p.File.starts, p.Start+1)
	start, before := p.File.starts[line-1], 0
	if marks := p.File.marks[line]; len(marks) > 0 {
		n := max(0, sort.SearchInts(marks, p.Start+1)-1)
		start, before = marks[n], n*markEvery
	}
	return line, before + utf8.RuneCount(p.File.Text[start:p.Start]) + 1
}

// String is the place as a person or an editor reads it: file:line:column.
func (p Place) String() string {
	if p.File == nil {
		return ""
	}
	line, column := p.Position()
	if line == 0 {
		return p.File.Name
	}
	return p.File.Name + ":" + strconv.Itoa(line) + ":" + strconv.Itoa(column)
}

// From is the place as one says it who is at another: 'on line 12', with the
// file's name where it is another file.
func (p Place) From(other Place) string {
	line, _ := p.Position()
	if p.File != other.File {
		return "in " + p.File.Name + " on line " + strconv.Itoa(line)
	}
	return "on line " + strconv.Itoa(line)
}

// Text is the stretch of text the place covers.
func (p Place) Text() string {
	if p.File == nil {
		return ""
	}
	return string(p.File.Text[p.Start:p.End])
}

// Excerpt is the line on which the place begins, in three parts: what stands
// before the place, what of the place is on that line, and what follows. All
// three are empty for a whole file.
func (p Place) Excerpt() (before, marked, after string) {
	line, _ := p.Position()
	if line == 0 {
		return "", "", ""
	}
	start, end := p.File.starts[line-1], p.File.lineEnd(line)
	from, to := min(p.Start, end), min(p.End, end)
	return p.File.shown(start, from), p.File.shown(from, to), p.File.shown(to, end)
}

// Hide has a place never shown again in an excerpt: it holds a secret.
func (p Place) Hide() { p.File.secret = append(p.File.secret, [2]int{p.Start, p.End}) }

// shown is a part of the text, with an x for each byte of a secret.
func (f *File) shown(from, to int) string {
	text := bytes.Clone(f.Text[from:to])
	for _, s := range f.secret {
		for at := max(from, s[0]); at < min(to, s[1]); at++ {
			text[at-from] = 'x'
		}
	}
	return string(text)
}

// Before tells whether p stands before q: by file name, then by offset.
func (p Place) Before(q Place) bool {
	switch {
	case p.File == q.File:
		return p.Start < q.Start
	case p.File == nil || q.File == nil:
		return p.File == nil
	default:
		return p.File.Name < q.File.Name
	}
}
