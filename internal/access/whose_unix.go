//go:build unix

package access

import (
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// othersMay tells how somebody else could have put a secret's file there; "" where nobody could.
func othersMay(path string, info os.FileInfo) string {
	if stat, ok := info.Sys().(*syscall.Stat_t); ok && int(stat.Uid) != os.Geteuid() && stat.Uid != 0 {
		return fmt.Sprintf("it is another user's file, that of user %d", stat.Uid)
	}
	folder, err := os.Stat(filepath.Dir(path))
	if err == nil && folder.Mode().Perm()&0o002 != 0 {
		return fmt.Sprintf("everybody may write the folder %s: chmod o-w %s", filepath.Dir(path), filepath.Dir(path))
	}
	return ""
}
