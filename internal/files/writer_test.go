package files

import (
	"bytes"
	"errors"
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

// content reads a folder's files, by name, with those below.
func content(t *testing.T, dir string) map[string]string {
	t.Helper()
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := os.ReadFile(path)
		all[strings.TrimPrefix(path, dir+"/")] = string(text)
		return err
	}))
	return all
}

func fill(t *testing.T, dir string, all map[string]string) {
	t.Helper()
	for name, text := range all {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
}

// replace is the change of a file as it stands.
func replace(t *testing.T, path, text string) Change {
	t.Helper()
	c, err := Replacing(path, []byte(text), Other, PlanFile, LedgerFile)
	require.NoError(t, err)
	return c
}

func TestPutKeepsModeAndLinks(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a")
	require.NoError(t, Put(path, []byte("one"), nil, Other))
	require.NoError(t, os.Chmod(path, 0o640))
	require.NoError(t, os.Symlink("a", filepath.Join(dir, "link")))
	require.NoError(t, Put(filepath.Join(dir, "link"), []byte("two"), nil, Other))
	assert.Equal(t, map[string]string{"a": "two", "link": "two"}, content(t, dir), "nothing else is left behind")
	info, err := os.Lstat(path)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm())
	info, err = os.Lstat(filepath.Join(dir, "link"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&fs.ModeSymlink, "the link stays one")
	assert.Error(t, Put(dir, nil, nil, Other), "a folder is no file to write")
	assert.Error(t, Put(filepath.Join(dir, "none", "a"), nil, nil, Other))
}

func TestWhatIsNotToBeReplaced(t *testing.T) {
	dir, outside := t.TempDir(), t.TempDir()
	fill(t, dir, map[string]string{"x.plan.yaml": "ropeswing: 1\n", "x.ledger": "ropeswing-ledger 1\n", "s.json": `{"ropeswing_observed": 1}`,
		"a.json": `{"ropeswing_answers": 1}`, "m.map.yaml": "ropeswing-map: 1\n", "c.pcapng": "\x0a\x0d\x0d\x0a....", "other": "x",
		"empty": ""})
	fill(t, outside, map[string]string{"y": "y"})
	require.NoError(t, os.Symlink(filepath.Join(outside, "y"), filepath.Join(dir, "out")))
	require.NoError(t, os.Symlink(filepath.Join(dir, "nothing"), filepath.Join(dir, "dangling")))
	before := content(t, filepath.Join(outside))
	for name, want := range map[string]string{
		"x.plan.yaml": "holds a plan", "x.ledger": "holds a ledger", "s.json": "holds a state", "m.map.yaml": "holds a column map",
		"c.pcapng": "holds a capture", "other": "holds another file",
		"out": "leads out of the folder", "dangling": "no such file",
	} {
		err := Put(filepath.Join(dir, name), []byte("new"), nil, map[bool]Kind{true: Other, false: AnswersFile}[name == "out"])
		assert.ErrorContains(t, err, want, name)
	}
	assert.NoError(t, Put(filepath.Join(dir, "a.json"), []byte("new"), nil, AnswersFile))
	assert.NoError(t, Put(filepath.Join(dir, "empty"), []byte("new"), nil, AnswersFile))
	assert.ErrorIs(t, Create(filepath.Join(dir, "other"), nil, nil), fs.ErrExist)
	assert.Equal(t, before, content(t, outside))

	w, err := NewWriter(dir, nil)
	require.NoError(t, err)
	defer w.Close()
	c := replace(t, filepath.Join(dir, "other"), "new")
	fill(t, dir, map[string]string{"other": "changed by hand"})
	assert.ErrorContains(t, w.Commit(c), "was changed since it was read")
	require.NoError(t, os.Remove(filepath.Join(dir, "other")))
	assert.ErrorContains(t, w.Commit(c), "is gone since it was read")
	assert.ErrorContains(t, w.Commit(Change{Path: filepath.Join(outside, "z")}), "leads out of the folder")
}

// A new file is as the umask says.
// Where names that differ by case only are one file, the second is not written over the first.
func TestNamesThatAreOneFileAreRefused(t *testing.T) {
	was := foldsCase
	defer func() { foldsCase = was }()
	for _, foldsCase = range []bool{true, false} {
		dir := t.TempDir()
		w, err := NewWriter(dir, nil)
		require.NoError(t, err)
		err = w.Commit(Change{Path: filepath.Join(dir, "Mole.txt"), Text: []byte("1")},
			Change{Path: filepath.Join(dir, "mole.txt"), Text: []byte("2")})
		w.Close()
		if foldsCase {
			assert.ErrorContains(t, err, "Mole.txt and mole.txt are one file here; nothing was written")
			assert.Empty(t, content(t, dir))
			continue
		}
		require.NoError(t, err)
		assert.Len(t, content(t, dir), 2)
	}
}

func TestUmaskIsHonoured(t *testing.T) {
	if os.Getenv("PUT_UNDER_UMASK") != "" {
		require.NoError(t, Put(os.Getenv("PUT_UNDER_UMASK"), []byte("x"), nil))
		return
	}
	path := filepath.Join(t.TempDir(), "new")
	cmd := exec.Command("sh", "-c", `umask 027 && exec "$0" -test.run='^TestUmaskIsHonoured$'`, os.Args[0])
	cmd.Env = append(os.Environ(), "PUT_UNDER_UMASK="+path)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm())
}

