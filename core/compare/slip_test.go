package compare

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/observed"
)

func TestSlipsOfAddresses(t *testing.T) {
	for _, tt := range []struct{ planned, found, slip string }{
		{"10.48.2.1/24", "10.48.1.2/24", "digits swapped"},
		{"10.48.2.1/26", "10.48.2.1/24", "mask /24 for /26"},
		{"10.48.2.1/24", "10.48.2.7/24", "one digit off"},
		{"10.48.2.1/24", "10.48.2.11/24", "one digit off"},
		{"10.48.2.10/24", "10.48.2.1/24", "one digit off"},
		{"10.48.2.1/24", "10.48.2.94/24", "another address of the subnet"},
		{"10.48.2.25/24", "10.48.2.255/24", "the broadcast address"},
		{"10.48.2.1/24", "10.48.2.255/24", "the broadcast address"},
		{"10.48.2.1/24", "192.0.2.99/24", ""},
		{"10.48.0.2/31", "10.48.0.3/31", "one digit off"},
		{"2001:db8:5ea:310::2/64", "2001:db8:5ea:130::2/64", "digits swapped"},
		{"2001:db8::1/64", "2001:db8::1/48", "mask /48 for /64"},
	} {
		assert.Equal(t, tt.slip, addressSlip(netip.MustParsePrefix(tt.planned), netip.MustParsePrefix(tt.found)).Words(nil), "%s, found %s",
			tt.planned, tt.found)
	}
}

func TestOneOffAndSwapped(t *testing.T) {
	for _, tt := range []struct {
		a, b            string
		oneOff, swapped bool
	}{
		{"", "", false, false}, {"a", "", true, false}, {"ab", "ba", false, true}, {"ab", "ab", false, false}, {"abc", "axc", true, false},
		{"abc", "abxc", true, false}, {"abcd", "dbca", false, true}, {"aabb", "bbaa", false, false}, {"abc", "abcde", false, false}, {"abc",
			"xbx", false, false},
	} {
		for _, pair := range [][2]string{{tt.a, tt.b}, {tt.b, tt.a}} {
			assert.Equal(t, tt.oneOff, oneOff(pair[0], pair[1]), "%q and %q", pair[0], pair[1])
			assert.Equal(t, tt.swapped, swapped(pair[0], pair[1]), "%q and %q", pair[0], pair[1])
		}
	}
}

// Of several routes to one destination those count that are used: of equal cost, not
// one that stands by.
func TestWhereADeviceSendsADestination(t *testing.T) {
	net := coretest.Network(t, `
segments: {l: {prefix: 10.0.0.0/29}, far: {prefix: 10.9.0.0/24}}
devices:
  a: {is: router, interfaces: {p: {segment: l, address: 1}}, routes: {10.9.0.0/24: 10.0.0.2}}
  b: {is: router, interfaces: {p: {segment: l, address: 2}, q: {segment: far, address: 1}}}
  c: {is: router, interfaces: {p: {segment: l, address: 3}}}
`)
	c := differences(net, nil, false)
	a, b := coretest.Device(t, net.Spec, "a"), coretest.Device(t, net.Spec, "b")
	num := func(n int) *int { return &n }
	hop := func(via string, distance, metric *int) observed.Route {
		return observed.Route{To: netip.MustParsePrefix("10.9.0.0/24"), NextHop: netip.MustParseAddr(via), Distance: distance, Metric: metric}
	}
	for _, tt := range []struct {
		about  string
		routes []observed.Route
		sends  bool
	}{
		{"the first", []observed.Route{hop("10.0.0.2", nil, nil), hop("10.0.0.3", nil, nil)}, true},
		{"listed second, and nothing is said of its cost", []observed.Route{hop("10.0.0.3", nil, nil), hop("10.0.0.2", nil, nil)}, false},
		{"of equal cost", []observed.Route{hop("10.0.0.3", num(1), nil), hop("10.0.0.2", num(1), num(0))}, true},
		{"a floating one", []observed.Route{hop("10.0.0.3", num(1), nil), hop("10.0.0.2", num(200), nil)}, false},
		{"of a higher metric", []observed.Route{hop("10.0.0.3", num(1), num(5)), hop("10.0.0.2", num(1), num(9))}, false},
		{"a longer prefix goes before", []observed.Route{hop("10.0.0.2", num(1), nil),
			{To: netip.MustParsePrefix("10.9.0.0/25"), NextHop: netip.MustParseAddr("10.0.0.3")}}, false},
	} {
		o := &observed.Device{Name: "a", Routes: tt.routes}
		o.Learn(observed.Routes4)
		assert.Equal(t, tt.sends, c.sendsTo(a, o, netip.MustParsePrefix("10.9.0.0/24"), b), tt.about)
	}
	assert.True(t, c.sendsTo(a, nil, netip.MustParsePrefix("10.9.0.0/24"), b), "not observed: as planned")
	assert.False(t, c.sendsTo(b, nil, netip.MustParsePrefix("10.9.0.0/24"), a))
}
