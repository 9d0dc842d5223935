package main

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/demo"
)

func TestShowWhatIsOnWhichWire(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	bad := []string{"-p", demo.BadMorning}
	r := run(t, dir, append([]string{"show", "vlans", "-o", "csv"}, bad...)...)
	assert.Contains(t, r.Out, "191 mole-manage,mole-sw,,p23,mgmt,p24\n", "missing on the trunk")
	assert.Contains(t, r.Out, "110 quay-staff,quay-sw1,p1..p20,trunk0,,\n")
	r = run(t, dir, append([]string{"show", "cables", "-o", "csv"}, bad...)...)
	assert.Contains(t, r.Out, ",desk-7:port,quay-sw1:p7,down: administratively down,,")
	assert.Contains(t, run(t, dir, "show", "cables", "mole-rtr", "--without", "beam-a").Out, "down: the cable beam-a is down")
	assert.Contains(t, oneLine(run(t, dir, "show", "neighbours", "mole-rtr").Out),
		"beam1 tern-rock:beam0 10.48.0.5 2001:db8:5ea:f2::3 beam-tern")
	assert.Contains(t, oneLine(run(t, dir, append([]string{"show", "management"}, bad...)...).Out),
		"tern-rock 10.48.3.16 ping, ssh ssh not reached its TTL runs out in a loop between quay-edge and mole-rtr")
}

func TestInterfacesAreFilteredAndShownWhole(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	names := func(args ...string) string {
		return strings.Join(strings.Fields(run(t, dir, append([]string{"show", "interfaces", "--only", "interface"}, args...)...).Out), " ")
	}
	assert.Equal(t, "p7 port", names("--down", "-p", demo.BadMorning))
	assert.Equal(t, "mgmt0 p22 trunk0 vlan190 p21 trunk0 mgmt port", names("--segment", "quay-manage"))
	assert.Equal(t, "beam0 beam1", names("--match", "BEAM-TERN", "-4", "tern-rock", "far-skerry", "mole-rtr"))
	assert.Equal(t, "wan1", names("quay-edge", "--match", "198.51.100.6", "-4"))
	assert.Contains(t, run(t, dir, "show", "interfaces", "--segment", "quay-stuff").Err, "did you mean quay-staff?")

	r := run(t, dir, "show", "interface", "desk-7:port", "-p", demo.BadMorning)
	assert.Equal(t, "desk-7:port down: the far end quay-sw1:p7 is administratively down", first(r.Out))
	r = run(t, dir, "show", "interface", "quay-core:vlan110")
	assert.Contains(t, oneLine(r.Out), "hears desk-7:port")
	assert.Equal(t, "desk-7:port\n", run(t, dir, "show", "interface", "quay-core:vlan110", "--only", "hears").Out)
	assert.Contains(t, oneLine(run(t, dir, "why", "mole-rtr:lan0.120").Out),
		"state up (skerry.plan.yaml:110) part of mole-rtr:lan0, which is up")

	write(t, dir, "all.plan.yaml", `ropeswing: 1
segments: {l: {prefix: 10.0.0.0/31}, v: {vlan: 9, prefix: 10.1.0.0/24}}
devices:
  a:
    is: router
    loopback: 10.9.9.9
    interfaces:
      s: {segment: l, line: serial, clock: here, mtu: 1400, bandwidth: 64k, mac: 02-00-5e-00-00-01, note: to the rock}
      e1: {}
      e2: {}
      bond: {members: [e1, e2], segment: v, virtual: 9, priority: 200, table: guests}
      u: {borrow: loopback}
    tables: {guests: {default: 10.1.0.7}}
  b: {is: router, interfaces: {s: {segment: l, line: serial}}}
cables: [a:s to b:s]
`)
	r = run(t, dir, "show", "interface", "a:s", "-p", "all.plan.yaml")
	for _, want := range []string{"note to the rock", "line serial, clocked here", "MTU 1400 bytes", "bandwidth 64000 bit/s",
		"MAC 02:00:5e:00:00:01", "cabled to b:s"} {
		assert.Contains(t, oneLine(r.Out), want)
	}
	r = run(t, dir, "show", "interface", "a:bond", "-p", "all.plan.yaml")
	for _, want := range []string{"members e1, e2", "table guests", "shares 10.1.0.9 master", "kind group"} {
		assert.Contains(t, oneLine(r.Out), want)
	}
	assert.Contains(t, oneLine(run(t, dir, "show", "interface", "a:u", "-p", "all.plan.yaml").Out), "borrows loopback")
}

func TestRoutesOfATableOfItsOwn(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "show", "routes", "quay-edge", "-4")
	_, apart, found := strings.Cut(r.Out, "quay-edge, table manage\n")
	assert.True(t, found, r.Out)
	assert.Equal(t, "0.0.0.0/0 10.48.1.97 quay-core mgmt0 static 1 in use 10.48.1.96/28 mgmt0 direct 0 in use", oneLine(apart))
	assert.Equal(t, "manage\n", first(run(t, dir, "show", "routes", "quay-edge", "--only", "table").Out)+"\n")
}

