package verify_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCheckWires(t *testing.T) {
	two := "segments: {x: {vlan: 10}, y: {vlan: 20}}\n"
	switches := func(a, b string) string {
		return two + "devices: {a: {is: switch, interfaces: {p: {" + a + "}}}, b: {is: switch, interfaces: {p: {" + b +
			"}}}}\ncables: [c: a:p to b:p]\n"
	}
	for _, tt := range []struct {
		about, text string
		want        []string
	}{
		{"the same on both ends", switches("tagged: [x, y]", "tagged: [x, y]"), nil},
		{"access to access in one VLAN by number and by name", switches("access: x", "access: 10"), nil},
		{"a VLAN missing at either end", switches("tagged: [x]", "tagged: [y]"), []string{
			"vlan-missing b:p: b:p does not carry x (VLAN 10), which the other end sends | add it to 'tagged' of b:p, or take it away at the " +
				"other end",
			"vlan-missing a:p: a:p does not carry y (VLAN 20), which the other end sends | add it to 'tagged' of a:p, or take it away at the " +
				"other end"}},
		{"many missing are not all named", switches("tagged: [100..120]", "tagged: [x]"), []string{
			"vlan-missing b:p: b:p does not carry VLAN 100, VLAN 101, VLAN 102, VLAN 103, VLAN 104, 16 more, which the other end sends | add " +
				"it to 'tagged' of b:p, or take it away at the other end",
			"vlan-missing a:p: a:p does not carry x (VLAN 10), which the other end sends | add it to 'tagged' of a:p, or take it away at the " +
				"other end"}},
		{"access ports in different VLANs", switches("access: x", "access: y"),
			[]string{"access-vlans-differ a:p: untagged frames are in x (VLAN 10) at a:p and in y (VLAN 20) at b:p"}},
		{"different untagged VLANs of a trunk", switches("tagged: [7], untagged: x", "tagged: [7], untagged: y"),
			[]string{"untagged-vlans-differ a:p: untagged frames are in x (VLAN 10) at a:p and in y (VLAN 20) at b:p | let untagged frames at " +
				"a:p be in VLAN 20 (y) instead of VLAN 10 (x), or let untagged frames at b:p be in VLAN 10 (x) instead of VLAN 20 (y)"}},
		{"a port in nothing", switches("tagged: [x]", ""),
			[]string{"port-in-nothing b:p: b:p is cabled, and in no segment or VLAN | say 'access:', 'tagged:' or 'segment:' for it, or " +
				"remove the cable"}},
		{"but not where there is a default VLAN", "settings: {default-vlan: 10}\n" + switches("access: x", ""), nil},
		{"a subinterface's tag that the switch drops",
			two + "devices: {r: {is: router, interfaces: {e: {}, e.10: {segment: x}, e.20: {segment: y}}}, s: {is: switch, interfaces: {p: " +
				"{tagged: [x]}}}}\ncables: [r:e to s:p]\n",
			[]string{"vlan-missing s:p: r:e.20 sends its frames with tag 20, and s:p drops them | add y (VLAN 20) to 'tagged' of s:p"}},
		{"in a group", two + "devices: {r: {is: router, interfaces: {e: {}, f: {}, g: {members: [e, f]}, g.10: {segment: x}}}, s: {is: " +
			"switch, interfaces: {p: {}, q: {}, h: {members: [p, q], tagged: [x]}}}}\ncables: [r:e to s:p, r:f to s:q]\n", nil},
		{"missing behind a group: once, and at the group", two +
			"devices: {s: {is: switch, interfaces: {p: {}, q: {}, g: {members: [p, q], tagged: [x, y]}}}, t: {is: switch, interfaces: {p: {}, " +
			"q: {}, h: {members: [p, q], tagged: [x]}}}}\ncables: [s:p to t:p, s:q to t:q]\n",
			[]string{"vlan-missing t:h: t:h does not carry y (VLAN 20), which the other end sends | add it to 'tagged' of t:h, or take it " +
				"away at the other end"}},
		{"a tag that a group drops, once",
			two + "devices: {r: {is: router, interfaces: {e: {}, f: {}, g: {members: [e, f]}, g.20: {segment: y}}}, s: {is: switch, " +
				"interfaces: {p: {}, q: {}, h: {members: [p, q], tagged: [x]}}}}\ncables: [r:e to s:p, r:f to s:q]\n",
			[]string{"vlan-missing s:h: r:g.20 sends its frames with tag 20, and s:h drops them | add y (VLAN 20) to 'tagged' of s:h"}},
		{"one end serial", "segments: {l: {}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, line: serial, clock: here}}}, b: {is: " +
			"router, interfaces: {p: {segment: l}}}}\ncables: [a:p to b:p]\n",
			[]string{"serial-clock a:p: a:p and b:p are the two ends of one line, and only one of them is serial | make b:p serial, as its " +
				"far end is"}},
		{"both clock", "segments: {l: {}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, line: serial, clock: here}}}, b: {is: " +
			"router, interfaces: {p: {segment: l, line: serial, clock: here}}}}\ncables: [a:p to b:p]\n",
			[]string{"serial-clock a:p: both a:p and b:p clock the serial line | do not let a:p clock the line: its far end does"}},
		{"MTUs agree where they are said",
			"segments: {l: {prefix: 10.0.0.0/29}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, mtu: 1500}}, routes: {default: b}}, " +
				"b: {is: router, interfaces: {p: {segment: l}}, routes: {default: a}}, c: {is: router, interfaces: {p: {segment: l, mtu: " +
				"1500}}, routes: {default: a}}}\n", nil},
		{"two masters that do not hear each other",
			"segments: {l: {vlan: 7, prefix: 10.0.0.0/29}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: none, virtual: " +
				"1}}}, b: {is: router, interfaces: {p: {segment: l, address: none, virtual: 1}}}, s: {is: switch, interfaces: {p: {access: " +
				"l}}}, t: {is: switch, interfaces: {p: {access: l}}}}\ncables: [a:p to s:p, b:p to t:p]\n",
			[]string{"segment-split l: l is in pieces: a:p and b:p do not hear each other",
				"virtual-master a:p: a:p and b:p are both master of 10.0.0.1, since they do not hear each other"}},
	} {
		assert.Equal(t, tt.want, checked(t, tt.text), tt.about)
	}
}

