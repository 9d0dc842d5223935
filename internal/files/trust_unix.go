//go:build unix

package files

import (
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// trusted refuses to take a plan by itself that somebody else has put into a folder which
// everybody may write: it would be asked about in place of one's own.
func trusted(dir, name string) error {
	folder, err := os.Stat(dir)
	if err != nil || folder.Mode().Perm()&0o002 == 0 {
		return nil
	}
	info, err := os.Lstat(filepath.Join(dir, name))
	if err != nil {
		return nil
	}
	if stat, ok := info.Sys().(*syscall.Stat_t); ok && int(stat.Uid) != os.Geteuid() && stat.Uid != 0 {
		return fmt.Errorf("%s is somebody else's, in a folder that everybody may write; name it with -p if it is meant",
			filepath.Join(dir, name))
	}
	return nil
}
