package standin

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/observed"
	"ropeswing/core/standin"
	"ropeswing/internal/yang"
)

const rooms = `
segments: {left: {prefix: 192.0.2.0/25}, right: {prefix: 192.0.2.128/25}}
devices:
  middle: {is: router, interfaces: {eth0: {segment: left, address: first}, eth1: {segment: right, address: first}}, routes: {198.51.100.0/24: 192.0.2.10}}
  desk: {is: router, interfaces: {eth0: {segment: left, address: 10}}, routes: {default: middle}}
cables: [middle:eth0 to desk:eth0]
`

// client is one end of a session.
type client struct {
	t    *testing.T
	conn net.Conn
	n    int
}

func connected(t *testing.T, s *server) *client {
	t.Helper()
	near, far := net.Pipe()
	go s.serve(t.Context(), far)
	t.Cleanup(func() { near.Close() })
	c := &client{t: t, conn: near}
	assert.Contains(t, c.read(endOfMessage), "confirmed-commit:1.1")
	c.send(`<hello xmlns="` + string(yang.NETCONF) +
		`"><capabilities><capability>urn:ietf:params:netconf:base:1.1</capability></capabilities></hello>` + endOfMessage)
	return c
}

func (c *client) send(text string) {
	_ = c.conn.SetDeadline(time.Now().Add(5 * time.Second))
	_, err := io.WriteString(c.conn, text)
	require.NoError(c.t, err)
}

func (c *client) read(until string) string {
	_ = c.conn.SetDeadline(time.Now().Add(5 * time.Second))
	var all []byte
	b := make([]byte, 4096)
	for !bytes.HasSuffix(all, []byte(until)) {
		n, err := c.conn.Read(b)
		require.NoError(c.t, err, string(all))
		all = append(all, b[:n]...)
	}
	return string(all)
}

// ask sends a request, in chunks of odd sizes.
func (c *client) ask(body string) string {
	c.t.Helper()
	c.n++
	text := fmt.Sprintf(`<rpc xmlns=%q message-id="%d">%s</rpc>`, string(yang.NETCONF), c.n, body)
	half := len(text)/2 + 1
	c.send(fmt.Sprintf("\n#%d\n%s\n#%d\n%s\n##\n", half, text[:half], len(text)-half, text[half:]))
	answer := c.read("\n##\n")
	assert.Contains(c.t, answer, fmt.Sprintf(`message-id="%d"`, c.n))
	return answer
}

func newRooms(t *testing.T) *server {
	return newServer(standin.New(coretest.Network(t, rooms), nil), "middle")
}

const editing = `<edit-config><target><candidate/></target>%s<config xmlns:nc="` + string(yang.NETCONF) + `"><interfaces xmlns="` +
	string(yang.Interfaces) + `">%s</interfaces></config></edit-config>`

func (s *server) admin(t *testing.T, name string) observed.Status {
	d, err := s.yard.Running("middle")
	require.NoError(t, err)
	return d.Interface(name).Admin
}

func TestCandidateIsCommittedAndConfirmed(t *testing.T) {
	t.Parallel()
	s := newRooms(t)
	c := connected(t, s)
	off := fmt.Sprintf(editing, "", "<interface><name>eth1</name><enabled>false</enabled></interface>")
	assert.Contains(t, c.ask(off), "<ok/>")
	assert.Equal(t, observed.Up, s.admin(t, "eth1"), "the candidate is not what runs")
	assert.Contains(t, c.ask("<discard-changes/>"), "<ok/>")
	assert.Contains(t, c.ask("<commit/>"), "<ok/>")
	assert.Equal(t, observed.Up, s.admin(t, "eth1"), "it was discarded")
	c.ask(off)
	assert.Contains(t, c.ask("<commit><confirmed/><confirm-timeout>1</confirm-timeout></commit>"), "<ok/>")
	assert.Equal(t, observed.Down, s.admin(t, "eth1"))
	require.Eventually(t, func() bool { return s.admin(t, "eth1") == observed.Up }, 3*time.Second, 20*time.Millisecond, "nobody confirmed it")
	c.ask(off)
	c.ask("<commit><confirmed/><confirm-timeout>1</confirm-timeout></commit>")
	assert.Contains(t, c.ask("<commit/>"), "<ok/>")
	time.Sleep(1200 * time.Millisecond)
	assert.Equal(t, observed.Down, s.admin(t, "eth1"), "it was confirmed")
	saved, err := s.yard.Saved("middle")
	require.NoError(t, err)
	assert.Equal(t, observed.Up, saved.Interface("eth1").Admin)
	assert.Contains(t, c.ask("<copy-config><target><startup/></target><source><running/></source></copy-config>"), "<ok/>")
	saved, _ = s.yard.Saved("middle")
	assert.Equal(t, observed.Down, saved.Interface("eth1").Admin)
}

