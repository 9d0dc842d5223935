package live_test

import (
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	"io"
	"net"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/live"
	"ropeswing/internal/wire"
)

// netconfd serves Debian's NETCONF server by SSH until the test ends, and says where, and what its host key is; with
// nothing in its configuration yet.
func netconfd(t *testing.T) (at, hostKey string) {
	t.Helper()
	for _, name := range []string{"netconfd", "netconf-subsystem"} {
		if _, err := exec.LookPath(name); err != nil {
			require.NotEqual(t, "must", os.Getenv("ROPESWING_PEERS"), "%s is not installed", name)
			t.Skipf("passed over: %s is not installed", name)
		}
	}
	dir := t.TempDir()
	startup, socket := filepath.Join(dir, "startup.xml"), filepath.Join(dir, "socket")
	require.NoError(t, os.WriteFile(startup, []byte(`<?xml version="1.0"?><config xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"/>`), 0o600))
	args := []string{"--superuser=root", "--target=candidate", "--startup=" + startup, "--ncxserver-sockname=" + socket, "--log=" +
		filepath.Join(dir, "log"), "--log-level=debug2"}
	for _, module := range []string{"ietf-interfaces", "ietf-ip", "iana-if-type", "ietf-ipv4-unicast-routing"} {
		args = append(args, "--module="+module)
	}
	server := exec.Command("netconfd", args...)
	server.Dir = dir
	require.NoError(t, server.Start())
	t.Cleanup(func() {
		_ = server.Process.Kill()
		_ = server.Wait()
		if t.Failed() {
			text, _ := os.ReadFile(filepath.Join(dir, "log"))
			t.Logf("%s", text[max(0, len(text)-6000):])
		}
	})
	require.Eventually(t, func() bool { _, err := os.Stat(socket); return err == nil }, 20*time.Second, 50*time.Millisecond)

	_, key, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	signer, err := ssh.NewSignerFromKey(key)
	require.NoError(t, err)
	config := &ssh.ServerConfig{PasswordCallback: func(ssh.ConnMetadata, []byte) (*ssh.Permissions, error) { return nil, nil }}
	config.AddHostKey(signer)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { listener.Close() })
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			go subsystem(c, config, socket)
		}
	}()
	return listener.Addr().String(), string(ssh.MarshalAuthorizedKey(signer.PublicKey()))
}

// subsystem connects a login's subsystem with the server behind a socket.
func subsystem(c net.Conn, config *ssh.ServerConfig, socket string) {
	conn, channels, requests, err := ssh.NewServerConn(c, config)
	if err != nil {
		return
	}
	defer conn.Close()
	go ssh.DiscardRequests(requests)
	for n := range channels {
		channel, asked, err := n.Accept()
		if err != nil {
			return
		}
		go func() {
			for r := range asked {
				_ = r.Reply(r.Type == "subsystem", nil)
				if r.Type != "subsystem" {
					continue
				}
				cmd := exec.Command("netconf-subsystem", "--ncxserver-sockname=830@"+socket)
				cmd.Env = append(os.Environ(), "USER=root", "LOGNAME=root", "SSH_CONNECTION=127.0.0.1 40000 127.0.0.1 830")
				in, _ := cmd.StdinPipe()
				out, _ := cmd.StdoutPipe()
				if cmd.Start() != nil {
					return
				}
				greeted := make(chan struct{})
				go func() {
					defer close(greeted)
					greeting := make([]byte, 0, 1<<16)
					for !bytes.HasSuffix(greeting, []byte("]]>]]>")) {
						n, err := out.Read(greeting[len(greeting):cap(greeting)])
						if greeting = greeting[:len(greeting)+n]; err != nil {
							return
						}
					}
					// After it validated a candidate, a commit of it does nothing: a fault of its own.
					greeted <- struct{}{}
					_, _ = channel.Write(bytes.ReplaceAll(greeting, []byte("capability:validate:"), []byte("capability:no-validate:")))
					_, _ = io.Copy(channel, out)
				}()
				go func() {
					hello := make([]byte, 4096)
					n, _ := channel.Read(hello)
					_, _ = in.Write(hello[:n])
					<-greeted
					time.Sleep(time.Second) // it never reads what comes together with a greeting
					_, _ = io.Copy(in, channel)
					in.Close()
				}()
				_ = cmd.Wait()
				channel.Close()
			}
		}()
	}
}

