package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ropeswing/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One clear message each, exit code 2, no panic.
func TestBadInput(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plans := map[string]string{
		"empty":  "",
		"binary": "\x7fELF\x00\x01\x02",
		"junk":   strings.Repeat("\xff\xfe\x01\x9d", 400),
		"bomb":   "ropeswing: 1\nblocks:\n  a: &a [x, x]\n  b: &b [*a, *a]\n  c: [*b, *b]\n",
		"cable": "ropeswing: 1\ndevices: {r: {is: router, interfaces: {lan0: {}}}, s: {is: switch, interfaces: {p1: {}}}}\ncables: [r:lan1 " +
			"to s:p1]\n",
		"escape": "ropeswing: 1\ndevices:\n  evil\x1b[31m: {is: router}\n",
		"quoted": "ropeswing: 1\ndevices:\n  \"evil\\e[31m\": {is: router}\n",
		"deep":   "ropeswing: 1\nplan: " + strings.Repeat("[", 100000),
	}
	for name, text := range plans {
		write(t, dir, name, text)
	}
	require.NoError(t, os.Mkdir(filepath.Join(dir, "folder"), 0o755))
	huge, err := os.Create(filepath.Join(dir, "huge"))
	require.NoError(t, err)
	require.NoError(t, huge.Truncate(100<<20))
	require.NoError(t, huge.Close())
	for name, says := range map[string]string{
		"missing": "no such file", "empty": "the file is empty", "folder": "a directory", "binary": "a binary file", "junk": "a binary file",
		"huge": "100 MB; a plan has 64 MB at most",
		"bomb": "no aliases", "cable": "no port of r called lan1", "escape": "U+001B", "quoted": "control character",
		"deep": "nested more than",
	} {
		r := run(t, dir, "show", "devices", "-p", name)
		assert.Equal(t, 2, r.Code, name)
		assert.Empty(t, r.Out, "%s: nothing on standard output", name)
		assert.Contains(t, strings.Join(strings.Fields(r.Err), " "), says, name)
		assert.Equal(t, 1, strings.Count(r.Err, "error:"), "%s: one message: %s", name, r.Err)
		assert.Equal(t, 2, run(t, dir, "check", "-p", name).Code, name)
	}
}

func TestSlipsOnTheCommandLineGetAGuess(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for line, says := range map[string]string{
		"pnig tern-cam":             "did you mean 'ropeswing ping'?",
		"show devces":               "did you mean 'ropeswing show devices'?",
		"show":                      "show what? devices, segments, interfaces, ports, vlans",
		"ping tren-cam":             "did you mean tern-cam?",
		"ping":                      "ping where to?",
		"ping a b c":                "from one place to one other",
		"ping tern-cam -4 -6":       "exclude each other",
		"ping tern-cam --ttl 0":     "from 1 to 255",
		"ping tern-cam -o jsn":      "did you mean json?",
		"ping tern-cam --formt x":   "did you mean --format?",
		"ping 10.48.1.0/26":         "is a subnet",
		"ping quay-edge:wan9":       "did you mean wan0?",
		"show routes mole-rtrr":     "did you mean mole-rtr?",
		"show devices quay-egde":    "did you mean quay-edge?",
		"version now":               "takes nothing behind it",
		"subnet":                    "name a subnet",
		"subnet 10.48.1.77":         "has no prefix length",
		"subnet 10.48.1.0/33":       "not a prefix length",
		"subnet 10.0.0.0 0.0.0.255": "the mask is 255.255.255.0",
		"why duplicat-address":      "did you mean duplicate-address?",
		"check --only erorrs":       "did you mean errors?",
		"help pnig":                 "did you mean 'ropeswing ping'?",
	} {
		r := run(t, dir, strings.Fields(line)...)
		assert.Equal(t, 2, r.Code, line)
		assert.Contains(t, r.Err, says, line)
		assert.Empty(t, r.Out, line)
		assert.Equal(t, 1, strings.Count(r.Err, "\n"), "%s: one line: %s", line, r.Err)
	}
}

// An answer that cannot be written is exit code 2, whatever the answer is.
func TestAnAnswerThatCannotBeWritten(t *testing.T) {
	t.Parallel()
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("there is no /dev/full here")
	}
	defer full.Close()
	for _, args := range [][]string{{"check"}, {"check", "-p", demo.BadMorning}, {"ping", "desk-7", "-p", demo.BadMorning, "-o", "json"},
		{"show", "routes", "-o", "csv"}} {
		cmd := exec.Command(program, args...)
		var said bytes.Buffer
		cmd.Dir, cmd.Stdout, cmd.Stderr = lights(t), full, &said
		_ = cmd.Run()
		assert.Equal(t, 2, cmd.ProcessState.ExitCode(), args)
		assert.Contains(t, said.String(), "cannot write the answer", args)
	}
}

// Who wants no output, and says so as other languages' libraries do, by the null device opened for reading too, is not refused.
func TestAnOutputThatNobodyWants(t *testing.T) {
	t.Parallel()
	null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	require.NoError(t, err)
	defer null.Close()
	cmd := exec.Command(program, "check")
	var said bytes.Buffer
	cmd.Dir, cmd.Stdout, cmd.Stderr = lights(t), null, &said
	assert.NoError(t, cmd.Run(), said.String())
}

// One file of a folder that cannot be read is told; the others are read.
func TestOneBadFileOfAFolder(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "seen"), 0o755))
	write(t, dir, "seen/a.csv", "device,interface,admin\nr,e,up\n")
	write(t, dir, "seen/b.csv", "")
	r := run(t, dir, "observe", "seen", "-w", "state")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Err, "seen/b.csv is not read: it is empty")
	assert.Contains(t, read(t, dir, "state/r.json"), `"name": "e"`)
	assert.Equal(t, 2, run(t, dir, "observe", "seen/b.csv").Code, "named by itself it is refused")
	write(t, dir, "seen/a.csv", "device,interface,admin\n.hid,e,up\n")
	require.Equal(t, 1, run(t, dir, "observe", "seen", "-w", "dots").Code)
	assert.Contains(t, run(t, dir, "draft", "dots").Out, ".hid", "what is kept is read")
}
