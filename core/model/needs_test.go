package model_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// A percentage of a host is a host; routers' own addresses come on top; hosts
// count as many as are said or are there.
func TestWhatASegmentWants(t *testing.T) {
	for _, tt := range []struct {
		hosts, there, own int64
		grow              int
		least, grown      int64
		length            int
	}{
		{42, 0, 0, 50, 42, 63, 25}, // 63 are more than the 62 of a /26
		{42, 0, 1, 47, 43, 63, 25}, // 61.74 are 62, and one more
		{41, 0, 0, 50, 41, 62, 26}, // 61.5 are 62: the /26 is full
		{10, 12, 2, 0, 14, 14, 28}, // there are more than it says
		{0, 0, 0, 0, 0, 0, 30},     // the smallest there is for hosts
		{0, 0, 3, 100, 3, 3, 29},   // nothing grows but hosts
		{1, 0, 0, 1, 1, 2, 30},
		{254, 0, 0, 0, 254, 254, 24},
		{255, 0, 0, 0, 255, 255, 23},
	} {
		s := model.Segment{Need: model.Need{Hosts: tt.hosts, HostsSaid: true, Grow: tt.grow}, HostsThere: tt.there, Own: tt.own}
		least, grown := s.Wanted()
		assert.Equal(t, [2]int64{tt.least, tt.grown}, [2]int64{least, grown}, tt)
		length, ok := s.WantedLength(prefix.IPv4)
		assert.True(t, ok)
		assert.Equal(t, tt.length, length, tt)
		length, ok = s.WantedLength(prefix.IPv6)
		assert.True(t, ok)
		assert.Equal(t, 64, length, "an IPv6 LAN")
	}
	link := model.Segment{Need: model.Need{PointToPoint: true}}
	four, _ := link.WantedLength(prefix.IPv4)
	six, _ := link.WantedLength(prefix.IPv6)
	assert.Equal(t, [2]int{31, 127}, [2]int{four, six})
	link.Need.Length4 = 30
	four, _ = link.WantedLength(prefix.IPv4)
	assert.Equal(t, 30, four, "a length that is asked for comes first")
	_, ok := (&model.Segment{}).WantedLength(prefix.IPv4)
	assert.False(t, ok, "nothing said, nothing wanted")
}

