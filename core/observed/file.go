package observed

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Version is the version of the file format.
const Version = 1

// Limits against files that are no state.
const (
	LargestFile = 512 << 20 // bytes
	mostThings  = 5_000_000 // interfaces and routes of one device
)

// file is a device as it stands in its file.
type file struct {
	Version int `json:"ropeswing_observed"`
	*Device
}

// addressFile is an address as it stands in a file.
type addressFile struct {
	Address   string `json:"address"`
	Origin    string `json:"origin,omitempty"`
	Secondary bool   `json:"secondary,omitempty"`
}

// MarshalJSON implements json.Marshaler.
func (a Address) MarshalJSON() ([]byte, error) {
	return json.Marshal(addressFile{a.Prefix.String(), a.Origin, a.Secondary})
}

// UnmarshalJSON implements json.Unmarshaler.
func (a *Address) UnmarshalJSON(b []byte) error {
	var f addressFile
	if err := json.Unmarshal(b, &f); err != nil {
		return err
	}
	p, err := netip.ParsePrefix(f.Address)
	if err != nil {
		return err
	}
	*a = Address{p, f.Origin, f.Secondary}
	return nil
}

// Encode is the device as its file's text.
func (d *Device) Encode() []byte {
	b, err := json.MarshalIndent(file{Version, d}, "", " ")
	if err != nil {
		panic(err) // nothing in it cannot be written
	}
	return append(b, '\n')
}

// ErrNotState is that a file is JSON of another kind.
var ErrNotState = errors.New("it is no file of a state")

// Decode reads a device from its file's text.
func Decode(text []byte) (*Device, error) {
	f := file{Device: &Device{}}
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(&f); err != nil {
		return nil, inWords(err, text)
	}
	switch {
	case f.Version == 0:
		return nil, ErrNotState
	case f.Version != Version:
		return nil, fmt.Errorf("it is of version %d of the format, and this program reads %d", f.Version, Version)
	case !IsName(f.Name):
		return nil, fmt.Errorf("it does not name its device")
	}
	if err := f.Check(); err != nil {
		return nil, err
	}
	return f.Device, nil
}

// inWords says what is wrong with a state's JSON.
func inWords(err error, text []byte) error {
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	line := func(offset int64) int { return 1 + bytes.Count(text[:min(int(offset), len(text))], []byte("\n")) }
	switch field, unknown := strings.CutPrefix(err.Error(), "json: unknown field "); {
	case unknown:
		return fmt.Errorf("%w: no state has a field %s", ErrNotState, field)
	case errors.As(err, &syntax):
		return fmt.Errorf("line %d: it is no whole JSON", line(syntax.Offset))
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return fmt.Errorf("line %d: it is no whole JSON: it ends too soon", line(int64(len(text))))
	case errors.As(err, &kind) && kind.Field == "":
		return ErrNotState
	case errors.As(err, &kind):
		return fmt.Errorf("%w: line %d: %s cannot be a JSON %s", ErrNotState, line(kind.Offset), kind.Field, kind.Value)
	}
	return fmt.Errorf("%w: %w", ErrNotState, err)
}

// IsClean tells whether a text has nothing in it that is not fit to be read: no control
// characters, none that turn the direction of writing, no bytes that are no text.
func IsClean(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, func(c rune) bool { return c != ' ' && !unicode.IsPrint(c) })
}

// IsName tells whether a text can be a device's name.
func IsName(s string) bool {
	if s == "" || len(s) > mostName || strings.Trim(s, ".") == "" || strings.HasPrefix(s, "._") || strings.HasSuffix(s, ".") || reserved(s) {
		return false
	}
	for _, c := range s {
		if strings.ContainsRune(`/\:*?"<>|`, c) || !unicode.IsPrint(c) || unicode.IsSpace(c) {
			return false
		}
	}
	return true
}

// mostName is how long a device's name may be, in bytes: a file is called by it, with an
// ending.
const mostName = 200

// reserved tells whether a name stands for a device of the system where files are called
// by it: on Windows NUL, COM1 and such are, whatever ending they have.
func reserved(s string) bool {
	base, _, _ := strings.Cut(strings.ToUpper(s), ".")
	switch base {
	case "CON", "PRN", "AUX", "NUL":
		return true
	}
	return len(base) == 4 && (strings.HasPrefix(base, "COM") || strings.HasPrefix(base, "LPT")) && base[3] >= '1' && base[3] <= '9'
}

// Check finds what no device can say, and names that nobody can read.
func (d *Device) Check() error {
	for _, s := range d.Sources {
		if !IsClean(s.File + s.Format + s.Taken) {
			return errors.New("a source has a name with control characters in it")
		}
	}
	for i := range d.Routes {
		if r := &d.Routes[i]; !IsClean(r.Interface + r.Table + r.Source) {
			return fmt.Errorf("route %d has a name with control characters in it", i+1)
		}
	}
	for _, n := range d.Neighbours {
		if !IsClean(n.Interface + n.MAC) {
			return errors.New("a neighbour has a name with control characters in it")
		}
	}
	for _, m := range d.MACs {
		if !IsClean(m.Interface + m.MAC) {
			return errors.New("a MAC address is behind a name with control characters in it")
		}
	}
	if len(d.Interfaces)+len(d.Routes) > mostThings {
		return fmt.Errorf("%s has more than %d interfaces and routes", d.Name, mostThings)
	}
	seen := make(map[string]bool, len(d.Interfaces))
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		switch {
		case x.Name == "":
			return errors.New("an interface has no name")
		case !IsClean(x.Name+x.Type+x.MAC) || x.Group != nil && !IsClean(*x.Group):
			return fmt.Errorf("the interface %q has control characters in its words", x.Name)
		case seen[x.Name]:
			return fmt.Errorf("the interface %q stands there twice", x.Name)
		case x.Admin != "" && x.Admin != Up && x.Admin != Down, x.Oper != "" && x.Oper != Up && x.Oper != Down:
			return fmt.Errorf("the interface %q is neither up nor down", x.Name)
		}
		seen[x.Name] = true
	}
	for i := range d.Routes {
		if !d.Routes[i].To.IsValid() {
			return fmt.Errorf("route %d has no destination", i+1)
		}
	}
	return nil
}
