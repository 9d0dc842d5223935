package command

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/creack/pty"
	"golang.org/x/sys/unix"
	"golang.org/x/term"

	"ropeswing/core/model"
	"ropeswing/internal/view"
)

// socketName is that of a rehearsal's socket, by the number of its process. It is no file: it
// goes with the process.
const socketName = "@ropeswing-rehearsal-"

// serve lets other terminals of the same user join, until the function that comes back is
// called.
func (r *rehearsed) serve() (stop func(), err error) {
	listener, err := net.ListenUnix("unix", &net.UnixAddr{Name: fmt.Sprintf("%s%d", socketName, os.Getpid()), Net: "unix"})
	if err != nil {
		return nil, err
	}
	go func() {
		for {
			c, err := listener.AcceptUnix()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				r.joined(c)
			}()
		}
	}()
	return func() { listener.Close() }, nil
}

// joined is one terminal that joined: it handed over its ends.
func (r *rehearsed) joined(c *net.UnixConn) {
	raw, err := c.SyscallConn()
	if err != nil {
		return
	}
	var peer *unix.Ucred
	_ = raw.Control(func(fd uintptr) { peer, err = unix.GetsockoptUcred(int(fd), unix.SOL_SOCKET, unix.SO_PEERCRED) })
	if err != nil || int(peer.Uid) != os.Geteuid() {
		return
	}
	_ = c.SetReadDeadline(time.Now().Add(5 * time.Second))
	word, rights := make([]byte, 64), make([]byte, unix.CmsgSpace(2*4))
	n, m, _, _, err := c.ReadMsgUnix(word, rights)
	if err != nil {
		return
	}
	ends, err := handedOver(rights[:m])
	if err != nil || len(ends) != 2 {
		return
	}
	in, out := ends[0], ends[1]
	defer in.Close()
	defer out.Close()
	held := bufio.NewWriter(out)
	sub := *r.app
	sub.out, sub.err, sub.raw, sub.in = looking(held, out), looking(held, out), held, in
	if w, _, err := term.GetSize(int(out.Fd())); err == nil && w > 20 {
		sub.width = w
	}
	of := *r
	of.app = &sub
	p := &prompt{rehearsed: &of, out: sub.out, width: sub.width}
	p.run = func(d model.DeviceID, words []string) error { return p.runOn(d, words, in, out, string(word[:n])) }
	defer sub.flush()
	if err := p.session(in); err != nil {
		fmt.Fprintln(p.out, view.Clean(err.Error()))
	}
	if p.tape != nil {
		_ = p.stopTape()
	}
}

// handedOver are the files of a message's rights.
func handedOver(rights []byte) ([]*os.File, error) {
	messages, err := unix.ParseSocketControlMessage(rights)
	if err != nil {
		return nil, err
	}
	var all []*os.File
	for _, m := range messages {
		fds, err := unix.ParseUnixRights(&m)
		if err != nil {
			return nil, err
		}
		for _, fd := range fds {
			unix.CloseOnExec(fd)
			all = append(all, os.NewFile(uintptr(fd), "joined"))
		}
	}
	return all, nil
}

// runOn runs a command at a device for a terminal that is not this program's: by a terminal of
// its own, whose other end is handed on.
func (p *prompt) runOn(d model.DeviceID, words []string, in, out *os.File, kind string) error {
	cmd := exec.Command(words[0], words[1:]...)
	if !term.IsTerminal(int(in.Fd())) {
		cmd.Stdin, cmd.Stdout, cmd.Stderr = nil, out, out
		if err := p.lab.Inside(d, cmd.Start); err != nil {
			return err
		}
		return cmd.Wait()
	}
	master, slave, err := pty.Open()
	if err != nil {
		return fmt.Errorf("no terminal can be made for it: %w", err)
	}
	defer master.Close()
	size := func() { _ = pty.InheritSize(out, master) }
	size()
	cmd.Stdin, cmd.Stdout, cmd.Stderr = slave, slave, slave
	cmd.Env = append(os.Environ(), "TERM="+kind)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true, Setctty: true}
	err = p.lab.Inside(d, cmd.Start)
	slave.Close()
	if err != nil {
		return err
	}
	if before, err := term.MakeRaw(int(in.Fd())); err == nil {
		defer func() { _ = term.Restore(int(in.Fd()), before) }()
	}
	done := make(chan struct{})
	var group sync.WaitGroup
	group.Go(func() { _, _ = io.Copy(out, master) })
	group.Go(func() { handOn(in, master, done, size) })
	err = cmd.Wait()
	close(done)
	group.Wait()
	return err
}

// handOn hands on what is typed until the end, and looks now and then whether the terminal has
// another size.
func handOn(in io.Reader, to io.Writer, done <-chan struct{}, size func()) {
	f := in.(*os.File)
	buffer := make([]byte, 4096)
	for {
		select {
		case <-done:
			return
		default:
		}
		ready := []unix.PollFd{{Fd: int32(f.Fd()), Events: unix.POLLIN}}
		if n, err := unix.Poll(ready, 100); n == 0 || errors.Is(err, unix.EINTR) {
			size()
			continue
		}
		n, err := f.Read(buffer)
		if err != nil {
			return
		}
		if _, err := to.Write(buffer[:n]); err != nil {
			return
		}
	}
}

// joinRehearsal hands this terminal to the rehearsal that runs in another.
func (a *app) joinRehearsal() error {
	name, err := runningRehearsal()
	if err != nil {
		return notAsked{err}
	}
	c, err := net.DialUnix("unix", nil, &net.UnixAddr{Name: name, Net: "unix"})
	if err != nil {
		return notAsked{fmt.Errorf("the rehearsal of process %s does not answer: %w", strings.TrimPrefix(name, socketName), err)}
	}
	defer c.Close()
	defer passedOn()()
	in := int(os.Stdin.Fd())
	if before, err := term.GetState(in); err == nil {
		defer func() { _ = term.Restore(in, before) }()
	}
	kind := os.Getenv("TERM")
	if kind == "" {
		kind = "dumb"
	}
	if _, _, err := c.WriteMsgUnix([]byte(kind), unix.UnixRights(in, int(os.Stdout.Fd())), nil); err != nil {
		return notAsked{err}
	}
	_, err = io.Copy(io.Discard, c) // until it is over
	return err
}

// runningRehearsal is the socket of the one rehearsal that runs.
func runningRehearsal() (string, error) {
	text, err := os.ReadFile("/proc/net/unix")
	if err != nil {
		return "", err
	}
	var all []string
	for line := range strings.Lines(string(text)) {
		fields := strings.Fields(line)
		if name := fields[len(fields)-1]; strings.HasPrefix(name, socketName) && len(fields) == 8 && fields[3] == "00010000" { // it listens
			all = append(all, name)
		}
	}
	switch len(all) {
	case 0:
		return "", errors.New("no rehearsal runs here; 'ropeswing rehearse --stay' begins one")
	case 1:
		return all[0], nil
	}
	return "", fmt.Errorf("%d rehearsals run here; end all but one", len(all))
}