func TestSlipsInNeeds(t *testing.T) {
	for text, want := range map[string]string{
		"segments: {a: {hosts: 3}}": "no-subnet: a needs numbers, and the plan has no block to take them from",
		"blocks: {x: 10.0.0.0/8, y: 10.1.0.0/16}\nsegments: {a: {hosts: 3}}":          "missing-key: a does not say from which block, and there are 2 | add 'from: x', or another of them",
		"blocks: {home: 10.0.0.0/8}\nsegments: {a: {hosts: 3, from: hom}}":            "unknown-name: there is no block called hom | did you mean home?",
		"blocks: {home: 10.0.0.0/8}\nsegments: {a: {from: home}}":                     "missing-key: a is taken from home, and does not say how large it is",
		"blocks: {home: 10.0.0.0/8}\nsegments: {a: {hosts: 3, point-to-point: true}}": "key-out-of-place: a is a link between two devices, and has no room for hosts",
		"blocks: {home: 10.0.0.0/8}\nsegments: {a: {grow: 10%, length: 24}}":          "key-out-of-place: a has no number of hosts that could grow",
		"blocks: {home: 10.0.0.0/8}\nsegments: {a: {length: [24, 25]}}":               "bad-value: a has two lengths of one family",
		"blocks: {home: {prefix: 10.0.0.0/8, keep: 10.0.0.9..10.0.0.3}}":              "bad-value: 10.0.0.9..10.0.0.3 is no range of addresses",
		"blocks: {home: {prefix: 10.0.0.0/8, keep: 10.0.0.9}}":                        "no-prefix-length: 10.0.0.9 has no prefix length",
		"vlans: 10..5":     "bad-value: 10..5 is no range of VLAN numbers",
		"vlans: [7, none]": "bad-value: none is no range of VLAN numbers",
		"segments: {a: {prefix: 10.0.0.0/24, leases: 10}}":                                                                                    "bad-value: 10 is no range; write 100..149",
		"segments: {a: {prefix: 10.0.0.0/24, leases: 10..300}}":                                                                               "no-such-place: 10.0.0.0/24 has 254 usable addresses, and no range 10..300",
		"segments: {a: {prefix: 10.0.0.0/24, leases: 10.1.0.1..10.1.0.9}}":                                                                    "bad-value: 10.1.0.1..10.1.0.9 is not within a subnet of a",
		"segments: {a: {prefix: '2001:db8::/64', leases: 3..9}}":                                                                              "no-subnet: a has no IPv4 subnet for its leases to be in",
		"segments: {a: {prefix: 10.0.0.0/24, leases: {range: 2..3, by: nobody}}}":                                                             "unknown-name: there is no device called nobody",
		"devices: {a: {is: router, interfaces: {p: {address: next}}}}":                                                                        "no-subnet: a:p is on no segment, so there is no next free address",
		"devices: {a: {is: router, interfaces: {p: {address: '::a'}}}}":                                                                       "no-subnet: ::a is an interface identifier, and a:p is on no segment with an IPv6 subnet for it",
		"segments: {l: {prefix: '2001:db8::/64'}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: eui-64}}}}":                "missing-key: a:p has no MAC to make an address from",
		"segments: {l: {prefix: 10.0.0.0/24}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, mac: 020000000001, address: eui-64}}}}": "no-subnet: a:p is on no segment with an IPv6 subnet of length 64, which eui-64 needs",
		"blocks: {h: 10.0.0.0/8}\ndevices: {a: {is: router, from: h}}":                                                                        "key-out-of-place: a takes nothing from a block unless it has 'loopback: true'",
	} {
		_, _, found := coretest.Resolve(text + "\n")
		all := slips(found)
		if assert.NotEmpty(t, all, text) {
			assert.True(t, strings.HasPrefix(all[0], want), "%s\n%s", text, all[0])
		}
	}
}

func TestRoomIsWhatIsFree(t *testing.T) {
	spec := coretest.Spec(t, "segments: {a: {prefix: 10.0.0.0/28, leases: 5..9}, b: {prefix: '2001:db8::/64'}}\ndevices: {r: {is: router, "+
		"interfaces: {p: {segment: a, address: 1, secondary: 6}, q: {segment: b}}}, h: {is: host, interfaces: {p: {segment: a, address: "+
		"10.9.9.9/28}}}}\n")
	assert.Equal(t, []model.Room{{Usable: 14, Held: 2, Leased: 4, Spare: 8}, {}}, spec.Rooms(),
		"one lease is held; an address from elsewhere takes no room")
}

func TestKeptAndRetiredStretches(t *testing.T) {
	spec := coretest.Spec(t, "blocks: {home: {prefix: 10.0.0.0/26, keep: [10.0.0.32/28, 10.0.0.48..10.0.0.49]}}\nsegments: {a: {prefix: "+
		"10.0.0.0/28}}\n")
	spec.Retired = []model.Retired{{Prefix: spec.Blocks[0].Kept[1].Prefix, Owner: "old"}}
	var told []string
	for _, s := range spec.Stretches(spec.Blocks[0].Prefixes[0].Prefix) {
		what := "free"
		switch {
		case s.InUse():
			what = "used"
		case s.Kept:
			what = "kept"
		case s.Retired != "":
			what = "was " + s.Retired
		}
		told = append(told, fmt.Sprint(s.Prefix, " ", what))
	}
	assert.Equal(t, []string{"10.0.0.0/28 used", "10.0.0.16/28 free", "10.0.0.32/28 kept", "10.0.0.48/31 was old", "10.0.0.50/31 free",
		"10.0.0.52/30 free", "10.0.0.56/29 free"}, told)
	assert.Zero(t, finding.Count(nil, finding.Advice))
}
