package files

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// WriteFolder copies a tree of files to a new folder, all of it or nothing. What is there
// already is never touched.
func WriteFolder(dir string, from fs.FS) (err error) {
	if _, err := os.Lstat(dir); err == nil {
		return fmt.Errorf("%s exists already: %w", dir, fs.ErrExist)
	}
	parent := filepath.Dir(dir)
	if err := os.MkdirAll(parent, 0o777); err != nil { // as the umask says
		return err
	}
	half, err := os.MkdirTemp(parent, "."+filepath.Base(dir)+"-")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			os.RemoveAll(half)
		}
	}()
	inside := filepath.Join(half, "new")
	if err := os.Mkdir(inside, 0o777); err != nil {
		return err
	}
	if err := os.CopyFS(inside, from); err != nil {
		return err
	}
	if err := os.Rename(inside, dir); err != nil {
		return err
	}
	return os.Remove(half)
}
