package live_test

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/live"
	"ropeswing/internal/wire"
)

// machine is a namespace with routes of every kind, in which words are carried out.
const machine = `ip link set lo up
ip link add d0 type veth peer name d1; ip link set d1 up; ip link set d0 up alias "to the mole"
ip addr add 10.1.0.1/24 dev d0; ip addr add 10.1.0.9/24 dev d0; ip -6 addr add 2001:db8::1/64 dev d0 nodad
ip route add 10.9.0.0/16 nexthop via 10.1.0.2 nexthop via 10.1.0.3
ip route add default via 10.1.0.4 metric 5; ip route add default via 10.1.0.5 metric 10
ip route add blackhole 10.7.0.0/16; ip -6 route add unreachable 2001:db8:dead::/48
ip -6 route add 2001:db8:9::/48 nexthop via 2001:db8::2 nexthop via 2001:db8::3; ip -6 route add default dev d0
ip neigh add 10.1.0.2 lladdr 02:00:00:00:00:01 dev d0 nud permanent
`

// A machine with Linux is read over SSH, by a real server, from the lists that its ip prints: as JSON, and plain where
// it prints none; both are
// what its kernel says.
func TestLinuxIsReadOverSSH(t *testing.T) {
	t.Parallel()
	sshd := "/usr/sbin/sshd"
	_, err := os.Stat(sshd)
	_, err2 := exec.LookPath("ip")
	if err != nil || err2 != nil || os.Getuid() != 0 || exec.Command("unshare", "-n", "true").Run() != nil {
		require.NotEqual(t, "must", os.Getenv("ROPESWING_PEERS"), "sshd, ip, or the right to make namespaces is missing")
		t.Skip("passed over: no sshd, no ip, or no namespaces can be made here")
	}
	dir := t.TempDir()
	put := func(name, text string, mode os.FileMode) string {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), mode))
		return filepath.Join(dir, name)
	}
	for _, name := range []string{"host", "mine"} {
		out, err := exec.Command("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", filepath.Join(dir, name)).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	put("machine", machine+"echo made\nexec sleep 600\n", 0o700)
	space := exec.Command("unshare", "-n", "sh", filepath.Join(dir, "machine"))
	out, err := space.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, space.Start())
	t.Cleanup(func() { _ = space.Process.Kill(); _ = space.Wait() })
	said := make([]byte, 5)
	_, err = out.Read(said)
	require.NoError(t, err)
	require.Equal(t, "made\n", string(said))
	within := fmt.Sprintf("exec nsenter -t %d -n sh -c \"$SSH_ORIGINAL_COMMAND\"\n", space.Process.Pid)
	me, err := user.Current()
	require.NoError(t, err)
	keys, err := os.ReadFile(filepath.Join(dir, "mine.pub"))
	require.NoError(t, err)
	host, err := os.ReadFile(filepath.Join(dir, "host.pub"))
	require.NoError(t, err)

	read := map[string]*observed.Device{}
	for kind, refuse := range map[string]string{"json": "", "plain": `case "$SSH_ORIGINAL_COMMAND" in *" -j"*) exit 1;; esac` + "\n"} {
		free, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		at := free.Addr().String()
		free.Close()
		_, port, _ := net.SplitHostPort(at)
		config := put(kind+".conf", fmt.Sprintf(
			"Port %s\nListenAddress 127.0.0.1\nHostKey %s\nAuthorizedKeysFile %s\nStrictModes no\nUsePAM no\n"+
				"PermitRootLogin yes\nForceCommand %s\nPidFile none\n", port, filepath.Join(dir, "host"), put("keys", string(keys), 0o600),
			put(kind+".sh", "#!/bin/sh\n"+refuse+within, 0o700)), 0o600)
		_ = os.MkdirAll("/run/sshd", 0o755)
		server := exec.Command(sshd, "-D", "-e", "-f", config)
		require.NoError(t, server.Start())
		t.Cleanup(func() { _ = server.Process.Kill(); _ = server.Wait() })
		require.Eventually(t, func() bool {
			c, err := net.Dial("tcp", at)
			if err == nil {
				c.Close()
			}
			return err == nil
		}, 10*time.Second, 20*time.Millisecond)
		o := live.Polite
		of, err := access.Read([]byte("ropeswing-access: 1\n"), dir)
		require.NoError(t, err)
		o.Access, o.Now, o.Hosts = of, time.Now, []string{put(kind+".hosts", wire.KnownHost(at, string(host))+"\n", 0o600)}
		o.Secret = func(s *access.Secret, what string) (string, error) { return of.Find(s, what, os.Getenv, nil) }
		o.Gear = func(string) (*wire.Gear, error) { return wire.Linux(), nil }
		r := ask(t, o, live.Target{Name: "box", Ways: []access.Way{{By: access.Lists, At: at, User: me.Username, Key: file("mine"),
			Gear: wire.LinuxGear}}})[0]
		require.NotNil(t, r.Device, "%s: %v", kind, r.Failures)
		assert.Empty(t, r.Failures, kind)
		assert.Empty(t, r.Unread, kind)
		for _, p := range []observed.Part{observed.Addresses4, observed.Addresses6, observed.Routes4, observed.Routes6, observed.Neighbours} {
			assert.True(t, r.Device.Knows(p), "%s: %s", kind, p)
		}
		r.Device.Sources = nil
		read[kind] = r.Device
	}
	assert.Equal(t, string(read["json"].Encode()), string(read["plain"].Encode()))
	var routes []string
	for _, r := range read["plain"].Routes {
		if r.Source != "direct" {
			routes = append(routes, strings.TrimSpace(fmt.Sprint(r.To, " ", r.NextHop, " ", r.Discard)))
		}
	}
	slices.Sort(routes)
	assert.Equal(t, []string{"0.0.0.0/0 10.1.0.4 false", "0.0.0.0/0 10.1.0.5 false", "10.7.0.0/16 invalid IP true",
		"10.9.0.0/16 10.1.0.2 false",
		"10.9.0.0/16 10.1.0.3 false", "2001:db8:9::/48 2001:db8::2 false", "2001:db8:9::/48 2001:db8::3 false",
		"2001:db8:dead::/48 invalid IP true", "::/0 invalid IP false"}, routes)
}
