package standin

import (
	"bufio"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"ropeswing/core/observed"
	"ropeswing/core/standin"
	"ropeswing/internal/wire"
	"ropeswing/internal/yang"
)

// The capabilities of a stand-in (RFC 6241 §8, RFC 8526), each model with the features that what is said
// of it needs (RFC 7950 §5.6.4).
var capabilities = []string{
	"urn:ietf:params:netconf:base:1.0", "urn:ietf:params:netconf:base:1.1",
	"urn:ietf:params:netconf:capability:candidate:1.0", "urn:ietf:params:netconf:capability:confirmed-commit:1.1",
	"urn:ietf:params:netconf:capability:rollback-on-error:1.0", "urn:ietf:params:netconf:capability:validate:1.1",
	"urn:ietf:params:netconf:capability:startup:1.0",
	string(yang.Interfaces) + "?module=ietf-interfaces&revision=2018-02-20&features=if-mib",
	string(yang.IP) + "?module=ietf-ip&revision=2018-02-22",
	string(yang.Routing) + "?module=ietf-routing&revision=2018-03-13&features=multiple-ribs,router-id",
	string(yang.Unicast4) + "?module=ietf-ipv4-unicast-routing&revision=2018-03-13",
	string(yang.Unicast6) + "?module=ietf-ipv6-unicast-routing&revision=2018-03-13",
	string(yang.Types) + "?module=iana-if-type&revision=2014-05-08",
	systemSpace + "?module=ietf-system&revision=2014-08-06",
	nmdaSpace + "?module=ietf-netconf-nmda&revision=2019-01-07",
	string(yang.Device) + "?module=ropeswing-device&revision=2026-11-29",
	librarySpace + "?module=ietf-yang-library&revision=" + libraryRevision,
}

// capabilities are those of a stand-in, with or without a candidate.
func (t *trouble) capabilities() []string {
	if !t.plain() {
		return capabilities
	}
	all := []string{"urn:ietf:params:netconf:capability:writable-running:1.0"}
	for _, c := range capabilities {
		if !strings.Contains(c, "capability:candidate") && !strings.Contains(c, "capability:confirmed-commit") &&
			!(t.partly() && strings.Contains(c, "rollback-on-error")) {
			all = append(all, c)
		}
	}
	return all
}

const (
	nmdaSpace      = "urn:ietf:params:xml:ns:yang:ietf-netconf-nmda"
	systemSpace    = "urn:ietf:params:xml:ns:yang:ietf-system"
	datastoreSpace = "urn:ietf:params:xml:ns:yang:ietf-datastores"
)

// server is the NETCONF side of one device: its datastores, and who is connected.
type server struct {
	name     string
	yard     *standin.Yard
	forwards bool
	trouble  *trouble
	started  func() time.Time

	mutex     sync.Mutex
	candidate *yang.Node
	locks     map[string]int // by datastore: the session
	sessions  map[int]func() // what ends each
	count     int
	confirm   *confirming
}

// confirming is a commit that is taken back unless it is confirmed in time.
type confirming struct {
	session int
	persist string
	timer   *time.Timer
	before  *observed.Device
}

func newServer(y *standin.Yard, name string) *server {
	_, forwards := y.Kind(name)
	begin := time.Now()
	return &server{name: name, yard: y, forwards: forwards, started: func() time.Time { return begin }, locks: map[string]int{},
		sessions: map[int]func(){}}
}

// data is a device's configuration as data.
func (s *server) data(d *observed.Device, state bool) *yang.Node {
	return yang.Box(yang.NETCONF, "data", wire.DeviceData(d, s.forwards, state)...)
}

// device is the configuration that data make.
func (s *server) device(data *yang.Node) (*observed.Device, error) {
	r, err := wire.ReadData(data.Copy(), s.name)
	if err != nil {
		if len(data.Children) == 0 {
			return &observed.Device{Name: s.name}, nil
		}
		return nil, err
	}
	if len(r.Unread) > 0 {
		return nil, fmt.Errorf("%s: %s", r.Unread[0].Text, r.Unread[0].Why)
	}
	d := r.Devices[0]
	was, err := s.yard.Running(s.name)
	if err != nil {
		return nil, err
	}
	if err := standin.Possible(was, d); err != nil {
		return nil, err
	}
	for i := range d.Interfaces { // what nobody sets
		x := &d.Interfaces[i]
		y := was.Interface(x.Name)
		x.MAC, x.Speed = y.MAC, y.Speed
		if x.MTU == 0 {
			x.MTU = y.MTU
		}
		if x.Group == nil {
			none := ""
			x.Group = &none
		}
	}
	d.Learn(observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.VLANs, observed.Routes4, observed.Routes6,
		observed.Standby)
	return d, nil
}

