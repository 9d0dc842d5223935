package files

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func entry(n int) PushEntry {
	return PushEntry{Time: "2026-01-02T03:04:05Z", Run: "r", Step: n, Device: "dev", At: "192.0.2.1", Phase: Sending,
		What: fmt.Sprint("step ", n, "\nwith a line's end")}
}

// Whatever was added is there again, in order, with whatever stands in it.
func TestTheJournalHoldsWhatWasAdded(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.push.jsonl")
	log, before, err := OpenPushLog(path)
	require.NoError(t, err)
	assert.Empty(t, before)
	for n := range 3 {
		require.NoError(t, log.Add(entry(n)))
	}
	require.NoError(t, log.Close())
	assert.Error(t, log.Add(entry(9)), "it is closed")
	log, before, err = OpenPushLog(path)
	require.NoError(t, err)
	require.NoError(t, log.Add(entry(3)))
	require.NoError(t, log.Close())
	require.Len(t, before, 3)
	log, before, err = OpenPushLog(path)
	require.NoError(t, err)
	defer log.Close()
	require.Len(t, before, 4)
	for n, e := range before {
		assert.Equal(t, entry(n), e)
	}
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "what was set is nobody else's business")
}

// Broken off at any byte of its last line, it holds all lines before, takes further ones, and can be opened
// as often as one likes.
func TestTheJournalOutlivesBeingCutOffAnywhere(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a.push.jsonl")
	log, _, err := OpenPushLog(path)
	require.NoError(t, err)
	for n := range 2 {
		require.NoError(t, log.Add(entry(n)))
	}
	require.NoError(t, log.Close())
	whole, err := os.ReadFile(path)
	require.NoError(t, err)
	first := strings.IndexByte(string(whole), '\n') + 1
	for cut := first; cut <= len(whole); cut++ {
		require.NoError(t, os.WriteFile(path, whole[:cut], 0o600))
		want := 1
		if cut >= len(whole)-1 { // but for the line's end it is whole
			want = 2
		}
		for again := range 3 {
			log, before, err := OpenPushLog(path)
			require.NoError(t, err, "cut at %d, opened %d times", cut, again+1)
			require.Len(t, before, want+again, "cut at %d", cut)
			require.NoError(t, log.Add(entry(want+again)))
			require.NoError(t, log.Close())
		}
	}
}

// What is no journal is not taken for one, and not written to.
func TestWhatIsNoJournalIsRefused(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a.push.jsonl")
	for _, text := range []string{"a: plan\nof: another kind\n", "{}\nhalf\n{}\n", "[1]\n{}\n"} {
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, _, err := OpenPushLog(path)
		assert.ErrorContains(t, err, "of the journal a.push.jsonl is none of it", text)
		left, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, text, string(left))
	}
	_, _, err := OpenPushLog(dir)
	assert.ErrorContains(t, err, "cannot be read")
	_, _, err = OpenPushLog(filepath.Join(dir, "nowhere", "a.push.jsonl"))
	assert.ErrorContains(t, err, "cannot be written")
}
