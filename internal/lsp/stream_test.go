package lsp

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.lsp.dev/jsonrpc2"
)

type both struct {
	io.Reader
	bytes.Buffer
}

func (b *both) Read(p []byte) (int, error) { return b.Reader.Read(p) }
func (b *both) Close() error               { return nil }

func framed(text string) string { return fmt.Sprintf("Content-Length: %d\r\n\r\n%s", len(text), text) }

// A message that cannot be read is answered and skipped; what follows it is read.
func TestAMalformedMessageIsSkipped(t *testing.T) {
	const good = `{"jsonrpc":"2.0","id":7,"method":"shutdown"}`
	for _, bad := range []string{framed("{bad}"), framed(""), "Content-Length: many\r\n\r\n", "nonsense\r\n\r\n", framed(`{"jsonrpc":"2.0"}`),
		framed("\xff\xfe")} {
		b := &both{Reader: strings.NewReader(bad + framed(good))}
		s := newStream(b)
		m, _, err := s.Read(context.Background())
		require.NoError(t, err, bad)
		call, ok := m.(*jsonrpc2.Call)
		require.True(t, ok, bad)
		assert.Equal(t, "shutdown", call.Method())
		if !strings.HasPrefix(bad, "nonsense") {
			assert.Contains(t, b.String(), `"code":-32700`, bad)
		}
		_, _, err = s.Read(context.Background())
		assert.ErrorIs(t, err, io.EOF)
	}
	huge := &both{Reader: io.MultiReader(strings.NewReader(fmt.Sprintf("Content-Length: %d\r\n\r\n", largestMessage+1)),
		io.LimitReader(zeros{}, largestMessage+1), strings.NewReader(framed(good)))}
	m, _, err := newStream(huge).Read(context.Background())
	require.NoError(t, err)
	assert.Equal(t, "shutdown", m.(*jsonrpc2.Call).Method())
	assert.Contains(t, huge.String(), "is larger than")
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) { return len(p), nil }
