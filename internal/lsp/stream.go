package lsp

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"
	"sync"

	"go.lsp.dev/jsonrpc2"
)

// largestMessage is how large a message may be, in bytes; one that is larger is refused, and skipped.
const largestMessage = 64 << 20

// stream is messages with headers, as the language server protocol has them. One that cannot be read is answered and skipped: the editor
// goes on.
type stream struct {
	in    *bufio.Reader
	conn  io.ReadWriteCloser
	mutex sync.Mutex // of writing
}

func newStream(conn io.ReadWriteCloser) *stream {
	return &stream{in: bufio.NewReader(conn), conn: conn}
}

// Read implements jsonrpc2.Stream.
func (s *stream) Read(ctx context.Context) (jsonrpc2.Message, int64, error) {
	for {
		if err := ctx.Err(); err != nil {
			return nil, 0, err
		}
		size, err := s.header()
		if err != nil {
			return nil, 0, err
		}
		if size > largestMessage {
			if _, err := io.CopyN(io.Discard, s.in, size); err != nil {
				return nil, 0, err
			}
			s.refuse(fmt.Sprintf("a message of %d bytes is larger than %d", size, largestMessage))
			continue
		}
		text := make([]byte, size)
		if _, err := io.ReadFull(s.in, text); err != nil {
			return nil, 0, err
		}
		m, err := jsonrpc2.DecodeMessage(text)
		if err == nil {
			return m, size, nil
		}
		s.refuse("a message cannot be read: " + err.Error())
	}
}

// header reads the lines before a message, and returns its length. Lines that are no header are skipped.
func (s *stream) header() (int64, error) {
	size := int64(-1)
	for {
		line, err := s.in.ReadString('\n')
		if err != nil {
			return 0, err
		}
		line = strings.TrimSpace(line)
		if line == "" && size >= 0 {
			return size, nil
		}
		name, value, ok := strings.Cut(line, ":")
		if ok && strings.EqualFold(strings.TrimSpace(name), "Content-Length") {
			n, err := strconv.ParseInt(strings.TrimSpace(value), 10, 64)
			if err != nil || n < 0 {
				s.refuse(fmt.Sprintf("%q is no length of a message", strings.TrimSpace(value)))
				continue
			}
			size = n
		}
	}
}

// refuse answers a message that could not be read (JSON-RPC 2.0 §5.1).
func (s *stream) refuse(why string) {
	_ = s.put(map[string]any{"jsonrpc": "2.0", "id": nil, "error": map[string]any{"code": jsonrpc2.ParseError, "message": why}})
}

// put writes a message with its header, whole.
func (s *stream) put(m any) error {
	text, err := json.Marshal(m)
	if err != nil {
		return err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	_, err = s.conn.Write(append(fmt.Appendf(nil, "Content-Length: %d\r\n\r\n", len(text)), text...))
	return err
}

// Write implements jsonrpc2.Stream.
func (s *stream) Write(ctx context.Context, m jsonrpc2.Message) (int64, error) {
	if err := ctx.Err(); err != nil {
		return 0, err
	}
	return 0, s.put(m)
}

// Close implements jsonrpc2.Stream.
func (s *stream) Close() error { return s.conn.Close() }
