package lsp

import (
	"context"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/finding"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
)

// looked is a plan as it was last looked at.
type looked struct {
	dir     string
	numbers *workspace.Numbers // of the texts as they are
	good    *workspace.Numbers // the last that could be used; nil where none could yet
	found   []finding.Finding
}

// overlay is a plan's folder, with the texts that the editor has in place of those on the disk.
type overlay struct {
	fs.FS
	dir  string
	open map[string]string // by path
}

// Open implements fs.FS.
func (o overlay) Open(name string) (fs.File, error) {
	if all, ok := o.open[filepath.Join(o.dir, filepath.FromSlash(name))]; ok {
		return newMemory(filepath.Base(name), all), nil
	}
	return o.FS.Open(name)
}

// planOf is the plan that a file belongs to: itself, or the only one of its folder or above.
func planOf(path string) string {
	if strings.HasSuffix(path, strings.TrimPrefix(files.PlanPattern, "*")) {
		return path
	}
	if found, err := files.FindPlan(filepath.Dir(path)); err == nil {
		return found.Path
	}
	return path
}

// changed notes a new text, and looks at its plan.
func (s *Server) changed(u uri.URI, all string) {
	t := newText(u, all)
	if t.path == "" {
		return
	}
	s.mu.Lock()
	s.open[u] = t
	s.mu.Unlock()
	s.look(planOf(t.path))
}

func (s *Server) closed(u uri.URI) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if t := s.open[u]; t != nil {
		delete(s.open, u)
		s.say(map[string][]protocol.Diagnostic{t.path: {}})
	}
}

// soon is how long a plan rests before all of it is checked.
const soon = 150 * time.Millisecond

// look reads a plan at once, and says what is wrong with how it is written; what is wrong with the
// network is worked out behind it, and given up when the text changes again.
func (s *Server) look(plan string) {
	s.mu.Lock()
	if stop := s.stop[plan]; stop != nil {
		stop()
	}
	ctx, stop := context.WithCancel(context.Background())
	s.stop[plan] = stop
	open := map[string]string{}
	for _, t := range s.open {
		open[t.path] = t.all
	}
	s.mu.Unlock()

	found := files.At(filepath.Dir(plan), filepath.Base(plan))
	dir := filepath.Dir(found.Path)
	n := workspace.Open(overlay{found.FS, dir, open}, found.Name, found.Name)
	l := &looked{dir: dir, numbers: n, found: n.Read()}
	s.mu.Lock()
	if before := s.last[plan]; before != nil {
		l.good = before.good
	}
	if n.Usable() {
		l.good = n
	}
	s.last[plan] = l
	s.mu.Unlock()
	if !n.Usable() {
		s.tell(l, l.found)
		return
	}
	s.busy.Add(1)
	go func() {
		defer s.busy.Done()
		select {
		case <-ctx.Done():
			return
		case <-time.After(soon):
		}
		all, _ := n.Predict().CheckOn(time.Now().Format(time.DateOnly))
		s.mu.Lock()
		defer s.mu.Unlock()
		if ctx.Err() != nil {
			return
		}
		if now := s.last[plan]; now != nil && now.numbers == n {
			now.found = all
			s.tellLocked(now, all)
		}
	}()
}

func (s *Server) tell(l *looked, found []finding.Finding) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.tellLocked(l, found)
}

// tellLocked tells the editor what was found, file by file; those of which nothing is said any
// more are cleared.
func (s *Server) tellLocked(l *looked, found []finding.Finding) {
	by := map[string][]protocol.Diagnostic{}
	for path := range s.told {
		if filepath.Dir(path) == l.dir || strings.HasPrefix(path, l.dir+string(filepath.Separator)) {
			by[path] = []protocol.Diagnostic{}
		}
	}
	if l.numbers.Document != nil {
		for _, f := range l.numbers.Document.Files() {
			if path := filepath.Join(l.dir, filepath.FromSlash(f.Name)); by[path] == nil {
				by[path] = []protocol.Diagnostic{}
			}
		}
	}
	for _, f := range found {
		if f.Place.File == nil {
			continue
		}
		path := filepath.Join(l.dir, filepath.FromSlash(f.Place.File.Name))
		by[path] = append(by[path], diagnostic(l, f))
	}
	s.say(by)
}

// say sends what is said of files; the lock is held.
func (s *Server) say(by map[string][]protocol.Diagnostic) {
	var paths []string
	for path := range by {
		paths = append(paths, path)
	}
	slices.Sort(paths)
	for _, path := range paths {
		s.told[path] = len(by[path]) > 0
		if !s.told[path] {
			delete(s.told, path)
		}
		_ = s.conn.Notify(context.Background(), protocol.MethodTextDocumentPublishDiagnostics,
			&protocol.PublishDiagnosticsParams{URI: uri.File(path), Diagnostics: by[path]})
	}
}

// diagnostic is a finding as the editor shows it: the reason, then the remedy.
func diagnostic(l *looked, f finding.Finding) protocol.Diagnostic {
	text := f.Reason
	switch {
	case f.Remedy != "" && f.Mends > 0:
		text += fmt.Sprintf("\nremedy: %s (tried: it mends %d of %d pairs that fail)", f.Remedy, f.Mends, f.Of)
	case f.Remedy != "" && f.Tried:
		text += "\nremedy: " + f.Remedy + " (tried: it works)"
	case f.Remedy != "":
		text += "\nremedy: " + f.Remedy
	}
	d := protocol.Diagnostic{Range: rangeOf(f.Place), Severity: protocol.DiagnosticSeverityInformation, Code: string(f.Name),
		Source: "ropeswing", Message: text}
	switch f.Severity() {
	case finding.Error:
		d.Severity = protocol.DiagnosticSeverityError
	case finding.Warning:
		d.Severity = protocol.DiagnosticSeverityWarning
	}
	if f.Because.Known() {
		d.RelatedInformation = append(d.RelatedInformation,
			protocol.DiagnosticRelatedInformation{Location: l.location(f.Because), Message: "it follows from what is wrong here"})
	}
	for _, p := range f.Also {
		if p.File != nil {
			d.RelatedInformation = append(d.RelatedInformation,
				protocol.DiagnosticRelatedInformation{Location: l.location(p), Message: "this has a part in it"})
		}
	}
	return d
}

func (l *looked) location(p source.Place) protocol.Location {
	return protocol.Location{URI: uri.File(filepath.Join(l.dir, filepath.FromSlash(p.File.Name))), Range: rangeOf(p)}
}
