package compare

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
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
		assert.Equal(t, tt.slip, addressSlip(netip.MustParsePrefix(tt.planned), netip.MustParsePrefix(tt.found)), "%s, found %s", tt.planned, tt.found)
	}
}

func TestOneOffAndSwapped(t *testing.T) {
	for _, tt := range []struct {
		a, b            string
		oneOff, swapped bool
	}{
		{"", "", false, false}, {"a", "", true, false}, {"ab", "ba", false, true}, {"ab", "ab", false, false}, {"abc", "axc", true, false},
		{"abc", "abxc", true, false}, {"abcd", "dbca", false, true}, {"aabb", "bbaa", false, false}, {"abc", "abcde", false, false}, {"abc", "xbx", false, false},
	} {
		for _, pair := range [][2]string{{tt.a, tt.b}, {tt.b, tt.a}} {
			assert.Equal(t, tt.oneOff, oneOff(pair[0], pair[1]), "%q and %q", pair[0], pair[1])
			assert.Equal(t, tt.swapped, swapped(pair[0], pair[1]), "%q and %q", pair[0], pair[1])
		}
	}
}
