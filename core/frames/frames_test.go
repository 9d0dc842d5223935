package frames_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
)

// A switch with a tagged uplink to a router with a subinterface, and a host beyond.
const plan = `
segments: {v: {vlan: 10, prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, far: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}}
devices:
  pc: {is: host, at: "sw:p1", address: 10}
  pc2: {is: host, at: "sw:p2", address: 11}
  sw: {is: switch, interfaces: {p1: {access: v}, p2: {access: v}, up: {tagged: [v]}}}
  r: {is: router, POLICY interfaces: {l.10: {segment: v, address: first}, f: {segment: far, address: first, mac: "02:00:5e:10:00:01", mtu: 1400}}}
  s: {is: host, interfaces: {p: {segment: far, address: 9}}}
cables: ["sw:up to r:l"]
`

func tablesOf(t testing.TB, policy string) *forward.Network {
	return coretest.Network(t, strings.Replace(plan, "POLICY", policy, 1))
}

// lines tells frames, one a line: where, which way, tag, what.
func lines(t testing.TB, net *forward.Network, from, to string, probe forward.Probe) []string {
	x := forward.PingBy(net, coretest.Device(t, net.Spec, from), netip.Addr{}, netip.MustParseAddr(to), model.None, probe)
	var all []string
	last := int64(0)
	for _, f := range frames.Of(net, x) {
		require.GreaterOrEqual(t, f.Nanos, last, "in the order of time")
		last = f.Nanos
		way := "out of"
		if f.In {
			way = "into"
		}
		text := fmt.Sprintf("%s %s", way, net.Spec.Label(f.At))
		if f.Tag != 0 {
			text += fmt.Sprintf(" tagged %d", f.Tag)
		}
		switch p := f.Packet; {
		case f.Ask != nil && f.Ask.Answer:
			text += ": has " + f.Ask.Address.String()
		case f.Ask != nil:
			text += ": who has " + f.Ask.Address.String()
		case p.Kind == policy.Error:
			text += fmt.Sprintf(": error %d/%d %s to %s about %s to %s", p.ICMP.Type, p.ICMP.Code, p.Source, p.Destination, p.Inner.Source,
				p.Inner.Destination)
		default:
			text += fmt.Sprintf(": %s to %s, TTL %d", p.Source, p.Destination, p.TTL)
		}
		all = append(all, text)
	}
	return all
}

// Neighbours are asked for once on each link; who is asked learns who asked; the
// tag is on the trunk only; the question is heard by the others.
func TestAnExchangeIsToldFrameByFrame(t *testing.T) {
	got := lines(t, tablesOf(t, ""), "pc", "10.2.0.9", forward.Probe{})
	ports := []string{}
	for _, l := range got {
		if !strings.Contains(l, "r:l.10") { // beside its port
			ports = append(ports, l)
		}
	}
	assert.Equal(t, []string{
		"out of pc:port: who has 10.1.0.1",
		"into sw:p1: who has 10.1.0.1", "out of sw:p2: who has 10.1.0.1", "out of sw:up tagged 10: who has 10.1.0.1",
		"into pc2:port: who has 10.1.0.1", "into r:l tagged 10: who has 10.1.0.1",
		"out of r:l tagged 10: has 10.1.0.1", "into sw:up tagged 10: has 10.1.0.1", "out of sw:p1: has 10.1.0.1", "into pc:port: has 10.1.0.1",
		"out of pc:port: 10.1.0.10 to 10.2.0.9, TTL 64", "into sw:p1: 10.1.0.10 to 10.2.0.9, TTL 64",
		"out of sw:up tagged 10: 10.1.0.10 to 10.2.0.9, TTL 64", "into r:l tagged 10: 10.1.0.10 to 10.2.0.9, TTL 64",
		"out of r:f: who has 10.2.0.9", "into s:p: who has 10.2.0.9", "out of s:p: has 10.2.0.9", "into r:f: has 10.2.0.9",
		"out of r:f: 10.1.0.10 to 10.2.0.9, TTL 63", "into s:p: 10.1.0.10 to 10.2.0.9, TTL 63",
		"out of s:p: 10.2.0.9 to 10.1.0.10, TTL 64", "into r:f: 10.2.0.9 to 10.1.0.10, TTL 64",
		"out of r:l tagged 10: 10.2.0.9 to 10.1.0.10, TTL 63", "into sw:up tagged 10: 10.2.0.9 to 10.1.0.10, TTL 63",
		"out of sw:p1: 10.2.0.9 to 10.1.0.10, TTL 63", "into pc:port: 10.2.0.9 to 10.1.0.10, TTL 63",
	}, ports)
	assert.Contains(t, got, "into r:l.10: 10.1.0.10 to 10.2.0.9, TTL 64", "the subinterface itself is in it too, without the tag")
}