func TestRoutesAreFilteredAndLookedUp(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "show", "routes", "far-skerry", "--covering", "10.48.2.9", "-o", "csv")
	assert.Equal(t, "device,to,next_hop,out,source,distance,metric,state,watch,place,why\n"+
		"far-skerry,10.48.2.0/24,10.48.0.6 tern-rock,beam0,derived,1,0,in use,10.48.0.4,skerry.plan.yaml:7,\n"+
		"far-skerry,0.0.0.0/0,10.48.0.253 gull-point,beam1,derived,1,0,in use,10.48.0.248,skerry.plan.yaml:7,a longer prefix decides\n"+
		"far-skerry,0.0.0.0/0,10.48.0.6 tern-rock,beam0,derived,11,0,standby,10.48.0.2,skerry.plan.yaml:7,\n", r.Out)
	assert.Equal(t, "standby\nstandby\nstandby\n",
		run(t, dir, "show", "routes", "quay-edge", "far-skerry", "--standby", "-4", "--only", "state", "-p", demo.BadMorning).Out)
	assert.NotContains(t, run(t, dir, "show", "routes", "quay-edge", "--type", "direct", "--only", "source").Out, "static")
	assert.Contains(t, run(t, dir, "show", "routes", "--type", "guess").Err, "--type is local, direct, static, derived, learned, not guess")
	assert.Contains(t, run(t, dir, "show", "routes", "--covering", "10.48.2").Err, "is not an address")

	for _, tt := range []struct{ device, to, answer, step string }{
		{"mole-rtr", "far-cam", "10.48.5.2 at mole-rtr: on to tern-rock (10.48.0.5), out of beam1",
			"shorter 0.0.0.0/0 derived via 10.48.0.2, distance 1, out of beam0"},
		{"mole-rtr", "10.48.2.200", "10.48.2.200 at mole-rtr: discarded, by 10.48.2.0/24",
			"shorter 0.0.0.0/0 derived via 10.48.0.2, distance 1"},
		{"mole-rtr", "mole-rtr", "10.48.2.254 at mole-rtr: delivered here", "decides 10.48.2.254/32 local"},
		{"far-skerry", "192.0.2.9", "192.0.2.9 at far-skerry: on to gull-point (10.48.0.253), out of beam1",
			"standby 0.0.0.0/0 derived via 10.48.0.6, distance 11, watches 10.48.0.2, out of beam0"},
		{"fibre-carrier", "198.51.100.65", "198.51.100.65 at fibre-carrier: no route", "no route of the device matches 198.51.100.65"},
	} {
		r := run(t, dir, "why", tt.device, tt.to)
		assert.Equal(t, tt.answer, first(r.Out), r.Err)
		assert.Contains(t, oneLine(r.Out), tt.step)
	}
	assert.Contains(t, run(t, dir, "why", "mole-rtt", "far-cam").Err, "did you mean mole-rtr?")
}

func TestACardHasWhatOneTypes(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "show", "card", "mole-rtr")
	assert.Equal(t, "mole-rtr (router)", first(r.Out))
	at := 0
	for _, want := range []string{"known by 10.48.2.254", "Ports and VLANs", "lan0.120", "Addresses", "10.48.2.1/27", "255.255.255.224",
		"0.0.0.31", "Routes", "10.48.3.0/24", "When done, ping (predicted from the plan)", "the operator, ops-laptop", "works"} {
		next := strings.Index(r.Out[at:], want)
		assert.GreaterOrEqual(t, next, 0, "%s, in its place in\n%s", want, r.Out)
		at += max(0, next)
	}
	assert.Contains(t, run(t, dir, "show", "card").Err, "name the device")
	assert.Contains(t, run(t, dir, "show", "card", "mole-sw").Out, "p1..p20", "ports alike in one row")
}

func TestSlipsOnWires(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"devices: {a: {is: router, interfaces: {p: {clock: here}}}}":                                       "p is no serial line",
		"devices: {a: {is: router, interfaces: {p: {bandwidth: fast}}}}":                                   "fast is no bandwidth; write bits a second such as 64k, 100M or 10G",
		"devices: {a: {is: router, interfaces: {p: {mac: 02:00}}}}":                                        "is not a MAC address",
		"devices: {a: {is: router, interfaces: {p: {borrow: q}}}}":                                         "there is no interface of a called q",
		"devices: {a: {is: router, interfaces: {p: {address: 10.0.0.1/24, prefer: 10.0.0.2}}}}":            "10.0.0.2 is no address of a:p",
		"devices: {a: {is: switch, interfaces: {p: {}, b: {members: [p]}, c: {members: [p]}}}}":            "a:p is in the group b already",
		"devices: {a: {is: switch, interfaces: {p: {access: 7}, b: {members: [p]}}}}":                      "what it carries is said there",
		"devices: {a: {is: router, tables: {guests: {10.0.0.0/8: {discard: true}}}}}":                      "there is no interface of a in a table called guests",
		"devices: {a: {is: router, manage: q}}":                                                            "there is no interface of a called q",
		"devices: {a: {is: router, answers: telnet}}":                                                      "ping, ssh, https, snmp or netconf, not telnet",
		"settings: {tree-root: x}":                                                                         "there is no device called x",
		"devices: {a: {is: switch, interfaces: {p: {tagged: [9..3]}}}}":                                    "9..3 is no range of VLAN numbers",
		"devices: {a: {is: router, interfaces: {p: {link-local: 10.0.0.1}}}}":                              "10.0.0.1 is not an IPv6 link-local address",
		"segments: {l: {}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: [none, 1]}}}}": "either no address or the others",
	} {
		dir := t.TempDir()
		write(t, dir, "a.plan.yaml", "ropeswing: 1\n"+text+"\n")
		r := run(t, dir, "check")
		assert.Equal(t, 2, r.Code, text)
		assert.Contains(t, oneLine(r.Out), want, text)
	}
}
