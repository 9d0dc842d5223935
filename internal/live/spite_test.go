package live_test

import (
	"bufio"
	"crypto/ed25519"
	"crypto/rand"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/live"
	"ropeswing/internal/standin"
	"ropeswing/internal/wire"
)

// spiteful asks one device by one way, with little patience, and says what came of it. Hosts is the line of its host key.
func spiteful(t *testing.T, way access.Way, hosts string) live.Result {
	t.Helper()
	dir := t.TempDir()
	at := filepath.Join(dir, "hosts")
	require.NoError(t, os.WriteFile(at, []byte(hosts+"\n"), 0o600))
	o := live.Polite
	o.Now, o.Hosts, o.Patience = time.Now, []string{at}, 150*time.Millisecond
	o.Secret = func(*access.Secret, string) (string, error) { return "word-of-eight", nil }
	o.Gear = func(string) (*wire.Gear, error) { return wire.ReadGear(standin.Gear, nil) }
	begun := time.Now()
	r := ask(t, o, live.Target{Name: "box", Ways: []access.Way{way}})[0]
	assert.Less(t, time.Since(begun), 15*time.Second, "it ends in its bound")
	return r
}

// told is all that is said of what came: failures, and what was not read.
func told(r live.Result) string {
	var all []string
	for _, f := range r.Failures {
		all = append(all, f.Error())
	}
	for _, u := range r.Unread {
		all = append(all, u.Why+" ("+u.Text+")")
	}
	return strings.Join(all, "; ")
}

// throughSSH serves one SSH server: a session of NETCONF, or what it prints for a command. It says where, and its host key's line.
func throughSSH(t *testing.T, netconf func(io.ReadWriter), printed func(words string) string) (at, hosts string) {
	t.Helper()
	_, key, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	signer, err := ssh.NewSignerFromKey(key)
	require.NoError(t, err)
	config := &ssh.ServerConfig{PasswordCallback: func(ssh.ConnMetadata, []byte) (*ssh.Permissions, error) { return nil, nil }}
	config.AddHostKey(signer)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	session := func(c ssh.Channel, requests <-chan *ssh.Request) {
		for r := range requests {
			switch r.Type {
			case "subsystem":
				_ = r.Reply(true, nil)
				go func() { netconf(c); c.Close() }()
			case "exec":
				_ = r.Reply(true, nil)
				_, _ = io.WriteString(c, printed(string(r.Payload[4:])))
				_, _ = c.SendRequest("exit-status", false, ssh.Marshal(struct{ Status uint32 }{}))
				c.Close()
			}
		}
	}
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				_, channels, requests, err := ssh.NewServerConn(conn, config)
				if err != nil {
					return
				}
				go ssh.DiscardRequests(requests)
				for n := range channels {
					if c, more, err := n.Accept(); err == nil {
						go session(c, more)
					}
				}
			}()
		}
	}()
	return l.Addr().String(), wire.KnownHost(l.Addr().String(), strings.TrimSpace(string(ssh.MarshalAuthorizedKey(signer.PublicKey()))))
}

const (
	base      = `xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"`
	ofIfs     = `xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"`
	ofIP      = `xmlns="urn:ietf:params:xml:ns:yang:ietf-ip"`
	ofRouting = `xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"`
	of4       = `xmlns="urn:ietf:params:xml:ns:yang:ietf-ipv4-unicast-routing"`
	greeting  = `<hello ` + base + `><capabilities><capability>urn:ietf:params:netconf:base:1.0</capability></capabilities></hello>`
	mark      = "]]>]]>"
)

// speaks is a NETCONF server that greets, and answers each request, by its number, as it is told.
func speaks(hello string, answer func(id string) string) func(io.ReadWriter) {
	return func(c io.ReadWriter) {
		_, _ = io.WriteString(c, hello+mark)
		in := bufio.NewReader(c)
		for n := 0; ; n++ {
			if _, err := in.ReadString('>'); err != nil {
				return
			}
			var request strings.Builder
			for !strings.HasSuffix(request.String(), mark) {
				b, err := in.ReadByte()
				if err != nil {
					return
				}
				request.WriteByte(b)
			}
			if n > 0 { // the first is its greeting
				_, _ = io.WriteString(c, answer(strconv.Itoa(n)))
			}
		}
	}
}

