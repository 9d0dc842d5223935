package devicestest

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

// A plan that is watched is checked again as it changes, and only what changed is said.
func TestCheckWatches(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	cmd := exec.Command(program, "check", "--watch", "-o", "json")
	cmd.Dir = dir
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := make(chan string, 100)
	go func() {
		s := bufio.NewScanner(out)
		s.Buffer(nil, 1<<20)
		for s.Scan() {
			lines <- s.Text()
		}
		close(lines)
	}()
	next := func() (v struct {
		New, Gone []struct{ Name string }
		Stay      int
	}) {
		for end := time.After(20 * time.Second); ; {
			select {
			case line := <-lines:
				if strings.HasPrefix(line, `{"time"`) {
					require.NoError(t, json.Unmarshal([]byte(line), &v))
					return v
				}
			case <-end:
				require.Fail(t, "nothing was said")
			}
		}
	}
	for line := range lines {
		if line == "}" {
			break // the first check is told
		}
	}
	file := filepath.Join(dir, demo.Plan)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	write(t, dir, demo.Plan, strings.Replace(string(text), "is: switch", "iss: switch", 1))
	v := next()
	require.NotEmpty(t, v.New)
	assert.Equal(t, "unknown-key", v.New[0].Name)
	write(t, dir, demo.Plan, string(text))
	v = next()
	assert.Empty(t, v.New)
	require.NotEmpty(t, v.Gone)
	assert.Equal(t, "unknown-key", v.Gone[0].Name)
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	err = cmd.Wait()
	assert.Equal(t, 130, cmd.ProcessState.ExitCode(), "%v", err)
	assert.Equal(t, 2, run(t, dir, "check", "--watch", "-o", "csv").Code)
}

// Many findings alike are told in one line, and each where that is asked for.
func TestLikeFindingsFold(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var b strings.Builder
	b.WriteString("ropeswing: 1\nsegments: {lan: {prefix: 10.1.0.0/24}}\ndevices:\n")
	for i := range 12 {
		fmt.Fprintf(&b, "  pc%d: {iss: host, interfaces: {x: {segment: lan, address: %d}}}\n", i, 10+i)
	}
	write(t, dir, demo.Plan, b.String())
	folded, whole := run(t, dir, "check").Out, run(t, dir, "check", "--all").Out
	assert.Contains(t, oneLine(folded), "and 10 more unknown-key")
	assert.Contains(t, oneLine(folded), "check --all tells each")
	assert.NotContains(t, whole, "--all")
	assert.Less(t, strings.Count(folded, "\n"), strings.Count(whole, "\n"))
}
