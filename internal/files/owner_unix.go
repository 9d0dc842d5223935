//go:build unix

package files

import (
	"io/fs"
	"os"
	"syscall"
)

// sameDevice tells whether two folders are on one file system.
func sameDevice(a, b string) bool {
	x, err1 := os.Stat(a)
	y, err2 := os.Stat(b)
	if err1 != nil || err2 != nil {
		return a == b
	}
	p, ok1 := x.Sys().(*syscall.Stat_t)
	q, ok2 := y.Sys().(*syscall.Stat_t)
	return ok1 && ok2 && p.Dev == q.Dev
}

// keepOwner gives a new file the owner and group of the old one, where they are others than
// it has by itself. Only root may give a file away; of a file that is somebody else's the
// group at least is kept where that may be.
func keepOwner(f half, old fs.FileInfo) error {
	stat, ok := old.Sys().(*syscall.Stat_t)
	if !ok || int(stat.Uid) == os.Geteuid() && int(stat.Gid) == os.Getegid() {
		return nil
	}
	if os.Geteuid() == 0 {
		return f.Chown(int(stat.Uid), int(stat.Gid))
	}
	_ = f.Chown(-1, int(stat.Gid))
	return nil
}

// ownFolder tells whether a folder is this user's, and nobody else's.
func ownFolder(info fs.FileInfo) bool {
	stat, ok := info.Sys().(*syscall.Stat_t)
	return ok && int(stat.Uid) == os.Geteuid()
}
