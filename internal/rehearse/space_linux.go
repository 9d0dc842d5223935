package rehearse

import (
	"fmt"
	"os"
	"runtime"

	"github.com/vishvananda/netlink"
	"golang.org/x/sys/unix"
)

// space is a network namespace without a name. It is there as long as it is open.
type space struct {
	fd     int
	handle *netlink.Handle
}

// newSpace makes a namespace that is empty but for its loopback.
func newSpace() (*space, error) {
	s := &space{fd: -1}
	return s, onThread(func() (err error) {
		if err = unix.Unshare(unix.CLONE_NEWNET); err != nil {
			return err
		}
		if s.fd, err = unix.Open("/proc/thread-self/ns/net", unix.O_RDONLY|unix.O_CLOEXEC, 0); err != nil {
			return err
		}
		if s.handle, err = netlink.NewHandle(unix.NETLINK_ROUTE); err != nil {
			_ = unix.Close(s.fd)
		}
		return err
	})
}

// inside does something with a thread that is in the namespace; what it opens or starts stays
// there.
func (s *space) inside(f func() error) error {
	return onThread(func() error {
		if err := unix.Setns(s.fd, unix.CLONE_NEWNET); err != nil {
			return fmt.Errorf("entering a network namespace: %w", err)
		}
		return f()
	})
}

// onThread does something with a thread of its own, which is in the namespace of the
// program again behind it, or ends.
func onThread(f func() error) error {
	done := make(chan error)
	go func() {
		runtime.LockOSThread()
		home, err := unix.Open("/proc/thread-self/ns/net", unix.O_RDONLY|unix.O_CLOEXEC, 0)
		if err != nil {
			done <- err
			return
		}
		defer unix.Close(home)
		err = f()
		if unix.Setns(home, unix.CLONE_NEWNET) == nil {
			runtime.UnlockOSThread() // else the thread ends with this goroutine
		}
		done <- err
	}()
	return <-done
}

func (s *space) close() {
	s.handle.Close()
	_ = unix.Close(s.fd)
}

// set writes settings of the kernel, of the namespace one is in. Those that the kernel does
// not have, or keeps for the whole system, are passed over where they may be.
func set(settings [][2]string, must bool) error {
	for _, s := range settings {
		if err := os.WriteFile("/proc/sys/net/"+s[0], []byte(s[1]), 0); err != nil && must {
			return err
		}
	}
	return nil
}
