package form

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"
)

// Trial is what a form makes of a text of a device of which it is known what it says.
type Trial struct {
	Lines    int // of the text that are not empty
	Unread   []Unread
	Values   int      // of the device that its gear may tell
	NotFound []Value  // of these: not read in the text
	Other    []Value  // read, and not so of the device
	Missing  []string // lines of the text that the form does not print for the device
	Extra    []string // lines that it prints, and the text has not
	Again    []string // lines that are not the same when what was read is printed again
}

// Try reads a text by the form, prints the device, and prints again what was read.
func (f *Form) Try(device *Thing, text string) Trial {
	r := f.Read(text, device.label())
	t := Trial{Lines: r.Lines, Unread: r.Unread, Values: len(device.Values())}
	read := &Thing{Kind: Device, V: map[string]string{"device": device.label()}}
	for _, d := range r.Observed() {
		if d.Name == device.label() {
			read = Of(d, nil)
		}
	}
	t.NotFound, t.Other = NotRead(device, read), told(NotRead(read, device), f)
	printed := f.Write(device)
	t.Missing, t.Extra = f.without(text, printed, r.Unread), lacking(printed, text)
	for _, d := range r.Devices {
		if d.label() == device.label() {
			t.Again = f.without(text, f.Write(d), r.Unread)
		}
	}
	return t
}

// told leaves out what a form only makes of silence: that a route is set, an address first.
func told(all []Value, f *Form) []Value {
	var kept []Value
	for _, v := range all {
		if !(v.Fact == "untagged" && v.Value == "0") && (v.Fact == "address" || v.Fact == "length" || factSaid(f.Lines, v.Fact) != nil) {
			kept = append(kept, v)
		}
	}
	return kept
}

// without is lacking for the lines of a text that were read, and are not passed over.
func (f *Form) without(text, printed string, unread []Unread) []string {
	var all []string
	for _, l := range lacking(text, printed) {
		known := false
		for _, u := range unread {
			known = known || tidy(u.Text) == l
		}
		if !known && !f.passes(f.Lines, l) {
			all = append(all, l)
		}
	}
	return all
}

// passes tells whether a line is one that the form passes over.
func (f *Form) passes(lines []*Line, text string) bool {
	for _, l := range lines {
		for _, a := range l.Atoms {
			if _, ok := match(l.program, gaps(text)); a.Any && ok {
				return true
			}
		}
		if f.passes(l.Kids, text) {
			return true
		}
	}
	return false
}

func tidy(line string) string { return strings.Join(strings.Fields(line), " ") }

// lacking are the lines of one text that another has not as often, whatever their order and blanks.
func lacking(one, other string) []string {
	left := map[string]int{}
	for l := range strings.SplitSeq(other, "\n") {
		left[tidy(l)]++
	}
	var all []string
	for l := range strings.SplitSeq(one, "\n") {
		if l = tidy(l); l == "" {
			continue
		}
		if left[l] > 0 {
			left[l]--
		} else {
			all = append(all, l)
		}
	}
	return all
}

// Guesses are the lines of a form that were never seen so.
func (f *Form) Guesses() []*Line {
	var all []*Line
	var walk func(lines []*Line)
	walk = func(lines []*Line) {
		for _, l := range lines {
			if l.Guess {
				all = append(all, l)
			}
			walk(l.Kids)
		}
	}
	walk(f.Lines)
	return all
}

// Text is the line as a form has it.
func (l *Line) Text() string { return spell(l.Atoms, false) + l.marks() }

// NotSaid are the facts that a device has, and the form says nothing of for it: read again, its text would lack them. Each is told with
// an example.
func (f *Form) NotSaid(device *Thing) []string {
	read := f.Read(f.Write(device), device.label())
	again := &Thing{Kind: Device, V: map[string]string{}}
	for _, d := range read.Observed() {
		again = Of(d, nil)
	}
	count, first := map[string]int{}, map[string]Value{}
	var order []string
	for _, v := range NotRead(device, again) {
		if count[v.Fact] == 0 {
			first[v.Fact], order = v, append(order, v.Fact)
		}
		count[v.Fact]++
	}
	var all []string
	for _, fact := range order {
		text := fact + " of " + first[fact].Of + " (" + first[fact].Value + ")"
		if n := count[fact] - 1; n > 0 {
			text += fmt.Sprintf(" and %d more", n)
		}
		all = append(all, text)
	}
	return all
}

// Readable finds what no text of a device can be; nil where it can be one.
func Readable(text []byte) error {
	switch {
	case bytes.IndexByte(text, 0) >= 0:
		return &NothingToLearn{"it is a binary file"}
	case !utf8.Valid(text):
		return &NothingToLearn{"it is not UTF-8 text; save it as UTF-8"}
	case len(bytes.TrimSpace(text)) == 0:
		return &NothingToLearn{"it is empty"}
	}
	return nil
}
