package wire

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"unicode/utf8"

	"ropeswing/core/form"
)

// TextReader reads texts that gear prints: a column map does, and a form.
type TextReader interface {
	ReadText(text []byte, device string) (*Reading, error)
}

// ListReader reads several lists, each by what was asked for it.
type ListReader interface {
	ReadLists(texts [][]byte, device string) (*Reading, error)
}

// Gear is how gear of one make is read, and asked.
type Gear struct {
	TextReader
	Ask     []string // the words to send to a device, one by one, so that it prints what is read
	Else    []string // what to send in place of each where it is refused; nil where there is nothing else
	Console *Console // how it is told; nil where that is not said
}

// Console is how gear is told line by line, in the language of its form.
type Console struct {
	Form                 *form.Form
	Prompt, Refused      *regexp.Regexp
	Enter, Leave, Forget []string
	Saving               []string
	Arm, Stay, Cancel    string // of its timer; "" where it has none
}

// IsForm tells whether a text is that of a form, by its first line.
func IsForm(text []byte) bool {
	first, _, _ := bytes.Cut(bytes.TrimPrefix(text, []byte("\ufeff")), []byte("\n"))
	return bytes.HasPrefix(first, []byte("#")) && bytes.Contains(first, []byte(", form "))
}

// ReadGear reads a form, a column map, or a gear file. Open reads the form that a gear file names.
func ReadGear(text []byte, open func(path string) ([]byte, error)) (*Gear, error) {
	if IsForm(text) {
		f, err := form.Parse(string(text))
		if err != nil {
			return nil, err
		}
		return &Gear{TextReader: Form{f}}, nil
	}
	m, err := ReadMap(text)
	if err != nil {
		return nil, err
	}
	if m.Form == "" {
		return &Gear{TextReader: m, Ask: m.Ask}, nil
	}
	text, err = open(m.Form)
	if err != nil {
		return nil, fmt.Errorf("its form %s cannot be read", m.Form)
	}
	f, err := form.Parse(string(text))
	if err != nil {
		return nil, fmt.Errorf("its form %s: %w", m.Form, err)
	}
	g := &Gear{TextReader: Form{f}, Ask: m.Ask}
	if m.prompt != nil {
		g.Console = &Console{Form: f, Prompt: m.prompt, Refused: m.refused, Enter: m.Enter, Leave: m.Leave, Forget: m.Forget, Saving: m.Save,
			Arm: m.Timer["arm"], Stay: m.Timer["confirm"], Cancel: m.Timer["cancel"]}
	}
	return g, nil
}

// Form is a form as a reader of texts.
type Form struct{ *form.Form }

// largestByForm is how large a text that is read by a form may be, in bytes.
const largestByForm = 64 << 20

// ReadText implements TextReader.
func (f Form) ReadText(text []byte, device string) (*Reading, error) {
	switch {
	case len(text) > largestByForm:
		return nil, fmt.Errorf("it has %d MB; %d are the most that a form reads", len(text)>>20, largestByForm>>20)
	case bytes.IndexByte(text, 0) >= 0:
		return nil, errors.New("it is a binary file")
	case !utf8.Valid(text):
		return nil, errors.New("it is not UTF-8 text; save it as UTF-8")
	}
	read := f.Read(string(bytes.TrimPrefix(text, []byte("\ufeff"))), device)
	r := &Reading{Format: "form"}
	for _, d := range read.Observed() {
		into, err := r.of(d.Name)
		if err != nil {
			return nil, err
		}
		*into = *d
	}
	if len(r.Devices) == 0 {
		return nil, fmt.Errorf("none of its %d lines is like a line of the form", read.Lines)
	}
	for _, u := range read.Unread {
		r.unread(u.Line, u.Text, "%s", u.Why)
	}
	for _, c := range read.Cells {
		r.Cells = append(r.Cells, Cell{Line: c.Line, Device: r.Devices[0].Name, Row: c.Thing, Field: c.Fact, Text: c.Value, MadeInto: c.Value})
	}
	return r, r.check()
}

// ReadText implements TextReader.
func (m *ColumnMap) ReadText(text []byte, device string) (*Reading, error) {
	return ReadMapped(text, m, device)
}
