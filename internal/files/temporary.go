package files

import (
	"os"
	"path/filepath"
	"time"
)

// settling is how old a temporary folder is before it is looked at: its maker locks it once it is there.
const settling = 5 * time.Second

// Temporary makes a folder for as long as this process lives, and removes those of its kind that others left which were killed.
// Remove takes it away.
func Temporary(kind string) (dir string, remove func(), err error) {
	pattern := "ropeswing-" + kind + "-"
	left, _ := filepath.Glob(filepath.Join(os.TempDir(), pattern+"*"))
	for _, old := range left {
		if info, err := os.Lstat(old); err == nil && info.IsDir() && time.Since(info.ModTime()) > settling && ownFolder(info) {
			if unlock, ok := Abandoned(old); ok {
				_ = os.RemoveAll(old)
				unlock()
			}
		}
	}
	if dir, err = os.MkdirTemp("", pattern); err != nil {
		return "", nil, err
	}
	return dir, held(dir), nil
}

// Held makes a new folder for as long as this process lives.
func Held(dir string) (remove func(), err error) {
	if err := os.Mkdir(dir, 0o700); err != nil {
		return nil, err
	}
	return held(dir), nil
}

// held locks a folder, and is what takes it away.
func held(dir string) func() {
	unlock, busy, err := tryLock(dir)
	return func() {
		_ = os.RemoveAll(dir)
		if err == nil && !busy {
			unlock()
		}
	}
}

// Abandoned tells whether no process that lives holds a folder; unlock lets others have it.
func Abandoned(dir string) (unlock func(), ok bool) {
	unlock, busy, err := tryLock(dir)
	return unlock, err == nil && !busy
}
