package devicestest

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPingIsCapturedAndShown(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "ping", "desk-7", "192.0.2.200", "-4", "--capture", "p.pcapng")
	assert.Equal(t, 0, r.Code)
	assert.Contains(t, r.Err, "32 frames on 8 interfaces written to p.pcapng; read it: ropeswing show packets p.pcapng")
	assert.Contains(t, first(r.Out), "desk-7 reaches", "the answer is the same as ever")
	out := run(t, dir, "show", "packets", "p.pcapng").Out
	assert.Equal(t, "32 packets on 8 interfaces · p.pcapng", first(out))
	assert.Contains(t, oneLine(out), "quay-core:p23 in 110 10.48.1.10 192.0.2.200 64 echo request")
	side := oneLine(run(t, dir, "show", "packets", "p.pcapng", "quay-edge:lan0", "quay-edge:wan0").Out)
	assert.Contains(t, side, "from 10.48.1.10 198.51.100.34 changed to 192.0.2.200 192.0.2.200 TTL 63 62 changed",
		"before and after the translating router")
	assert.Contains(t, side, "to 10.48.1.10 198.51.100.34 changed TTL 63 64 changed")
	var v struct {
		Interfaces []string
		Packets    []struct{ Interface, Direction, Source, Destination, What string }
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "show", "packets", "p.pcapng", "quay-edge:wan0", "-o", "json").Out), &v))
	assert.Equal(t, []string{"quay-edge:wan0"}, v.Interfaces)
	assert.Equal(t, "198.51.100.34", v.Packets[2].Source)

	r = run(t, dir, "ping", "desk-7", "tern-cam", "--capture", "q.pcapng", "--at", "tern-rock:lan0", "--at", "mole-rtr:beam0")
	assert.Contains(t, r.Err, " on 2 interfaces ")
	for args, message := range map[string]string{
		"show packets":                                         "name a capture",
		"show packets none.pcapng":                             "no such file",
		"show packets skerry.plan.yaml":                        "it is no capture",
		"show packets p.pcapng quay-edge:lan1":                 "did you mean quay-edge:lan0?",
		"ping desk-7 tern-cam --capture x --at lan0":           "lan0",
		"ping desk-7 tern-cam --capture x --at quay-edge:ser0": "no frame of the exchange passes there",
		"ping desk-7 tern-cam --capture skerry.plan.yaml":      "is there already, and holds a plan",
	} {
		r := run(t, dir, strings.Fields(args)...)
		assert.Equal(t, 2, r.Code, args)
		assert.Contains(t, r.Err, message, args)
	}
	whole, err := os.ReadFile(filepath.Join(dir, "p.pcapng"))
	require.NoError(t, err)
	write(t, dir, "half.pcapng", string(whole[:len(whole)-30]))
	r = run(t, dir, "show", "packets", "half.pcapng")
	assert.Equal(t, 2, r.Code, "half a capture is not shown as a whole one")
	assert.Contains(t, r.Out, "31 packets")
	assert.Contains(t, r.Err, "it breaks off behind packet 31")
}

// Another program reads the captures, and finds nothing odd: no wrong checksum,
// nothing it cannot make sense of. Its notes about small TTLs, and about seeing a
// packet on several interfaces, are none.
func TestCapturesAreReadByAnotherProgram(t *testing.T) {
	t.Parallel()
	reader, err := exec.LookPath("tshark")
	if err != nil {
		if os.Getenv("ROPESWING_TSHARK") != "" {
			t.Fatal("it needs the program tshark (Debian's tshark)")
		}
		t.Skip("passed over: it needs the program tshark (Debian's tshark)")
	}
	dir := lights(t)
	for _, args := range []string{
		"desk-7 192.0.2.200", "desk-7 tern-cam", "tern-cam desk-7 --size 4000", "desk-7 192.0.2.200 --over tcp/443",
		"desk-7 log-server --over udp/514", "tablet desk-7",
		"desk-7 10.48.1.30", "fibre-carrier 198.51.100.35", "desk-7 tern-cam --ttl 2", "mole-rtr pilot-desk", "ops-laptop tern-cam -p " +
			filepath.Join("bad-morning", "skerry.plan.yaml"), "tern-cam 203.0.113.9 --without fibre",
	} {
		_ = os.Remove(filepath.Join(dir, "c.pcapng"))
		require.Contains(t, run(t, dir, append([]string{"ping", "--capture", "c.pcapng"}, strings.Fields(args)...)...).Err,
			"written to c.pcapng", args)
		ask := func(filter string) string {
			cmd := exec.Command(reader, "-r", "c.pcapng", "-o", "ip.check_checksum:TRUE", "-o", "tcp.check_checksum:TRUE", "-o",
				"udp.check_checksum:TRUE",
				"-Y", filter, "-T", "fields", "-e", "frame.number", "-e", "frame.interface_name", "-e", "_ws.expert.message", "-e", "_ws.col.Info")
			cmd.Dir = dir
			out, err := cmd.Output()
			require.NoError(t, err, args)
			return string(out)
		}
		assert.Empty(t, ask("_ws.expert.severity >= 0x600000 || _ws.malformed || ip.checksum.status == 0 || icmp.checksum.status == 0 || "+
			"icmpv6.checksum.status == 0 || udp.checksum.status == 0 || tcp.checksum.status == 0"), args)
		assert.NotEmpty(t, ask("arp || icmpv6.type == 135"), "%s: neighbours are asked for", args)
	}
}
