package prefix

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is taken from a space lies in what was free, never overlaps, and with
// what is left adds up to all of it.
func TestSpaceGivesOutWhatIsFree(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		all := netip.MustParsePrefix("10.0.0.0/24")
		var used []netip.Prefix
		for range r.IntN(6) {
			used = append(used, netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, 0, byte(r.IntN(256))}), 26+r.IntN(7)).Masked())
		}
		free := Without(all, used)
		s := NewSpace(free)
		owner := map[netip.Addr]int{}
		for n := 1; ; n++ {
			length := 25 + r.IntN(8)
			best, holds := s.Best(length)
			p, ok := s.Take(length)
			require.Equal(t, holds, ok)
			if !ok {
				_, wider := s.Best(32)
				if !wider || length == 32 {
					break
				}
				continue
			}
			require.LessOrEqual(t, best, length)
			require.Equal(t, length, p.Bits())
			for a := p.Addr(); p.Contains(a); a = a.Next() {
				require.Zero(t, owner[a], "%s twice", a)
				owner[a] = n
				require.False(t, NewTaken(used).Meets(netip.PrefixFrom(a, 32)))
			}
		}
		left := 0
		for l := range 33 {
			left += s.lists[l].Len() << (32 - l)
		}
		count := 0
		for _, p := range free {
			count += 1 << (32 - p.Bits())
		}
		require.Equal(t, count, len(owner)+left)
	}
}

// The smallest stretch that holds a need is used, at its start.
func TestSpaceTakesTheSmallestStretch(t *testing.T) {
	s := NewSpace([]netip.Prefix{netip.MustParsePrefix("10.0.0.0/24"), netip.MustParsePrefix("10.0.2.64/27"),
		netip.MustParsePrefix("10.0.4.0/26")})
	p, _ := s.Take(28)
	assert.Equal(t, "10.0.2.64/28", p.String())
	p, _ = s.Take(27)
	assert.Equal(t, "10.0.4.0/27", p.String())
	largest, ok := s.Largest()
	assert.True(t, ok)
	assert.Equal(t, "10.0.0.0/24", largest.String())
	_, ok = s.Take(23)
	assert.False(t, ok)
	_, ok = NewSpace(nil).Largest()
	assert.False(t, ok)
}

// Links and loopbacks in IPv6 keep off the anycast addresses of the /64 they
// are cut from (RFC 6164 §5.1, RFC 2526 §2).
func TestSpaceLeavesAnycastAddressesAlone(t *testing.T) {
	p64 := netip.MustParsePrefix("2001:db8:0:1::/64")
	s := NewSpace([]netip.Prefix{p64})
	s.LeaveReserved()
	p, _ := s.Take(127)
	assert.Equal(t, "2001:db8:0:1::2/127", p.String())
	p, _ = s.Take(128)
	assert.Equal(t, "2001:db8:0:1::4/128", p.String())

	// A part of a /64 that holds them is cut down too.
	s = NewSpace([]netip.Prefix{netip.MustParsePrefix("2001:db8:0:1::/126"), netip.MustParsePrefix("2001:db8:0:1:fdff:ffff:ffff:ff80/121")})
	s.LeaveReserved()
	p, ok := s.Take(127)
	assert.True(t, ok)
	assert.Equal(t, "2001:db8:0:1::2/127", p.String())
	_, ok = s.Take(128)
	assert.False(t, ok, "nothing else of it may be given")

	s = NewSpace([]netip.Prefix{p64})
	s.LeaveReserved()
	p, ok = s.Take(64)
	assert.True(t, ok)
	assert.Equal(t, p64, p, "a whole /64 is given as ever")
}

func TestTakenMeetsAndWithin(t *testing.T) {
	taken := NewTaken([]netip.Prefix{netip.MustParsePrefix("10.0.0.64/26"), netip.MustParsePrefix("10.0.1.0/24"),
		netip.MustParsePrefix("2001:db8::/64")})
	for text, want := range map[string]bool{"10.0.0.0/26": false, "10.0.0.0/25": true, "10.0.0.127/32": true, "10.0.0.128/25": false,
		"10.0.0.0/8": true, "10.0.2.0/24": false, "2001:db8::9/128": true, "2001:db8:0:1::/64": false} {
		assert.Equal(t, want, taken.Meets(netip.MustParsePrefix(text)), text)
	}
	assert.Len(t, taken.Within(netip.MustParsePrefix("10.0.0.0/23")), 2)
	assert.Empty(t, taken.Within(netip.MustParsePrefix("10.0.0.0/26")))
}

func TestStretchIsTheFewestSubnets(t *testing.T) {
	show := func(first, last string) string {
		text := ""
		for _, p := range Stretch(netip.MustParseAddr(first), netip.MustParseAddr(last)) {
			text += p.String() + " "
		}
		return text
	}
	assert.Equal(t, "10.0.0.9/32 10.0.0.10/31 10.0.0.12/32 ", show("10.0.0.9", "10.0.0.12"))
	assert.Equal(t, "255.255.255.254/31 ", show("255.255.255.254", "255.255.255.255"))
	assert.Equal(t, "2001:db8::/127 2001:db8::2/128 ", show("2001:db8::", "2001:db8::2"))
}

func TestIdentifiersThatGoWithAnIPv4Address(t *testing.T) {
	p64 := netip.MustParsePrefix("2001:db8:0:1::/64")
	for _, tt := range []struct {
		of, rule string
		vlan     int
		want     string
	}{
		{"10.48.1.74/26", "matched", 0, "2001:db8:0:1::a"},
		{"10.48.1.74/26", "digits", 0, "2001:db8:0:1::74"},
		{"10.48.3.74/22", "digits", 0, "2001:db8:0:1::3:74"},
		{"10.48.3.74/12", "digits", 0, "2001:db8:0:1::48:3:74"},
		{"10.48.1.74/26", "vlan", 110, "2001:db8:0:1:110::a"},
		{"10.48.1.74/26", "vlan", 0, ""},
		{"10.48.1.74/26", "place", 110, ""},
		{"10.48.0.0/31", "matched", 0, ""}, // ::0 is the address of all routers
	} {
		a, ok := Matching(p64, netip.MustParsePrefix(tt.of), tt.rule, tt.vlan)
		assert.Equal(t, tt.want != "", ok, tt)
		if ok {
			assert.Equal(t, netip.MustParseAddr(tt.want), a, tt)
		}
	}
	_, ok := Matching(netip.MustParsePrefix("2001:db8::/126"), netip.MustParsePrefix("10.48.1.74/26"), "digits", 0)
	assert.False(t, ok, "no room for so large an identifier")
	for text, want := range map[string]bool{"::a": true, "::1:0:0:1": true, "::": false, "2001:db8::a": false, "10.0.0.1": false} {
		assert.Equal(t, want, IsIdentifier(netip.MustParseAddr(text)), text)
	}
	mac, err := ParseMAC("0200.5E10.0001")
	require.NoError(t, err)
	assert.Equal(t, "02:00:5e:10:00:01", mac)
	_, err = ParseMAC("02:00:5e:10:00")
	assert.ErrorContains(t, err, "is not a MAC address")
}