// A NETCONF server of somebody else's takes what we send, a commit with a timer among it, and gives
// back what we read: by its own models, without ours.
func TestAnotherServerTakesAndGives(t *testing.T) {
	t.Parallel()
	at, key := netconfd(t)
	dir := t.TempDir()
	put := func(name, text string) string {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
		return filepath.Join(dir, name)
	}
	o := live.Polite
	o.Hosts, o.Now, o.Patience = []string{put("hosts", wire.KnownHost(at, key)+"\n")}, time.Now, 20*time.Second
	of, err := access.Read([]byte("ropeswing-access: 1\n"), dir)
	require.NoError(t, err)
	o.Access, o.Secret = of, func(s *access.Secret, what string) (string, error) { return of.Find(s, what, os.Getenv, nil) }
	way := access.Way{By: access.NETCONF, User: "root", At: at, Password: file(put("word", "any"))}

	net := coretest.Network(t, `
segments: {left: {prefix: [192.0.2.0/25, "2001:db8:1::/64"]}, right: {prefix: 192.0.2.128/25}}
devices:
  middle:
    is: router
    interfaces: {eth0: {segment: left, address: first}, eth1: {segment: right, address: first}}
    routes: {198.51.100.0/24: 192.0.2.10, default: 192.0.2.130, 10.8.0.0/16: {discard: true}}
`)
	planned := compare.AsObserved(net)[0]
	empty := &observed.Device{Name: "middle"}
	edit, beyond := wire.Edit(empty, planned, nil)
	require.False(t, beyond, "all of it has a standard model")

	tell := func() *live.Teller {
		teller, err := live.Tell(t.Context(), "middle", at, way, o)
		require.NoError(t, err)
		return teller
	}
	first := tell()
	require.False(t, first.Direct, "it has a candidate, and a commit with a timer")
	require.NoError(t, first.Commit(edit, time.Minute, "word"))
	d, err := first.Running()
	require.NoError(t, err)
	assert.Len(t, d.Interfaces, 2)
	require.NoError(t, first.TakeBack("word", nil))
	_, err = first.Running()
	assert.ErrorContains(t, err, "neither interfaces", "it is taken back")

	require.NoError(t, first.Commit(edit, time.Minute, "word"))
	first.Close()
	second := tell()
	defer second.Close()
	require.NoError(t, second.Confirm("word", 0), "another session confirms")

	r := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{way}})[0]
	require.NotNil(t, r.Device, "%v", r.Failures)
	assert.Empty(t, r.Unread)
	assert.Empty(t, compare.Compare(net, []*observed.Device{r.Device}).Differences, "what it gives back is as planned")

	// What differs is sent alone: a route that leads elsewhere, one that goes, an address that changes.
	other := *planned
	other.Routes = slices.Clone(planned.Routes[:2])
	other.Routes[0].NextHop = netip.MustParseAddr("192.0.2.131")
	other.Interfaces = slices.Clone(planned.Interfaces)
	other.Interfaces[1].Addresses = []observed.Address{{Prefix: netip.MustParsePrefix("192.0.2.130/25")}}
	edit, _ = wire.Edit(planned, &other, nil)
	require.NoError(t, second.Commit(edit, time.Minute, "other"))
	require.NoError(t, second.Confirm("other", 0))
	d, err = second.Running()
	require.NoError(t, err)
	assert.Equal(t, other.Interfaces[1].Addresses, d.Interfaces[1].Addresses)
	require.Len(t, d.Routes, 2)
	assert.Equal(t, other.Routes[0].NextHop, d.Routes[0].NextHop)
	require.NoError(t, second.Save())

	// Where the server's static routes stand in an instance of another name, they are set and taken away there.
	const space = `xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"`
	named := func(name, routes string) string {
		return `<routing ` + space + `><control-plane-protocols><control-plane-protocol><type>static</type><name>` + name + `</name>` + routes +
			`</control-plane-protocol></control-plane-protocols></routing>`
	}
	raw := strings.Replace(named("static", ""), "<control-plane-protocol>",
		`<control-plane-protocol xmlns:nc="urn:ietf:params:xml:ns:netconf:base:1.0" nc:operation="delete">`, 1) +
		named("main", `<static-routes><ipv4 xmlns="urn:ietf:params:xml:ns:yang:ietf-ipv4-unicast-routing"><route>`+
			`<destination-prefix>198.51.100.0/24</destination-prefix><next-hop><next-hop-address>192.0.2.131</next-hop-address></next-hop>`+
			`</route></ipv4></static-routes>`)
	require.NoError(t, second.Commit([]byte(raw), time.Minute, "raw"))
	require.NoError(t, second.Confirm("raw", 0))
	there, err := second.Running()
	require.NoError(t, err)
	require.Len(t, there.Instances, 1)
	assert.Equal(t, "main", there.Instances[0].Name)
	then := there.Clone()
	then.Routes[0].NextHop = netip.MustParseAddr("192.0.2.10")
	then.Routes = append(then.Routes, observed.Route{To: netip.MustParsePrefix("203.0.113.0/24"), NextHop: netip.MustParseAddr("192.0.2.11"),
		Source: "static"})
	edit, beyond = wire.Edit(there, then, there.Instances)
	undo, _ := wire.Edit(then, there, there.Instances)
	assert.False(t, beyond)
	for _, change := range []struct {
		edit   []byte
		routes int
	}{{edit, 2}, {undo, 1}} {
		require.NoError(t, second.Commit(change.edit, time.Minute, "main"))
		require.NoError(t, second.Confirm("main", 0))
		now, err := second.Running()
		require.NoError(t, err)
		require.Len(t, now.Instances, 1, "no second instance beside it")
		assert.Equal(t, "main", now.Instances[0].Name)
		assert.Len(t, now.Routes, change.routes)
	}
}
