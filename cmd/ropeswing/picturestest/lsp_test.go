package picturestest

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.lsp.dev/jsonrpc2"
	"go.lsp.dev/protocol"
	"go.lsp.dev/uri"

	"ropeswing/core/coretest"
	"ropeswing/demo"
)

// editor is a client of the language server, over the pipes of the built program.
type editor struct {
	t    testing.TB
	conn jsonrpc2.Conn
	said chan protocol.PublishDiagnosticsParams
	uri  protocol.DocumentURI
	text string
}

type pipe struct {
	io.ReadCloser
	io.WriteCloser
}

func (p pipe) Close() error { _ = p.ReadCloser.Close(); return p.WriteCloser.Close() }

func newEditor(t testing.TB, file string) *editor {
	t.Helper()
	cmd := exec.Command(program, "lsp")
	cmd.Dir = filepath.Dir(file)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start())
	e := &editor{t: t, said: make(chan protocol.PublishDiagnosticsParams, 100), uri: uri.File(file)}
	e.conn = jsonrpc2.NewConn(jsonrpc2.NewStream(pipe{out, in}))
	e.conn.Go(context.Background(), func(ctx context.Context, reply jsonrpc2.Replier, r jsonrpc2.Request) error {
		if r.Method() == protocol.MethodTextDocumentPublishDiagnostics {
			var p protocol.PublishDiagnosticsParams
			if json.Unmarshal(r.Params(), &p) == nil {
				e.said <- p
			}
		}
		return reply(ctx, nil, nil)
	})
	var init protocol.InitializeResult
	e.call(protocol.MethodInitialize, &protocol.InitializeParams{}, &init)
	assert.Equal(t, "ropeswing", init.ServerInfo.Name)
	t.Cleanup(func() {
		e.call(protocol.MethodShutdown, nil, nil)
		_ = e.conn.Notify(context.Background(), protocol.MethodExit, nil)
		done := make(chan error, 1)
		go func() { done <- cmd.Wait() }()
		select {
		case err := <-done:
			assert.NoError(t, err)
		case <-time.After(60 * time.Second):
			t.Error("the server does not end")
			_ = cmd.Process.Kill()
		}
	})
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	e.text = string(text)
	require.NoError(t, e.conn.Notify(context.Background(), protocol.MethodTextDocumentDidOpen,
		&protocol.DidOpenTextDocumentParams{TextDocument: protocol.TextDocumentItem{URI: e.uri, Text: e.text}}))
	return e
}

func (e *editor) call(method string, params, result any) {
	e.t.Helper()
	ctx, stop := context.WithTimeout(context.Background(), 30*time.Second)
	defer stop()
	_, err := e.conn.Call(ctx, method, params, result)
	require.NoError(e.t, err)
}

// write replaces a part of the text, as typing does.
func (e *editor) write(old, new string) {
	e.t.Helper()
	require.Contains(e.t, e.text, old)
	e.text = strings.Replace(e.text, old, new, 1)
	require.NoError(e.t, e.conn.Notify(context.Background(), protocol.MethodTextDocumentDidChange, &protocol.DidChangeTextDocumentParams{
		TextDocument:   protocol.VersionedTextDocumentIdentifier{TextDocumentIdentifier: protocol.TextDocumentIdentifier{URI: e.uri}},
		ContentChanges: []protocol.TextDocumentContentChangeEvent{{Text: e.text}},
	}))
}

// next is what is said of the file, as soon as it is what is waited for.
func (e *editor) next(is func([]protocol.Diagnostic) bool) []protocol.Diagnostic {
	e.t.Helper()
	for end := time.After(60 * time.Second); ; {
		select {
		case p := <-e.said:
			if p.URI == e.uri && is(p.Diagnostics) {
				return p.Diagnostics
			}
		case <-end:
			require.Fail(e.t, "what is waited for was never said")
		}
	}
}

func has(code string) func([]protocol.Diagnostic) bool {
	return func(all []protocol.Diagnostic) bool {
		for _, d := range all {
			if d.Code == code {
				return true
			}
		}
		return false
	}
}

// at is the position of a mark in the text: behind the first part of what is looked for.
func (e *editor) at(before, after string) protocol.TextDocumentPositionParams {
	e.t.Helper()
	i := strings.Index(e.text, before+after)
	require.GreaterOrEqual(e.t, i, 0, before+after)
	i += len(before)
	line := strings.Count(e.text[:i], "\n")
	return protocol.TextDocumentPositionParams{TextDocument: protocol.TextDocumentIdentifier{URI: e.uri},
		Position: protocol.Position{Line: uint32(line), Character: uint32(i - strings.LastIndex(e.text[:i], "\n") - 1)}}
}

func (e *editor) hover(before, after string) string {
	e.t.Helper()
	var h *protocol.Hover
	e.call(protocol.MethodTextDocumentHover, &protocol.HoverParams{TextDocumentPositionParams: e.at(before, after)}, &h)
	if h == nil {
		return ""
	}
	return h.Contents.Value
}

func (e *editor) offered(before, after string) map[string]protocol.CompletionItem {
	e.t.Helper()
	var items []protocol.CompletionItem
	e.call(protocol.MethodTextDocumentCompletion, &protocol.CompletionParams{TextDocumentPositionParams: e.at(before, after)}, &items)
	all := map[string]protocol.CompletionItem{}
	for _, i := range items {
		all[i.Label] = i
	}
	return all
}

