package guidetest

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
	"ropeswing/internal/clitest"
)

// hostileBits are what is put into files: what terminals obey, what is no text, what other
// programs run, what is too much.
var hostileBits = []string{
	"\x1b[31m", "\x1b]0;x\x07", "\x00", "\x07", "\x7f", "\u0085", "\u009b31m", "\u202e", "\u2066", "\u200f", "\ufeff", "\xff\xfe", "\xc3",
	"\xed\xa0\x80",
	"=cmd|' /C x'!A1", "+1+1", "@x", "-2+3", "{{.}}", "%s%n", "../../../etc/x", "a/b", `c:\x`, "\r\n", "\n\n", "\t", `"`, "'", ",", "|",
	"<!--", "]]>", "&amp;", "<a>", "*x", "&x", "!!x", "- ", ": ", "#",
	"999999999999999999999", "-1", "0x41", "1e400", "0.0.0.0/0", "::/0", "255.255.255.255", "fe80::1%eth0", "224.0.0.1", "null", "true", "~",
	"[]", "{}", "p1..p99", "x(1..9)",
}

// spoilt is a text with some things put in, taken out or turned round.
func spoilt(r *rand.Rand, text []byte) []byte {
	text = bytes.Clone(text)
	for range 1 + r.IntN(4) {
		if len(text) == 0 {
			break
		}
		at := r.IntN(len(text))
		switch r.IntN(6) {
		case 0, 1, 2:
			text = append(append(append([]byte{}, text[:at]...), hostileBits[r.IntN(len(hostileBits))]...), text[at:]...)
		case 3:
			text[at] ^= byte(1 << r.IntN(8))
		case 4:
			text = append(text[:at:at], text[min(len(text), at+r.IntN(40)):]...)
		default:
			piece := text[at:min(len(text), at+1+r.IntN(60))]
			text = append(append(append([]byte{}, text[:at]...), bytes.Repeat(piece, 1+r.IntN(20))...), text[at:]...)
		}
	}
	return text
}

// clean fails where something in an answer is not fit for a terminal, or not of its format.
func cleanAnswer(t *testing.T, about, format, out string) {
	t.Helper()
	if !utf8.ValidString(out) {
		assert.Fail(t, "no UTF-8", about)
	}
	for _, c := range out {
		if c < 0x20 && c != '\n' || c >= 0x7f && c < 0xa0 || c == 0x200e || c == 0x200f || c == 0xfeff || c >= 0x2028 && c <= 0x202e ||
			c >= 0x2060 && c <= 0x206f {
			assert.Fail(t, fmt.Sprintf("U+%04X", c), "%s\n%q", about, out)
			return
		}
	}
	if out == "" {
		return
	}
	switch format {
	case "json", "sarif":
		assert.True(t, json.Valid([]byte(out)), "%s\n%s", about, out)
	case "csv":
		r := csv.NewReader(strings.NewReader(out))
		r.FieldsPerRecord = -1
		rows, err := r.ReadAll()
		assert.NoError(t, err, about)
		for _, row := range rows {
			for _, cell := range row {
				if _, err := strconv.ParseFloat(cell, 64); err != nil && len(cell) > 1 {
					assert.NotContains(t, "=+-@", cell[:1], about)
				}
			}
		}
	case "junit":
		d := xml.NewDecoder(strings.NewReader(out))
		for {
			if _, err := d.Token(); errors.Is(err, io.EOF) {
				break
			} else if !assert.NoError(t, err, about) {
				break
			}
		}
	}
}

