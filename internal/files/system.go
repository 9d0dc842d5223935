package files

import (
	"io"
	"io/fs"
	"os"
)

// system is what a writer asks of the system: all that changes files. Tests put one in its
// place that fails, or stops for good, at a chosen moment.
type system interface {
	create(path string, mode fs.FileMode) (half, error) // a new file, which must not be there
	rename(old, new string) error
	place(old, new string) error // as rename, where nothing has the new name
	remove(path string) error
	syncFolder(dir string) error
}

// half is a file that is being written.
type half interface {
	io.WriteCloser
	Chmod(fs.FileMode) error
	Chown(uid, gid int) error
	Sync() error
}

// disk is the system itself.
type disk struct{}

func (disk) create(path string, mode fs.FileMode) (half, error) {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if err != nil {
		return nil, err // a nil *os.File would be no nil half
	}
	return f, nil
}

func (disk) rename(old, new string) error { return os.Rename(old, new) }
func (disk) remove(path string) error     { return os.Remove(path) }

// place gives a file a name that nothing has: in one step where the file system can. Where
// it cannot, writers of ours are kept apart by the lock all the same.
func (disk) place(old, new string) error {
	if done, err := placeAtOnce(old, new); done {
		return err
	}
	if _, err := os.Lstat(new); err == nil {
		return &fs.PathError{Op: "write", Path: new, Err: fs.ErrExist}
	}
	return os.Rename(old, new)
}

// syncFolder makes what was renamed in a folder last.
func (disk) syncFolder(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	_ = d.Sync() // some file systems cannot, and have the names there anyway
	return nil
}
