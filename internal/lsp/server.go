// Package lsp is a language server for plans (Language Server Protocol 3.16): what is found wrong
// as one types, with its remedy; where a number comes from; names and keys completed; definitions,
// references and new names. It changes nothing that it was not asked to change.
package lsp

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"sync"

	"go.lsp.dev/jsonrpc2"
	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"
)

// Server serves one editor.
type Server struct {
	Version string

	conn jsonrpc2.Conn
	mu   sync.Mutex
	open map[uri.URI]*text // as the editor has them
	told map[string]bool   // files that something was said of, by path
	last map[string]*looked
	stop map[string]context.CancelFunc // what is still looked at, by plan
	busy sync.WaitGroup
	once sync.Once
	exit chan struct{} // closed when the editor says so: it may keep its end open
}

// Serve serves until the editor ends, or the input does.
func (s *Server) Serve(ctx context.Context, in io.ReadCloser, out io.WriteCloser) error {
	s.open, s.told, s.last, s.stop, s.exit = map[uri.URI]*text{}, map[string]bool{}, map[string]*looked{}, map[string]context.CancelFunc{},
		make(chan struct{})
	s.conn = jsonrpc2.NewConn(newStream(pipes{in, out}))
	s.conn.Go(ctx, s.handle)
	select {
	case <-s.conn.Done():
	case <-s.exit:
		return nil
	}
	s.mu.Lock()
	for _, stop := range s.stop {
		stop()
	}
	s.mu.Unlock()
	s.busy.Wait()
	if err := s.conn.Err(); err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrClosedPipe) {
		return err
	}
	return nil
}

// pipes are two ends as one.
type pipes struct {
	io.ReadCloser
	out io.WriteCloser
}

func (p pipes) Write(b []byte) (int, error) { return p.out.Write(b) }
func (p pipes) Close() error                { return errors.Join(p.ReadCloser.Close(), p.out.Close()) }

// handle answers one message.
func (s *Server) handle(ctx context.Context, reply jsonrpc2.Replier, r jsonrpc2.Request) error {
	switch r.Method() {
	case protocol.MethodInitialize:
		return reply(ctx, s.initialize(), nil)
	case protocol.MethodShutdown:
		return reply(ctx, nil, nil)
	case protocol.MethodExit:
		err := reply(ctx, nil, nil)
		s.once.Do(func() { close(s.exit) })
		return err
	case protocol.MethodTextDocumentDidOpen:
		return answer(ctx, reply, r, func(p *protocol.DidOpenTextDocumentParams) (any, error) {
			s.changed(p.TextDocument.URI, p.TextDocument.Text)
			return nil, nil
		})
	case protocol.MethodTextDocumentDidChange:
		return answer(ctx, reply, r, func(p *protocol.DidChangeTextDocumentParams) (any, error) {
			if n := len(p.ContentChanges); n > 0 {
				s.changed(p.TextDocument.URI, p.ContentChanges[n-1].Text)
			}
			return nil, nil
		})
	case protocol.MethodTextDocumentDidClose:
		return answer(ctx, reply, r, func(p *protocol.DidCloseTextDocumentParams) (any, error) {
			s.closed(p.TextDocument.URI)
			return nil, nil
		})
	case protocol.MethodTextDocumentHover:
		return answer(ctx, reply, r, func(p *protocol.HoverParams) (*protocol.Hover, error) {
			return s.hover(p.TextDocument.URI, p.Position), nil
		})
	case protocol.MethodTextDocumentCompletion:
		return answer(ctx, reply, r, func(p *protocol.CompletionParams) ([]protocol.CompletionItem, error) {
			return s.complete(p.TextDocument.URI, p.Position), nil
		})
	case protocol.MethodTextDocumentDefinition:
		return answer(ctx, reply, r, func(p *protocol.DefinitionParams) ([]protocol.Location, error) {
			return s.places(p.TextDocument.URI, p.Position, func(defines bool) bool { return defines }), nil
		})
	case protocol.MethodTextDocumentReferences:
		return answer(ctx, reply, r, func(p *protocol.ReferenceParams) ([]protocol.Location, error) {
			return s.places(p.TextDocument.URI, p.Position, func(defines bool) bool { return !defines || p.Context.IncludeDeclaration }), nil
		})
	case protocol.MethodTextDocumentRename:
		return answer(ctx, reply, r, func(p *protocol.RenameParams) (*protocol.WorkspaceEdit, error) {
			return s.rename(p.TextDocument.URI, p.Position, p.NewName)
		})
	case protocol.MethodTextDocumentCodeAction:
		return answer(ctx, reply, r, func(p *protocol.CodeActionParams) ([]protocol.CodeAction, error) {
			return s.fixes(p.TextDocument.URI, p.Range), nil
		})
	case protocol.MethodInitialized, protocol.MethodTextDocumentDidSave, protocol.MethodWorkspaceDidChangeWatchedFiles, "$/setTrace",
		"$/cancelRequest", protocol.MethodWorkspaceDidChangeConfiguration:
		return reply(ctx, nil, nil)
	}
	return jsonrpc2.MethodNotFoundHandler(ctx, reply, r)
}

// answer reads what a message asks with, and answers it. A message that cannot be read is refused.
func answer[P, R any](ctx context.Context, reply jsonrpc2.Replier, r jsonrpc2.Request, do func(*P) (R, error)) error {
	var p P
	if err := json.Unmarshal(r.Params(), &p); err != nil {
		return reply(ctx, nil, jsonrpc2.NewError(jsonrpc2.InvalidParams, err.Error()))
	}
	result, err := do(&p)
	if err != nil {
		return reply(ctx, nil, jsonrpc2.NewError(jsonrpc2.InvalidRequest, err.Error()))
	}
	return reply(ctx, result, nil)
}

// initialize says what the server does.
func (s *Server) initialize() *protocol.InitializeResult {
	return &protocol.InitializeResult{
		Capabilities: protocol.ServerCapabilities{
			TextDocumentSync:   &protocol.TextDocumentSyncOptions{OpenClose: true, Change: protocol.TextDocumentSyncKindFull},
			HoverProvider:      true,
			CompletionProvider: &protocol.CompletionOptions{TriggerCharacters: []string{" ", ":", "{", "[", ","}},
			DefinitionProvider: true,
			ReferencesProvider: true,
			RenameProvider:     true,
			CodeActionProvider: true,
		},
		ServerInfo: &protocol.ServerInfo{Name: "ropeswing", Version: s.Version},
	}
}
