package guidetest

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

func TestAChangeIsTriedInACopy(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	bad := func(args ...string) result {
		return run(t, dir, append([]string{"-p", demo.BadMorning, "ping", "tern-cam"}, args...)...)
	}
	r := bad("--with", "mole-rtr: tern via tern-rock")
	assert.Equal(t, 1, r.Code, "of two routes to one prefix, flows take either")
	assert.Contains(t, first(r.Out), "trying: mole-rtr: tern via 10.48.0.5 (tern-rock)")
	assert.Equal(t, 0, bad("--with", "mole-rtr: tern-watch via tern-rock").Code, "a longer prefix wins over the wrong next hop")
	assert.Equal(t, 1, bad("--with", "mole-rtr: tern-watch via tern-rock", "--with", "tern-rock:lan0 down").Code)
	assert.Equal(t, 1, bad("--with", "mole-rtr: tern-watch via tern-rock", "--with", "quay-edge: tern-watch discard").Code)
	assert.Equal(t, 1, bad().Code, "nothing of it is kept")
	r = run(t, dir, "-p", demo.BadMorning, "ping", "desk-7", "log-server", "-4", "--with", "quay-sw1:p7 up")
	assert.Equal(t, 0, r.Code, r.Out)
	r = run(t, dir, "ping", "tern-cam", "log-server", "-4", "--with", "tern-cam:port address 10.48.9.2/29")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "10.48.9.2 lies outside 10.48.3.0/29, the subnet of tern-watch")
	for change, message := range map[string]string{
		"mole-rtr":                        "a change is 'DEVICE: [also|remove] WHAT'",
		"mole-rtr: tern":                  "a change is",
		"mole-rtr: turn via tern-rock":    "did you mean tern?",
		"mole-rtr: tern via tern-rick":    "did you mean tern-rock?",
		"mole-rtr: tern via desk-7":       "desk-7 is no next hop of mole-rtr",
		"mole-rtr:beam9 up":               "did you mean beam0?",
		"tern-cam:port address 10.48.9.2": "10.48.9.2 has no prefix length",
	} {
		r = bad("--with", change)
		assert.Equal(t, 2, r.Code, change)
		assert.Contains(t, r.Err, message, change)
	}
}

func TestThePingsSourceIsChosen(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	assert.Contains(t, run(t, dir, "ping", "quay-edge", "tern-cam", "-4", "--source", "loopback").Out,
		"IPv4 forward path, 10.48.0.254 to 10.48.3.2")
	assert.Contains(t, run(t, dir, "ping", "quay-edge", "tern-cam", "-4", "--source", "198.51.100.34").Out,
		"IPv4 forward path, 198.51.100.34 to")
	assert.Contains(t, run(t, dir, "trace", "quay-edge", "tern-cam", "-4", "--source", "quay-edge:lan0").Out, "10.48.0.0")
	assert.Contains(t, run(t, dir, "ping", "quay-edge", "tern-cam", "--source", "10.1.1.1").Err, "10.1.1.1 is no address of quay-edge")
	assert.Contains(t, run(t, dir, "ping", "quay-edge", "tern-cam", "--source", "lan9").Err, "did you mean lan0?")
}

func TestRequirementsAreCounted(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	assert.Contains(t, oneLine(run(t, dir, "check").Out), "9 of 9 requirements hold")
	text, err := os.ReadFile(filepath.Join(dir, demo.Plan))
	require.NoError(t, err)
	write(t, dir, demo.Plan, string(text)+
		"  - quay-guest does not reach log-server over udp/514\n  - desk-7 reaches tern-cam without beam-b without beam-e\n")
	r := run(t, dir, "check")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "9 of 11 requirements hold")
	assert.Contains(t, oneLine(r.Out),
		"quay-guest does not reach log-server over udp/514: tablet (10.48.1.82) to log-server (10.48.1.74) gets there, by quay-core; so for "+
			"2 of 2 pairs tried")
	assert.Contains(t, run(t, dir, "rename", "desk-7", "desk-9").Out, "desk-9 reaches tern-cam without beam-b without beam-e")
	assert.Contains(t, run(t, dir, "rename", "fibre-carrier", "glass-carrier").Out, "carriers: [glass-carrier, sat-carrier]")
}