// A commit that only its session could confirm is taken back with the session; one that persists
// is not.
func TestConfirmedCommitOfASessionThatIsLost(t *testing.T) {
	t.Parallel()
	for persist, want := range map[string]observed.Status{"": observed.Up, "<persist>later</persist>": observed.Down} {
		s := newRooms(t)
		c := connected(t, s)
		c.ask(fmt.Sprintf(editing, "", "<interface><name>eth1</name><enabled>false</enabled></interface>"))
		c.ask("<commit><confirmed/>" + persist + "</commit>")
		c.conn.Close()
		require.Eventually(t, func() bool { s.mutex.Lock(); defer s.mutex.Unlock(); return len(s.sessions) == 0 }, time.Second,
			time.Millisecond)
		assert.Equal(t, want, s.admin(t, "eth1"), persist)
		if persist != "" {
			other := connected(t, s)
			assert.Contains(t, other.ask("<commit/>"), "in-use")
			assert.Contains(t, other.ask("<commit><persist-id>later</persist-id></commit>"), "<ok/>")
		}
	}
}

func TestEditOperations(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ name, how, change, error string }{
		{"merge", "", `<interface><name>eth0</name><description>up</description></interface>`, ""},
		{"delete what is not there", "", `<interface nc:operation="delete"><name>eth9</name></interface>`, "data-missing"},
		{"remove what is not there", "", `<interface nc:operation="remove"><name>eth9</name></interface>`, ""},
		{"create what is there", "", `<interface nc:operation="create"><name>eth0</name></interface>`, "data-exists"},
		{"none of what is not there", "<default-operation>none</default-operation>", `<interface><name>eth9</name></interface>`,
			"data-missing"},
		{"delete below none", "<default-operation>none</default-operation>", `<interface><name>eth0</name><ipv4 xmlns="` + string(yang.IP) +
			`"><address nc:operation="delete"><ip>192.0.2.1</ip></address></ipv4></interface>`, ""},
		{"a port cannot go", "", `<interface nc:operation="delete"><name>eth0</name></interface>`, "invalid-value"},
		{"no such thing", "", `<interface><name>eth0</name><colour>red</colour></interface>`, "unknown-element"},
		{"of another model", "", `<interface xmlns="urn:x"><name>eth0</name></interface>`, "unknown-element"},
		{"no key", "", `<interface><description>x</description></interface>`, "missing-element"},
		{"no operation", "", `<interface nc:operation="explode"><name>eth0</name></interface>`, "bad-attribute"},
		{"no address", "", `<interface><name>eth0</name><ipv4 xmlns="` + string(yang.IP) +
			`"><address><ip>192.0.2.300</ip><prefix-length>24</prefix-length></address></ipv4></interface>`, "invalid-value"},
	} {
		s := newRooms(t)
		c := connected(t, s)
		answer := c.ask(fmt.Sprintf(editing, x.how, x.change))
		if x.error == "" {
			assert.Contains(t, answer, "<ok/>", x.name)
		} else {
			assert.Contains(t, answer, "<error-tag>"+x.error+"</error-tag>", x.name)
			assert.Nil(t, s.candidate, "%s: nothing of it is left", x.name)
		}
	}
}

func TestLocks(t *testing.T) {
	t.Parallel()
	s := newRooms(t)
	a, b := connected(t, s), connected(t, s)
	lock := "<lock><target><candidate/></target></lock>"
	assert.Contains(t, a.ask(lock), "<ok/>")
	assert.Contains(t, b.ask(lock), "lock-denied")
	assert.Contains(t, b.ask(fmt.Sprintf(editing, "", "<interface><name>eth0</name></interface>")), "in-use")
	assert.Contains(t, b.ask("<kill-session><session-id>1</session-id></kill-session>"), "<ok/>")
	require.Eventually(t, func() bool { return strings.Contains(b.ask(lock), "<ok/>") }, time.Second, 10*time.Millisecond)
}

