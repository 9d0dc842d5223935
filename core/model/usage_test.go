package model_test

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

func TestStretchesCoverTheBlockOnceAndInOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	block := netip.MustParsePrefix("10.0.0.0/24")
	for range 200 {
		// Segments side by side, with gaps, and a loopback or two between.
		text, at := "segments: {", 0
		var used [256]bool
		for n := 0; at < 256 && n < 6; n++ {
			size := 1 << (1 + r.IntN(6))
			at = (at + r.IntN(30) + size - 1) / size * size
			if at+size > 256 {
				break
			}
			p := netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, 0, byte(at)}), 32-bitsOf(size))
			text += "s" + string(rune('a'+n)) + ": {prefix: " + p.String() + "}, "
			for i := at; i < at+size; i++ {
				used[i] = true
			}
			at += size
		}
		loopback := r.IntN(256)
		text += "}\ndevices: {r: {is: router, loopback: 10.0.0." + itoa(loopback) + "}}"
		used[loopback] = true

		spec := coretest.Spec(t, text)
		all := spec.Stretches(block)
		var covered [256]int
		for i, s := range all {
			if i > 0 {
				require.True(t, all[i-1].Prefix.Addr().Less(s.Prefix.Addr()))
			}
			for n := range 256 {
				if s.Prefix.Contains(netip.AddrFrom4([4]byte{10, 0, 0, byte(n)})) {
					covered[n]++
					require.Equal(t, used[n], !s.Free, "10.0.0.%d in\n%s", n, text)
				}
			}
		}
		taken := 0
		for n := range 256 {
			require.Equal(t, 1, covered[n], "10.0.0.%d in\n%s", n, text)
			if used[n] {
				taken++
			}
		}
		require.Equal(t, int64(taken), model.Taken(block, all).Int64())
		for part, share := range model.Shares(block, all, 64) {
			count := 0
			for n := part * 4; n < part*4+4; n++ {
				if used[n] {
					count++
				}
			}
			want := map[bool]model.Share{true: model.SomeOfIt}[count > 0]
			if count == 4 {
				want = model.AllOfIt
			}
			require.Equal(t, want, share, "part %d in\n%s", part, text)
		}
	}
}

func bitsOf(size int) int {
	n := 0
	for ; size > 1; size /= 2 {
		n++
	}
	return n
}

func itoa(n int) string { return netip.AddrFrom4([4]byte{0, 0, 0, byte(n)}).String()[len("0.0.0."):] }

func TestSharesOfASmallBlock(t *testing.T) {
	spec := coretest.Spec(t, "segments: {a: {prefix: 10.0.0.0/30}}")
	block := netip.MustParsePrefix("10.0.0.0/29")
	assert.Equal(t, []model.Share{2, 2, 2, 2, 0, 0, 0, 0}, model.Shares(block, spec.Stretches(block), 64), "no more parts than addresses")
}

func TestWidestBlock(t *testing.T) {
	spec := coretest.Spec(t, "blocks: {small: 10.48.1.0/24, wide: [10.48.0.0/16, '2001:db8::/32']}")
	p, ok := spec.WidestBlock(netip.MustParseAddr("10.48.1.9"))
	assert.True(t, ok)
	assert.Equal(t, "10.48.0.0/16", p.String())
	_, ok = spec.WidestBlock(netip.MustParseAddr("10.49.1.9"))
	assert.False(t, ok)
}