// failing is the disk, until the operation with a number: that one fails, or everything
// ends there, as if the process were killed.
type failing struct {
	disk
	left int
	kill bool
	did  []string
}

var errInjected = errors.New("injected")

// killed is what a process that is killed does not get beyond.
type killed struct{}

func (f *failing) step(what string) error {
	f.did = append(f.did, what)
	if f.left--; f.left != 0 {
		if f.left < 0 && f.kill {
			panic(killed{})
		}
		return nil
	}
	if f.kill {
		panic(killed{})
	}
	return errInjected
}

type failingHalf struct {
	half
	f *failing
}

func (h failingHalf) Write(text []byte) (int, error) {
	if err := h.f.step("write"); err != nil {
		n, _ := h.half.Write(text[:len(text)/2])
		return n, err
	}
	return h.half.Write(text)
}

func (h failingHalf) Chmod(m fs.FileMode) error {
	return errors.Join(h.f.step("chmod"), h.half.Chmod(m))
}
func (h failingHalf) Sync() error  { return errors.Join(h.f.step("sync"), h.half.Sync()) }
func (h failingHalf) Close() error { return errors.Join(h.half.Close(), h.f.step("close")) }

func (f *failing) create(path string, mode fs.FileMode) (half, error) {
	if err := f.step("create"); err != nil {
		return nil, err
	}
	h, err := f.disk.create(path, mode)
	return failingHalf{h, f}, err
}

func (f *failing) rename(old, new string) error {
	if err := f.step("rename"); err != nil {
		return err
	}
	return f.disk.rename(old, new)
}

func (f *failing) place(old, new string) error {
	if err := f.step("place"); err != nil {
		return err
	}
	return f.disk.place(old, new)
}

func (f *failing) remove(path string) error {
	if err := f.step("remove"); err != nil {
		return err
	}
	return f.disk.remove(path)
}

func (f *failing) syncFolder(dir string) error {
	if err := f.step("sync folder"); err != nil {
		return err
	}
	return f.disk.syncFolder(dir)
}

