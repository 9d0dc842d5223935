//go:build unix

package files

import (
	"errors"
	"os"
	"syscall"
)

// tryLock takes a folder's lock, if nobody has it. The system gives it back however the
// process ends.
func tryLock(dir string) (unlock func(), busy bool, err error) {
	d, err := os.Open(dir)
	if err != nil {
		return nil, false, err
	}
	for {
		err = syscall.Flock(int(d.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
		if !errors.Is(err, syscall.EINTR) {
			break
		}
	}
	if err == nil {
		return func() { d.Close() }, false, nil
	}
	d.Close()
	if errors.Is(err, syscall.EWOULDBLOCK) {
		return nil, true, nil
	}
	return nil, false, &os.PathError{Op: "lock", Path: dir, Err: err}
}