func TestCheckManagement(t *testing.T) {
	plan := func(r string) string {
		return "operator: o\nsegments: {l: {prefix: 10.0.0.0/29}, m: {prefix: 10.0.1.0/29}}\ndevices: {r: {is: router, interfaces: {p: " +
			"{segment: l, address: 1}, q: {segment: m, address: 1}}" + r + "}, o: {is: host, interfaces: {p: {segment: l, address: 2}}}}\n"
	}
	assert.Equal(t, []string{"managed-by-itself r: r is managed at 10.0.0.1, the address of the very interface the operator comes in by | " +
		"give it a loopback, and manage it there"}, checked(t, plan("")))
	assert.Empty(t, checked(t, plan(", loopback: 10.9.9.9")))
	assert.Empty(t, checked(t, plan(", manage: q")), "by another interface")
	assert.Equal(t, []string{"unmanageable r: r answers ping and snmp at 10.9.9.9, and none of ssh, netconf, https"},
		checked(t, plan(", loopback: 10.9.9.9, answers: [ping, snmp]")))
	lost := strings.Replace(plan(", loopback: 10.9.9.9"), "o: {is",
		"x: {is: switch, interfaces: {v: {address: 10.9.0.1/24, vlan: '7'}, p: {access: 7}}}, o: {is", 1)
	assert.Contains(t, checked(t, lost),
		"unmanageable x: x cannot be managed by o over ssh at 10.9.0.1: r has no route to 10.9.0.1 | next: ping 10.9.0.1 --over tcp/22")
}
