package wire

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
	"ropeswing/internal/yang"
)

// Reading is what a file says of devices, and what of it was not understood.
type Reading struct {
	Format  string
	Devices []*observed.Device
	Unread  []Unread // lines, or members of an object
	Cells   []Cell   // of a column map: what was made of each cell

	index map[string]*observed.Device
}

// Unread is something in a file that was not understood.
type Unread struct {
	Line int // from 1; 0 where there are no lines to cover
	Text string
	Why  string
}

// Cell is what a column map made of one cell.
type Cell struct {
	Line                  int
	Device, Row           string
	Field, Text, MadeInto string
}

// LargestObserved is how large a file to be read may be, in bytes.
const LargestObserved = 512 << 20

// Formats are the words for the formats that are recognised by their content.
var Formats = []string{"state", "rfc7951", "xml", "linux", "csv"}

// Read reads what a device says of itself. Format is one of Formats, or "" to tell
// it from the content; device is whose it is where the file does not say.
func Read(text []byte, format, device string) (*Reading, error) {
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	if format == "" {
		var err error
		if format, err = tell(text); err != nil {
			return nil, err
		}
	}
	if len(text) > LargestObserved {
		return nil, fmt.Errorf("it has %d MB; %d are the most", len(text)>>20, LargestObserved>>20)
	}
	if !utf8.Valid(text) {
		return nil, errors.New("it is not UTF-8 text; save it as UTF-8")
	}
	r := &Reading{Format: format}
	var err error
	switch format {
	case "state":
		var d *observed.Device
		if d, err = observed.Decode(text); err == nil {
			r.Devices = append(r.Devices, d)
		}
	case "rfc7951", "xml":
		read := yang.ParseXML
		if format == "rfc7951" {
			read = yang.ParseJSON
		}
		var root *yang.Node
		if root, err = read(text); err == nil {
			err = r.readYANG(root, device)
		}
	case "linux":
		err = r.readLinux(text, device, false)
	case "csv":
		err = r.readCSV(text, device)
	default:
		err = fmt.Errorf("there is no format %s; the formats are %s", format, strings.Join(Formats, ", "))
	}
	if err != nil {
		return nil, err
	}
	return r, r.check()
}

// check refuses what no device can say, and names that nobody can read.
func (r *Reading) check() error {
	for _, d := range r.Devices {
		if err := d.Check(); err != nil {
			return fmt.Errorf("%s: %w", d.Name, err)
		}
	}
	return nil
}

// tell tells a format from the content.
func tell(text []byte) (string, error) {
	head := bytes.TrimSpace(text[:min(len(text), 1<<16)])
	switch {
	case len(head) == 0:
		return "", errors.New("it is empty")
	case bytes.IndexByte(head, 0) >= 0:
		return "", errors.New("it is a binary file")
	case head[0] == '<':
		return "xml", nil
	case head[0] == '[':
		return "linux", nil
	case head[0] == '{' && bytes.Contains(head, []byte(`"ropeswing_observed"`)):
		return "state", nil
	case head[0] == '{':
		return "rfc7951", nil
	}
	first, _, _ := bytes.Cut(head, []byte("\n"))
	if separatorOf(string(first)) != 0 {
		return "csv", nil
	}
	if isLinuxPlain(string(head)) {
		return "linux", nil
	}
	return "", errors.New("it is in none of the formats that are recognised by their content; for a text table of your own write a column " +
		"map and name it with --map")
}

// ReadData reads data of the standard models of one device. What is no data of these is taken out of them.
func ReadData(root *yang.Node, device string) (*Reading, error) {
	r := &Reading{Format: "xml"}
	return r, r.readYANG(&yang.Node{Children: []*yang.Node{root}}, device)
}

// of finds a device of the reading by name, or adds it.
func (r *Reading) of(name string) (*observed.Device, error) {
	if !observed.IsName(name) {
		if name == "" {
			return nil, errors.New("it does not say which device it is of: name it with --device")
		}
		return nil, fmt.Errorf("%q is no name of a device", name)
	}
	if d, ok := r.index[name]; ok {
		return d, nil
	}
	if r.index == nil {
		r.index = map[string]*observed.Device{}
	}
	d := &observed.Device{Name: name}
	r.index[name], r.Devices = d, append(r.Devices, d)
	return d, nil
}

// mostUnread is how many things not understood are kept; all are counted.
const mostUnread = 10_000

func (r *Reading) unread(line int, text, why string, args ...any) {
	if len(r.Unread) < mostUnread {
		if len(text) > 200 {
			text = text[:200] + "…"
		}
		r.Unread = append(r.Unread, Unread{line, strings.ToValidUTF8(text, "?"), fmt.Sprintf(why, args...)})
	}
}

// familyPart is the part of a family.
func familyPart(family prefix.Family, four, six observed.Part) observed.Part {
	if family == prefix.IPv4 {
		return four
	}
	return six
}
