//go:build !unix

package files

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"time"
)

// Lock waits until nobody else has the folder locked, and locks it until unlock
// is called: by a file that only one program can make.
func Lock(dir string) (unlock func(), err error) {
	path := filepath.Join(dir, ".ropeswing-lock")
	for range 300 {
		f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL, 0o600)
		if err == nil {
			f.Close()
			return func() { os.Remove(path) }, nil
		}
		if !errors.Is(err, fs.ErrExist) {
			return nil, err
		}
		time.Sleep(100 * time.Millisecond)
	}
	return nil, errors.New(path + " has been there for 30 seconds; remove it if no other ropeswing is at work")
}
