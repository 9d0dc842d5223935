package lsp

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/explain"
	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/internal/view"
)

// hoverWidth is how wide what a hover says is, in letters.
const hoverWidth = 78

// hover says where a number comes from, what an interface has, what a device does with a route's
// destination, or what a key is for.
func (s *Server) hover(u uri.URI, p protocol.Position) *protocol.Hover {
	t, l := s.at(u)
	if t == nil {
		return nil
	}
	where := t.pathTo(p)
	said := ""
	switch r, ok := l.reference(t, p); {
	case ok && l.good != nil:
		said = l.explained(nameOf(r), where)
	case where.onKey:
		if k, _, ok := keyAt(where.path, where.key); ok {
			said = keyText(k)
		} else if l != nil && l.good != nil {
			said = l.explained(t.word(p), where)
		}
	case l != nil && l.good != nil:
		said = l.explained(t.word(p), where)
	}
	if said == "" {
		return nil
	}
	return &protocol.Hover{Contents: protocol.MarkupContent{Kind: protocol.Markdown, Value: said}}
}

func keyText(k plan.KeyDoc) string { return fmt.Sprintf("**%s**: %s\n\n%s", k.Name, k.Form, k.Doc) }

// explained is what is known of a word of the plan: as the command 'why' tells.
func (l *looked) explained(word string, where place) string {
	if word == "" {
		return ""
	}
	// The destination of a route: what its device does with packets to it.
	if n := len(where.path); n >= 3 && where.path[0] == "devices" && (where.path[2] == "routes" || where.path[2] == "tables") && where.onKey {
		if y, err := explain.Lookup(l.good.Predict(), where.path[1], word); err == nil {
			return whyText(y)
		}
	}
	if y, err := explain.Explain(l.good, word); err == nil {
		return whyText(y)
	}
	if e, ok := entryNamed(word); ok {
		return fmt.Sprintf("**%s** (%s)\n\n%s %s\n\n%s", e.Name, e.Severity, e.Means, e.Why, e.Remedy)
	}
	if term, ok := explain.TermNamed(word); ok {
		return fmt.Sprintf("**%s**: %s", term.Name, term.Means)
	}
	return ""
}

func entryNamed(word string) (finding.Entry, bool) {
	all := finding.Catalogue()
	n := slices.IndexFunc(all, func(e finding.Entry) bool { return string(e.Name) == word })
	if n < 0 {
		return finding.Entry{}, false
	}
	return all[n], true
}

// whyText is an explanation as it is printed, without looks.
func whyText(y explain.Why) string {
	var b bytes.Buffer
	view.NewWhy(y).Text(view.Plain{W: &b}, hoverWidth)
	return "```text\n" + strings.TrimRight(b.String(), "\n") + "\n```"
}
