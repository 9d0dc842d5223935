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
}

// At is the plan at a path that is relative to dir.
func At(dir, path string) Found {
	full := path
	if !filepath.IsAbs(path) {
		full = filepath.Join(dir, path)
	}
	return Found{os.DirFS(filepath.Dir(full)), filepath.Base(full), path}
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
			return Found{os.DirFS(at), names[0], filepath.Join(up, names[0])}, nil
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
