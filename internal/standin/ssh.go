package standin

import (
	"bufio"
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"
	"golang.org/x/term"
)

// loginFor is for how long a login may take, and mostSessions how many there are at a time.
const (
	loginFor     = 15 * time.Second
	mostSessions = 32
)

// door lets users of one device in by SSH: to NETCONF, or to its lists.
type door struct {
	config  *ssh.ServerConfig
	netconf *server
	lists   Lists
	tongue  *tongue // nil where it speaks no language but that of the lists
	trouble *trouble
}

func newDoor(key ssh.Signer, user, password string, may ssh.PublicKey, s *server, lists Lists, t *trouble) *door {
	d := &door{netconf: s, lists: lists, trouble: t}
	d.config = &ssh.ServerConfig{
		MaxAuthTries: 3,
		PasswordCallback: func(c ssh.ConnMetadata, given []byte) (*ssh.Permissions, error) {
			if !t.refuses() && subtle.ConstantTimeCompare([]byte(c.User()), []byte(user)) == 1 &&
				subtle.ConstantTimeCompare(given, []byte(password)) == 1 {
				return nil, nil
			}
			return nil, errors.New("refused")
		},
		PublicKeyCallback: func(c ssh.ConnMetadata, key ssh.PublicKey) (*ssh.Permissions, error) {
			if !t.refuses() && may != nil && c.User() == user && subtle.ConstantTimeCompare(key.Marshal(), may.Marshal()) == 1 {
				return nil, nil
			}
			return nil, errors.New("refused")
		},
	}
	d.config.AddHostKey(key)
	return d
}

// serve takes connections until the context ends.
func (d *door) serve(ctx context.Context, l net.Listener) {
	stop := context.AfterFunc(ctx, func() { l.Close() })
	defer stop()
	places := make(chan struct{}, mostSessions)
	for {
		c, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return
			}
			continue
		}
		select {
		case places <- struct{}{}:
			go func() {
				defer func() { <-places }()
				d.connection(ctx, c)
			}()
		default:
			c.Close()
		}
	}
}

func (d *door) connection(ctx context.Context, c net.Conn) {
	defer c.Close()
	stop := context.AfterFunc(ctx, func() { c.Close() })
	defer stop()
	_ = c.SetDeadline(time.Now().Add(loginFor))
	conn, channels, requests, err := ssh.NewServerConn(c, d.config)
	if err != nil {
		return
	}
	_ = c.SetDeadline(time.Time{})
	go ssh.DiscardRequests(requests)
	for n := range channels {
		if n.ChannelType() != "session" {
			_ = n.Reject(ssh.UnknownChannelType, "only sessions")
			continue
		}
		channel, requests, err := n.Accept()
		if err != nil {
			continue
		}
		go d.session(ctx, channel, requests)
	}
	conn.Close()
}

// session is one channel: a subsystem, a command or a shell.
func (d *door) session(ctx context.Context, channel ssh.Channel, requests <-chan *ssh.Request) {
	defer channel.Close()
	end := func(code uint32) {
		_, _ = channel.SendRequest("exit-status", false, ssh.Marshal(struct{ Code uint32 }{code}))
	}
	onTerminal := false
	for r := range requests {
		var word struct{ Text string }
		switch r.Type {
		case "subsystem":
			if err := ssh.Unmarshal(r.Payload, &word); err != nil || word.Text != "netconf" || d.netconf.deaf() {
				_ = r.Reply(false, nil)
				continue
			}
			_ = r.Reply(true, nil)
			go ssh.DiscardRequests(requests)
			d.netconf.serve(ctx, channel)
			end(0)
			return
		case "exec":
			if err := ssh.Unmarshal(r.Payload, &word); err != nil {
				_ = r.Reply(false, nil)
				return
			}
			_ = r.Reply(true, nil)
			go ssh.DiscardRequests(requests)
			code := uint32(0)
			if !d.command(ctx, channel, word.Text) {
				code = 1
			}
			end(code)
			return
		case "pty-req":
			onTerminal = true
			_ = r.Reply(true, nil)
		case "window-change", "env":
			_ = r.Reply(true, nil)
		case "shell":
			_ = r.Reply(true, nil)
			go ssh.DiscardRequests(requests)
			d.shell(ctx, channel, onTerminal)
			end(0)
			return
		default:
			_ = r.Reply(false, nil)
		}
	}
}