func says(body string) func(string) string {
	return func(id string) string {
		return `<rpc-reply ` + base + ` message-id="` + id + `"><data>` + body + `</data></rpc-reply>` + mark
	}
}

func iface(more string) string {
	return `<interfaces ` + ofIfs + `><interface><name>e0</name><enabled>true</enabled>` + more + `</interface></interfaces>`
}

func ipv4(more string) string { return `<ipv4 ` + ofIP + `>` + more + `</ipv4>` }

func route(to, hop string) string {
	return `<routing ` + ofRouting + `><ribs><rib><name>ipv4-main</name><routes><route><next-hop>` + hop +
		`</next-hop><source-protocol>static</source-protocol><destination-prefix ` + of4 + `>` + to +
		`</destination-prefix></route></routes></rib></ribs></routing>`
}

// A device that answers by NETCONF what cannot be so is told of, and the part is not known; what another module adds is not taken for
// what the models say.
func TestSpiteByNETCONF(t *testing.T) {
	t.Parallel()
	address := `<address><ip>192.0.2.1</ip><prefix-length>24</prefix-length></address>`
	for name, x := range map[string]struct {
		hello  string
		answer func(id string) string
		tells  string // in what is told
		lacks  []observed.Part
		knows  []observed.Part
	}{
		"greets without the base": {hello: strings.ReplaceAll(greeting, "base:1.0</capability>", "capability:startup:1.0</capability>"),
			tells: "greeting is none of NETCONF"},
		"greets twice":                 {answer: func(string) string { return greeting + mark }, tells: "none of NETCONF"},
		"answers in another namespace": {answer: func(id string) string { return strings.Replace(says(iface(""))(id), base, `xmlns="urn:x"`, 1) }, tells: "none of NETCONF"},
		"two answers in one": {answer: func(id string) string {
			return strings.ReplaceAll(says(iface(""))(id), mark, "") + says(iface(ipv4(address)))(id)
		}, tells: "none of NETCONF"},
		"models of nobody": {answer: says(strings.Replace(iface(""), "yang:ietf-interfaces", "yang:nobody", 1)), tells: "neither interfaces"},
		"another module's leaf of the same name": {answer: says(iface(`<oper-status xmlns="urn:x:more">down</oper-status><ipv4 xmlns="urn:x:more">` +
			address + `</ipv4>`)), knows: []observed.Part{observed.Interfaces}},
		"a flag that is none": {answer: says(strings.Replace(iface(""), ">true<", ">maybe<", 1)), tells: `"maybe" is no value of enabled`,
			lacks: []observed.Part{observed.Interfaces}},
		"an MTU that is none": {answer: says(iface(ipv4("<mtu>-5</mtu>"))), tells: "no value of mtu", lacks: []observed.Part{observed.Interfaces},
			knows: []observed.Part{observed.Addresses6}},
		"an address that is none": {answer: says(iface(ipv4(strings.Replace(address, "192.0.2.1", "999.0.2.1", 1)))), tells: "no value of ip",
			lacks: []observed.Part{observed.Addresses4}, knows: []observed.Part{observed.Interfaces, observed.Addresses6}},
		"a length of 33": {answer: says(iface(ipv4(strings.Replace(address, ">24<", ">33<", 1)))), tells: "33",
			lacks: []observed.Part{observed.Addresses4}},
		"one address with two lengths": {answer: says(iface(ipv4(address + strings.Replace(address, ">24<", ">25<", 1)))), tells: "said twice",
			lacks: []observed.Part{observed.Addresses4}},
		"one leaf twice": {answer: says(iface("<oper-status>up</oper-status><oper-status>down</oper-status>")), tells: "said twice",
			lacks: []observed.Part{observed.Interfaces}},
		"a leaf with elements in it": {answer: says(iface("<description><b>x</b></description>")), tells: "has more in it",
			lacks: []observed.Part{observed.Interfaces}},
		"a next hop that is none": {answer: says(iface("") + route("198.51.100.0/24", `<next-hop-address `+of4+`>nobody</next-hop-address>`)),
			tells: `"nobody" is no value`, lacks: []observed.Part{observed.Routes4, observed.Standby}},
		"a destination with host bits": {answer: says(iface("") + route("198.51.100.7/24", `<next-hop-address `+of4+`>192.0.2.9</next-hop-address>`)),
			tells: "198.51.100.7/24", lacks: []observed.Part{observed.Routes4}},
		"a VLAN of 5000": {answer: says(iface(`<switching xmlns="urn:ropeswing:device"><untagged>5000</untagged></switching>`)),
			tells: "no value of untagged", lacks: []observed.Part{observed.VLANs}},
		"text in sixteen bits": {answer: func(id string) string {
			var b strings.Builder
			for _, u := range utf16.Encode([]rune("<?xml version=\"1.0\" encoding=\"UTF-16\"?>" + says(iface(""))(id))) {
				b.WriteByte(byte(u >> 8))
				b.WriteByte(byte(u))
			}
			return b.String() + mark
		}, tells: "none of NETCONF"},
		"prefixes of its own, and text in brackets": {answer: func(id string) string {
			return `<r:rpc-reply xmlns:r="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="` + id +
				`"><r:data><i:interfaces xmlns:i="urn:ietf:params:xml:ns:yang:ietf-interfaces"><i:interface><i:name><![CDATA[e0]]></i:name>` +
				`<i:oper-status> up
 </i:oper-status></i:interface></i:interfaces></r:data></r:rpc-reply>` + mark
		}, knows: []observed.Part{observed.Interfaces}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			if x.hello == "" {
				x.hello = greeting
			}
			if x.answer == nil {
				x.answer = says(iface(""))
			}
			at, hosts := throughSSH(t, speaks(x.hello, x.answer), nil)
			r := spiteful(t, access.Way{By: access.NETCONF, At: at, User: "u", Password: file("x")}, hosts)
			if x.tells == "" {
				assert.Empty(t, told(r))
			} else {
				assert.Contains(t, told(r), x.tells)
			}
			if len(x.lacks)+len(x.knows) == 0 {
				assert.Nil(t, r.Device)
				return
			}
			require.NotNil(t, r.Device, told(r))
			for _, p := range observed.Parts {
				if slices.Contains(x.lacks, p) {
					assert.False(t, r.Device.Knows(p), "%s is not known", p)
				} else if slices.Contains(x.knows, p) {
					assert.True(t, r.Device.Knows(p), "%s is known", p)
				}
			}
			if i := r.Device.Interface("e0"); name == "another module's leaf of the same name" {
				assert.Empty(t, i.Oper, "it is another module's")
				assert.Empty(t, i.Addresses)
			} else if x.tells == "" {
				assert.Equal(t, observed.Up, i.Oper)
			}
		})
	}
}