func TestLargePingsAreRefusedWhereTheLinkIsNarrow(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	write(t, dir, "narrow.plan.yaml", `ropeswing: 1
segments: {a: {prefix: 10.1.0.0/24}, l: {prefix: 10.0.0.0/31}, b: {prefix: 10.2.0.0/24}}
devices:
  ha: {is: host, gateway: ra, interfaces: {p: {segment: a, address: 10}}}
  ra: {is: router, interfaces: {l: {segment: a, address: 1}, x: {segment: l, address: first, mtu: 1400}}, routes: {b: rb}}
  rb: {is: router, interfaces: {l: {segment: b, address: 1}, x: {segment: l, address: last, mtu: 1400}}, routes: {a: ra}}
  hb: {is: host, gateway: rb, interfaces: {p: {segment: b, address: 10}}}
`)
	ping := func(args ...string) result {
		return run(t, dir, append([]string{"-p", "narrow.plan.yaml", "ping", "ha", "hb"}, args...)...)
	}
	assert.Equal(t, 0, ping("--size", "1372", "--no-fragment").Code)
	r := ping("--size", "1373", "--no-fragment")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, first(r.Out), "with 1373 bytes of payload, not to be fragmented")
	assert.Contains(t, oneLine(r.Out),
		"ra cannot send its 1401 bytes out of x, which takes 1400 at most: it may not be fragmented (packet-too-big)")
	assert.Equal(t, 0, ping("--size", "1373").Code)
	assert.Contains(t, ping("--size", "70000").Err, "--size is from 0 to 65507")
	r = run(t, dir, "-p", "narrow.plan.yaml", "trace", "ha", "hb", "--size", "1373", "--no-fragment")
	assert.Contains(t, oneLine(r.Out), "2 10.1.0.1 ra l fragmentation needed")
}

func TestAllPairsOfHosts(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "ping", "--all-pairs")
	assert.Equal(t, 1, r.Code)
	assert.Equal(t, "200 of 220 paths between 11 hosts work · predicted from the plan", first(r.Out),
		"11 hosts to 10 others in two families, but for what the visitor's tablet begins")
	r = run(t, dir, "ping", "--all-pairs", "-4", "--without", "beam-a", "--without", "beam-e", "-o", "csv")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "desk-7,pilot-desk,ipv4,10.48.1.10,")
	r = run(t, dir, "ping", "--all-pairs", "-p", demo.BadMorning)
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "tern-cam")
	assert.Contains(t, run(t, dir, "ping", "--all-pairs", "desk-7").Err, "name nobody with it")
	assert.Contains(t, run(t, dir, "ping", "--all-pairs", "--size", "9").Err, "--all-pairs goes with")
}

func TestATraceIsToldPacketByPacket(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	out := oneLine(run(t, dir, "trace", "desk-7", "tern-cam", "-4", "--explain").Out)
	assert.Contains(t, out, "TTL 1 desk-7 sends a probe; quay-core lowers its TTL to 0, drops it, and says 'time exceeded' from 10.48.1.1")
	assert.Contains(t, out, "TTL 3 desk-7 sends a probe; quay-core passes it on with 2 left; quay-edge passes it on with 1 left; mole-rtr "+
		"lowers its TTL to 0, drops it, and says 'time exceeded' from 10.48.0.3, which comes back by quay-edge and quay-core")
	assert.Contains(t, out, "tern-cam has the address, and replies, which comes back by tern-rock, mole-rtr, quay-edge and quay-core")
	out = oneLine(run(t, dir, "trace", "tern-cam", "-4", "--explain", "-p", demo.BadMorning).Out)
	assert.Contains(t, out, "TTL 5 ops-laptop sends a probe; quay-core passes it on with 4 left; quay-edge passes it on with 3 left; it "+
		"loops until mole-rtr lowers its TTL to 0")
	out = oneLine(run(t, dir, "trace", "desk-7", "10.48.15.9", "-4", "--explain").Out)
	assert.Contains(t, out, "drops it silently: nothing comes back, and there is no answer for this hop")
}

// What leaves the plan holds the derived routes too, with what they watch.
func TestDerivedRoutesAreExported(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	var devices []struct {
		Device, Gateway string
		Routes          []struct {
			To      string
			NextHop string `json:"next_hop"`
			Out     string
			Watch   string
			Derived bool
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "export", "json", "quay-edge").Out), &devices))
	require.Len(t, devices, 1)
	assert.Equal(t, "198.51.100.33", devices[0].Gateway)
	found := false
	for _, r := range devices[0].Routes {
		if r.To == "10.48.3.0" && r.Watch != "" && r.NextHop == "10.48.0.3" {
			found = true
			assert.Equal(t, "10.48.0.3 beam0 10.48.0.5", r.NextHop+" "+r.Out+" "+r.Watch)
			assert.True(t, r.Derived)
		}
	}
	assert.True(t, found)
	assert.Contains(t, oneLine(run(t, dir, "show", "card", "quay-edge").Out),
		"10.48.3.0/24 255.255.255.0 10.48.0.3 beam0 1 watches 10.48.0.5")
}
