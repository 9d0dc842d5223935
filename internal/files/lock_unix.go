//go:build unix

package files

import (
	"os"
	"syscall"
)

// Lock waits until nobody else has the folder locked, and locks it until unlock
// is called or the program ends, however it ends. Nothing is left in the
// folder.
func Lock(dir string) (unlock func(), err error) {
	d, err := os.Open(dir)
	if err != nil {
		return nil, err
	}
	for {
		if err = syscall.Flock(int(d.Fd()), syscall.LOCK_EX); err != syscall.EINTR {
			break
		}
	}
	if err != nil {
		d.Close()
		return nil, &os.PathError{Op: "lock", Path: dir, Err: err}
	}
	return func() { d.Close() }, nil
}