// A web server that answers in its own ways is told of, and nothing of it is believed.
func TestSpiteByRESTCONF(t *testing.T) {
	t.Parallel()
	answers := func(kind, text string) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			if !strings.Contains(r.URL.Path, "ietf-interfaces") {
				http.NotFound(w, r)
				return
			}
			w.Header().Set("Content-Type", kind)
			_, _ = io.WriteString(w, text)
		}
	}
	const asJSON = "application/yang-data+json"
	inJSON := func(more string) string {
		return `{"ietf-interfaces:interfaces":{"interface":[{"name":"e0"` + more + `}]}}`
	}
	for name, x := range map[string]struct {
		answer http.HandlerFunc
		tells  string
		nobody bool // nothing is known
	}{
		"a page to log in at":      {answers("text/html", "<html><body>log in<br></body></html>"), "no whole XML", true},
		"nothing, and all is well": {func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(http.StatusNoContent) }, "answers 204", true},
		"too many requests": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Retry-After", "86400")
			w.WriteHeader(http.StatusTooManyRequests)
		}, "answers 429", true},
		"less than it announces": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Length", "1000")
			_, _ = io.WriteString(w, "<interfaces/>")
		}, "broke off", true},
		"half an object":       {answers(asJSON, inJSON("")[:30]), "breaks off", true},
		"two objects":          {answers(asJSON, inJSON("")+inJSON("")), "more behind the end", true},
		"a list for all":       {answers(asJSON, "[1,2]"), "these are an object", true},
		"a hundred levels":     {answers(asJSON, strings.Repeat(`{"a":`, 100)+"1"+strings.Repeat("}", 100)), "nested too deep", true},
		"JSON that is XML":     {answers(asJSON, iface("")), "no JSON", true},
		"a member twice":       {answers(asJSON, inJSON(`,"enabled":true,"enabled":false`)), "said twice", false},
		"an interface twice":   {answers(asJSON, strings.Replace(inJSON(""), `[{`, `[{"name":"e0","enabled":false},{`, 1)), "said twice", false},
		"a flag in words":      {answers(asJSON, inJSON(`,"enabled":"yes"`)), `"yes" is no value of enabled`, false},
		"a length of a half":   {answers(asJSON, inJSON(`,"ietf-ip:ipv4":{"address":[{"ip":"192.0.2.1","prefix-length":24.5}]}`)), "24.5", false},
		"another's interfaces": {answers(asJSON, strings.Replace(inJSON(""), "ietf-interfaces:", "others:", 1)), "neither interfaces", true},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := httptest.NewTLSServer(x.answer)
			defer s.Close()
			at := strings.TrimPrefix(s.URL, "https://")
			key, err := ssh.NewPublicKey(s.Certificate().PublicKey)
			require.NoError(t, err)
			r := spiteful(t, access.Way{By: access.RESTCONF, At: at, User: "u", Password: file("x")},
				wire.KnownHost(at, strings.TrimSpace(string(ssh.MarshalAuthorizedKey(key)))))
			assert.Contains(t, told(r), x.tells)
			assert.Equal(t, x.nobody, r.Device == nil)
			if r.Device != nil {
				assert.False(t, r.Device.Knows(observed.Interfaces) && r.Device.Knows(observed.Addresses4), "one of them is doubted")
			}
		})
	}
}

