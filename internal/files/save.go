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
func Save(path string, text []byte) error {
	if target, err := filepath.EvalSymlinks(path); err == nil {
		path = target
	}
	mode := fs.FileMode(0o644)
	if info, err := os.Stat(path); err == nil {
		if mode = info.Mode().Perm(); !info.Mode().IsRegular() {
			return &fs.PathError{Op: "write", Path: path, Err: errors.New("this is no ordinary file")}
		}
	}
	half, err := half(path, text, mode)
	if err != nil {
		return err
	}
	if err := os.Rename(half, path); err != nil {
		os.Remove(half)
		return err
	}
	return syncFolder(filepath.Dir(path))
}

// half writes a text to the disk beside where it is to be, and returns the name
// it has there.
func half(path string, text []byte, mode fs.FileMode) (name string, err error) {
	half, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+"-")
	if err != nil {
		return "", err
	}
	defer func() {
		if err != nil {
			half.Close()
			os.Remove(half.Name())
		}
	}()
	if _, err := half.Write(text); err != nil {
		return "", err
	}
	if err := half.Chmod(mode); err != nil {
		return "", err
	}
	if err := half.Sync(); err != nil {
		return "", err
	}
	return half.Name(), half.Close()
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

// SaveNew is Save for a file that must not exist yet.
func SaveNew(path string, text []byte) error {
	half, err := half(path, text, 0o644)
	if err != nil {
		return err
	}
	defer os.Remove(half)
	if err := os.Link(half, path); err != nil {
		return err
	}
	return syncFolder(filepath.Dir(path))
}
