package files

import (
	"bufio"
	"bytes"
	"fmt"
	"os"
	"strings"
	"syscall"
)

// holder names the process that has a folder's lock, as far as the system tells.
func holder(dir string) string {
	const nobody = "another ropeswing"
	info, err := os.Stat(dir)
	if err != nil {
		return nobody
	}
	stat, ok := info.Sys().(*syscall.Stat_t)
	locks, err := os.Open("/proc/locks")
	if err != nil || !ok {
		return nobody
	}
	defer locks.Close()
	for lines := bufio.NewScanner(locks); lines.Scan(); {
		fields := strings.Fields(lines.Text()) // 1: FLOCK ADVISORY WRITE PID MAJOR:MINOR:INODE START END
		if len(fields) < 6 || fields[1] != "FLOCK" || !strings.HasSuffix(fields[5], fmt.Sprintf(":%d", stat.Ino)) {
			continue
		}
		command, _ := os.ReadFile("/proc/" + fields[4] + "/cmdline")
		words := strings.TrimSpace(string(bytes.ReplaceAll(command, []byte{0}, []byte{' '})))
		if words == "" {
			return "process " + fields[4]
		}
		return fmt.Sprintf("process %s (%s)", fields[4], words)
	}
	return nobody
}
