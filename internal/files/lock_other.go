//go:build !unix

package files

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
)

const lockName = ".ropeswing-lock"

// tryLock makes a file that nobody else may make meanwhile, where the system has no other
// locks, with the number of the process in it.
func tryLock(dir string) (unlock func(), busy bool, err error) {
	path := filepath.Join(dir, lockName)
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return nil, true, nil
	}
	if err != nil {
		return nil, false, err
	}
	_, _ = f.WriteString(strconv.Itoa(os.Getpid()))
	f.Close()
	return func() { os.Remove(path) }, false, nil
}

// holder names the process that has a folder's lock.
func holder(dir string) string {
	text, err := os.ReadFile(filepath.Join(dir, lockName))
	if err != nil || len(text) == 0 {
		return "another ropeswing"
	}
	return "process " + string(text) + " (or remove " + filepath.Join(dir, lockName) + ", if there is none of that number)"
}
