package files

import (
	"errors"
	"io/fs"

	"golang.org/x/sys/unix"
)

// placeAtOnce renames where nothing has the new name, in one step; done is false where the
// file system cannot.
func placeAtOnce(old, new string) (done bool, err error) {
	err = unix.Renameat2(unix.AT_FDCWD, old, unix.AT_FDCWD, new, unix.RENAME_NOREPLACE)
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EOPNOTSUPP) {
		return false, nil
	}
	if err != nil {
		return true, &fs.PathError{Op: "write", Path: new, Err: err}
	}
	return true, nil
}
