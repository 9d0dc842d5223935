package command

import (
	"os"

	"golang.org/x/sys/unix"
)

// isClosed tells whether an output was closed by whoever started the program: then the runtime has opened the null device in its place, for
// reading too, as nobody does who wants nothing to be seen.
func isClosed(f *os.File) bool {
	var s unix.Stat_t
	flags, err := unix.FcntlInt(f.Fd(), unix.F_GETFL, 0)
	if err != nil || unix.Fstat(int(f.Fd()), &s) != nil {
		return err != nil
	}
	return s.Mode&unix.S_IFMT == unix.S_IFCHR && unix.Major(s.Rdev) == 1 && unix.Minor(s.Rdev) == 3 && flags&unix.O_ACCMODE == unix.O_RDWR
}