func TestTheLanguageServer(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	e := newEditor(t, filepath.Join(dir, demo.Plan))
	assert.Empty(t, e.next(func(all []protocol.Diagnostic) bool { return true }), "nothing is wrong")

	// A slip as one types, its remedy as a fix, and the text with it.
	e.write("is: switch", "iss: switch")
	found := e.next(has("unknown-key"))
	require.NotEmpty(t, found)
	assert.Contains(t, found[0].Message, "remedy: did you mean is?")
	var actions []protocol.CodeAction
	e.call(protocol.MethodTextDocumentCodeAction,
		&protocol.CodeActionParams{TextDocument: protocol.TextDocumentIdentifier{URI: e.uri}, Range: found[0].Range}, &actions)
	require.Len(t, actions, 1)
	assert.Equal(t, "write is", actions[0].Title)
	edit := actions[0].Edit.Changes[e.uri][0]
	assert.Equal(t, "is", edit.NewText)
	assert.Equal(t, found[0].Range, edit.Range)

	// While the text cannot be read, what was known of it last is still told.
	assert.Contains(t, e.hover("  tern-wa", "tch:"), "10.48.3.0/29")
	e.write("iss: switch", "is: switch")

	// What is wrong with the network is said behind it: here a requirement that nothing meets.
	e.write("  - everyone reaches log-server over udp/514\n",
		"  - everyone reaches log-server over udp/514\n  - everyone reaches 203.0.113.77 over tcp/9\n  - quay-guest reaches quay-manage\n")
	found = e.next(has("requirement-unmet"))
	assert.NotEmpty(t, found)

	// Hover: where a number comes from, what a route is for, what a key means.
	assert.Contains(t, e.hover("  tern-ro", "ck:"), "10.48.3.16")
	assert.Contains(t, e.hover("    loop", "back: true"), "loopback")
	assert.Contains(t, e.hover("vl", "an: 110"), "The VLAN number")

	// Completion: keys of the map one is in, names where names may stand.
	e.write("from: tern, note: Cameras}", "from: tern, }")
	keys := e.offered("hosts: 4, from: tern, ", "}")
	assert.Contains(t, keys, "gateway")
	assert.Contains(t, keys["gateway"].Documentation, "")
	assert.NotContains(t, keys, "loopback")
	e.write("from: tern, }", "from: }")
	names := e.offered("hosts: 4, from: ", "}")
	assert.Contains(t, names, "tern")
	assert.NotContains(t, names, "tern-rock")
	e.write("from: }", "from: tern}")
	assert.Contains(t, e.offered("  - cameras reaches ", "log-server"), "log-server")
	assert.Contains(t, e.offered("    is: ", "router"), "firewall")

	// Definition, references, and a new name everywhere.
	var at []protocol.Location
	e.call(protocol.MethodTextDocumentDefinition, &protocol.DefinitionParams{TextDocumentPositionParams: e.at("segment: beam-te", "rn")}, &at)
	require.Len(t, at, 1)
	assert.Equal(t, e.at("  ", "beam-tern:").Position, at[0].Range.Start)
	e.call(protocol.MethodTextDocumentReferences,
		&protocol.ReferenceParams{TextDocumentPositionParams: e.at("  - pilot-desk reaches des", "k-7")}, &at)
	assert.Len(t, at, 1+strings.Count(e.text, "desk-7")-2, "but for where it is defined, and a comment")
	var change *protocol.WorkspaceEdit
	_, err := e.conn.Call(context.Background(), protocol.MethodTextDocumentRename,
		&protocol.RenameParams{TextDocumentPositionParams: e.at("  desk", "-7:"), NewName: "beam-tern"}, &change)
	assert.ErrorContains(t, err, "already")
	_, err = e.conn.Call(context.Background(), protocol.MethodTextDocumentRename,
		&protocol.RenameParams{TextDocumentPositionParams: e.at("  camer", "as: ["), NewName: "eyes"}, &change)
	require.NoError(t, err)
	assert.Len(t, change.Changes[e.uri], 3, "the group, and both sentences with it")

	// What it does not know it refuses, and goes on.
	_, err = e.conn.Call(context.Background(), "textDocument/wibble", nil, nil)
	assert.Error(t, err)
	_, err = e.conn.Call(context.Background(), protocol.MethodTextDocumentHover, []int{1}, nil)
	assert.Error(t, err)
	assert.Contains(t, e.hover("  tern-ro", "ck:"), "10.48.3.16")
}

// An edit of a large plan is answered at once, though all of it is checked behind that.
func TestTheLanguageServerOnALargePlan(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "large.plan.yaml")
	require.NoError(t, os.WriteFile(file, []byte("ropeswing: 1\n"+coretest.Hub(999).Plan(2, []int{0}, "{}")), 0o644))
	e := newEditor(t, file)
	e.next(func([]protocol.Diagnostic) bool { return true })
	var worst time.Duration
	for i := range 5 {
		e.write("  lan7-1: {", "  lan7-1: { ")
		begin := time.Now()
		assert.NotEmpty(t, e.hover("  lan7", "-1:"))
		worst = max(worst, time.Since(begin))
		_ = i
	}
	t.Logf("an edit and a hover of a plan of 1,000 devices: %v at worst", worst)
	assert.Less(t, worst, 15*time.Second, "also where other tests have the machine")
}
