// Package files finds plans on the disk and writes folders whole or not at
// all.
package files

import (
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
	Path  string // as the system knows it
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

// folder is a plan's folder. The plan itself and its ledger may be links to
// anywhere; what the plan includes must be in the folder or below it, links
// followed.
type folder struct{ dir, plan string }

// Open implements fs.FS.
func (f folder) Open(name string) (fs.File, error) {
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

func found(full, shown string) Found {
	dir, name := filepath.Dir(full), filepath.Base(full)
	return Found{folder{dir, name}, name, shown, full}
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
