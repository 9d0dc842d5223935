package prefix

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// held is which addresses of a /24 are free, one by one.
type held [256]bool

func (h *held) take(p netip.Prefix) {
	for a := p.Addr(); p.Contains(a); a = a.Next() {
		h[a.As4()[3]] = true
		if a.As4()[3] == 255 {
			return
		}
	}
}

func (h *held) free(p netip.Prefix) bool {
	b := p.Addr().As4()
	for n := range 1 << (32 - p.Bits()) {
		if h[int(b[3])+n] {
			return false
		}
	}
	return true
}

// What is taken at a place, near others or within a subnet is free before, and gone after; it
// is taken whenever there is one, by a search over all places.
func TestSpaceTakesAtNearAndWithin(t *testing.T) {
	at := func(n, length int) netip.Prefix {
		return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, 0, byte(n)}), length).Masked()
	}
	r := rand.New(rand.NewPCG(11, 12))
	for range 400 {
		s, h := NewSpace([]netip.Prefix{at(0, 24)}), &held{}
		var given []netip.Prefix
		for range 12 {
			length := 25 + r.IntN(8)
			p := at(r.IntN(256), length)
			switch r.IntN(3) {
			case 0:
				want := h.free(p)
				require.Equal(t, want, s.TakeThis(p), "%s", p)
				if !want {
					continue
				}
			case 1:
				near := []netip.Prefix{at(r.IntN(256), 28)}
				best := -1
				for n := 0; n < 256; n += 1 << (32 - length) {
					if q := at(n, length); h.free(q) {
						best = max(best, sharedBits(q.Addr(), near[0].Addr()))
					}
				}
				q, ok := s.TakeNear(length, near)
				require.Equal(t, best >= 0, ok)
				if !ok {
					continue
				}
				require.True(t, h.free(q))
				if best < length { // else what is near is free itself, and any part of its stretch will do
					require.Equal(t, best, sharedBits(q.Addr(), near[0].Addr()), "%s near %s", q, near[0])
				}
				p = q
			default:
				within := at(r.IntN(256), 24+r.IntN(5))
				want := false
				for n := 0; n < 256; n += 1 << (32 - length) {
					q := at(n, length)
					want = want || Covers(within, q) && h.free(q)
				}
				q, ok := s.TakeIn(length, within)
				require.Equal(t, want, ok, "%d within %s", length, within)
				if !ok {
					continue
				}
				require.True(t, Covers(within, q) && h.free(q))
				p = q
			}
			h.take(p)
			given = append(given, p)
		}
		left := 0
		for _, p := range s.Free() {
			require.True(t, h.free(p))
			left += 1 << (32 - p.Bits())
		}
		for _, taken := range h {
			if taken {
				left++
			}
		}
		require.Equal(t, 256, left, "nothing is lost of what was given: %v", given)
	}
}

func TestLengthForSubnets(t *testing.T) {
	for _, tt := range []struct {
		family  Family
		lengths []int
		grow    int
		want    int
	}{
		{IPv4, []int{26, 29, 32}, 0, 25},   // 64 + 8 + 1 of 128
		{IPv4, []int{27, 27}, 0, 26},       // just full
		{IPv4, []int{27, 27}, 1, 25},       // a hundredth more
		{IPv4, []int{32}, 0, 32},           //
		{IPv6, []int{64, 64, 128}, 0, 62},  // more than two
		{IPv6, []int{64}, 300, 62},         // four
		{IPv4, []int{24, 24, 24}, 100, 21}, // six
	} {
		got, ok := LengthForSubnets(tt.family, tt.lengths, tt.grow)
		assert.True(t, ok)
		assert.Equal(t, tt.want, got, "%v %d %%", tt.lengths, tt.grow)
	}
	_, ok := LengthForSubnets(IPv4, nil, 50)
	assert.False(t, ok, "nothing takes anything")
	_, ok = LengthForSubnets(IPv4, []int{1, 1, 1}, 0)
	assert.False(t, ok, "more than IPv4 has")
}

func TestSubnetsByNumberAndShift(t *testing.T) {
	block := netip.MustParsePrefix("2001:db8:5ea:100::/56")
	p, ok := Subnet64(block, 0x90)
	assert.True(t, ok)
	assert.Equal(t, "2001:db8:5ea:190::/64", p.String())
	_, ok = Subnet64(block, 0x100)
	assert.False(t, ok, "a /56 has 256")
	_, ok = Subnet64(netip.MustParsePrefix("10.0.0.0/8"), 1)
	assert.False(t, ok)
	moved := Shift(netip.MustParsePrefix("10.48.1.64/28"), netip.MustParsePrefix("10.48.1.0/24"), netip.MustParsePrefix("10.49.0.0/23"))
	assert.Equal(t, "10.49.0.64/28", moved.String())
}
