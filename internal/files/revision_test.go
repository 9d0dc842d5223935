package files

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A plan is read as it was at a revision, with what it includes; what is no revision never gets to git.
func TestAPlanAsItWas(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("passed over: git is not here")
	}
	dir := t.TempDir()
	git := func(args ...string) {
		cmd := exec.Command("git", append([]string{"-C", dir, "-c", "user.name=a", "-c", "user.email=a@example.org", "-c",
			"commit.gpgsign=false"}, args...)...)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	put := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	git("init", "-q")
	put("other", "x")
	git("add", "-A")
	git("commit", "-qm", "zero")
	put("net/a.plan.yaml", "ropeswing: 1\n# first\n")
	put("net/sites/b.yaml", "ropeswing: 1\n")
	git("add", "-A")
	git("commit", "-qm", "one")
	git("tag", "first")
	put("net/a.plan.yaml", "ropeswing: 1\n# second\n")
	git("commit", "-qam", "two")
	put("net/a.plan.yaml", "ropeswing: 1\n# not committed\n")

	plan := At(dir, "net/a.plan.yaml")
	for revision, want := range map[string]string{"HEAD": "second", "HEAD~1": "first", "first": "first"} {
		f, err := Revision(plan, revision)
		require.NoError(t, err, revision)
		text, err := fs.ReadFile(f.FS, f.Name)
		require.NoError(t, err)
		assert.Equal(t, "ropeswing: 1\n# "+want+"\n", string(text))
		assert.Equal(t, revision+":net/a.plan.yaml", f.Shown)
		_, err = fs.ReadFile(f.FS, "sites/b.yaml")
		assert.NoError(t, err, "what it includes is as it was too")
	}
	for revision, want := range map[string]string{
		"":                "is no revision",
		"--output=/tmp/x": "is no revision",
		"HEAD:net":        "is no revision",
		"a b":             "is no revision",
		"no-such":         "git cannot read net/a.plan.yaml at no-such",
		"HEAD~2":          "net/a.plan.yaml",
	} {
		_, err := Revision(plan, revision)
		assert.ErrorContains(t, err, want, "%q", revision)
	}
	_, err := Revision(At(t.TempDir(), "a.plan.yaml"), "HEAD")
	assert.ErrorContains(t, err, "git cannot read a.plan.yaml at HEAD")
}
