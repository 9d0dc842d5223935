package verify_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/verify"
)

// checked lists what a check finds: "name about: reason | remedy".
func checked(t *testing.T, text string) []string {
	t.Helper()
	var all []string
	_, net, derived := derive.Resolve(coretest.Spec(t, text))
	for _, f := range verify.Check(net, derived) {
		line := fmt.Sprintf("%s %s: %s", f.Name, f.Subject, f.Reason)
		if f.Remedy != "" {
			line += " | " + f.Remedy
		}
		if f.Tried {
			line += " (tried: it works)"
		}
		if len(f.Next) > 0 {
			line += " | next: " + strings.Join(f.Next, " ")
		}
		all = append(all, line)
	}
	return all
}

// The catalogue's examples show each finding once; here are the cases beside
// them, those that must be found and those that must not.
func TestCheck(t *testing.T) {
	const lan = "segments: {lan: {prefix: [10.1.0.0/24, '2001:db8:1::/64']}}\n"
	tests := []struct {
		about, text string
		want        []string
	}{
		{"nothing wrong", lan + "devices: {a: {is: host, interfaces: {p: {segment: lan, address: 1}}}, b: {is: host, interfaces: {p: " +
			"{segment: lan, address: 2}}}}", nil},
		{"the broadcast address", lan + "devices: {a: {is: host, interfaces: {p: {segment: lan, address: 10.1.0.255/24}}}}",
			[]string{"subnet-or-broadcast-address a:p: 10.1.0.255 is the broadcast address of 10.1.0.0/24 | give a:p the address 10.1.0.1/24 " +
				"instead of 10.1.0.255/24"}},
		{"the IPv6 subnet itself", lan + "devices: {a: {is: host, interfaces: {p: {segment: lan, address: '2001:db8:1::/64'}}}}",
			[]string{"subnet-or-broadcast-address a:p: 2001:db8:1::/64 is the subnet itself, the address of all its routers | give a:p the " +
				"address 2001:db8:1::1/64 instead of 2001:db8:1::/64"}},
		{"both ends of a /31 are usable",
			"segments: {l: {prefix: [10.0.0.0/31, '2001:db8::/127']}}\ndevices: {a: {is: host, interfaces: {p: {segment: l, address: " +
				"first}}}, b: {is: host, interfaces: {p: {segment: l, address: last}}}}", nil},
		{"a duplicate, with a free address",
			lan + "devices: {a: {is: host, interfaces: {p: {segment: lan, address: 10.1.0.1}}}, b: {is: host, interfaces: {p: {segment: lan, " +
				"address: 10.1.0.1}}}}",
			[]string{"duplicate-address b:p: 10.1.0.1 is already the address of a:p, on line 3 | give b:p the address 10.1.0.2/24 instead of " +
				"10.1.0.1/24; free are 10.1.0.2..10.1.0.254 (tried: it works)"}},
		{"link-local twice on one segment",
			lan + "devices: {a: {is: host, interfaces: {p: {segment: lan, address: 'fe80::1'}}}, b: {is: host, interfaces: {p: {segment: lan, " +
				"address: 'fe80::1'}}}}",
			[]string{"duplicate-address b:p: fe80::1 is already the address of a:p, on line 3 | give b:p the address fe80::2/64 instead of " +
				"fe80::1/64; free are fe80::2..fe80::fdff:ffff:ffff:ff7f, fe80::fe00:0:0:0..fe80::ffff:ffff:ffff:ffff"}},
		{"link-local again on another segment is fine",
			"segments: {one: {}, two: {}}\ndevices: {a: {is: router, interfaces: {p: {segment: one, address: 'fe80::1'}, q: {segment: two, " +
				"address: 'fe80::1'}}}}", nil},
		{"an address of another segment",
			"segments: {lan: {prefix: 10.1.0.0/24}, far: {prefix: 10.2.0.0/24}}\ndevices: {a: {is: router, interfaces: {p: {segment: lan, " +
				"address: 10.2.0.5/24}, q: {segment: far, address: 9}}}}",
			[]string{"address-outside-segment a:p: 10.2.0.5 is not in lan, which is 10.1.0.0/24; it belongs to far | give a:p the address " +
				"10.1.0.5/24 instead of 10.2.0.5/24, or put it on far"}},
		{"a family the segment says nothing of",
			"segments: {lan: {prefix: 10.1.0.0/24}}\ndevices: {a: {is: host, interfaces: {p: {segment: lan, address: [1, '2001:db8::1/64']}}}}",
			nil},
		{"the same subnet twice", "segments: {one: {prefix: 10.1.0.0/24}, two: {prefix: 10.1.0.0/24}}",
			[]string{"overlapping-subnets two: one and two both have 10.1.0.0/24"}},
		{"the larger one written later", "segments: {one: {prefix: 10.1.0.0/24}, two: {prefix: 10.1.0.0/16}}",
			[]string{"overlapping-subnets two: 10.1.0.0/16 of two takes in 10.1.0.0/24 of one"}},
		{"three within one another", "segments: {a: {prefix: 10.0.0.0/8}, b: {prefix: 10.1.0.0/16}, c: {prefix: 10.1.1.0/24}, d: {prefix: " +
			"10.2.0.0/16}}", []string{
			"overlapping-subnets b: 10.1.0.0/16 of b is within 10.0.0.0/8 of a",
			"overlapping-subnets c: 10.1.1.0/24 of c is within 10.1.0.0/16 of b",
			"overlapping-subnets d: 10.2.0.0/16 of d is within 10.0.0.0/8 of a"}},
		{"side by side is no overlap", "segments: {a: {prefix: 10.0.0.0/25}, b: {prefix: 10.0.0.128/25}}", nil},
		{"a gateway outside, with the router's address",
			lan + "devices: {r: {is: router, interfaces: {p: {segment: lan, address: 1}}}, h: {is: host, interfaces: {p: {segment: lan, " +
				"address: 10.1.0.9/24}}, gateway: 10.2.0.1}}",
			[]string{"gateway-outside-subnet h: h uses the gateway 10.2.0.1, which is in none of its subnets | give h the gateway 10.1.0.1 " +
				"(r) instead of 10.2.0.1"}},
		{"a gateway nobody has, with the router's address", lan +
			"devices: {r: {is: router, interfaces: {p: {segment: lan, address: 1}}}, h: {is: host, interfaces: {p: {segment: lan, address: " +
			"10.1.0.9/24}}, gateway: 10.1.0.254}}",
			[]string{"gateway-unheld h: h uses the gateway 10.1.0.254, and nobody on lan has it | give h the gateway 10.1.0.1 (r) instead of " +
				"10.1.0.254"}},
		{"a link-local gateway that is there",
			lan + "devices: {r: {is: router, interfaces: {p: {segment: lan, address: [1, 'fe80::1']}}}, h: {is: host, interfaces: {p: " +
				"{segment: lan, address: '2001:db8:1::9/64'}}, gateway: 'fe80::1'}}", nil},
		{"a gateway that is on another wire",
			"segments: {lan: {vlan: 7, prefix: 10.1.0.0/24}}\ndevices: {r: {is: router, interfaces: {p: {segment: lan, address: 1}}}, s: {is: " +
				"switch, interfaces: {p1: {tagged: [7]}, m: {vlan: lan, address: 2}}}}\ncables: [r:p to s:p1]",
			[]string{"segment-split lan: lan is in pieces: r:p and s:m do not hear each other | let untagged frames at s:p1 be in VLAN 7 " +
				"(lan) (tried: it works)"}},
		{"several networks on one interface, side by side",
			"devices: {a: {is: host, interfaces: {p: {address: [10.1.0.1/24, 10.1.1.1/24], secondary: 10.1.0.2/24}}}}", nil},
		{"networks overlap across interfaces", "devices: {a: {is: router, interfaces: {p: {address: 10.1.0.1/16}, q: {address: 10.1.7.1/24}}}}",
			[]string{"networks-overlap a:q: the subnets of 10.1.0.1/16 and 10.1.7.1/24 overlap"}},
		{"public space that is ours", "blocks: {b: 11.0.0.0/16}\nsegments: {s: {prefix: 11.0.1.0/24}}", nil},
		{"shared space is for carriers and their customers", "segments: {s: {prefix: 100.64.1.0/24}}", nil},
		{"link-local as a segment", "segments: {s: {prefix: [169.254.1.0/24, 'fe80::/64']}}",
			[]string{"special-space s: 169.254.1.0/24 is for link-local (RFC 3927), not for a segment",
				"special-space s: fe80::/64 is for link-local unicast (RFC 4291), not for a segment"}},
		{"a point-to-point /127 and a /128", "segments: {s: {prefix: ['2001:db8::/127', '2001:db8:1::1/128']}}", nil},
		{"its own address, with the far end's",
			"segments: {l: {prefix: 10.0.0.0/31}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: first}}, routes: " +
				"{10.9.0.0/16: 10.0.0.0}}, b: {is: router, interfaces: {p: {segment: l, address: last}}, routes: {10.8.0.0/16: a}}}",
			[]string{"next-hop-oneself a: 10.0.0.0 is a's own address | on a send 10.9.0.0/16 via 10.0.0.1 (b) instead of 10.0.0.0 (a)"}},
		{"the broadcast address as next hop",
			"segments: {l: {prefix: 10.0.0.0/30}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: 1}}, routes: {10.9.0.0/16: " +
				"10.0.0.3}}}",
			[]string{"next-hop-unheld a: a sends 10.9.0.0/16 via 10.0.0.3, and that is the broadcast address of l"}},
		{"a next hop nobody has, with who is there",
			"segments: {l: {prefix: 10.0.0.0/29}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: 1}}, routes: {10.9.0.0/16: " +
				"10.0.0.3}}, b: {is: router, interfaces: {p: {segment: l, address: 2}}, routes: {10.8.0.0/16: a}}}",
			[]string{"next-hop-unheld a: a sends 10.9.0.0/16 via 10.0.0.3, and nobody on l has it | on a send 10.9.0.0/16 via 10.0.0.2 (b) " +
				"instead of 10.0.0.3"}},
		{"a next hop behind an interface that is down is not unresolvable",
			"segments: {l: {prefix: 10.0.0.0/29}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: 1, admin: down}}, routes: " +
				"{10.9.0.0/16: 10.0.0.2}}, b: {is: router, interfaces: {p: {segment: l, address: 2}}, routes: {10.8.0.0/16: a}}}",
			[]string{"addressed-interface-down a:p: a:p has 10.0.0.1/29 and is administratively down | bring up a:p, which is " +
				"administratively down; or take its address away"}},
		{"only the default leads to the next hop",
			"segments: {l: {prefix: 10.0.0.0/29}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: 1}}, routes: {default: b, " +
				"10.9.0.0/16: 10.7.0.1}}, b: {is: router, interfaces: {p: {segment: l, address: 2}}, routes: {10.8.0.0/16: {discard: true}}}}",
			[]string{"next-hop-unresolvable a: a never uses its route to 10.9.0.0/16: only the default route matches the next hop 10.7.0.1 | " +
				"on a send 10.9.0.0/16 via 10.0.0.2 (b) instead of 10.7.0.1"}},
		{"no route out of a router", "segments: {l: {prefix: 10.0.0.0/29}, far: {prefix: 10.3.0.0/24}}\ndevices: {a: {is: router, " +
			"interfaces: {p: {segment: l, address: 1}}}, b: {is: router, interfaces: {p: {segment: l, address: 2}, q: {segment: far, address: " +
			"1}}}}",
			[]string{"no-route-out a: a has no route to any other IPv4 subnet | add 'default: b' to its routes (tried: it works)"}},
		{"no route out in one family", "segments: {l: {prefix: [10.0.0.0/29, '2001:db8::/64']}, far: {prefix: [10.3.0.0/24, " +
			"'2001:db8:3::/64']}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, address: 1}}, routes: {10.3.0.0/24: b}}, b: {is: " +
			"router, interfaces: {p: {segment: l, address: 2}, q: {segment: far, address: 1}}}}",
			[]string{"no-route-out a: a has no route to any other IPv6 subnet | add 'default: b' to its routes (tried: it works)"}},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, checked(t, tt.text), tt.about)
	}
}