// Every operation of a writer fails in turn, and it is killed at every one: all is as
// before, or as meant once the next writer has been there; and nothing is left.
func TestEveryOperationFailsOrIsTheLast(t *testing.T) {
	old := map[string]string{"a.plan.yaml": "ropeswing: 1\n# old\n", "a.ledger": "ropeswing-ledger 1\n# old\n",
		"sub/b.yaml": "ropeswing: 1\n# old b\n"}
	meant := map[string]string{"a.plan.yaml": "ropeswing: 1\n# new\n", "a.ledger": "ropeswing-ledger 1\n# new\n",
		"sub/b.yaml": "ropeswing: 1\n# new b\n", "fresh": "new\n"}
	for _, names := range [][]string{{"a.plan.yaml"}, {"fresh"}, {"a.plan.yaml", "a.ledger", "sub/b.yaml", "fresh"}} {
		for _, kill := range []bool{false, true} {
			outcomes := map[string]int{}
			for n := 1; ; n++ {
				dir := t.TempDir()
				fill(t, dir, old)
				done, steps := commitFailing(t, dir, names, meant, n, kill)
				if done && steps < n {
					break // it got through before the operation was reached
				}
				w, err := NewWriter(dir, nil) // the next command
				require.NoError(t, err, "%v, operation %d", names, n)
				w.Close()
				after := map[string]string{}
				for name, text := range old {
					after[name] = text
				}
				for _, name := range names {
					after[name] = meant[name]
				}
				got := content(t, dir)
				switch {
				case assert.ObjectsAreEqual(old, got):
					outcomes["old"]++
					assert.False(t, done, "%v, operation %d: it said that it is written", names, n)
				default:
					outcomes["new"]++
					assert.Equal(t, after, got, "%v, operation %d", names, n)
				}
			}
			assert.Positive(t, outcomes["old"], names)
			assert.Positive(t, outcomes["new"], names)
		}
	}
}

// commitFailing commits with an operation that fails or kills; done is that no error came
// of it. How many operations there were comes with it.
func commitFailing(t *testing.T, dir string, names []string, meant map[string]string, n int, kill bool) (done bool, steps int) {
	sys := &failing{left: n, kill: kill}
	w, err := newWriter(dir, nil, sys)
	require.NoError(t, err)
	defer w.Close()
	defer func() {
		if p := recover(); p != nil && p != (killed{}) {
			panic(p)
		}
		steps = len(sys.did)
	}()
	var changes []Change
	for _, name := range names {
		changes = append(changes, replace(t, filepath.Join(dir, name), meant[name]))
	}
	err = w.Commit(changes...)
	return err == nil, len(sys.did)
}

// What was begun and then changed by hand is not finished over it.
func TestAJournalIsNotFinishedOverWhatWasChanged(t *testing.T) {
	for about, spoil := range map[string]func(dir string){
		"changed by hand": func(dir string) { fill(t, dir, map[string]string{"b": "by hand"}) },
		"half is gone": func(dir string) {
			all, _ := filepath.Glob(filepath.Join(dir, ".b"+halfMark+"*"))
			for _, path := range all {
				os.Remove(path)
			}
		},
		"half is spoilt": func(dir string) {
			all, _ := filepath.Glob(filepath.Join(dir, ".b"+halfMark+"*"))
			for _, path := range all {
				fill(t, dir, map[string]string{filepath.Base(path): "x"})
			}
		},
		"no journal of ours": func(dir string) { fill(t, dir, map[string]string{journalName: "{}"}) },
		"a journal that leads out": func(dir string) {
			fill(t, dir, map[string]string{journalName: `{"ropeswing_journal": 1, "files": [{"file": "../x", "half": "y"}]}`})
		},
	} {
		dir := t.TempDir()
		fill(t, dir, map[string]string{"a": "old", "b": "old"})
		meant := map[string]string{"a": "new", "b": "new"}
		for n := 1; ; n++ { // until it is cut between the two
			_, _ = commitFailing(t, dir, []string{"a", "b"}, meant, n, true)
			if got := content(t, dir); got["a"] == "new" && got["b"] == "old" {
				break
			}
			require.Less(t, n, 60)
			w, err := NewWriter(dir, nil)
			require.NoError(t, err)
			w.Close()
			fill(t, dir, map[string]string{"a": "old", "b": "old"})
		}
		spoil(dir)
		before := content(t, dir)
		_, err := NewWriter(dir, nil)
		assert.ErrorContains(t, err, journalName, about)
		assert.Error(t, Settle(dir, nil), about)
		assert.Equal(t, before, content(t, dir), about)
	}
}

