// Package access is how devices are reached for real: by which protocol, at which address, and
// where the secrets for it are found. Secrets themselves never stand in it.
package access

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/plan"
)

// The protocols by which devices are asked.
const (
	SNMP     = plan.BySNMP
	NETCONF  = plan.ByNETCONF
	RESTCONF = plan.ByRESTCONF
	Lists    = plan.ByLists
)

// Secret is where a secret is found: one of a file of mode 0600, an environment variable, or the
// keyboard.
type Secret struct {
	File string `yaml:"file,omitempty"`
	Env  string `yaml:"env,omitempty"`
	Ask  bool   `yaml:"ask,omitempty"`
}

// Way is one way to reach a device.
type Way struct {
	By        string  `yaml:"by"`
	At        string  `yaml:"at,omitempty"` // ADDRESS, ADDRESS:PORT or :PORT; where the plan manages it unless said
	Version   string  `yaml:"version,omitempty"`
	User      string  `yaml:"user,omitempty"`
	Community *Secret `yaml:"community,omitempty"`
	Auth      *Secret `yaml:"auth,omitempty"`
	Privacy   *Secret `yaml:"privacy,omitempty"`
	AuthBy    string  `yaml:"auth-by,omitempty"`    // sha256 unless said
	PrivacyBy string  `yaml:"privacy-by,omitempty"` // aes unless said
	Password  *Secret `yaml:"password,omitempty"`
	Key       *Secret `yaml:"key,omitempty"`
	Gear      string  `yaml:"gear,omitempty"` // of lists: the file that says which words print what, and how it is read
}

// Entry is the paths to reach some devices, the one to try first in front.
type Entry struct {
	For  string `yaml:"for"` // a device, a group, or everyone
	Ways []Way  `yaml:"methods"`
}

// Version is the version of the format of access files.
const Version = 1

// Access is a file of it.
type Access struct {
	Version    int     `yaml:"ropeswing-access"`
	KnownHosts string  `yaml:"known-hosts,omitempty"`
	Entries    []Entry `yaml:"access"`

	dir string // that its files are named from
}

// Largest is how large a file may be, in bytes.
const Largest = 4 << 20

// What an error of the reader repeats of the text, and where that is.
var (
	quoted = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile("`[^`]*`") })
	inLine = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`line \d+`) })
)

// Read reads a file's text. Files are named from its folder.
func Read(text []byte, dir string) (*Access, error) {
	if len(text) > Largest {
		return nil, errors.New("it is too large to be an access file")
	}
	a := &Access{dir: dir}
	d := yaml.NewDecoder(bytes.NewReader(text))
	d.KnownFields(true)
	if err := d.Decode(a); err != nil {
		text := strings.TrimPrefix(err.Error(), "yaml: ")
		if strings.Contains(text, "access.Secret") && strings.Contains(text, "cannot construct") {
			return nil, fmt.Errorf("%s: no secret stands here; say where it is found: {file: PATH}, {env: NAME} or {ask: true}",
				inLine().FindString(text))
		}
		return nil, errors.New(quoted().ReplaceAllString(text, "what stands there")) // it may be a secret
	}
	if a.Version != Version {
		return nil, fmt.Errorf("it begins with 'ropeswing-access: %d', and this one says %d", Version, a.Version)
	}
	for _, e := range a.Entries {
		if e.For == "" || len(e.Ways) == 0 {
			return nil, errors.New("each entry says for whom ('for') and how ('methods')")
		}
		for i := range e.Ways {
			if err := e.Ways[i].check(); err != nil {
				return nil, fmt.Errorf("for %s: %w", e.For, err)
			}
		}
	}
	return a, nil
}