// Hostile files of every kind that is read: whatever they hold, a command answers or
// refuses, in time, in its words, and nothing of them reaches the terminal raw, in any
// format. With ROPESWING_HOSTILE=200 there are so many of each kind.
func TestHostileFilesAreAnsweredCleanly(t *testing.T) {
	t.Parallel()
	count := clitest.Often(6, 25)
	if n, err := strconv.Atoi(os.Getenv("ROPESWING_HOSTILE")); err == nil {
		count = n
	}
	base := t.TempDir()
	require.NoError(t, os.CopyFS(base, demo.Files()))
	require.Equal(t, 0, run(t, base, "ping", "desk-7", "192.0.2.200", "-4", "--capture", "x.pcapng").Code)
	require.Equal(t, 0, run(t, base, "export", "models", "quay-edge", "--to", "out", "-w").Code)
	require.Equal(t, 0, run(t, base, "export", "models", "quay-edge", "--xml", "--to", "outx", "-w").Code)
	require.Equal(t, 0, run(t, base, "observe", demo.Seen, "-w", "state").Code)
	first := func(pattern string) string {
		all, _ := filepath.Glob(filepath.Join(base, pattern))
		require.NotEmpty(t, all, pattern)
		name, err := filepath.Rel(base, all[0])
		require.NoError(t, err)
		return name
	}
	formats := []string{"table", "json", "csv", "markdown"}
	for kind, of := range map[string]struct {
		file     string
		commands [][]string
	}{
		"plan": {demo.Plan, [][]string{{"check"}, {"show", "interfaces"}, {"show", "routes"}, {"show", "permits"}, {"reach"},
			{"show", "card", "quay-edge"}, {"check", "-o", "sarif"}, {"check", "-o", "junit"}, {"export", "csv"}, {"ping", "desk-7"}}},
		"ledger": {"skerry.ledger", [][]string{{"assign"}, {"check"}, {"show", "segments"}}},
		"state":  {first("state/*.json"), [][]string{{"compare", "state"}, {"draft", "state"}}},
		"csv":    {first(demo.Seen + "/*.csv"), [][]string{{"observe", first(demo.Seen + "/*.csv")}}},
		"linux":  {first(demo.Seen + "/*.addr.json"), [][]string{{"observe", first(demo.Seen + "/*.addr.json")}}},
		"models": {first("out/*.json"), [][]string{{"observe", first("out/*.json")}}},
		"xml":    {first("outx/*.xml"), [][]string{{"observe", first("outx/*.xml")}}},
		"map":    {demo.Seen + "/lamps.map.yaml", [][]string{{"observe", demo.Seen + "/lamps.txt"}}},
		"text": {demo.Seen + "/lamps.txt",
			[][]string{{"observe", demo.Seen + "/lamps.txt"}, {"observe", "--try", demo.Seen + "/lamps.map.yaml", demo.Seen + "/lamps.txt"}}},
		"capture": {"x.pcapng", [][]string{{"show", "packets", "x.pcapng"}}},
	} {
		text, err := os.ReadFile(filepath.Join(base, of.file))
		require.NoError(t, err)
		var group sync.WaitGroup
		turn := make(chan struct{}, 4)
		for seed := range count {
			turn <- struct{}{}
			group.Go(func() {
				defer func() { <-turn }()
				r := rand.New(rand.NewPCG(uint64(seed), uint64(len(kind))))
				dir := t.TempDir()
				assert.NoError(t, os.CopyFS(dir, os.DirFS(base)))
				assert.NoError(t, os.WriteFile(filepath.Join(dir, of.file), spoilt(r, text), 0o644))
				command := of.commands[seed%len(of.commands)]
				format := formats[r.IntN(len(formats))]
				if n := len(command); n > 2 && command[n-2] == "-o" {
					format = command[n-1]
				} else if command[0] != "export" && command[0] != "draft" {
					command = append(append([]string{}, command...), "-o", format)
				}
				switch command[0] {
				case "export":
					format = "csv"
				case "draft":
					format = "a plan"
				}
				about := fmt.Sprintf("%s, seed %d: %s", kind, seed, strings.Join(command, " "))
				cmd := exec.Command(program, command...)
				cmd.Dir, cmd.Env = dir, []string{"PATH=/nowhere", "HOME=/nowhere", "GOMEMLIMIT=900MiB"}
				var out, errOut bytes.Buffer
				cmd.Stdout, cmd.Stderr = &out, &errOut
				start := time.Now()
				_ = cmd.Run() // any exit code but that of a crash, which prints goroutines
				assert.Less(t, time.Since(start), 20*time.Second, about)
				assert.Contains(t, []int{0, 1, 2}, cmd.ProcessState.ExitCode(), about)
				all := out.String() + errOut.String()
				for _, foreign := range []string{"goroutine ", "Go struct field", "construct errors", " json: ", " yaml: ", "unmarshal",
					"runtime error"} {
					assert.NotContains(t, all, foreign, about)
				}
				if cmd.ProcessState.ExitCode() == 2 {
					assert.NotEmpty(t, all, "%s: refused in silence", about)
				}
				cleanAnswer(t, about, format, out.String())
				cleanAnswer(t, about, "", errOut.String())
			})
		}
		group.Wait()
	}
}
