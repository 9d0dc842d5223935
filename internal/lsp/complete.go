package lsp

import (
	"regexp"
	"slices"
	"strings"
	"sync"

	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
)

// complete offers the keys that the map at a position may have, or the names and words that may
// stand at a key.
func (s *Server) complete(u uri.URI, p protocol.Position) []protocol.CompletionItem {
	all := []protocol.CompletionItem{}
	t, l := s.at(u)
	if t == nil {
		return all
	}
	where := t.pathTo(p)
	if where.onKey {
		if kind := kindAt(where.path); kind != "" {
			for _, g := range plan.Keys() {
				if g.Of != kind {
					continue
				}
				for _, k := range g.Keys {
					all = append(all, protocol.CompletionItem{Label: k.Name, Kind: protocol.CompletionItemKindProperty, Detail: plainText(k.Form),
						Documentation: plainText(k.Doc), InsertText: k.Name + ": "})
				}
			}
			return all
		}
	}
	form, from := "", where.path
	if k, _, ok := keyAt(where.path, where.key); ok {
		form = k.Form
	}
	n := len(from)
	switch {
	case n == 3 && from[0] == "devices" && from[2] == "routes":
		form = "a segment, a block, a device" // a destination, and its next hop
	case len(from) == 1 && (from[0] == "must" || from[0] == "groups" || from[0] == "cables"), where.key == "must" || where.key == "reach" ||
		where.key == "permits" || where.key == "translates":
		form = "sentences"
	}
	for _, w := range wordsOf(form) {
		all = append(all, protocol.CompletionItem{Label: w, Kind: protocol.CompletionItemKindEnumMember})
	}
	if l == nil || l.good == nil {
		return all
	}
	return append(all, l.names(form, where)...)
}

var quoted = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile("`([a-z][a-z0-9-]*)`") })

// wordsOf are the words that a form offers to be written as they are.
func wordsOf(form string) []string {
	first, _, _ := strings.Cut(form, ";")
	if strings.HasPrefix(form, "true or false") {
		return []string{"true", "false"}
	}
	var all []string
	for _, m := range quoted().FindAllStringSubmatch(first, -1) {
		if !slices.Contains(all, m[1]) && !strings.Contains(first, "such as `"+m[1]) {
			all = append(all, m[1])
		}
	}
	return all
}

// names are the names of the plan that may stand where a form is wanted.
func (l *looked) names(form string, where place) []protocol.CompletionItem {
	var all []protocol.CompletionItem
	seen := map[string]bool{}
	add := func(kind protocol.CompletionItemKind, detail string, names ...string) {
		for _, n := range names {
			if n != "" && !seen[n] {
				seen[n] = true
				all = append(all, protocol.CompletionItem{Label: n, Kind: kind, Detail: detail})
			}
		}
	}
	spec := l.good.Spec
	wants := func(words ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(form, w) })
	}
	sentence := wants("sentence", "A to B")
	if sentence || wants("segment") {
		for i := range spec.Segments {
			add(protocol.CompletionItemKindModule, "segment", spec.Segments[i].Name)
		}
	}
	if sentence || wants("a device", "devices", "a switch", "next hop") {
		for i := range spec.Devices {
			add(protocol.CompletionItemKindClass, spec.Devices[i].Kind.String(), spec.Devices[i].Name)
		}
	}
	if sentence || wants("block") {
		for i := range spec.Blocks {
			add(protocol.CompletionItemKindFolder, "block", spec.Blocks[i].Name)
		}
	}
	if sentence || wants("group") {
		for _, g := range l.good.Document.Groups {
			add(protocol.CompletionItemKindEnum, "group", g.Name.Value)
		}
	}
	if sentence {
		add(protocol.CompletionItemKindKeyword, "", "everyone", "reaches", "reach", "does not reach", "do not reach", "without", "over",
			"through")
	}
	if wants("an interface", "ports of the device") && len(where.path) > 1 && where.path[0] == "devices" {
		if d, ok := spec.DeviceNamed(where.path[1]); ok {
			add(protocol.CompletionItemKindField, "interface", spec.InterfaceNames(d)...)
		}
	}
	if wants("DEVICE:PORT") || len(where.path) > 0 && where.path[0] == "cables" {
		for i := range spec.Interfaces {
			add(protocol.CompletionItemKindField, "interface", spec.Devices[spec.Interfaces[i].Device].Name+":"+spec.Interfaces[i].Name)
		}
	}
	if wants("the name of a finding") {
		add(protocol.CompletionItemKindEnumMember, "finding", finding.Names()...)
	}
	return all
}

func plainText(s string) string { return strings.ReplaceAll(s, "`", "") }
