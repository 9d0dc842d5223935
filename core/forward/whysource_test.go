package forward_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// From which address a device sends, and the words for why.
func TestWhyADeviceSendsFromAnAddress(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {a: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, b: {prefix: 10.2.0.0/24}, c: {prefix: 10.3.0.0/30}, d: {prefix: 10.4.0.0/24}, g: {prefix: "2001:db8:7::/64"}}
devices:
  r:
    is: router
    loopback: 10.9.0.1
    interfaces:
      a: {segment: a, address: 1, secondary: 2}
      b: {segment: b, address: 1, secondary: 3}
      u: {borrow: a, segment: c}
      d: {segment: d, address: 1, admin: down}
    routes: {203.0.113.0/24: 10.1.0.9, 198.51.100.0/24: 10.2.0.9, 192.0.2.0/24: {out: u}}
  s: {is: router, interfaces: {c: {segment: c, address: 1}}}
  x: {is: host, interfaces: {e: {segment: a, address: 9}}, gateway: r}
  y: {is: host, interfaces: {e: {segment: b, address: 9}}, gateway: r}
  six: {is: host, interfaces: {e: {segment: g, address: 1}}}
  seven: {is: host, interfaces: {e: {segment: g, address: 2}}}
`)
	net := forward.Resolve(network.Build(spec).State())
	for _, tt := range []struct{ device, to, source, why string }{
		{"r", "203.0.113.7", "10.1.0.1", "the primary one on a in the next hop's subnet"},
		{"r", "10.1.0.7", "10.1.0.1", "the primary one on a in the next hop's subnet"},
		{"r", "198.51.100.7", "10.2.0.1", "the primary one on b in the next hop's subnet"},
		{"r", "10.1.0.1", "10.1.0.1", "it asks itself"},
		{"r", "10.1.0.9", "10.2.0.1", "the one it was told to send from"},
		{"r", "172.16.0.9", "10.9.0.1", "the first on an interface that is up, loopbacks before others"},
		{"r", "2001:db8:1::9", "2001:db8:1::1", "the best on a, by which it leaves (RFC 6724 §5)"},
		{"x", "203.0.113.1", "10.1.0.9", "the primary one on e in the next hop's subnet"},
		{"six", "2001:db8:7::9", "2001:db8:7::1", "the best on e, by which it leaves (RFC 6724 §5)"},
		{"six", "10.1.0.1", "", "it has none of the family"},
		{"y", "2001:db8:1::9", "", "it has none of the family"},
	} {
		d := coretest.Device(t, spec, tt.device)
		to := netip.MustParseAddr(tt.to)
		var source netip.Addr
		if tt.source != "" {
			source = netip.MustParseAddr(tt.source)
		}
		assert.Equal(t, tt.why, forward.WhySource(net, d, to, source), "%s to %s", tt.device, tt.to)
		if got, ok := forward.Source(net, d, to); tt.why != "the one it was told to send from" {
			assert.Equal(t, tt.source != "", ok, "%s to %s", tt.device, tt.to)
			assert.Equal(t, source, got, "%s to %s", tt.device, tt.to)
		}
	}
}

// Two exchanges are the same where they go by the same devices and next hops and end alike; tables beside
// the main one that take part are told.
func TestSamePathAndTables(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}, c: {prefix: 10.3.0.0/24}, l: {prefix: 10.0.0.0/31}, m: {prefix: 10.0.0.2/31}}
devices:
  r: {is: router, interfaces: {a: {segment: a, address: 1}, l: {segment: l, address: first}, m: {segment: m, address: first, table: apart}, c: {segment: c, address: 1, table: apart}}, routes: {10.2.0.0/24: 10.0.0.1}, tables: {apart: {10.2.0.0/24: 10.0.0.3}}}
  s: {is: router, interfaces: {b: {segment: b, address: 1}, l: {segment: l, address: last}, m: {segment: m, address: last}}, routes: {10.1.0.0/24: 10.0.0.0, 10.3.0.0/24: 10.0.0.2}}
  x: {is: host, interfaces: {e: {segment: a, address: 9}}, gateway: r}
  z: {is: host, interfaces: {e: {segment: c, address: 9}}, gateway: r}
  y: {is: host, interfaces: {e: {segment: b, address: 9}}, gateway: s}
  w: {is: host, interfaces: {e: {segment: b, address: 10}}, gateway: s}
`)
	if len(spec.Devices) == 0 {
		t.Fatal("no devices")
	}
	net := forward.Resolve(network.Build(spec).State())
	ping := func(net *forward.Network, from, to string) *forward.Exchange {
		return forward.Ping(net, coretest.Device(t, spec, from), netip.Addr{}, netip.MustParseAddr(to), model.None)
	}
	x := ping(net, "x", "10.2.0.9")
	assert.Equal(t, forward.Works, x.Verdict())
	assert.True(t, x.SamePath(ping(net, "x", "10.2.0.9")))
	assert.False(t, x.SamePath(ping(net, "x", "10.2.0.10")), "another end")
	assert.False(t, x.SamePath(ping(net, "z", "10.2.0.9")), "another beginning")
	assert.Empty(t, x.TablesOn(net))
	assert.Equal(t, [][2]string{{"r", "apart"}}, ping(net, "z", "10.2.0.9").TablesOn(net))
	f := network.NoFailure
	f.Segment, _ = spec.SegmentNamed("l")
	down := net.Update(net.State.With(f))
	assert.False(t, x.SamePath(ping(down, "x", "10.2.0.9")), "it ends elsewhere")
	assert.True(t, ping(net, "z", "10.2.0.9").SamePath(ping(down, "z", "10.2.0.9")), "the link it does not use is down")
}