// Writers wait for one another, by whatever link they come, and are told for whom.
func TestWritersWaitForOneAnother(t *testing.T) {
	dir := t.TempDir()
	real := filepath.Join(dir, "real")
	fill(t, real, map[string]string{"ledger": ""})
	roads := []string{real}
	for n := range 3 {
		link := filepath.Join(dir, fmt.Sprint("link", n))
		require.NoError(t, os.Symlink(real, link))
		roads = append(roads, link)
	}
	var all sync.WaitGroup
	for n := range 8 {
		all.Go(func() {
			for i := range 25 {
				road := roads[(n+i)%len(roads)]
				w, err := NewWriter(road, nil)
				if !assert.NoError(t, err) {
					return
				}
				c, err := Replacing(filepath.Join(road, "ledger"), nil, LedgerFile, Other)
				assert.NoError(t, err)
				c.Text = fmt.Appendf(bytes.Clone(c.Was), "%d-%d\n", n, i)
				assert.NoError(t, w.Commit(c))
				w.Close()
			}
		})
	}
	all.Wait()
	assert.Equal(t, 200, strings.Count(content(t, real)["ledger"], "\n"))

	w, err := NewWriter(real, nil)
	require.NoError(t, err)
	told := make(chan string, 1)
	go func() {
		time.Sleep(150 * time.Millisecond)
		w.Close()
	}()
	x, err := NewWriter(roads[1], func(text string) { told <- text })
	require.NoError(t, err)
	x.Close()
	assert.Contains(t, <-told, "which writes in "+real)
}

// texts are what the writer that gets killed writes by turns.
func texts() [2][]byte {
	return [2][]byte{bytes.Repeat([]byte("old\n"), 200_000), bytes.Repeat([]byte("newer\n"), 200_000)}
}

// A writer killed at any moment leaves the file as it was or as it was meant.
func TestKilledWhileWriting(t *testing.T) {
	if path := os.Getenv("PUT_FOR_EVER"); path != "" {
		for n := 0; ; n++ {
			_ = Put(path, texts()[n%2], nil, Other)
		}
	}
	dir := t.TempDir()
	path := filepath.Join(dir, "file")
	want := texts()
	require.NoError(t, Put(path, want[0], nil, Other))
	for n := range 15 {
		child := exec.Command(os.Args[0], "-test.run=^TestKilledWhileWriting$")
		child.Env = append(os.Environ(), "PUT_FOR_EVER="+path)
		require.NoError(t, child.Start())
		time.Sleep(time.Duration(20+7*n) * time.Millisecond)
		require.NoError(t, child.Process.Kill())
		_ = child.Wait() // killed, as it should be
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		require.True(t, bytes.Equal(text, want[0]) || bytes.Equal(text, want[1]), "%d bytes", len(text))
	}
	w, err := NewWriter(dir, nil)
	require.NoError(t, err)
	w.Close()
	assert.Len(t, content(t, dir), 1, "what dead writers left is gone")
}

func TestOnlyOrdinaryFilesAreRead(t *testing.T) {
	_, err := ReadWhole("/dev/zero", 10)
	assert.ErrorContains(t, err, "no ordinary file")
	_, err = ReadWhole(t.TempDir(), 10)
	assert.ErrorContains(t, err, "folder")
	dir := t.TempDir()
	fill(t, dir, map[string]string{"a": "12345678901"})
	_, err = ReadWhole(filepath.Join(dir, "a"), 10)
	assert.ErrorContains(t, err, "more than")
}
