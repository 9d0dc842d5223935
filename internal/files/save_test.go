package files

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSaveKeepsPermissionsAndLinks(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a")
	require.NoError(t, Save(path, []byte("one")))
	require.NoError(t, os.Chmod(path, 0o600))
	require.NoError(t, os.Symlink("a", filepath.Join(dir, "link")))
	require.NoError(t, Save(filepath.Join(dir, "link"), []byte("two")))
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "two", string(text))
	info, err := os.Lstat(path)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o600), info.Mode().Perm())
	info, err = os.Lstat(filepath.Join(dir, "link"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&fs.ModeSymlink, "the link stays one")

	assert.Error(t, Save(dir, nil), "a folder is no file to write")
	assert.Error(t, Save(filepath.Join(dir, "none", "a"), nil))
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 2, "nothing else is left behind")
}

// Two that write at once: each reads, adds a line and writes back; no line is
// lost.
func TestWritersWaitForOneAnother(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "ledger")
	var all sync.WaitGroup
	for n := range 8 {
		all.Go(func() {
			for i := range 10 {
				unlock, err := Lock(dir)
				if !assert.NoError(t, err) {
					return
				}
				text, _ := os.ReadFile(path)
				assert.NoError(t, Save(path, fmt.Appendf(text, "%d-%d\n", n, i)))
				unlock()
			}
		})
	}
	all.Wait()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, 80, strings.Count(string(text), "\n"))
}

// texts are what the child process below writes in turn.
func texts() [2][]byte {
	return [2][]byte{bytes.Repeat([]byte("old\n"), 200_000), bytes.Repeat([]byte("newer\n"), 200_000)}
}

// Killed at any moment of a write, the file is the old one or the new one.
func TestKilledWhileWriting(t *testing.T) {
	if path := os.Getenv("SAVE_FOR_EVER"); path != "" {
		for n := 0; ; n++ {
			_ = Save(path, texts()[n%2])
		}
	}
	path := filepath.Join(t.TempDir(), "ledger")
	want := texts()
	require.NoError(t, Save(path, want[0]))
	for n := range 15 {
		child := exec.Command(os.Args[0], "-test.run=^TestKilledWhileWriting$")
		child.Env = append(os.Environ(), "SAVE_FOR_EVER="+path)
		require.NoError(t, child.Start())
		time.Sleep(time.Duration(20+7*n) * time.Millisecond)
		require.NoError(t, child.Process.Kill())
		_ = child.Wait() // killed, as it should be
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		require.True(t, bytes.Equal(text, want[0]) || bytes.Equal(text, want[1]), "%d bytes", len(text))
	}
}