// session is one client.
type session struct {
	*server
	id      int
	chunked bool
	in      *bufio.Reader
	out     io.Writer
	ended   bool
}

const (
	endOfMessage = "]]>]]>"
	helloFor     = 30 * time.Second
)

// serve speaks NETCONF until the client goes.
func (s *server) serve(ctx context.Context, rw io.ReadWriteCloser) {
	s.mutex.Lock()
	s.count++
	x := &session{server: s, id: s.count, in: bufio.NewReaderSize(rw, 1<<16), out: rw}
	s.sessions[x.id] = func() { rw.Close() }
	s.mutex.Unlock()
	stop := context.AfterFunc(ctx, func() { rw.Close() })
	defer func() {
		stop()
		rw.Close()
		s.gone(x.id)
	}()
	var b strings.Builder
	b.WriteString(xml.Header + `<hello xmlns="` + string(yang.NETCONF) + `"><capabilities>`)
	for _, c := range append(slices.Clip(x.trouble.capabilities()), x.trouble.libraryCapability()) {
		b.WriteString("<capability>" + strings.ReplaceAll(c, "&", "&amp;") + "</capability>")
	}
	fmt.Fprintf(&b, "</capabilities><session-id>%d</session-id></hello>", x.id)
	if _, err := io.WriteString(rw, b.String()+endOfMessage); err != nil {
		return
	}
	hello := time.AfterFunc(helloFor, func() { rw.Close() })
	text, err := x.read()
	hello.Stop()
	if err != nil {
		return
	}
	e, err := parse(text)
	if err != nil || e.Name != "hello" {
		return
	}
	x.chunked = strings.Contains(string(text), "urn:ietf:params:netconf:base:1.1")
	for !x.ended {
		text, err := x.read()
		if err != nil {
			return
		}
		x.trouble.wait(ctx)
		if err := x.write(x.request(text)); err != nil {
			return
		}
	}
}

// gone forgets a session: its locks, and a commit that only it could confirm.
func (s *server) gone(id int) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.forget(id)
}

// forget is gone for who has the server for itself.
func (s *server) forget(id int) {
	delete(s.sessions, id)
	for store, holder := range s.locks {
		if holder == id {
			delete(s.locks, store)
			if store == "candidate" {
				s.candidate = nil // RFC 6241 §8.3.5.2: what is not committed is discarded with the lock
			}
		}
	}
	if s.confirm != nil && s.confirm.session == id && s.confirm.persist == "" {
		s.takeBack()
	}
}

// takeBack brings back what was before a commit that was not confirmed.
func (s *server) takeBack() {
	c := s.confirm
	s.confirm = nil
	if c != nil {
		c.timer.Stop()
		_ = s.yard.Set(s.name, c.before) // it was so before
	}
}

// read reads one message, by either framing (RFC 6242 §4).
func (x *session) read() ([]byte, error) {
	if !x.chunked {
		var all []byte
		for {
			b, err := x.in.ReadByte()
			if err != nil {
				return nil, err
			}
			if all = append(all, b); bytes.HasSuffix(all, []byte(endOfMessage)) {
				return all[:len(all)-len(endOfMessage)], nil
			}
			if len(all) > largest {
				return nil, errors.New("the message is too long")
			}
		}
	}
	var all []byte
	for {
		head, err := x.in.ReadSlice('\n')
		if err != nil || string(head) != "\n" {
			return nil, errors.New("a chunk begins with a line feed")
		}
		line, err := x.in.ReadSlice('\n')
		if err != nil || len(line) < 3 || line[0] != '#' {
			return nil, errors.New("a chunk begins with its size")
		}
		if string(line) == "##\n" {
			if len(all) == 0 {
				return nil, errors.New("a message has chunks")
			}
			return all, nil
		}
		n, err := strconv.ParseUint(string(line[1:len(line)-1]), 10, 32)
		if err != nil || n == 0 || len(all)+int(n) > largest {
			return nil, errors.New("it is no size of a chunk")
		}
		chunk := make([]byte, n)
		if _, err := io.ReadFull(x.in, chunk); err != nil {
			return nil, err
		}
		all = append(all, chunk...)
	}
}

