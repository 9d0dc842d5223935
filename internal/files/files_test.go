package files

import (
	"io/fs"
	"os"
	"path/filepath"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// touch makes empty files below a folder.
func touch(t *testing.T, dir string, names ...string) {
	t.Helper()
	for _, n := range names {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, n)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, n), nil, 0o644))
	}
}

func TestFindPlanHereOrAbove(t *testing.T) {
	dir := t.TempDir()
	touch(t, dir, "a.plan.yaml", "notes.yaml", "sub/deep/x.txt", "other/b.plan.yaml", "two/c.plan.yaml", "two/d.plan.yaml", "two/below/x")
	for from, want := range map[string]string{"": "a.plan.yaml", "sub": "../a.plan.yaml", "sub/deep": "../../a.plan.yaml",
		"other": "b.plan.yaml"} {
		f, err := FindPlan(filepath.Join(dir, from))
		require.NoError(t, err, from)
		assert.Equal(t, want, f.Shown, from)
		_, err = fs.Stat(f.FS, f.Name)
		assert.NoError(t, err)
	}
	_, err := FindPlan(filepath.Join(dir, "two/below"))
	assert.ErrorContains(t, err, "c.plan.yaml, d.plan.yaml; name one with -p")
	_, err = FindPlan(t.TempDir())
	assert.ErrorIs(t, err, fs.ErrNotExist)
}

func TestAtKeepsThePathAsTyped(t *testing.T) {
	dir := t.TempDir()
	touch(t, dir, "sub/a.yaml")
	f := At(dir, "sub/a.yaml")
	assert.Equal(t, "sub/a.yaml", f.Shown)
	_, err := fs.Stat(f.FS, f.Name)
	assert.NoError(t, err)
	f = At("/nowhere", filepath.Join(dir, "sub/a.yaml"))
	_, err = fs.Stat(f.FS, f.Name)
	assert.NoError(t, err, "an absolute path stands for itself")
}

func TestWriteFolderRefusesWhatIsThere(t *testing.T) {
	dir := t.TempDir()
	from := fstest.MapFS{"a": {Data: []byte("A")}, "sub/b": {Data: []byte("B")}}
	to := filepath.Join(dir, "new", "folder")
	require.NoError(t, WriteFolder(to, from))
	text, err := os.ReadFile(filepath.Join(to, "sub/b"))
	require.NoError(t, err)
	assert.Equal(t, "B", string(text))
	assert.ErrorIs(t, WriteFolder(to, from), fs.ErrExist)

	touch(t, dir, "file")
	assert.ErrorIs(t, WriteFolder(filepath.Join(dir, "file"), from), fs.ErrExist)
	require.NoError(t, os.Symlink("nowhere", filepath.Join(dir, "link")))
	assert.ErrorIs(t, WriteFolder(filepath.Join(dir, "link"), from), fs.ErrExist, "even a link to nothing")
}

// broken fails when its second file is read.
type broken struct{ fstest.MapFS }

func (b broken) Open(name string) (fs.File, error) {
	if name == "b" {
		return nil, fs.ErrPermission
	}
	return b.MapFS.Open(name)
}

func TestWriteFolderLeavesNothingHalfWritten(t *testing.T) {
	dir := t.TempDir()
	err := WriteFolder(filepath.Join(dir, "new"), broken{fstest.MapFS{"a": {Data: []byte("A")}, "b": {Data: []byte("B")}}})
	require.ErrorIs(t, err, fs.ErrPermission)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Links to one plan are one plan: its ledger is the one beside it, and a link to nothing is
// no ledger that is not there.
func TestALinkedPlanIsThePlan(t *testing.T) {
	dir := t.TempDir()
	touch(t, dir, "real/a.plan.yaml", "real/a.ledger", "here/x")
	require.NoError(t, os.Symlink("../real/a.plan.yaml", filepath.Join(dir, "here", "b.plan.yaml")))
	f, err := FindPlan(filepath.Join(dir, "here"))
	require.NoError(t, err)
	require.NoError(t, f.Err)
	real, err := filepath.EvalSymlinks(filepath.Join(dir, "real", "a.plan.yaml"))
	require.NoError(t, err)
	assert.Equal(t, []string{"b.plan.yaml", real, "a.plan.yaml"}, []string{f.Shown, f.Path, f.Name})
	_, err = fs.Stat(f.FS, "a.ledger")
	assert.NoError(t, err)

	touch(t, dir, "here/b.ledger")
	assert.ErrorContains(t, At(dir, "here/b.plan.yaml").Err, "b.ledger stands beside the link")

	require.NoError(t, os.Remove(filepath.Join(dir, "real", "a.ledger")))
	require.NoError(t, os.Symlink("nothing", filepath.Join(dir, "real", "a.ledger")))
	_, err = At(dir, "real/a.plan.yaml").FS.Open("a.ledger")
	assert.ErrorContains(t, err, "leads to nothing")
	assert.NotErrorIs(t, err, fs.ErrNotExist)
}

// What somebody else puts where everybody may write is not taken by itself.
func TestAPlanOfSomebodyElseIsNotTaken(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only root can make a file somebody else's")
	}
	dir := t.TempDir()
	touch(t, dir, "open/a.plan.yaml", "open/below/x")
	require.NoError(t, os.Chmod(filepath.Join(dir, "open"), 0o777))
	_, err := FindPlan(filepath.Join(dir, "open", "below"))
	assert.NoError(t, err)
	require.NoError(t, os.Chown(filepath.Join(dir, "open", "a.plan.yaml"), 12345, 12345))
	_, err = FindPlan(filepath.Join(dir, "open", "below"))
	assert.ErrorContains(t, err, "somebody else's")
	assert.NoError(t, At(dir, "open/a.plan.yaml").Err, "named it is")
}