// shell takes command after command.
func (d *door) shell(ctx context.Context, channel ssh.Channel, onTerminal bool) {
	var next func() (string, error)
	out := io.Writer(channel)
	if onTerminal {
		t := term.NewTerminal(channel, d.netconf.name+"> ")
		next, out = t.ReadLine, t
	} else {
		lines := bufio.NewScanner(channel)
		lines.Buffer(nil, 4096)
		next = func() (string, error) {
			if !lines.Scan() {
				return "", io.EOF
			}
			return lines.Text(), nil
		}
	}
	if d.tongue != nil {
		d.talk(ctx, out, next)
		return
	}
	for {
		line, err := next()
		if err != nil || strings.TrimSpace(line) == "leave" {
			return
		}
		d.command(ctx, out, line)
	}
}

// talk takes line after line in the device's own language.
func (d *door) talk(ctx context.Context, out io.Writer, next func() (string, error)) {
	t := &talk{tongue: d.tongue}
	for {
		if x, ok := out.(*term.Terminal); ok {
			x.SetPrompt(t.prompt())
		} else {
			_, _ = io.WriteString(out, t.prompt())
		}
		line, err := next()
		line = strings.TrimSpace(line)
		if err != nil || line == "leave" && t.changing == nil {
			return
		}
		d.trouble.wait(ctx)
		if line == "" {
			continue
		}
		if answer, mine := t.say(line); mine {
			d.put(out, answer)
		} else { // the lists are there all the same
			d.command(ctx, out, line)
		}
	}
}

// command does what a line says; it tells whether it could.
func (d *door) command(ctx context.Context, w io.Writer, line string) bool {
	words := strings.Join(strings.Fields(line), " ")
	if words == "" {
		return true
	}
	d.trouble.wait(ctx)
	if d.tongue != nil {
		if answer, err, mine := (&talk{tongue: d.tongue}).ask(words); mine {
			if err != nil {
				answer = d.tongue.refusal + err.Error() + "\n"
			}
			d.put(w, answer)
			return err == nil
		}
	}
	s := d.netconf
	var out strings.Builder
	ok := true
	switch words {
	case "save":
		if err := s.yard.Save(s.name); err != nil {
			ok = false
			fmt.Fprintln(&out, err)
		} else {
			fmt.Fprintln(&out, "saved")
		}
	case "restart":
		if err := s.yard.Restart(s.name); err != nil {
			ok = false
			fmt.Fprintln(&out, err)
		} else {
			fmt.Fprintln(&out, "restarted, with what was saved")
		}
	case "help":
		for _, words := range d.lists.names() {
			fmt.Fprintln(&out, words)
		}
		fmt.Fprintln(&out, "save\nrestart\nleave")
	default:
		device, err := s.yard.Says(s.name)
		if err == nil {
			ok, err = d.lists.print(&out, words, device)
		}
		switch {
		case err != nil:
			ok = false
			fmt.Fprintln(&out, err)
		case !ok:
			fmt.Fprintf(&out, "there is no %q here; help lists what there is\n", words)
		}
	}
	d.put(w, out.String())
	return ok
}

// put puts an answer out, with whatever trouble is made.
func (d *door) put(w io.Writer, text string) {
	if d.trouble.oneIn("cut", 4) {
		_, _ = io.WriteString(w, text[:len(text)/2])
		if c, ok := w.(io.Closer); ok {
			c.Close()
		}
		return
	}
	size := len(text)
	if d.trouble != nil && d.trouble.kinds["pieces"] {
		size = 37
	}
	for len(text) > 0 {
		n := min(size, len(text))
		if _, err := io.WriteString(w, text[:n]); err != nil {
			return
		}
		text = text[n:]
	}
}

// names lists the words of lists, in order.
func (l Lists) names() []string {
	var all []string
	for words := range l {
		all = append(all, words)
	}
	slices.Sort(all)
	return all
}
