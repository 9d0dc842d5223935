// Package clitest runs the built program for tests that drive it on files.
package clitest

import (
	"bufio"
	"bytes"
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/demo"
	"ropeswing/internal/command"
	"ropeswing/internal/files"
)

// program is the path of the built program.
var program string

// Main builds the program, runs a package's tests with it and returns their exit code; into is set to the program's path.
func Main(m *testing.M, into *string) int {
	// The program's code is in the tests' binary too, though they run the built one:
	// else a change of it would be no change of what 'go test' has cached.
	if os.Getenv("ROPESWING_RUN_AS_ITSELF") != "" {
		return command.Main(os.Args[1:], os.Stdout, os.Stderr)
	}
	dir, remove, err := files.Temporary("test")
	if err != nil {
		panic(err)
	}
	defer remove()
	program = filepath.Join(dir, "ropeswing")
	*into = program
	build := exec.Command("go", "build", "-ldflags=-s -w", "-o", program, "ropeswing/cmd/ropeswing")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		panic(string(out))
	}
	// Most tests wait, for timers and for what does not answer: more of them run than there are cores.
	flag.Parse()
	if p := flag.Lookup("test.parallel"); p.Value.String() == p.DefValue {
		_ = p.Value.Set("4")
	}
	return m.Run()
}

// Often returns how often a test tries something at random: few times, or where ROPESWING_PROOF is 'long', as in .ci/run,
// as often as its claim takes.
func Often(few, long int) int { return coretest.Cases(few, long) }

// Result is what came of one run.
type Result struct {
	Out, Err string // standard output, and standard error
	Code     int    // the exit code
}

// Run runs the program in a folder.
func Run(t testing.TB, dir string, args ...string) Result {
	t.Helper()
	return RunAs(t, dir, nil, "", args...)
}

// RunWith is Run with further environment.
func RunWith(t testing.TB, dir string, env []string, args ...string) Result {
	t.Helper()
	return RunAs(t, dir, env, "", args...)
}

// RunIn is Run, in an empty folder, with something on standard input.
func RunIn(t testing.TB, in string, args ...string) Result {
	t.Helper()
	return RunAs(t, t.TempDir(), nil, in, args...)
}

// RunAs is Run with further environment and something on standard input.
func RunAs(t testing.TB, dir string, env []string, in string, args ...string) Result {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Stdin = dir, strings.NewReader(in)
	cmd.Env = append([]string{"PATH=/nowhere", "TERM=xterm-256color", "HOME=/nowhere"}, env...)
	var out, errOut bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errOut
	err := cmd.Run()
	if _, isExit := err.(*exec.ExitError); err != nil && !isExit {
		require.NoError(t, err)
	}
	r := Result{out.String(), errOut.String(), cmd.ProcessState.ExitCode()}
	assert.NotContains(t, r.Out+r.Err, "goroutine ", "no stack trace, ever")
	assert.NotContains(t, r.Out+r.Err, "\x1b", "nothing but plain text where there is no terminal")
	return r
}

// Lights is a new folder with the demo's files.
func Lights(t testing.TB) string {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	return dir
}

// Write puts a file into a folder.
func Write(t testing.TB, dir, name, text string) {
	t.Helper()
	require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
}

// First is the first line of a text.
func First(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

// OneLine is a text with its lines joined and its spaces single: where it is wrapped is left out.
func OneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

// Read is the text of a file in a folder; "" where there is none.
func Read(t testing.TB, dir, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(dir, name))
	if !os.IsNotExist(err) {
		require.NoError(t, err)
	}
	return string(text)
}

// StandIns serves the demo, or as much of it as is said, until the test ends: its folder, where
// each is served, and the folder of who may ask.
func StandIns(t testing.TB, args ...string) (dir string, at map[string][2]string, who string) {
	t.Helper()
	dir = t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	if i := slices.Index(args, "bad-morning/observed"); i >= 0 { // as the tour makes it
		r := Run(t, dir, "observe", demo.Seen, "-w", args[i])
		require.Equal(t, 0, r.Code, r.Err)
	}
	who = filepath.Join(dir, "who")
	cmd := exec.Command(program, append([]string{"stand-in", "--access", who}, args...)...)
	cmd.Dir = dir
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Signal(os.Interrupt)
		require.NoError(t, cmd.Wait(), "Ctrl-C ends it well")
		assert.NoFileExists(t, filepath.Join(who, "key"), "who may ask goes with it")
	})
	at = map[string][2]string{}
	row := regexp.MustCompile(`^(\S+) +(127\S+) +(127\S+) +127\S+$`)
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if m := row.FindStringSubmatch(lines.Text()); m != nil {
			at[m[1]] = [2]string{m[2], m[3]}
		}
		if strings.HasPrefix(lines.Text(), "next:") {
			break
		}
	}
	go func() { // what follows is not assigned
		_, _ = bufio.NewReader(out).ReadString(0)
	}()
	return dir, at, who
}

// Rehearsable passes over what needs network namespaces where there are none.
func Rehearsable(t testing.TB) {
	t.Helper()
	if err := exec.Command("unshare", "-n", "true").Run(); err != nil {
		t.Skip("passed over: no network namespaces can be made here")
	}
}