func (x *session) write(text string) error {
	if x.trouble.oneIn("cut", 4) {
		_, _ = io.WriteString(x.out, text[:len(text)/2])
		return errors.New("cut off")
	}
	if !x.chunked {
		_, err := io.WriteString(x.out, text+endOfMessage)
		return err
	}
	size := len(text)
	if x.trouble != nil && x.trouble.kinds["pieces"] {
		size = 61
	}
	var b bytes.Buffer
	for len(text) > 0 {
		n := min(size, len(text))
		fmt.Fprintf(&b, "\n#%d\n%s", n, text[:n])
		text = text[n:]
	}
	b.WriteString("\n##\n")
	_, err := x.out.Write(b.Bytes())
	return err
}

// request answers one message.
func (x *session) request(text []byte) string {
	rpc, err := parse(text)
	if err != nil {
		return reply("", yang.Refused("malformed-message", "", "it cannot be read: %s", err).RPC())
	}
	id := rpc.Mark
	if rpc.Name != "rpc" || rpc.Space != string(yang.NETCONF) || len(rpc.Children) != 1 {
		return reply(id, yang.Refused("malformed-message", "", "it is no request").RPC())
	}
	if id == "" {
		return reply(id, yang.Refused("missing-attribute", "/rpc", "a request has a message-id").RPC())
	}
	x.mutex.Lock()
	defer x.mutex.Unlock()
	answer, err := x.do(rpc.Children[0])
	var refusal *yang.Refusal
	switch {
	case errors.As(err, &refusal):
		return reply(id, refusal.RPC())
	case err != nil:
		return reply(id, yang.Refused("operation-failed", "", "%s", err).RPC())
	case answer == "":
		answer = "<ok/>"
	}
	return reply(id, answer)
}

func reply(id, answer string) string {
	var b bytes.Buffer
	b.WriteString(`<rpc-reply xmlns="` + string(yang.NETCONF) + `"`)
	if id != "" {
		b.WriteString(` message-id="`)
		_ = xml.EscapeText(&b, []byte(id))
		b.WriteString(`"`)
	}
	b.WriteString(">" + answer + "</rpc-reply>")
	return b.String()
}

// do does what a request says.
func (x *session) do(r *yang.Node) (string, error) {
	switch r.Name {
	case "get":
		data, err := x.store("operational")
		if err != nil {
			return "", err
		}
		data.Children = append(data.Children, x.ofItself()...)
		return x.shown(data, r.Child("filter"), string(yang.NETCONF))
	case "get-config":
		store := storeOf(r.Child("source"))
		if store == "operational" { // it is no configuration (RFC 8526 §3.1)
			store = ""
		}
		data, err := x.store(store)
		if err != nil {
			return "", err
		}
		return x.shown(data, r.Child("filter"), string(yang.NETCONF))
	case "get-data":
		store := yang.Bare(r.Leaf("datastore"))
		data, err := x.store(store)
		if err != nil {
			return "", err
		}
		if store == "operational" {
			data.Children = append(data.Children, x.ofItself()...)
		}
		if r.Child("xpath-filter") != nil {
			return "", yang.Refused("unknown-element", "/rpc/get-data/xpath-filter", "filters are subtrees: subtree-filter")
		}
		return x.shown(data, r.Child("subtree-filter"), nmdaSpace)
	case "edit-config":
		return "", x.edit(storeOf(r.Child("target")), r)
	case "edit-data":
		return "", x.edit(yang.Bare(r.Leaf("datastore")), r)
	case "commit":
		return "", x.commit(r)
	case "cancel-commit":
		if x.confirm == nil || x.confirm.persist != r.Leaf("persist-id") {
			return "", yang.Refused("invalid-value", "/rpc/cancel-commit", "there is no such commit to be confirmed")
		}
		x.takeBack()
		return "", nil
	case "discard-changes":
		if err := x.free("candidate"); err != nil {
			return "", err
		}
		x.candidate = nil
		return "", nil
	case "validate":
		data, err := x.store(storeOf(r.Child("source")))
		if err != nil {
			return "", err
		}
		_, err = x.device(data)
		return "", invalid(err)
	case "copy-config":
		return "", x.copy(r)
	case "delete-config":
		if storeOf(r.Child("target")) != "startup" {
			return "", yang.Refused("operation-not-supported", "", "only startup can be deleted")
		}
		return "", yang.Refused("operation-not-supported", "", "a device without a saved configuration would come back as nobody")
	case "lock", "unlock":
		return "", x.lock(r.Name == "lock", storeOf(r.Child("target")))
	case "close-session":
		x.ended = true
		return "", nil
	case "kill-session":
		id, _ := strconv.Atoi(r.Leaf("session-id"))
		end, ok := x.sessions[id]
		if !ok || id == x.id {
			return "", yang.Refused("invalid-value", "/rpc/kill-session/session-id", "there is no other session %d", id)
		}
		end()
		x.forget(id) // its locks are free before the answer (RFC 6241 §7.9)
		return "", nil
	case "get-schema":
		return x.schema(r)
	}
	return "", yang.Refused("operation-not-supported", "/rpc/"+r.Name, "there is no operation %s", r.Name)
}

