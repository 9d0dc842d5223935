package forward_test

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Two hosts with two routers between them; what stands for %s is the MTU of the
// two ends of the link between the routers, and routes of the near router.
const narrow = `
segments: {a: {prefix: [10.1.0.0/24, '2001:db8:1::/64']}, l: {prefix: [10.0.0.0/31, '2001:db8::/127']}, b: {prefix: [10.2.0.0/24, '2001:db8:2::/64']}}
devices:
  ha: {is: host, gateway: ra, interfaces: {p: {segment: a, address: 10}}}
  ra: {is: router, interfaces: {l: {segment: a, address: 1}, x: {segment: l, address: first, mtu: %d}}, routes: {b: rb}}
  rb: {is: router, interfaces: {l: {segment: b, address: 1}, x: {segment: l, address: last, mtu: %d}}, routes: {a: ra}}
  hb: {is: host, gateway: rb, interfaces: {p: {segment: b, address: 10}}}
`

// §7, MTU: it does not count the Ethernet header; the size of a ping is that of
// its payload, and 8 bytes of ICMP and 20 or 40 of IP come on top. 1400 bytes
// hold 1372 in IPv4 and 1352 in IPv6.
func TestWhatFitsTheLinkPasses(t *testing.T) {
	tests := []struct {
		about     string
		near, far int
		to        string
		payload   int
		whole     bool
		want      finding.Name // "" for a ping that works
		at        string
	}{
		{"it just fits", 1400, 1400, "10.2.0.10", 1372, true, "", ""},
		{"a byte more does not", 1400, 1400, "10.2.0.10", 1373, true, finding.PacketTooBig, "ra"},
		{"IPv4 routers cut it up", 1400, 1400, "10.2.0.10", 1373, false, "", ""},
		{"and a packet larger than any link", 1400, 1400, "10.2.0.10", 60000, false, "", ""},
		{"its own link is too small: a local error", 1400, 1400, "10.2.0.10", 1473, true, finding.PacketTooBig, "ha"},
		{"it just fits in IPv6", 1400, 1400, "2001:db8:2::a", 1352, true, "", ""},
		{"a byte more does not in IPv6", 1400, 1400, "2001:db8:2::a", 1353, true, finding.PacketTooBig, "ra"},
		{"IPv6 routers do not cut it up, but the sender is told, and does", 1400, 1400, "2001:db8:2::a", 1353, false, "", ""},
		{"the far end takes less than the near end sends", 1500, 1400, "10.2.0.10", 1373, false, finding.DroppedOversize, "ra"},
		{"small ones pass", 1500, 1400, "10.2.0.10", 1372, false, "", ""},
		{"the near end takes less than the far end sends", 1400, 1500, "10.2.0.10", 1373, false, finding.DroppedOversize, "rb"},
	}
	for _, tt := range tests {
		net := coretest.Network(t, fmt.Sprintf(narrow, tt.near, tt.far))
		spec := net.Spec
		to := netip.MustParseAddr(tt.to)
		x := forward.PingBy(net, coretest.Device(t, spec, "ha"), netip.Addr{}, to, model.None,
			forward.Probe{Size: tt.payload + forward.HeaderBytes(prefix.FamilyOf(to)), Whole: tt.whole})
		f, failing := x.Failure(net)
		assert.Equal(t, tt.want != "", failing, tt.about)
		assert.Equal(t, tt.want, f.Name, "%s: %s", tt.about, f.Words(net))
		if failing {
			assert.Equal(t, tt.at, spec.Devices[f.Device].Name, tt.about)
		}
	}
}

// The black hole: IPv6 packets are too big for a link, and the error does not
// find its way back, so that the sender never learns.
func TestAnErrorThatIsLostMakesABlackHole(t *testing.T) {
	net := coretest.Network(t, `
segments: {a: {prefix: '2001:db8:1::/64'}, k: {prefix: '2001:db8:0:1::/127'}, l: {prefix: '2001:db8::/127'}, b: {prefix: '2001:db8:2::/64'}}
devices:
  ha: {is: host, gateway: ra, interfaces: {p: {segment: a, address: 10}}}
  ra: {is: router, interfaces: {l: {segment: a, address: 1}, k: {segment: k, address: first}}, routes: {b: rm}}
  rm: {is: router, interfaces: {k: {segment: k, address: last}, x: {segment: l, address: first, mtu: 1400}}, routes: {b: rb}}
  rb: {is: router, interfaces: {l: {segment: b, address: 1}, x: {segment: l, address: last, mtu: 1400}}, routes: {a: '2001:db8::'}}
  hb: {is: host, gateway: rb, interfaces: {p: {segment: b, address: 10}}}
`)
	spec := net.Spec
	to := netip.MustParseAddr("2001:db8:2::a")
	x := forward.PingBy(net, coretest.Device(t, spec, "ha"), netip.Addr{}, to, model.None, forward.Probe{Size: 1500})
	f, _ := x.Failure(net)
	assert.Equal(t, finding.PacketTooBig, f.Name)
	assert.Equal(t, "rm cannot send its 1500 bytes out of x, which takes 1400 at most: IPv6 routers never fragment, and its error does "+
		"not get back to the sender", f.Words(net))
}