// What a device says by NETCONF is what is read from it, as configuration and as state.
func TestWhatIsSaidIsRead(t *testing.T) {
	t.Parallel()
	s := newRooms(t)
	c := connected(t, s)
	assert.Contains(t, c.ask(`<get><filter type="subtree"><interfaces xmlns="`+string(yang.Interfaces)+
		`"><interface><name>eth0</name><oper-status/></interface></interfaces></filter></get>`),
		"<interface><name>eth0</name><oper-status>up</oper-status></interface>")
	running, err := s.yard.Running("middle")
	require.NoError(t, err)
	back, err := s.device(s.data(running, false))
	require.NoError(t, err)
	assert.Equal(t, running.Interfaces[0].Addresses, back.Interfaces[0].Addresses)
	assert.Len(t, back.Routes, len(running.Routes))
}

// No request, however it is broken, ends a stand-in or changes what runs.
func FuzzRequest(f *testing.F) {
	f.Add(`<rpc xmlns="` + string(yang.NETCONF) + `" message-id="1"><get/></rpc>`)
	f.Add(`<rpc xmlns="` + string(yang.NETCONF) + `" message-id="1">` + fmt.Sprintf(editing, "", "<interface><name>eth0</name></interface>") +
		`</rpc>`)
	f.Add(`<rpc xmlns="` + string(yang.NETCONF) + `" message-id="1"><commit/></rpc>`)
	f.Add(`<!DOCTYPE a [<!ENTITY b "c">]><rpc>&b;</rpc>`)
	y := standin.New(coretest.Network(f, rooms), nil)
	f.Fuzz(func(t *testing.T, text string) {
		s := newServer(y, "middle")
		x := &session{server: s, id: 1}
		answer := x.request([]byte(text))
		if !strings.HasPrefix(answer, "<rpc-reply") {
			t.Fatal(answer)
		}
		if _, err := parse([]byte(answer)); err != nil {
			t.Fatal(answer, err)
		}
	})
}

func FuzzAnswer(f *testing.F) {
	f.Add([]byte{0x30, 0x26, 2, 1, 1, 4, 1, 'x'})
	f.Add([]byte{0x30, 0x3e, 2, 1, 3})
	a := newAgent(SNMPUser{Community: "x", User: "u", Auth: "authauthauth", Privacy: "privprivpriv"}, "d")
	a.boots, a.started, a.rows = func() uint32 { return 0 }, time.Now, nil
	a.held, a.made = rowsOf(f), time.Now().Add(time.Hour)
	f.Fuzz(func(t *testing.T, b []byte) { a.answer(b) })
}

// A filter that is not known is refused: what it leaves out is not taken to be not there.
func TestFiltersThatAreNotKnownAreRefused(t *testing.T) {
	t.Parallel()
	c := connected(t, newRooms(t))
	for body, want := range map[string]string{
		`<get><filter type="xpath" select="/interfaces"/></get>`:                              "bad-attribute",
		`<get-config><source><running/></source><filter type="regex">x</filter></get-config>`: "bad-attribute",
		`<get><filter type="subtree"><interfaces xmlns="` + string(yang.Interfaces) +
			`"/></filter></get>`: "eth1",
		`<get><filter><interfaces xmlns="` +
			string(yang.Interfaces) + `"><interface><name>eth0</name></interface></interfaces></filter></get>`: "eth0",
		`<get-data xmlns="` + nmdaSpace + `" xmlns:ds="` + datastoreSpace +
			`"><datastore>ds:running</datastore><xpath-filter>/x</xpath-filter></get-data>`: "unknown-element",
	} {
		assert.Contains(t, c.ask(body), want, body)
	}
	assert.NotContains(t, c.ask(`<get><filter><interfaces xmlns="`+string(yang.Interfaces)+
		`"><interface><name>eth0</name></interface></interfaces></filter></get>`), "eth1")
}