func TestTranslationAndErrorsAreToldOnEachSide(t *testing.T) {
	got := lines(t, tablesOf(t, "translates: [pc is 10.2.0.77 beyond f],"), "pc", "10.2.0.9", forward.Probe{})
	assert.Contains(t, got, "out of r:f: 10.2.0.77 to 10.2.0.9, TTL 63")
	assert.Contains(t, got, "out of r:l tagged 10: 10.2.0.9 to 10.1.0.10, TTL 63")
	got = lines(t, tablesOf(t, "permits: [pc is refused s],"), "pc", "10.2.0.9", forward.Probe{})
	assert.Contains(t, got, "into pc:port: error 3/13 10.1.0.1 to 10.1.0.10 about 10.1.0.10 to 10.2.0.9")
	got = lines(t, tablesOf(t, ""), "pc", "10.2.0.50", forward.Probe{})
	asked := 0
	for _, l := range got {
		if l == "out of r:f: who has 10.2.0.50" {
			asked++
		}
	}
	assert.Equal(t, 3, asked, "in vain")
	assert.Contains(t, got, "into pc:port: error 3/1 10.1.0.1 to 10.1.0.10 about 10.1.0.10 to 10.2.0.50")
	got = lines(t, tablesOf(t, ""), "pc", "10.2.0.9", forward.Probe{TTL: 1})
	assert.Contains(t, got, "into pc:port: error 11/0 10.1.0.1 to 10.1.0.10 about 10.1.0.10 to 10.2.0.9")
	got = lines(t, tablesOf(t, ""), "pc", "10.2.0.9", forward.Probe{Size: 1428, Whole: true})
	assert.Contains(t, got, "into pc:port: error 3/4 10.1.0.1 to 10.1.0.10 about 10.1.0.10 to 10.2.0.9")
	assert.Contains(t, lines(t, tablesOf(t, ""), "pc", "2001:db8:2::9", forward.Probe{}), "into pc2:port: who has 2001:db8:1::1")
	assert.Empty(t, frames.Of(tablesOf(t, ""), &forward.Exchange{}))
}

// A loop is told until the TTL is used up.
func TestALoopIsToldToItsEnd(t *testing.T) {
	net := coretest.Network(t, `
segments: {l: {prefix: 10.0.0.0/31}}
devices:
  a: {is: router, interfaces: {p: {segment: l, address: first}}, routes: {default: b}}
  b: {is: router, interfaces: {p: {segment: l, address: last}}, routes: {default: a}}
`)
	got := lines(t, net, "a", "192.0.2.9", forward.Probe{TTL: 4})
	var ttls []string
	for _, l := range got {
		if strings.Contains(l, "out of") && strings.Contains(l, "to 192.0.2.9, TTL") {
			ttls = append(ttls, l)
		}
	}
	assert.Equal(t, []string{"out of a:p: 10.0.0.0 to 192.0.2.9, TTL 4", "out of b:p: 10.0.0.0 to 192.0.2.9, TTL 3",
		"out of a:p: 10.0.0.0 to 192.0.2.9, TTL 2", "out of b:p: 10.0.0.0 to 192.0.2.9, TTL 1"}, ttls)
}

func TestMACAddresses(t *testing.T) {
	spec := tablesOf(t, "").Spec
	assert.Equal(t, frames.MAC{0x02, 0x00, 0x5e, 0x10, 0x00, 0x01}, frames.MACOf(spec, coretest.Interface(t, spec, "r:f")),
		"as the plan says")
	made := frames.MACOf(spec, coretest.Interface(t, spec, "pc:port"))
	assert.Equal(t, byte(2), made[0], "locally administered, unicast")
	assert.NotEqual(t, made, frames.MACOf(spec, coretest.Interface(t, spec, "pc2:port")))
	assert.Equal(t, frames.MACOf(spec, coretest.Interface(t, spec, "r:l")), frames.MACOf(spec, coretest.Interface(t, spec, "r:l.10")),
		"a subinterface has its port's")
}

// On a serial line nothing is asked, and frames have no addresses.
func TestOnASerialLineNothingIsAsked(t *testing.T) {
	net := coretest.Network(t, `
segments: {l: {prefix: 10.0.0.0/31}}
devices:
  a: {is: router, interfaces: {p: {segment: l, address: first, line: serial, clock: here, bandwidth: 64k}}}
  b: {is: router, interfaces: {p: {segment: l, address: last, line: serial}}}
cables: ["a:p to b:p"]
`)
	x := forward.Ping(net, coretest.Device(t, net.Spec, "a"), netip.Addr{}, netip.MustParseAddr("10.0.0.1"), model.None)
	all := frames.Of(net, x)
	require.Len(t, all, 4)
	for _, f := range all {
		assert.True(t, f.Line)
		assert.Nil(t, f.Ask)
	}
	assert.Equal(t, int64(1e9*(84+18)*8/64000)+5000, all[1].Nanos, "84 bytes take that long at 64 kbit/s")
}

// Crossing is the way the domains are made of: two interfaces hear each other just
// where a frame gets across.
func TestCrossingAgreesWithDomains(t *testing.T) {
	net := tablesOf(t, "")
	spec, state := net.Spec, net.State
	for a := range spec.Interfaces {
		for b := range spec.Interfaces {
			x, y := model.InterfaceID(a), model.InterfaceID(b)
			if a == b || spec.Interfaces[a].Switched || spec.Interfaces[b].Switched || state.Domain(x) == network.NoDomain ||
				state.Domain(y) == network.NoDomain {
				continue
			}
			legs, ok := state.Crossing(x, y)
			assert.Equal(t, state.Domain(x) == state.Domain(y), ok, "%s to %s", spec.Label(x), spec.Label(y))
			if ok {
				assert.NotEmpty(t, legs)
			}
		}
	}
}
