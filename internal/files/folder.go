package files

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// WriteFolder writes all of from into a new folder. It refuses where anything
// of that name exists, and a write that fails leaves nothing behind: the
// folder is filled under another name and renamed when it is whole.
func WriteFolder(dir string, from fs.FS) (err error) {
	if _, err := os.Lstat(dir); err == nil {
		return fmt.Errorf("%s exists already: %w", dir, fs.ErrExist)
	}
	parent := filepath.Dir(dir)
	if err := os.MkdirAll(parent, 0o755); err != nil {
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
	if err := os.CopyFS(half, from); err != nil {
		return err
	}
	if err := os.Chmod(half, 0o755); err != nil {
		return err
	}
	return os.Rename(half, dir)
}