// Lists that are broken by what stands between them are not half a device.
func TestSpiteByLists(t *testing.T) {
	t.Parallel()
	const head = "name  kind            set  is  mtu   speed  mac  group  note\n"
	const row = "e0    ethernetCsmacd  up   up  1500  0      -    -      -\n"
	for name, x := range map[string]struct {
		text  string
		tells string
		knows bool
	}{
		"as it is":             {head + row, "", true},
		"line ends of two":     {strings.ReplaceAll(head+row, "\n", "\r\n"), "", true},
		"stops for a key":      {head + row + "-- more, press a key --\n" + strings.Replace(row, "e0", "e1", 1), "more", false},
		"the list twice":       {head + row + "\n" + head + strings.Replace(row, "up   up", "down up", 1), "e0", false},
		"nothing but a prompt": {"box> ", "", false},
		"an error in words":    {"there is no such list\n", "no", false},
		"rows without heading": {row, "", false},
		"sixteen bits":         {string([]byte{0xfe, 0xff, 0, 'n', 0, 'a'}), "", false},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			at, hosts := throughSSH(t, nil, func(words string) string {
				if words == "list interfaces" {
					return x.text
				}
				return ""
			})
			r := spiteful(t, access.Way{By: access.Lists, At: at, User: "u", Password: file("x"), Gear: "x"}, hosts)
			assert.Contains(t, told(r), x.tells)
			if !x.knows {
				assert.NotEmpty(t, told(r), "it is told of")
			}
			assert.Equal(t, x.knows, r.Device != nil && r.Device.Knows(observed.Interfaces))
		})
	}
}

// agent answers SNMP of version 2c as it is told: from a request the answers to it, none to be silent.
func agent(t *testing.T, answer func(n int, request *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket) string {
	t.Helper()
	c, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { c.Close() })
	go func() {
		b := make([]byte, 1<<16)
		reader := &gosnmp.GoSNMP{Version: gosnmp.Version2c}
		for n := 0; ; n++ {
			size, from, err := c.ReadFrom(b)
			if err != nil {
				return
			}
			request, err := reader.SnmpDecodePacket(b[:size])
			if err != nil {
				continue
			}
			for _, a := range answer(n, request) {
				if text, err := a.MarshalMsg(); err == nil {
					_, _ = c.WriteTo(text, from)
				}
			}
		}
	}()
	return c.LocalAddr().String()
}

// rows are variables in the order of their names.
type rows [][2]any

