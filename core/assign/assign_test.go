package assign_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/source"
)

// ledgerOf is a ledger of the lines, without its heading.
func ledgerOf(t testing.TB, lines ...string) *assign.Ledger {
	t.Helper()
	l, found := assign.ReadLedger(source.New("t.ledger", []byte("ropeswing-ledger 1\n"+strings.Join(lines, "\n")+"\n")))
	require.Empty(t, found)
	return l
}

// told is the changes, one a line.
func told(g given) string {
	var b strings.Builder
	for _, c := range g.changes {
		fmt.Fprintf(&b, "%s %s %s %s", c.What, c.Entry.Owner, c.Entry.Kind, c.Entry.Number())
		if c.Was != "" {
			b.WriteString(" was " + c.Was)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// reasons is the findings but that of the ledger being behind.
func reasons(g given) string {
	var all []string
	for _, f := range g.found {
		if f.Name != finding.LedgerBehind {
			all = append(all, fmt.Sprintf("%s: %s", f.Name, f.Reason))
		}
	}
	return strings.Join(all, "\n")
}

const home = "blocks: {home: [10.48.0.0/22, '2001:db8:5ea::/48']}\n"

// 42 hosts and half as many again are 63, with the router's own address 64:
// more than the 62 of a /26, so a /25.
func TestNeedsAreRoundedUpToSubnets(t *testing.T) {
	g := assigned(t, home+`segments:
  staff: {hosts: 42, grow: 50%}
  beam: {point-to-point: true}
  wide: {length: [24, 60]}
devices: {r: {is: router, loopback: true, interfaces: {a: {segment: staff}}}}
`, nil)
	assert.Equal(t, `new wide subnet 10.48.0.0/24
new staff subnet 10.48.1.0/25
new beam subnet 10.48.1.128/31
new r loopback 10.48.1.130
new wide subnet 2001:db8:5ea::/60
new staff subnet 2001:db8:5ea:10::/64
new beam subnet 2001:db8:5ea:11::2/127
new r loopback 2001:db8:5ea:11::4
new r:a address 10.48.1.1
new r:a address 2001:db8:5ea:10::1
`, inOrderOfFamily(told(g)), "IPv6 links and loopbacks keep off the anycast addresses of their /64")
}

// inOrderOfFamily puts IPv6 subnets behind the others, as lengths of the two
// families are not compared.
func inOrderOfFamily(text string) string {
	var four, six, addresses string
	for _, l := range strings.SplitAfter(text, "\n") {
		switch {
		case strings.Contains(l, " address "):
			addresses += l
		case strings.Contains(l, ":db8:"):
			six += l
		default:
			four += l
		}
	}
	return four + six + addresses
}

func TestAnInnerBlockIsForWhoNamesIt(t *testing.T) {
	g := assigned(t, `blocks: {home: 10.48.0.0/23, quay: 10.48.0.0/24}
segments: {a: {hosts: 100, from: home}, b: {hosts: 100, from: quay}}
`, nil)
	assert.Equal(t, "new a subnet 10.48.1.0/25\nnew b subnet 10.48.0.0/25\n", told(g))
}

func TestAnOutgrownSegmentGrowsInPlaceOrMoves(t *testing.T) {
	plan := home + "segments: {staff: {hosts: 100}, other: {hosts: 10}}\ndevices: {r: {is: router, interfaces: {a: {segment: staff}, b: " +
		"{segment: other, address: -1}}}, h: {is: host, interfaces: {p: {segment: staff, address: 10}}}}\n"
	ledger := func(other string) *assign.Ledger {
		return ledgerOf(t, "staff subnet 10.48.0.0/26", "staff subnet 2001:db8:5ea::/64", "other subnet "+other,
			"other subnet 2001:db8:5ea:1::/64", "r:a address 10.48.0.1", "r:a address 2001:db8:5ea::1")
	}
	g := assigned(t, plan, ledger("10.48.1.0/28"))
	assert.Empty(t, g.changes, "nothing moves by itself")
	assert.Equal(t, "segment-outgrown: staff has outgrown 10.48.0.0/26: it needs 101 addresses, and there are 62", reasons(g))

	g = assigned(t, plan, ledger("10.48.1.0/28"), "staff")
	assert.Equal(t, "grown staff subnet 10.48.0.0/25 was 10.48.0.0/26\n", told(g), "what is beside it is free")

	g = assigned(t, plan, ledger("10.48.0.64/28"), "staff")
	assert.Equal(t, "moved staff subnet 10.48.0.128/25 was 10.48.0.0/26\nmoved r:a address 10.48.0.129 was 10.48.0.1\n", told(g))
	assert.Contains(t, string(g.next.Text()), "staff subnet 10.48.0.0/26 retired\n", "its old subnet is not given to others yet")
	assert.Empty(t, assigned(t, plan, again(t, g.next)).changes)

	full := strings.Replace(plan, "10.48.0.0/22", "10.48.0.0/25", 1)
	g = assigned(t, full, ledger("10.48.0.64/28"), "staff")
	assert.Empty(t, g.changes, "where there is no room it stays as it is")
	assert.Contains(t, reasons(g), "need-does-not-fit: staff wants a subnet of length 25 (100 hosts, 1 of its own: 101 addresses), and "+
		"home has none free")

	g = assigned(t, strings.Replace(plan, "100", "60", 1), ledger("10.48.1.0/28"), "staff")
	assert.Empty(t, g.changes, "it is large enough")
	n := assign.NewNumbering(nil, assign.Ask{Grow: []string{"b"}, Renumber: []string{"a", "b"}})
	assert.Equal(t, []string{"a", "b"}, n.NotChanged())
}

func TestWhatIsRemovedIsRetiredAndComesBack(t *testing.T) {
	plan := home + "segments: {a: {hosts: 10, vlan: auto}, b: {hosts: 10, vlan: auto}}\n"
	first := assigned(t, plan, nil)
	less := assigned(t, home+"segments: {b: {hosts: 10, vlan: auto}}\n", again(t, first.next))
	assert.Equal(t, "retired a subnet 10.48.0.0/28\nretired a subnet 2001:db8:5ea::/64\nretired a vlan 2\n", told(less))
	third := assigned(t, home+"segments: {b: {hosts: 10, vlan: auto}, c: {hosts: 10, vlan: auto}}\n", again(t, less.next))
	assert.Equal(t, "new c vlan 4\nnew c subnet 10.48.0.32/28\nnew c subnet 2001:db8:5ea:2::/64\n", told(third),
		"what is retired is given to nobody else")
	back := assigned(t, plan, again(t, less.next))
	assert.Equal(t, "back a vlan 2\nback a subnet 10.48.0.0/28\nback a subnet 2001:db8:5ea::/64\n", told(back))
	assert.Equal(t, numbers(first.next), numbers(back.next))

	l := again(t, less.next)
	released := func(until, owner string) []assign.Change {
		changes, _ := l.Release(until, owner)
		return changes
	}
	assert.Len(t, released("", "a"), 3)
	assert.Empty(t, released("", "b"), "what is in use is not released")
	assert.Contains(t, told(assigned(t, home+"segments: {b: {hosts: 10, vlan: auto}, c: {hosts: 10}}\n", l)), "new c subnet 10.48.0.0/28")
}

// Two routers and the address they share are three: with four hosts seven, more
// than the six of a /29.
func TestASharedAddressTakesOnePlace(t *testing.T) {
	g := assigned(t, "blocks: {h: 10.0.0.0/24}\nsegments: {l: {hosts: 4}}\ndevices: {a: {is: router, interfaces: {p: {segment: l, "+
		"virtual: first}}}, b: {is: router, interfaces: {p: {segment: l, virtual: first}}}}\n", nil)
	assert.Equal(t, "new l subnet 10.0.0.0/28\nnew a:p address 10.0.0.2\nnew b:p address 10.0.0.3\n", told(g))
}

// A number that is retired and that the plan fixes for another by now does not
// come back.
func TestARetiredVLANThatIsTakenStaysAway(t *testing.T) {
	l := ledgerOf(t, "a vlan 2 retired")
	g := assigned(t, "segments: {a: {vlan: auto}, b: {vlan: 2}}\n", l)
	assert.Equal(t, "new a vlan 3\n", told(g))
	assert.Equal(t, "back a vlan 2\n", told(assigned(t, "segments: {a: {vlan: auto}}\n", l)))
}

// What is left for a need that does not fit is told when the others have theirs.
func TestWhatIsFreeIsToldLast(t *testing.T) {
	g := assigned(t, "blocks: {h: 10.0.0.0/24}\nsegments: {big: {hosts: 300}, small: {hosts: 100}}\n", nil)
	assert.Equal(t, "new small subnet 10.0.0.0/25\n", told(g))
	assert.Equal(t, "the largest that is free is 10.0.0.128/25; want less, widen the block, or release what is retired", g.found[0].Remedy)
}

func TestAPrefixWrittenDownTakesTheEntryAlong(t *testing.T) {
	l := ledgerOf(t, "a subnet 10.48.0.0/28")
	assert.Empty(t, assigned(t, "blocks: {home: 10.48.0.0/22}\nsegments: {a: {hosts: 10, prefix: 10.48.0.0/28}}\n", l).changes,
		"the same number, now fixed")
	g := assigned(t, "blocks: {home: 10.48.0.0/22}\nsegments: {a: {hosts: 10, prefix: 10.48.1.0/28}}\n", l)
	assert.Equal(t, "retired a subnet 10.48.0.0/28\n", told(g))
}

func TestNextFreeAddress(t *testing.T) {
	addresses := func(text string) string {
		spec := assigned(t, text, nil).spec
		var all []string
		for id := range spec.Interfaces {
			for _, a := range spec.Interfaces[id].Addresses {
				all = append(all, spec.Label(model.InterfaceID(id))+" "+a.Addr().String())
			}
		}
		return strings.Join(all, ", ")
	}
	for _, tt := range []struct{ about, segment, devices, want string }{
		{"routers first, whatever their place in the plan", "prefix: 10.1.0.0/24",
			"h: {is: host, interfaces: {p: {segment: lan}}}, r: {is: router, interfaces: {p: {segment: lan}}}", "h:p 10.1.0.2, r:p 10.1.0.1"},
		{"the first place is kept for a router", "prefix: 10.1.0.0/24", "h: {is: host, interfaces: {p: {segment: lan}}}", "h:p 10.1.0.2"},
		{"but not where another is the gateway", "prefix: 10.1.0.0/24, gateway: last", "h: {is: host, interfaces: {p: {segment: lan}}}",
			"h:p 10.1.0.1"},
		{"the device named as gateway before others", "prefix: 10.1.0.0/24, gateway: s",
			"r: {is: router, interfaces: {p: {segment: lan}}}, s: {is: router, interfaces: {p: {segment: lan}}}", "r:p 10.1.0.2, s:p 10.1.0.1"},
		{"a lease range is stepped over", "prefix: 10.1.0.0/24, leases: 2..9", "h: {is: host, interfaces: {p: {segment: lan}}}",
			"h:p 10.1.0.10"},
		{"what is written is stepped over", "prefix: 10.1.0.0/24",
			"h: {is: host, interfaces: {p: {segment: lan}}}, i: {is: host, interfaces: {p: {segment: lan, address: 2}}}",
			"h:p 10.1.0.3, i:p 10.1.0.2"},
		{"a link has no place to keep", "prefix: 10.1.0.0/31", "h: {is: host, interfaces: {p: {segment: lan}}}", "h:p 10.1.0.0"},
		{"none wanted", "prefix: 10.1.0.0/24", "h: {is: host, interfaces: {p: {segment: lan, address: none}}}", ""},
		{"IPv6 has the same place", "prefix: [10.1.0.0/24, '2001:db8::/64'], leases: 2..16", "h: {is: host, interfaces: {p: {segment: lan}}}",
			"h:p 10.1.0.17, h:p 2001:db8::11"},
		{"or matches the host number", "prefix: [10.1.0.64/26, '2001:db8::/64'], identifier: matched",
			"h: {is: host, interfaces: {p: {segment: lan, address: last}}}", "h:p 10.1.0.126, h:p 2001:db8::3e"},
		{"or shows the last octet", "prefix: [10.1.0.64/26, '2001:db8::/64'], identifier: digits",
			"h: {is: host, interfaces: {p: {segment: lan}}}", "h:p 10.1.0.66, h:p 2001:db8::66"},
		{"or two octets, of a larger subnet", "prefix: [10.1.4.0/22, '2001:db8::/64'], identifier: digits",
			"h: {is: host, interfaces: {p: {segment: lan, address: -1}}}", "h:p 10.1.7.254, h:p 2001:db8::7:254"},
		{"or tells the VLAN", "vlan: 110, prefix: [10.1.0.0/24, '2001:db8::/64'], identifier: vlan",
			"h: {is: host, interfaces: {p: {segment: lan, address: 10}}}", "h:p 10.1.0.10, h:p 2001:db8::110:0:0:a"},
		{"an identifier, and one from the MAC", "prefix: '2001:db8::/64'",
			"h: {is: host, interfaces: {p: {segment: lan, mac: 02-00-5E-10-00-01, address: ['::a', eui-64], link-local: eui-64}}}",
			"h:p 2001:db8::a, h:p 2001:db8::5eff:fe10:1, h:p fe80::5eff:fe10:1"},
		{"secondary ones beside", "prefix: 10.1.0.0/24",
			"r: {is: router, interfaces: {p: {segment: lan, secondary: [5, 10.2.0.1/24], link-local: 'fe80::1'}}}",
			"r:p 10.1.0.1, r:p 10.1.0.5, r:p 10.2.0.1, r:p fe80::1"},
	} {
		assert.Equal(t, tt.want, addresses("segments: {lan: {"+tt.segment+"}}\ndevices: {"+tt.devices+"}\n"), tt.about)
	}
	g := assigned(t, "segments: {lan: {prefix: 10.1.0.0/30}}\ndevices: {a: {is: host, interfaces: {p: {segment: lan}}}, b: {is: host, "+
		"interfaces: {p: {segment: lan}}}}\n", nil)
	assert.Equal(t, "no-number-free: 10.1.0.0/30 has no address left for b:p", reasons(g))
}

func TestLedgersThatContradictThemselvesAreRefused(t *testing.T) {
	for _, tt := range []struct{ lines, where, reason string }{
		{"a subnet 10.48.0.0/26\na subnet 10.48.1.0/26", "3:1", "a has the subnet 10.48.0.0/26 already, on line 2"},
		{"a subnet 10.48.0.0/26\nb subnet 10.48.0.32/28", "3:1", "10.48.0.32/28 overlaps 10.48.0.0/26, which a was given on line 2"},
		{"b subnet 10.48.0.32/28 retired\na subnet 10.48.0.0/26", "3:1", "10.48.0.0/26 overlaps 10.48.0.32/28, which b was given on line 2"},
		{"a subnet 10.48.0.0/26\nr loopback 10.48.0.9", "3:1", "10.48.0.9 overlaps 10.48.0.0/26, which a was given on line 2"},
		{"a vlan 110\nb vlan 110 retired", "3:1", "VLAN 110 was given to a, on line 2"},
		{"a:p address 10.48.0.1\nb:p address 10.48.0.1", "3:1", "10.48.0.1 was given to a:p, on line 2"},
		{"a subnet 10.48.0.1/26", "2:1", "10.48.0.1/26 is an address in a subnet, and a subnet is meant: 10.48.0.0/26"},
		{"a vlan 4095", "2:1", "a VLAN number is from 1 to 4094, not 4095"},
		{"a loopback 10.48.0.256", "2:1", "10.48.0.256 is no address"},
		{"a subent 10.48.0.0/26", "2:1", "subent is no kind of number; there are subnet, vlan, loopback, address, block"},
		{"a subnet", "2:1", "a line is OWNER KIND NUMBER, or with 'retired' behind it"},
		{"a address 10.48.0.1", "2:1", "an address belongs to DEVICE:INTERFACE, and nothing else does"},
		{"<<<<<<< ours", "2:1", "a merge of two versions was not finished here; 'assign -w' takes the lines of both"},
		{"a \x1bvlan 1", "2:1", "this line is no text that a ledger holds"},
	} {
		l, found := assign.ReadLedger(source.New("t.ledger", []byte("ropeswing-ledger 1\n"+tt.lines+"\n")))
		assert.Nil(t, l)
		require.Len(t, found, 1, tt.lines)
		assert.Equal(t, tt.reason, found[0].Reason)
		assert.Equal(t, "t.ledger:"+tt.where, found[0].Place.String())
	}
	for text, reason := range map[string]string{"": "the ledger is empty; it begins with the line 'ropeswing-ledger 1'",
		"a vlan 1\n":           "a ledger begins with the line 'ropeswing-ledger 1'",
		"ropeswing-ledger 2\n": "a ledger begins with the line 'ropeswing-ledger 1'"} {
		_, found := assign.ReadLedger(source.New("t.ledger", []byte(text)))
		require.Len(t, found, 1)
		assert.Equal(t, reason, found[0].Reason)
	}
}

func TestALedgerIsSortedAndKeepsRemarks(t *testing.T) {
	l := ledgerOf(t, "# ours", "b vlan 3", "", "a vlan 2 retired\r")
	text := string(l.Text())
	assert.True(t, strings.HasSuffix(text, ".\n# ours\na vlan 2 retired\nb vlan 3\n"), text)
	assert.Equal(t, text, string(again(t, l).Text()))
}

func TestARenameCutShortLosesNothing(t *testing.T) {
	l := ledgerOf(t, "desk renaming table", "desk:p address 10.1.0.2", "desk loopback 10.9.0.1", "desk-2:p address 10.1.0.3")
	require.NotNil(t, l.Rename)
	assert.Contains(t, string(l.Text()), "desk renaming table\n")
	next, changes := l.Renamed(*l.Rename)
	assert.Len(t, changes, 2)
	assert.True(t, strings.HasSuffix(string(next.Text()), "desk-2:p address 10.1.0.3\ntable loopback 10.9.0.1\ntable:p address 10.1.0.2\n"),
		string(next.Text()))
	next, _ = ledgerOf(t, "r:lan0 address 10.1.0.2", "r:lan0.110 address 10.1.0.3",
		"r:lan01 address 10.1.0.4").Renamed(assign.Rename{Old: "r:lan0", New: "r:eth0"})
	assert.True(t, strings.HasSuffix(string(next.Text()), "r:eth0 address 10.1.0.2\nr:eth0.110 address 10.1.0.3\nr:lan01 address 10.1.0.4\n"),
		string(next.Text()))
}

// Whatever a ledger holds, reading it ends, and what is read is written back
// the same.
func FuzzReadLedger(f *testing.F) {
	f.Add([]byte("ropeswing-ledger 1\na subnet 10.48.0.0/26\nr loopback 2001:db8::1 retired\nd:p address 10.48.0.1\na vlan 7\n# x\na " +
		"renaming b\n"))
	f.Add([]byte("ropeswing-ledger 1\n<<<<<<< x\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		l, found := assign.ReadLedger(source.New("t.ledger", text))
		if l == nil {
			require.NotEmpty(t, found)
			for _, x := range found {
				_ = x.String()
			}
			return
		}
		once := l.Text()
		second, found := assign.ReadLedger(source.New("t.ledger", once))
		require.Empty(t, found)
		require.Equal(t, string(once), string(second.Text()))
	})
}

// A LAN that comes later lies beside what its router has, in the smallest prefix in which nobody else has anything, and says so; one
// of two routers, or where others have something all around, is the next that is free.
func TestALANThatComesLaterLiesBesideItsRouters(t *testing.T) {
	for _, tt := range []struct{ two, on, also, want, why string }{
		{"10.48.9.0/25", "r", "", "10.48.7.64/27", "20 hosts, 1 of its own: 21 addresses; beside what r has, so that others' routes stay"},
		{"10.48.9.0/25", "s", "", "10.48.9.128/27", "20 hosts, 1 of its own: 21 addresses; beside what s has, so that others' routes stay"},
		{"10.48.9.0/25", "r", "s", "10.48.7.64/27", "20 hosts, 2 of its own: 22 addresses"},
		{"10.48.7.64/26", "r", "", "10.48.7.128/27", "20 hosts, 1 of its own: 21 addresses"},
	} {
		at := func(router string) string {
			if router == tt.on || router == tt.also {
				return ", b: {segment: more}"
			}
			return ""
		}
		g := assigned(t, `
blocks: {home: [10.48.0.0/16]}
segments:
  one: {prefix: 10.48.7.0/26}
  two: {prefix: `+tt.two+`}
  more: {hosts: 20}
devices:
  r: {is: router, interfaces: {a: {segment: one}`+at("r")+`}}
  s: {is: router, interfaces: {a: {segment: two}`+at("s")+`}}
`, nil)
		i := slices.IndexFunc(g.changes, func(c assign.Change) bool { return c.Entry.Owner == "more" })
		require.GreaterOrEqual(t, i, 0)
		assert.Equal(t, tt.want, g.changes[i].Entry.Number(), "%+v", tt)
		assert.Equal(t, tt.why, g.changes[i].Because.Words(), "%+v", tt)
	}
}
