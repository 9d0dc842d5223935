// Package files finds plans on the disk and writes folders whole or not at
// all.
package files

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// PlanPattern is what plan files are called.
const PlanPattern = "*.plan.yaml"

// Found is a plan file: what to open, and what to call it in messages.
type Found struct {
	FS    fs.FS
	Name  string // within FS
	Shown string // as a person would type it from the working folder
	Path  string // as the system knows it, after links
	Err   error  // why it is not to be used
}

// On is the path of a file of the plan on the disk, by the name it is shown
// under.
func (f Found) On(shown string) string {
	if shown == f.Shown {
		return f.Path
	}
	below, err := filepath.Rel(filepath.Dir(f.Shown), shown)
	if err != nil {
		return shown
	}
	return filepath.Join(filepath.Dir(f.Path), below)
}

// folder is a plan's folder, after links. Its ledger may be a link; what the plan includes
// must be in the folder or below it, links followed. Only ordinary files are opened: a pipe
// or a device may never end.
type folder struct{ dir, plan string }

// Open implements fs.FS.
func (f folder) Open(name string) (fs.File, error) {
	if !fs.ValidPath(name) {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrInvalid}
	}
	full := filepath.Join(f.dir, filepath.FromSlash(name))
	info, err := os.Stat(full)
	if errors.Is(err, fs.ErrNotExist) {
		if _, err := os.Lstat(full); err == nil {
			return nil, &fs.PathError{Op: "open", Path: name, Err: errors.New("it is a link that leads to nothing")}
		}
	}
	if err == nil && !info.Mode().IsRegular() && !info.IsDir() {
		return nil, &fs.PathError{Op: "open", Path: name, Err: errors.New("it is no ordinary file")}
	}
	if name == f.plan || strings.HasSuffix(name, ".ledger") && !strings.Contains(name, "/") {
		return os.DirFS(f.dir).Open(name)
	}
	root, err := os.OpenRoot(f.dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	return root.FS().Open(name)
}

// At is the plan at a path that is relative to dir.
func At(dir, path string) Found {
	full := path
	if !filepath.IsAbs(path) {
		full = filepath.Join(dir, path)
	}
	return found(full, path)
}

// found is the plan at a path, after links: two links to one plan are one plan, with one
// ledger and one lock.
func found(full, shown string) Found {
	f := Found{Shown: shown, Path: full}
	if real, err := filepath.EvalSymlinks(full); err == nil {
		f.Path = real
		f.Err = otherLedger(full, real)
	}
	f.Name = filepath.Base(f.Path)
	f.FS = folder{filepath.Dir(f.Path), f.Name}
	return f
}

// otherLedger refuses a plan that is a link with a ledger beside it which is not the one
// beside the plan: its numbers would be given anew.
func otherLedger(link, real string) error {
	ledger := func(plan string) string {
		return strings.TrimSuffix(strings.TrimSuffix(plan, filepath.Ext(plan)), ".plan") + ".ledger"
	}
	if filepath.Base(ledger(link)) == filepath.Base(ledger(real)) && sameFolder(filepath.Dir(link), filepath.Dir(real)) {
		return nil // one name in one folder, though another program may replace the file just now
	}
	beside, err := os.Stat(ledger(link))
	if err != nil {
		return nil
	}
	if own, err := os.Stat(ledger(real)); err == nil && os.SameFile(own, beside) {
		return nil
	}
	return fmt.Errorf("%s is a link to %s, and %s stands beside the link: move it beside the plan", link, real, filepath.Base(ledger(link)))
}

// sameFolder says whether two paths are one folder.
func sameFolder(a, b string) bool {
	one, err := os.Stat(a)
	if err != nil {
		return false
	}
	other, err := os.Stat(b)
	return err == nil && os.SameFile(one, other)
}

// FindPlan looks for the only plan file in dir, else in the nearest folder
// above that has one. Several in one folder are an error that names them, none
// at all an error that satisfies errors.Is(err, fs.ErrNotExist).
func FindPlan(dir string) (Found, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return Found{}, err
	}
	for at, up := dir, ""; ; {
		names, err := fs.Glob(os.DirFS(at), PlanPattern)
		if err != nil {
			return Found{}, err
		}
		switch len(names) {
		case 1:
			if err := trusted(at, names[0]); err != nil {
				return Found{}, err
			}
			return found(filepath.Join(at, names[0]), filepath.Join(up, names[0])), nil
		case 0:
		default:
			return Found{}, fmt.Errorf("there are several plans in %s: %s; name one with -p", at, strings.Join(names, ", "))
		}
		parent := filepath.Dir(at)
		if parent == at {
			return Found{}, fmt.Errorf("no %s here or in a folder above; name one with -p FILE: %w", PlanPattern, fs.ErrNotExist)
		}
		at, up = parent, filepath.Join(up, "..")
	}
}
