package standin

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/url"
	"ropeswing/internal/yang"
	"slices"
	"strings"
)

const (
	librarySpace    = "urn:ietf:params:xml:ns:yang:ietf-yang-library"
	monitoringSpace = "urn:ietf:params:xml:ns:yang:ietf-restconf-monitoring"
	libraryRevision = "2019-01-04"
)

// model is one that a stand-in has.
type model struct {
	name, revision, space string
	features              []string
	imported              bool // of which only types are used
}

// models are those that the capabilities name, and those of what the servers tell of themselves.
func (t *trouble) models() []model {
	var all []model
	for _, c := range t.capabilities() {
		space, query, ok := strings.Cut(c, "?module=")
		if !ok {
			continue
		}
		values, err := url.ParseQuery("module=" + query)
		if err != nil {
			panic(err) // they are this program's own
		}
		m := model{name: values.Get("module"), revision: values.Get("revision"), space: space}
		if f := values.Get("features"); f != "" {
			m.features = strings.Split(f, ",")
		}
		all = append(all, m)
	}
	return append(all, model{name: "ietf-datastores", revision: "2018-02-14", space: datastoreSpace},
		// of it get-schema alone
		model{name: "ietf-netconf-monitoring", revision: "2010-10-04", space: "urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring"},
		model{name: "ietf-restconf-monitoring", revision: "2017-01-26", space: monitoringSpace},
		model{name: "ietf-inet-types", revision: "2013-07-15", space: "urn:ietf:params:xml:ns:yang:ietf-inet-types", imported: true},
		model{name: "ietf-yang-types", revision: "2013-07-15", space: "urn:ietf:params:xml:ns:yang:ietf-yang-types", imported: true})
}

// in is a container or an entry of a list of the library.
func in(name string, children ...*yang.Node) *yang.Node {
	return &yang.Node{Space: librarySpace, Name: name, Children: children}
}

// leaf is a leaf of the library, with its value.
func leaf(name, text string) *yang.Node {
	return &yang.Node{Space: librarySpace, Name: name, Text: text}
}

// library is which models a stand-in has in which datastores (RFC 8525), and the same as older clients ask for it (RFC 7895).
func (t *trouble) library() (now, before *yang.Node) {
	all := in("module-set", leaf("name", "all"))
	before = in("modules-state", leaf("module-set-id", t.libraryID()))
	for _, m := range t.models() {
		about := []*yang.Node{leaf("name", m.name), leaf("revision", m.revision), leaf("namespace", m.space)}
		for _, f := range m.features {
			about = append(about, leaf("feature", f))
		}
		list, conformance := "module", "implement"
		if m.imported {
			list, conformance = "import-only-module", "import"
		}
		all.Children = append(all.Children, in(list, about...))
		before.Children = append(before.Children, in("module", append(slices.Clip(about), leaf("conformance-type", conformance))...))
	}
	now = in("yang-library", all, in("schema", leaf("name", "all"), leaf("module-set", "all")))
	for _, store := range t.stores() {
		name := leaf("name", "ds:"+store)
		name = name.With("ds", datastoreSpace)
		now.Children = append(now.Children, in("datastore", name, leaf("schema", "all")))
	}
	now.Children = append(now.Children, leaf("content-id", t.libraryID()))
	return now, before
}

// stores are the datastores of a stand-in.
func (t *trouble) stores() []string {
	if t.plain() {
		return []string{"running", "startup", "operational"}
	}
	return []string{"running", "candidate", "startup", "operational"}
}

// libraryID is another where the models are others.
func (t *trouble) libraryID() string {
	sum := sha256.Sum256(fmt.Append(nil, t.models(), t.stores()))
	return hex.EncodeToString(sum[:8])
}

// libraryCapability says in a hello where the models are listed (RFC 8526 §2).
func (t *trouble) libraryCapability() string {
	return "urn:ietf:params:netconf:capability:yang-library:1.1?revision=" + libraryRevision + "&content-id=" + t.libraryID()
}

// restconfState is what a stand-in's RESTCONF can do (RFC 8040 §9.1): what is not set is not told.
func restconfState() *yang.Node {
	const defaults = "urn:ietf:params:restconf:capability:defaults:1.0?basic-mode=explicit"
	return yang.Box(monitoringSpace, "restconf-state",
		yang.Box(monitoringSpace, "capabilities", yang.Leaf(monitoringSpace, "capability", defaults)))
}
