package files

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// Save puts a text in a file, whole or not at all: it is written beside it
// under another name, brought to the disk, and given the file's name. A file
// that is there keeps its permissions; one that is a link to another is
// written through.
func Save(path string, text []byte) (err error) {
	if target, err := filepath.EvalSymlinks(path); err == nil {
		path = target
	}
	mode := fs.FileMode(0o644)
	if info, err := os.Stat(path); err == nil {
		if mode = info.Mode().Perm(); !info.Mode().IsRegular() {
			return &fs.PathError{Op: "write", Path: path, Err: errors.New("this is no ordinary file")}
		}
	}
	half, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+"-")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			half.Close()
			os.Remove(half.Name())
		}
	}()
	if _, err := half.Write(text); err != nil {
		return err
	}
	if err := half.Chmod(mode); err != nil {
		return err
	}
	if err := half.Sync(); err != nil {
		return err
	}
	if err := half.Close(); err != nil {
		return err
	}
	if err := os.Rename(half.Name(), path); err != nil {
		return err
	}
	return syncFolder(filepath.Dir(path))
}

// syncFolder brings a folder's names to the disk, where the system can.
func syncFolder(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	_ = d.Sync() // some file systems cannot, and have the names there anyway
	return nil
}
