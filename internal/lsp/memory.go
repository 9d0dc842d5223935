package lsp

import (
	"io/fs"
	"strings"
	"time"
)

// memory is a file that the editor has.
type memory struct {
	*strings.Reader
	name string
	size int64
}

func newMemory(name, all string) *memory {
	return &memory{strings.NewReader(all), name, int64(len(all))}
}

func (m *memory) Stat() (fs.FileInfo, error) { return m, nil }
func (m *memory) Close() error               { return nil }
func (m *memory) Name() string               { return m.name }
func (m *memory) Size() int64                { return m.size }
func (m *memory) Mode() fs.FileMode          { return 0o644 }
func (m *memory) ModTime() time.Time         { return time.Time{} }
func (m *memory) IsDir() bool                { return false }
func (m *memory) Sys() any                   { return nil }
