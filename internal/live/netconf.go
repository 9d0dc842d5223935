package live

import (
	"bufio"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/wire"
	"ropeswing/internal/yang"
)

const (
	netconfSpace = string(yang.NETCONF)
	baseFirst    = "urn:ietf:params:netconf:base:1.0"
	baseNow      = "urn:ietf:params:netconf:base:1.1"
	endOfMessage = "]]>]]>"
	mostMessage  = 24 << 20 // bytes: what one device tells, and what is made of it while it is read, fit into its share
	mostGreeting = 1 << 20
	nmda         = "urn:ietf:params:xml:ns:yang:ietf-netconf-nmda"
	system       = `<get><filter type="subtree"><system-state xmlns="urn:ietf:params:xml:ns:yang:ietf-system"><clock/></system-state></filter></get>`
	models       = `<interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"/>` +
		`<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"/>`
)

// Session is one with a NETCONF server (RFC 6241, RFC 6242).
type Session struct {
	client       *ssh.Client
	session      *ssh.Session
	in           *bufio.Reader
	out          io.WriteCloser
	chunked      bool
	count        int
	dropped      bool
	number       int // by which the server knows it; 0 where it does not say
	Capabilities []string
}

// open begins a NETCONF session.
func (a *asker) open(ctx context.Context, name, at string, w *access.Way) (*Session, error) {
	c, err := a.dial(ctx, name, at, w)
	if err != nil {
		return nil, err
	}
	s := &Session{client: c}
	late := time.AfterFunc(4*a.Patience, func() { c.Close() }) // a greeting comes at once
	defer late.Stop()
	if err := s.begin(); err != nil {
		c.Close()
		return nil, err
	}
	return s, nil
}

func (s *Session) begin() (err error) {
	if s.session, err = s.client.NewSession(); err != nil {
		return err
	}
	out, err := s.session.StdinPipe()
	if err != nil {
		return err
	}
	in, err := s.session.StdoutPipe()
	if err != nil {
		return err
	}
	s.in, s.out = bufio.NewReaderSize(in, 1<<16), out
	if err := s.session.RequestSubsystem("netconf"); err != nil {
		return &Failure{Reason: NotRead, Err: errors.New("it lets one in, and speaks no NETCONF")}
	}
	hello := xml.Header + `<hello xmlns="` +
		netconfSpace + `"><capabilities><capability>urn:ietf:params:netconf:base:1.0</capability>` +
		`<capability>urn:ietf:params:netconf:base:1.1</capability></capabilities></hello>` + endOfMessage
	if _, err := io.WriteString(s.out, hello); err != nil {
		return err
	}
	text, err := s.read(mostGreeting)
	if err != nil {
		return &Failure{Reason: Half, Err: fmt.Errorf("it broke off at its greeting: %w", err)}
	}
	var said struct {
		Capabilities []string `xml:"capabilities>capability"`
		Number       int      `xml:"session-id"`
	}
	if err := xml.Unmarshal(text, &said); err != nil || len(said.Capabilities) == 0 {
		return &Failure{Reason: NotRead, Err: errors.New("its greeting is none of NETCONF")}
	}
	s.number = said.Number
	for _, c := range said.Capabilities {
		s.Capabilities = append(s.Capabilities, strings.TrimSpace(c))
	}
	if s.chunked = s.Has(baseNow); !s.chunked && !s.Has(baseFirst) { // RFC 6241 §8.1
		return &Failure{Reason: NotRead, Err: errors.New("its greeting is none of NETCONF")}
	}
	return nil
}

// Has tells whether the server has a capability, whatever stands behind it.
func (s *Session) Has(name string) bool {
	for _, c := range s.Capabilities {
		if c == name || strings.HasPrefix(c, name+"?") {
			return true
		}
	}
	return false
}

// Close ends the session.
func (s *Session) Close() {
	if s.dropped {
		return
	}
	_, _ = s.Ask("<close-session/>")
	s.client.Close()
}

// Drop ends a session that nobody answers any more: without a word, so that nothing is waited for.
func (s *Session) Drop() {
	s.dropped = true
	s.client.Close()
}

// Ask sends a request and returns the answer. That the server refuses is a *yang.Refusal.
func (s *Session) Ask(body string) (*yang.Node, error) {
	s.count++
	id := strconv.Itoa(s.count)
	text := `<rpc xmlns="` + netconfSpace + `" message-id="` + id + `">` + body + `</rpc>`
	var err error
	if s.chunked {
		_, err = fmt.Fprintf(s.out, "\n#%d\n%s\n##\n", len(text), text)
	} else {
		_, err = io.WriteString(s.out, xml.Header+text+endOfMessage)
	}
	if err != nil {
		return nil, &Failure{Reason: Half, Err: fmt.Errorf("it broke off: %w", err)}
	}
	answer, err := s.read(mostMessage)
	if err != nil {
		return nil, &Failure{Reason: Half, Err: fmt.Errorf("it broke off: %w", err)}
	}
	root, err := yang.ParseXML(answer)
	if err != nil || len(root.Children) != 1 || root.Children[0].Name != "rpc-reply" || root.Children[0].Space != netconfSpace {
		return nil, &Failure{Reason: NotRead, Err: errors.New("its answer is none of NETCONF")}
	}
	reply := root.Children[0]
	if reply.Mark != id {
		return nil, &Failure{Reason: NotRead, Err: fmt.Errorf("it answers another request than was sent: %q", reply.Mark)}
	}
	if refused := yang.RefusalIn(reply); refused != nil {
		return nil, refused
	}
	return reply, nil
}

