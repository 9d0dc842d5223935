//go:build unix

package devicestest

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What stand-ins that were killed have left is swept by the next start, and nothing else is: neither what others still hold, nor a
// folder that has something else in it.
func TestWhatTheKilledLeaveIsSwept(t *testing.T) {
	t.Parallel()
	dir, temporary := lights(t), t.TempDir()
	start := func(args ...string) *exec.Cmd {
		cmd := exec.Command(program, append([]string{"stand-in", "quay-edge"}, args...)...)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "TMPDIR="+temporary)
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		for lines := bufio.NewScanner(out); lines.Scan() && !strings.HasPrefix(lines.Text(), "next:"); {
		}
		return cmd
	}
	kept := func() []string {
		all, err := filepath.Glob(filepath.Join(temporary, "ropeswing-stand-in-*"))
		require.NoError(t, err)
		return all
	}
	killed, lives := start(), start()
	require.Len(t, kept(), 2)
	require.NoError(t, killed.Process.Kill())
	_ = killed.Wait()
	old := time.Now().Add(-time.Minute)
	for _, folder := range kept() {
		require.NoError(t, os.Chtimes(folder, old, old))
	}
	next := start()
	assert.Len(t, kept(), 2, "that of the killed one is gone, and that of the other is not")
	for _, cmd := range []*exec.Cmd{lives, next} {
		require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
		assert.NoError(t, cmd.Wait())
	}
	assert.Empty(t, kept())

	named := start("--access", "who")
	require.NoError(t, named.Process.Kill())
	_ = named.Wait()
	require.FileExists(t, filepath.Join(dir, "who", "key"))
	again := start("--access", "who")
	assert.Equal(t, 2, run(t, dir, "stand-in", "quay-core", "--access", "who").Code, "it is held")
	require.NoError(t, again.Process.Kill())
	_ = again.Wait()
	write(t, dir, "who/notes.txt", "mine")
	r := run(t, dir, "stand-in", "quay-edge", "--access", "who")
	assert.Equal(t, 2, r.Code, r.Out)
	assert.Equal(t, "mine", read(t, dir, "who/notes.txt"))
}
