package lsp

import (
	"path/filepath"

	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/plan"
	"ropeswing/core/workspace"
)

// fixes are the remedies that are an edit of the text, for what is found in a range. Each was read
// with the edit made: what it mends is gone then.
func (s *Server) fixes(u uri.URI, r protocol.Range) []protocol.CodeAction {
	all := []protocol.CodeAction{}
	t, l := s.at(u)
	if t == nil || l == nil || l.numbers.Document == nil {
		return all
	}
	s.mu.Lock()
	found := l.found
	s.mu.Unlock()
	for _, f := range found {
		if f.Place.File == nil || filepath.Join(l.dir, filepath.FromSlash(f.Place.File.Name)) != t.path {
			continue
		}
		at := rangeOf(f.Place)
		if at.Start.Line > r.End.Line || at.End.Line < r.Start.Line {
			continue
		}
		word, ok := f.Replacement()
		if !ok || !mends(l.numbers, plan.Edit{Place: f.Place, Text: word}, len(found)) {
			continue
		}
		all = append(all, protocol.CodeAction{
			Title: "write " + word, Kind: protocol.QuickFix, Diagnostics: []protocol.Diagnostic{diagnostic(l, f)}, IsPreferred: true,
			Edit: &protocol.WorkspaceEdit{Changes: map[protocol.DocumentURI][]protocol.TextEdit{uri.File(t.path): {{Range: at, NewText: word}}}},
		})
	}
	return all
}

// mends tells whether with an edit there is less to say of the plan than before.
func mends(n *workspace.Numbers, e plan.Edit, before int) bool {
	again := n.Edited(n.LedgerText(), e)
	return again.Usable() && !n.Usable() || len(again.Read()) < before
}