func invalid(err error) error {
	if err == nil {
		return nil
	}
	return yang.Refused("invalid-value", "", "%s", err)
}

// storeOf is the datastore that a source or target names.
func storeOf(e *yang.Node) string {
	if e != nil && len(e.Children) == 1 {
		return e.Children[0].Name
	}
	return ""
}

// ofItself is what a device says of itself beside its datastores.
func (s *server) ofItself() []*yang.Node {
	now, before := s.trouble.library()
	return []*yang.Node{s.clock(), now, before}
}

// clock is what a device says of its clock (RFC 7317).
func (s *server) clock() *yang.Node {
	now := s.trouble.clock()
	leaf := func(name string, t time.Time) *yang.Node {
		return yang.Leaf(systemSpace, name, t.UTC().Format(time.RFC3339))
	}
	return yang.Box(systemSpace, "system-state", yang.Box(systemSpace, "clock", leaf("current-datetime", now),
		leaf("boot-datetime", now.Add(-time.Since(s.started())))))
}

// store is what a datastore holds.
func (s *server) store(name string) (*yang.Node, error) {
	var d *observed.Device
	var err error
	switch name {
	case "running":
		d, err = s.yard.Running(s.name)
	case "startup":
		d, err = s.yard.Saved(s.name)
	case "operational":
		d, err = s.yard.Says(s.name)
	case "candidate":
		if s.candidate == nil {
			return s.store("running")
		}
		return s.candidate, nil
	default:
		return nil, yang.Refused("invalid-value", "", "there is no datastore %q; there are running, candidate, startup and operational", name)
	}
	if err != nil {
		return nil, err
	}
	return s.data(d, name == "operational"), nil
}

// shown is data as an answer, as far as a filter lets them through.
func (x *session) shown(data, filter *yang.Node, space string) (string, error) {
	if filter != nil && filter.Mark != "" && filter.Mark != "subtree" { // nothing else is said to be known (RFC 6241 §8.9)
		return "", yang.Refused("bad-attribute", "/rpc/get/filter", "filters are of the type subtree, not %q", filter.Mark)
	}
	out := &yang.Node{Space: space, Name: "data"}
	if filter == nil {
		out.Children = data.Children
	} else {
		if len(filter.Children) > 0 {
			for _, c := range data.Children {
				for _, f := range filter.Children {
					if matches(c, f) {
						if y := filtered(c, f); y != nil {
							out.Children = append(out.Children, y)
						}
					}
				}
			}
		}
	}
	var b bytes.Buffer
	if space == string(yang.NETCONF) {
		b.WriteString("<data>")
		for _, c := range out.Children {
			c.XML(&b, string(yang.NETCONF))
		}
		b.WriteString("</data>")
		return b.String(), nil
	}
	out.XML(&b, string(yang.NETCONF))
	return b.String(), nil
}

// schema is the text of a module, of those that are this program's own.
func (x *session) schema(r *yang.Node) (string, error) {
	text, ok := yang.TextOf(r.Leaf("identifier"))
	if !ok {
		return "", yang.Refused("invalid-value", "/rpc/get-schema/identifier", "only ropeswing-device is at hand; the others are the IETF's")
	}
	var b bytes.Buffer
	b.WriteString(`<data xmlns="urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring">`)
	_ = xml.EscapeText(&b, []byte(text))
	b.WriteString("</data>")
	return b.String(), nil
}