// after answers a request with up to so many rows behind the one it names.
func (all rows) after(request *gosnmp.SnmpPacket, most int) *gosnmp.SnmpPacket {
	a := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: request.Community, PDUType: gosnmp.GetResponse, RequestID: request.RequestID}
	last := numbers(request.Variables[0].Name)
	for _, r := range all {
		if slices.Compare(numbers(r[0].(string)), last) > 0 && len(a.Variables) < most {
			kind := gosnmp.Integer
			if _, ok := r[1].(string); ok {
				kind = gosnmp.OctetString
			}
			a.Variables = append(a.Variables, gosnmp.SnmpPDU{Name: r[0].(string), Type: kind, Value: r[1]})
		}
	}
	if len(a.Variables) == 0 {
		a.Variables = []gosnmp.SnmpPDU{{Name: request.Variables[0].Name, Type: gosnmp.EndOfMibView}}
	}
	return a
}

func numbers(name string) (all []int) {
	for w := range strings.SplitSeq(strings.Trim(name, "."), ".") {
		n, _ := strconv.Atoi(w)
		all = append(all, n)
	}
	return all
}

// interfacesOf are the rows of ifTable and ifXTable of interfaces of these names and indexes; renumbered behind the descriptions.
func interfacesOf(names []string, renumbered int) (all rows) {
	for _, column := range []struct {
		name  string
		value any
		later int
	}{{"1.3.6.1.2.1.2.2.1.1.", 0, 0}, {"1.3.6.1.2.1.2.2.1.2.", "", 0}, {"1.3.6.1.2.1.2.2.1.3.", 6, renumbered},
		{"1.3.6.1.2.1.2.2.1.7.", 1, renumbered}, {"1.3.6.1.2.1.2.2.1.8.", 1, renumbered}, {"1.3.6.1.2.1.31.1.1.1.1.", "", renumbered}} {
		for n, name := range names {
			value := column.value
			if value == "" {
				value = name
			}
			all = append(all, [2]any{column.name + fmt.Sprint(n+1+column.later), value})
		}
	}
	return all
}

// An agent that answers what cannot be so is told of.
func TestSpiteBySNMP(t *testing.T) {
	t.Parallel()
	sound := interfacesOf([]string{"e0", "e1"}, 0)
	for name, x := range map[string]struct {
		answer func(n int, request *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket
		tells  string
		knows  bool
	}{
		"as it is": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			return []*gosnmp.SnmpPacket{sound.after(r, 25)}
		}, "", true},
		"all at once, more than was asked": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			return []*gosnmp.SnmpPacket{sound.after(r, 1000)}
		}, "", true},
		"each answer twice": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			return []*gosnmp.SnmpPacket{sound.after(r, 3), sound.after(r, 3)}
		}, "", true},
		"other numbers in the midst": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			return []*gosnmp.SnmpPacket{interfacesOf([]string{"e0", "e1"}, 10).after(r, 25)}
		}, "no type", false},
		"one name of two": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			return []*gosnmp.SnmpPacket{interfacesOf([]string{"e0", "e0"}, 0).after(r, 25)}
		}, "e0", false},
		"an error from the third on": {func(n int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			a := sound.after(r, 3)
			if n > 2 {
				a.Error, a.ErrorIndex, a.Variables = gosnmp.GenErr, 1, r.Variables
			}
			return []*gosnmp.SnmpPacket{a}
		}, "", false},
		"silent from the third on": {func(n int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			if n > 2 {
				return nil
			}
			return []*gosnmp.SnmpPacket{sound.after(r, 3)}
		}, "broke off", false},
		"has none of it": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			return []*gosnmp.SnmpPacket{rows{}.after(r, 1)}
		},
			"none of the standard tables", false},
		"has no such object": {func(_ int, r *gosnmp.SnmpPacket) []*gosnmp.SnmpPacket {
			a := rows{}.after(r, 1)
			a.Variables[0].Type = gosnmp.NoSuchObject
			return []*gosnmp.SnmpPacket{a}
		}, "none of the standard tables", false},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			r := spiteful(t, access.Way{By: access.SNMP, Version: "2c", At: agent(t, x.answer), Community: file("x")}, "")
			assert.Contains(t, told(r), x.tells)
			if !x.knows {
				assert.NotEmpty(t, told(r), "it is told of")
			}
			require.Equal(t, x.knows, r.Device != nil && r.Device.Knows(observed.Interfaces), told(r))
			if x.knows {
				assert.Len(t, r.Device.Interfaces, 2)
			}
		})
	}
}
