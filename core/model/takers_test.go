package model

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What of a name is a block's own is found by whole words and numbers, so that the like of a
// block's things have one name in all blocks.
func TestWhatIsLikeInSeveralBlocks(t *testing.T) {
	for _, tt := range []struct {
		blocks []string
		own    []string
		name   string // in the first block
		kind   string
	}{
		{[]string{"site-01", "site-02", "site-11"}, []string{"01", "02", "11"}, "cam-01", "cam-*"},
		{[]string{"site-1", "site-12"}, []string{"1", "12"}, "lan-1-1", "lan-1-*"},
		{[]string{"tern", "gull", "far"}, []string{"tern", "gull", "far"}, "tern-watch", "*-watch"},
		{[]string{"tern", "tarn"}, []string{"tern", "tarn"}, "tern", "*"},
		{[]string{"quay", "quay-2"}, []string{"quay", "quay-2"}, "quay-cam", "*-cam"},
		{[]string{"east-yard", "west-yard"}, []string{"east", "west"}, "cam-east", "cam-*"},
		{[]string{"east-yard", "west-yard"}, []string{"east", "west"}, "beasts", "beasts"},
		{[]string{"a1", "a2"}, []string{"1", "2"}, "x1", "x*"},
	} {
		assert.Equal(t, tt.own, ownParts(tt.blocks), "%v", tt.blocks)
		a := Alike{own: ownParts(tt.blocks)}
		assert.Equal(t, tt.kind, a.Kind(0, tt.name), "%s of %v", tt.name, tt.blocks)
	}
}

func TestSubnetNumbersOfVLANs(t *testing.T) {
	n, ok := VLANDigits.Of(110)
	assert.True(t, ok)
	assert.Equal(t, uint64(0x110), n)
	n, ok = VLANValue.Of(110)
	assert.True(t, ok)
	assert.Equal(t, uint64(110), n)
	_, ok = AnySubnet.Of(110)
	assert.False(t, ok)
	_, ok = VLANDigits.Of(0)
	assert.False(t, ok, "no VLAN has no number")
	for _, number := range []uint64{0, 0xa, 0x1f, 0x4095} {
		assert.True(t, VLANDigits.Never(number), "%x", number)
	}
	for _, number := range []uint64{1, 0x110, 0x4094} {
		assert.False(t, VLANDigits.Never(number), "%x", number)
	}
	assert.True(t, VLANValue.Never(4095))
	assert.False(t, VLANValue.Never(4094))
}
