package plan

import (
	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// Access is how some devices are reached, the method to try first in front.
type Access struct {
	For     Text // a device, a group, a segment, or everyone
	Methods []Method
	Place   source.Place
}

// Method is one method to reach a device. Secrets are not in it, but where they are found.
type Method struct {
	By        Text
	At        Text // ADDRESS, ADDRESS:PORT or :PORT
	Version   Text
	User      Text
	Community Secret
	Auth      Secret
	Privacy   Secret
	AuthBy    Text
	PrivacyBy Text
	Password  Secret
	Key       Secret
	Gear      Text // a file
	Place     source.Place
}

// Secret is where a secret is found: in one of a file, a variable of the environment, or at the
// keyboard.
type Secret struct {
	File  Text
	Env   Text
	Ask   Switch
	Place source.Place
}

// Said tells whether anything is said of a secret.
func (s Secret) Said() bool { return s.File.Written() || s.Env.Written() || s.Ask.Value }

// The protocols by which devices are asked and told.
const (
	BySNMP     = "snmp"
	ByNETCONF  = "netconf"
	ByRESTCONF = "restconf" // over TLS; the key of its certificate is known like that of an SSH host
	ByLists    = "lists"    // by SSH, each list by the words that print it
)

var accessKeys = []key[Access]{
	{"for", "a device, a group, a segment, or `everyone`",
		"Whom it is about. What names the device itself counts before a group, and a group before everyone. Required.",
		text(func(a *Access) *Text { return &a.For })},
	{"methods", "a list of maps", "How to ask, the preferred first. What one does not tell, the next one is asked for. Required.",
		(*reader).methods},
}

var methodKeys = []key[Method]{
	{"by", "`netconf`, `restconf`, `snmp` or `lists`",
		"NETCONF over SSH (RFC 6242), RESTCONF (RFC 8040), SNMP, or lists that the device prints by SSH. Only NETCONF is told by `push`. " +
			"Required.", choice(func(m *Method) *Text { return &m.By }, ByNETCONF, ByRESTCONF, BySNMP, ByLists)},
	{"at", "`ADDRESS`, `ADDRESS:PORT` or `:PORT`",
		"Where that is not the address the plan manages the device at, or not the usual port: 830, 443, 161, 22.",
		text(func(m *Method) *Text { return &m.At })},
	{"version", "`2c` or `3`; `3` unless set", "Of SNMP.", choice(func(m *Method) *Text { return &m.Version }, "2c", "3")},
	{"user", "text", "Who logs in. Of SNMP: the user of version 3.", text(func(m *Method) *Text { return &m.User })},
	{"community", "where a secret is found", "Of SNMP version 2c.", secret(func(m *Method) *Secret { return &m.Community })},
	{"auth", "where a secret is found", "The authentication passphrase of SNMP version 3.",
		secret(func(m *Method) *Secret { return &m.Auth })},
	{"privacy", "where a secret is found", "The privacy passphrase of SNMP version 3.",
		secret(func(m *Method) *Secret { return &m.Privacy })},
	{"auth-by", "`sha1`, `sha224`, `sha256`, `sha384` or `sha512`; `sha256` unless set", "The hash that authenticates (RFC 7860).",
		choice(func(m *Method) *Text { return &m.AuthBy }, "sha1", "sha224", "sha256", "sha384", "sha512")},
	{"privacy-by", "`aes`, `aes192`, `aes256`, `aes192c` or `aes256c`; `aes` unless set", "The cipher: `aes` is AES of 128 bits (RFC 3826).",
		choice(func(m *Method) *Text { return &m.PrivacyBy }, "aes", "aes192", "aes256", "aes192c", "aes256c")},
	{"password", "where a secret is found", "Of the user, for SSH or RESTCONF.", secret(func(m *Method) *Secret { return &m.Password })},
	{"key", "where a secret is found",
		"A private key, for SSH, in the form of OpenSSH or PEM. With neither key nor password the keys of the SSH agent are shown.",
		secret(func(m *Method) *Secret { return &m.Key })},
	{"gear", "a file", "Of lists: the [gear file](gear.md) that says which words print what, and how it is read; or `linux`, a machine with Linux, which needs no file: the lists of its `ip` are read.",
		text(func(m *Method) *Text { return &m.Gear })},
}

var secretKeys = []key[Secret]{
	{"file", "a file", "A file of mode 0600, named from the folder that the plan or the access file is in.",
		text(func(s *Secret) *Text { return &s.File })},
	{"env", "a name", "A variable of the environment.", text(func(s *Secret) *Text { return &s.Env })},
	{"ask", "true or false; false unless set", "It is typed, once a run.", truth(func(s *Secret) *Switch { return &s.Ask })},
}

// secret reads where a secret is found.
func secret(field func(*Method) *Secret) func(*reader, *Method, *yaml.Node, string) {
	return func(r *reader, m *Method, n *yaml.Node, what string) {
		s := field(m)
		s.Place = r.place(n)
		if n.Kind != yaml.MappingNode {
			r.hide(n)
			r.report(finding.New(finding.BadValue, s.Place, "%s is a secret, and no secret stands in a plan", what).
				Mend("say where it is found: '%[1]s: {file: PATH}', '%[1]s: {env: NAME}' or '%[1]s: {ask: true}'", what))
			return
		}
		before := len(r.found)
		if fields(r, n, what, secretKeys, s); len(r.found) > before {
			r.hide(n) // it may be the secret that is not understood
		}
		places := 0
		for _, is := range []bool{s.File.Written(), s.Env.Written(), s.Ask.Value} {
			if is {
				places++
			}
		}
		if places != 1 && len(r.found) == before {
			r.report(finding.New(finding.BadValue, s.Place, "%s is found in one place, not %d", what, places).
				Mend("say one of '{file: PATH}', '{env: NAME}' and '{ask: true}'"))
		}
	}
}

// hide has no word of a node shown, nor any within it.
func (r *reader) hide(n *yaml.Node) {
	if n.Kind == yaml.ScalarNode {
		r.place(n).Hide()
	}
	for i, c := range n.Content {
		if n.Kind != yaml.MappingNode || i%2 == 1 { // a map's keys are no secrets
			r.hide(c)
		}
	}
}

// accesses reads how devices are reached.
func (r *reader) accesses(d *Document, n *yaml.Node, what string) {
	r.each(n, what, func(v *yaml.Node) {
		var whom *yaml.Node
		if v.Kind == yaml.MappingNode {
			whom = child(v, "for")
		}
		r.madeFrom(whom, func() {
			a := Access{Place: r.place(v)}
			before := len(r.found)
			fields(r, v, "an entry of access", accessKeys, &a)
			if len(r.found) > before {
				return
			}
			if !a.For.Written() {
				r.report(finding.New(finding.MissingKey, a.Place, "it is not said whom it is about").Mend("add 'for: everyone'"))
			}
			if len(a.Methods) == 0 {
				r.report(finding.New(finding.MissingKey,
					a.Place, "it is not said how they are reached").Mend("add 'methods: [{by: netconf, user: NAME}]'"))
			}
			d.Access = append(d.Access, a)
		})
	})
}

func (r *reader) methods(a *Access, n *yaml.Node, what string) {
	r.each(n, what, func(v *yaml.Node) {
		m := Method{Place: r.place(v)}
		before := len(r.found)
		fields(r, v, "a method", methodKeys, &m)
		if len(r.found) > before {
			return
		}
		has := map[string]bool{
			"community": m.Community.Said(), "auth": m.Auth.Said(), "privacy": m.Privacy.Said(), "password": m.Password.Said(),
			"user": m.User.Written(), "gear": m.Gear.Written(),
		}
		if problem := MethodNeeds(m.By.Value, m.Version.Value, func(key string) bool { return has[key] }); problem != "" {
			r.report(finding.New(finding.MissingKey, m.Place, "%s", problem))
			return
		}
		a.Methods = append(a.Methods, m)
	})
}

// MethodNeeds says what a method lacks, of which it is known which keys it has; "" where nothing.
func MethodNeeds(by, version string, has func(key string) bool) string {
	switch {
	case by == "":
		return "it is not said by what: 'by' is netconf, restconf, snmp or lists"
	case by == BySNMP && version == "2c" && !has("community"):
		return "snmp of version 2c takes a community"
	case by == BySNMP && version != "2c" && !(has("user") && has("auth") && has("privacy")):
		return "snmp of version 3 takes user, auth and privacy"
	case (by == ByNETCONF || by == ByLists) && !has("user"):
		return by + " takes a user"
	case by == ByLists && !has("gear"):
		return "lists take gear: the file that says which words print what"
	case by == ByRESTCONF && !(has("user") && has("password")):
		return "restconf takes a user and a password"
	}
	return ""
}

// each reads the maps of a list; one that stands alone is a list of it.
func (r *reader) each(n *yaml.Node, what string, read func(*yaml.Node)) {
	all := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		all = n.Content
	}
	for _, v := range all {
		read(v)
	}
}