func TestFindingsPointAtBothPlaces(t *testing.T) {
	found := verify.Check(coretest.Network(t, strings.TrimLeft(`
segments: {lan: {prefix: 10.1.0.0/24}}
devices:
  a: {is: host, interfaces: {p: {segment: lan, address: 10.1.0.5}}}
  b: {is: host, interfaces: {p: {segment: lan, address: 10.1.0.5}}}
`, "\n")), derive.Result{})
	require.Len(t, found, 1)
	assert.Equal(t, finding.DuplicateAddress, found[0].Name)
	assert.Equal(t, "test.plan.yaml:5:57", found[0].Place.String())
	require.Len(t, found[0].Also, 1)
	assert.Equal(t, "test.plan.yaml:4:57", found[0].Also[0].String())
}

// What routing tables keep apart may have the same numbers, and need not reach each other; what no table parts may not.
func TestTablesApartMayHaveTheSameNumbers(t *testing.T) {
	text := func(table string) string {
		return `
segments: {al: {prefix: 10.1.0.0/24}, au: {prefix: 10.0.0.0/30}, bl: {prefix: 10.1.0.0/24}, bu: {prefix: 10.0.0.0/30}}
devices:
  pe: {is: router, interfaces: {a: {segment: au, address: 10.0.0.1/30` + table + ` a}, b: {segment: bu, address: 10.0.0.1/30` + table + ` b}}, tables: {a: {10.1.0.0/24: ca}, b: {10.1.0.0/24: cb}}}
  ca: {is: router, interfaces: {u: {segment: au, address: 10.0.0.2/30}, l: {segment: al, address: 10.1.0.1/24}}, routes: {default: pe}}
  cb: {is: router, interfaces: {u: {segment: bu, address: 10.0.0.2/30}, l: {segment: bl, address: 10.1.0.1/24}}, routes: {default: pe}}
must: [ca reaches pe, al does not reach bl]
`
	}
	found := strings.Join(checked(t, text(", table:")), "\n")
	assert.NotContains(t, found, "overlapping-subnets")
	assert.NotContains(t, found, "duplicate-address")
	plain := strings.NewReplacer(", table: a}", "}", ", table: b}", "}", ", tables: {a: {10.1.0.0/24: ca}, b: {10.1.0.0/24: cb}}",
		"").Replace(text(", table:"))
	found = strings.Join(checked(t, plain), "\n")
	assert.Contains(t, found, "overlapping-subnets")
	assert.Contains(t, found, "duplicate-address")
}

// Several hosts may be at one port, and a host says which segment it is meant for.
func TestHostsAtAPort(t *testing.T) {
	text := "segments: {a: {vlan: 7, prefix: 10.1.0.0/24}, b: {vlan: 8, prefix: 10.2.0.0/24}}\ndevices:\n" +
		"  sw: {is: switch, interfaces: {p1: {access: a}, p2: {access: b}}}\n" +
		"  x: {is: host, at: \"sw:p1\", address: 5}\n  y: {is: host, at: \"sw:p1\", address: 6}\n  z: {is: host, at: \"sw:p2\", " +
		"SEGMENTaddress: 7}\nmust: []\n"
	shared := strings.Join(checked(t, strings.Replace(text, "SEGMENT", "", 1)), "\n")
	assert.Equal(t, 1, strings.Count(shared,
		"port-shared sw:p1: x:port and y:port are both plugged into sw:p1: a wireless link or a hub is taken to be there"))
	assert.NotContains(t, shared, "in pieces")
	assert.Contains(t, strings.Join(checked(t, strings.Replace(text, "SEGMENT", "segment: a, ", 1)), "\n"), "a is in pieces")
}
