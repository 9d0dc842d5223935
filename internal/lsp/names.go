package lsp

import (
	"fmt"
	"path/filepath"

	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/assign"
	"ropeswing/core/plan"
	"ropeswing/core/revise"
)

// at is an open text with its plan; nil where the file is not open, or was not read.
func (s *Server) at(u uri.URI) (*text, *looked) {
	s.mu.Lock()
	defer s.mu.Unlock()
	t := s.open[u]
	if t == nil {
		return nil, nil
	}
	return t, s.last[planOf(t.path)]
}

// reference is the name at a position, as the plan has it.
func (l *looked) reference(t *text, p protocol.Position) (plan.Reference, bool) {
	if l == nil || l.numbers.Document == nil {
		return plan.Reference{}, false
	}
	at := t.offset(p)
	var best plan.Reference
	found := false
	for _, r := range l.numbers.Document.References() {
		f := r.Place.File
		if f == nil || filepath.Join(l.dir, filepath.FromSlash(f.Name)) != t.path || at < r.Place.Start || at > r.Place.End {
			continue
		}
		if !l.numbers.Document.Has(nameOf(r)) {
			continue
		}
		if !found || r.Place.End-r.Place.Start <= best.Place.End-best.Place.Start {
			best, found = r, true
		}
	}
	return best, found
}

// nameOf is what a reference names, an interface with its device.
func nameOf(r plan.Reference) string {
	if r.Of != "" {
		return r.Of + ":" + r.Value
	}
	return r.Value
}

// places are where the name at a position stands: where it is defined, or where it is used.
func (s *Server) places(u uri.URI, p protocol.Position, wanted func(defines bool) bool) []protocol.Location {
	all := []protocol.Location{}
	t, l := s.at(u)
	if t == nil {
		return all
	}
	name, ok := l.reference(t, p)
	if !ok {
		return all
	}
	seen := map[protocol.Location]bool{}
	for _, r := range l.numbers.Document.References() {
		if r.Value != name.Value || r.Of != name.Of || !wanted(r.Defines) || r.Place.File == nil {
			continue
		}
		if at := l.location(r.Place); !seen[at] {
			seen[at] = true
			all = append(all, at)
		}
	}
	return all
}

// rename gives what is named at a position another name, everywhere in the plan; tried, as the
// command of that name does. The ledger is the command's: where it has numbers of the thing, that
// is said.
func (s *Server) rename(u uri.URI, p protocol.Position, to string) (*protocol.WorkspaceEdit, error) {
	t, l := s.at(u)
	if t == nil {
		return nil, fmt.Errorf("the file is not open")
	}
	name, ok := l.reference(t, p)
	switch {
	case !ok:
		return nil, fmt.Errorf("here stands no name of the plan")
	case !l.numbers.Usable():
		return nil, fmt.Errorf("the plan has slips; mend them first, for a new name is tried")
	}
	old := nameOf(name)
	if name.Of != "" {
		to = name.Of + ":" + to
	}
	r, err := revise.Rename(l.numbers, []assign.Rename{{Old: old, New: to}}, false)
	if err != nil {
		return nil, err
	}
	if len(r.Changes) > 0 {
		return nil, fmt.Errorf("the ledger has numbers of %s, which would stay behind: ropeswing rename %s %s", old, old, to)
	}
	edit := &protocol.WorkspaceEdit{Changes: map[protocol.DocumentURI][]protocol.TextEdit{}}
	for _, e := range r.Edits {
		at := l.location(e.Place)
		edit.Changes[at.URI] = append(edit.Changes[at.URI], protocol.TextEdit{Range: at.Range, NewText: e.Text})
	}
	return edit, nil
}
