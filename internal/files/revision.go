package files

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// isShallow tells whether the repository of a folder holds its last revisions only.
func isShallow(git, dir string) bool {
	out, err := exec.Command(git, "-C", dir, "rev-parse", "--is-shallow-repository").Output()
	return err == nil && strings.TrimSpace(string(out)) == "true"
}

// InRepository is a file, by its path, as it is called from the top of the git repository it is in; where it is in none, as it is shown.
func InRepository(path, shown string) string {
	path, err := filepath.Abs(path)
	if err != nil {
		return shown
	}
	for dir := filepath.Dir(path); ; dir = filepath.Dir(dir) {
		if _, err := os.Lstat(filepath.Join(dir, ".git")); err == nil {
			if name, err := filepath.Rel(dir, path); err == nil {
				return filepath.ToSlash(name)
			}
		}
		if dir == filepath.Dir(dir) {
			return shown
		}
	}
}

// Revision is a plan as it was at a revision of the git repository that its folder is in.
// The git program reads it; nothing is written.
func Revision(plan Found, revision string) (Found, error) {
	if revision == "" || strings.HasPrefix(revision, "-") || strings.ContainsAny(revision, " :\x00") {
		return Found{}, fmt.Errorf("%s is no revision; write one such as HEAD~1 or a tag", revision)
	}
	git, err := exec.LookPath("git")
	if err != nil {
		return Found{}, errors.New("a revision is read by the program git, and it is not here")
	}
	cmd := exec.Command(git, "-C", filepath.Dir(plan.Path), "archive", "--format=zip", revision)
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	if err := cmd.Run(); err != nil {
		words, _, _ := strings.Cut(strings.TrimSpace(complaint.String()), "\n")
		if isShallow(git, filepath.Dir(plan.Path)) {
			words += "; this clone holds the last revisions only: git fetch --depth 1 origin REVISION, or clone without --depth"
		}
		return Found{}, fmt.Errorf("git cannot read %s at %s: %s", plan.Shown, revision, strings.TrimPrefix(words, "fatal: "))
	}
	folder, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	if err != nil {
		return Found{}, fmt.Errorf("git gave no readable archive of %s: %w", revision, err)
	}
	name := filepath.Base(plan.Path)
	if _, err := folder.Open(name); err != nil {
		return Found{}, fmt.Errorf("there was no %s at %s", plan.Shown, revision)
	}
	return Found{FS: folder, Name: name, Shown: revision + ":" + plan.Shown, Path: plan.Path}, nil
}