// check refuses a way that cannot be gone.
func (w *Way) check() error {
	secrets := map[string]*Secret{"community": w.Community, "auth": w.Auth, "privacy": w.Privacy, "password": w.Password, "key": w.Key}
	for name, s := range secrets {
		if s == nil {
			continue
		}
		n := 0
		for _, is := range []bool{s.File != "", s.Env != "", s.Ask} {
			if is {
				n++
			}
		}
		if n != 1 {
			return fmt.Errorf("%s is found in one place: {file: PATH}, {env: NAME} or {ask: true}", name)
		}
	}
	if w.By != SNMP && w.By != NETCONF && w.By != RESTCONF && w.By != Lists {
		return fmt.Errorf("by is snmp, netconf, restconf or lists, not %q", w.By)
	}
	if w.By == SNMP && w.Version != "" && w.Version != "2c" && w.Version != "3" {
		return fmt.Errorf("snmp has the versions 2c and 3 here, not %q", w.Version)
	}
	if w.By == SNMP && w.Version == "" {
		w.Version = "3"
	}
	has := func(key string) bool {
		return secrets[key] != nil || key == "user" && w.User != "" || key == "gear" && w.Gear != ""
	}
	if problem := plan.MethodNeeds(w.By, w.Version, has); problem != "" {
		return errors.New(problem)
	}
	return nil
}

// FromPlan is the access that a plan says, with files named from its folder.
func FromPlan(d *plan.Document, dir string) *Access {
	of := func(s plan.Secret) *Secret {
		if !s.Said() {
			return nil
		}
		return &Secret{File: s.File.Value, Env: s.Env.Value, Ask: s.Ask.Value}
	}
	a := &Access{Version: 1, KnownHosts: d.KnownHosts.Value, dir: dir}
	for _, e := range d.Access {
		entry := Entry{For: e.For.Value}
		for _, m := range e.Methods {
			w := Way{
				By: m.By.Value, At: m.At.Value, Version: m.Version.Value, User: m.User.Value,
				Community: of(m.Community), Auth: of(m.Auth), Privacy: of(m.Privacy), AuthBy: m.AuthBy.Value, PrivacyBy: m.PrivacyBy.Value,
				Password: of(m.Password), Key: of(m.Key), Gear: m.Gear.Value,
			}
			if w.By == SNMP {
				w.Version = cmp.Or(w.Version, "3")
			}
			entry.Ways = append(entry.Ways, w)
		}
		a.Entries = append(a.Entries, entry)
	}
	return a
}

// Write is the file's text.
func (a *Access) Write() ([]byte, error) {
	a.Version = Version
	var b bytes.Buffer
	b.WriteString("# How devices are reached. Secrets stand in files of their own.\n")
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	if err := e.Encode(a); err != nil {
		return nil, err
	}
	return b.Bytes(), e.Close()
}

// Path is a file that is named in it.
func (a *Access) Path(name string) string {
	if filepath.IsAbs(name) {
		return name
	}
	return filepath.Join(a.dir, name)
}

// mostSecret is how long a secret may be, in bytes.
const mostSecret = 1 << 16

// Find fetches a secret. Ask asks the keyboard for one, by a text that says which.
func (a *Access) Find(s *Secret, what string, getenv func(string) string, ask func(string) (string, error)) (string, error) {
	switch {
	case s == nil:
		return "", nil
	case s.Env != "":
		v := getenv(s.Env)
		if v == "" {
			return "", fmt.Errorf("%s: the environment has no %s", what, s.Env)
		}
		return v, nil
	case s.Ask:
		return ask(what)
	}
	path := a.Path(s.File)
	info, err := os.Stat(path)
	if err != nil {
		return "", fmt.Errorf("%s: there is no file %s", what, s.File)
	}
	if info.Mode().Perm()&0o077 != 0 {
		return "", fmt.Errorf("%s: others may read %s; make it mode 0600: chmod 600 %s", what, s.File, path)
	}
	if why := othersMay(path, info); why != "" {
		return "", fmt.Errorf("%s: %s is not taken: %s", what, s.File, why)
	}
	if info.Size() > mostSecret || !info.Mode().IsRegular() {
		return "", fmt.Errorf("%s: %s is no file of a secret", what, s.File)
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return "", fmt.Errorf("%s: %s cannot be read", what, s.File)
	}
	if bytes.Contains(text, []byte("-----BEGIN")) {
		return string(text), nil
	}
	return strings.TrimRight(string(text), "\r\n"), nil
}