// read reads one message of up to so many bytes.
func (s *Session) read(most int) ([]byte, error) {
	text, err := s.readFramed(most)
	if err == nil && isTooDeep(text) {
		return nil, errors.New("its answer is nested too deep")
	}
	return text, err
}

// readFramed reads one message by either framing.
func (s *Session) readFramed(most int) ([]byte, error) {
	var all []byte
	if !s.chunked {
		for {
			part, err := s.in.ReadSlice('>')
			all = append(all, part...)
			switch {
			case bytes.HasSuffix(all, []byte(endOfMessage)):
				return all[:len(all)-len(endOfMessage)], nil
			case err != nil && !errors.Is(err, bufio.ErrBufferFull):
				return nil, err
			case len(all) > most:
				return nil, errors.New("its answer is too long")
			}
		}
	}
	for {
		var head [2]byte
		if _, err := io.ReadFull(s.in, head[:]); err != nil {
			return nil, err
		}
		if head != [2]byte{'\n', '#'} {
			return nil, errors.New("its chunks have no beginning")
		}
		line, err := s.chunkSize()
		if err != nil {
			return nil, err
		}
		if line == "#" {
			return all, nil
		}
		n, err := strconv.ParseUint(line, 10, 32) // RFC 6242, section 4.2
		switch {
		case err != nil || n == 0:
			return nil, errors.New("a chunk has no size")
		case len(all)+int(n) > most:
			return nil, errors.New("its answer is too long")
		}
		for left := int(n); left > 0; { // room is made for what comes, not for what is claimed
			part := min(left, 1<<16)
			at := len(all)
			all = append(all, make([]byte, part)...)
			if _, err := io.ReadFull(s.in, all[at:]); err != nil {
				return nil, err
			}
			left -= part
		}
	}
}

// chunkSize is the line that says how long a chunk is: up to ten digits, or '#' at the end of a message.
func (s *Session) chunkSize() (string, error) {
	var line []byte
	for {
		b, err := s.in.ReadByte()
		switch {
		case err != nil:
			return "", err
		case b == '\n':
			return string(line), nil
		case len(line) == 10:
			return "", errors.New("a chunk has no size")
		}
		line = append(line, b)
	}
}

// netconf asks by NETCONF: all there is, and what is saved where it tells that.
func (a *asker) netconf(ctx context.Context, name, at string, w *access.Way) (*telling, error) {
	s, err := a.open(ctx, name, at, w)
	if err != nil {
		return nil, err
	}
	stop := context.AfterFunc(ctx, func() { s.client.Close() })
	defer stop()
	defer s.Close()
	body := `<get><filter type="subtree">` + models + `</filter></get>`
	if s.Has(nmda) {
		body = `<get-data xmlns="` + nmda +
			`" xmlns:ds="urn:ietf:params:xml:ns:yang:ietf-datastores"><datastore>ds:operational</datastore><subtree-filter>` + models +
			`</subtree-filter></get-data>`
	}
	text, err := s.Ask(body)
	if err != nil {
		return nil, err
	}
	t := &telling{}
	if t.device, t.unread, err = readModels(text, name); err != nil {
		return nil, err
	}
	if text, err = s.Ask(system); err == nil { // one that has no such model refuses
		t.clock, t.boot = readClock(text)
	}
	if s.Has("urn:ietf:params:netconf:capability:startup:1.0") {
		if text, err = s.Ask(`<get-config><source><startup/></source><filter type="subtree">` + models + `</filter></get-config>`); err == nil {
			t.saved, _, err = readModels(text, name)
		}
		if err != nil {
			return t, &Failure{Reason: Half, Err: fmt.Errorf("what it saved: %w", err)}
		}
	}
	return t, nil
}

// readClock reads what a device's clock says (RFC 7317), and said when it started; zero where it does not tell.
func readClock(answer *yang.Node) (now, boot time.Time) {
	for _, n := range answer.Children {
		if n.Name == "clock" {
			now, _ = time.Parse(time.RFC3339, n.Leaf("current-datetime"))
			boot, _ = time.Parse(time.RFC3339, n.Leaf("boot-datetime"))
			return now, boot
		}
		if now, boot = readClock(n); !now.IsZero() {
			return now, boot
		}
	}
	return now, boot
}

func readModels(answer *yang.Node, name string) (*observed.Device, []wire.Unread, error) {
	r, err := wire.ReadData(answer, name)
	if err != nil {
		return nil, nil, &Failure{Reason: NotRead, Err: err}
	}
	return r.Devices[0], r.Unread, nil
}
