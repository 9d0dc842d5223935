package observed

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"strings"
	"unicode"
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
		var syntax *json.SyntaxError
		if errors.As(err, &syntax) {
			return nil, fmt.Errorf("line %d: %w", 1+bytes.Count(text[:min(int(syntax.Offset), len(text))], []byte("\n")), err)
		}
		var kind *json.UnmarshalTypeError
		if errors.As(err, &kind) && kind.Field == "" {
			return nil, ErrNotState
		}
		return nil, fmt.Errorf("%w: %w", ErrNotState, err)
	}
	switch {
	case f.Version == 0:
		return nil, ErrNotState
	case f.Version != Version:
		return nil, fmt.Errorf("it is of version %d of the format, and this program reads %d", f.Version, Version)
	case !IsName(f.Name):
		return nil, fmt.Errorf("it does not name its device")
	}
	if err := f.check(); err != nil {
		return nil, err
	}
	return f.Device, nil
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

// check finds what no device can say.
func (d *Device) check() error {
	if len(d.Interfaces)+len(d.Routes) > mostThings {
		return fmt.Errorf("%s has more than %d interfaces and routes", d.Name, mostThings)
	}
	seen := make(map[string]bool, len(d.Interfaces))
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		switch {
		case x.Name == "":
			return errors.New("an interface has no name")
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
