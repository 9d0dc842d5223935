package forward_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// pinged predicts a ping in a test's plan.
func pinged(t testing.TB, net *forward.Network, from, to string) *forward.Exchange {
	t.Helper()
	return forward.Ping(net, coretest.Device(t, net.Spec, from), netip.Addr{}, netip.MustParseAddr(to), model.None)
}

// says is how an exchange fails: its name, which way, at which device, why.
func says(t testing.TB, net *forward.Network, x *forward.Exchange) string {
	t.Helper()
	f, failing := x.Failure(net)
	if !failing {
		return x.Verdict().String()
	}
	way := "there"
	if f.Back {
		way = "back"
	}
	return fmt.Sprintf("%s, %s, %s: %s", f.Name, way, net.Spec.Devices[f.Device].Name, f.Words(net))
}

// way lists the devices of a walk that does not branch.
func way(spec *model.Spec, g *forward.Graph) string {
	var names []string
	for _, n := range g.Nodes {
		names = append(names, spec.Devices[n.Device].Name)
	}
	return strings.Join(names, " ")
}

// row is three routers in a row, a - b - c, with a host at either end.
func row(routesA, routesB, routesC string) string {
	return `
segments:
  left:  {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  ab:    {prefix: [10.0.0.0/30, "2001:db8:a::/64"]}
  bc:    {prefix: [10.0.0.4/30, "2001:db8:b::/64"]}
  right: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}
devices:
  a: {is: router, interfaces: {l: {segment: left, address: first}, r: {segment: ab, address: first}}, routes: {` + routesA + `}}
  b: {is: router, interfaces: {l: {segment: ab, address: last}, r: {segment: bc, address: first}}, routes: {` + routesB + `}}
  c: {is: router, interfaces: {l: {segment: bc, address: 2}, r: {segment: right, address: first}}, routes: {` + routesC + `}}
  west: {is: host, interfaces: {p: {segment: left, address: 10}}}
  east: {is: host, interfaces: {p: {segment: right, address: 10}}}
`
}

func TestThereAndBack(t *testing.T) {
	net := coretest.Network(t, row("default: b", "left: a, right: c", "default: b"))
	spec := net.Spec
	for _, target := range []string{"10.2.0.10", "2001:db8:2::a"} {
		x := pinged(t, net, "west", target)
		assert.Equal(t, forward.Works, x.Verdict())
		assert.Equal(t, "west a b c east", way(spec, x.There))
		assert.Equal(t, "east c b a west", way(spec, x.Back[0]))
	}
	assert.Equal(t, "west", way(spec, pinged(t, net, "west", "10.1.0.10").There), "to itself")
	assert.Equal(t, "west a", way(spec, pinged(t, net, "west", "10.0.0.1").There),
		"an address on a router's far side is the router's all the same")
}

// The classic textbook faults of three routers in a row.
func TestWhyAPingFails(t *testing.T) {
	tests := []struct{ about, a, b, c, to, want string }{
		{"no route there", "right: b", "left: a", "default: b", "10.2.0.10", "no-route, there, b: b has no route to 10.2.0.10"},
		{"the return path forgotten", "right: b", "right: c", "default: b", "10.2.0.10", "no-route, back, b: b has no route to 10.1.0.10"},
		{"two defaults at each other", "default: b", "default: a", "default: b", "10.2.0.10",
			"forwarding-loop, there, a: its TTL runs out in a loop between a and b"},
		{"a loop on the return path", "default: b", "right: c, default: c", "default: b", "10.2.0.10",
			"forwarding-loop, back, c: its TTL runs out in a loop between c and b"},
		{"a discard route", "default: b", "right: {discard: true}, left: a", "default: b", "10.2.0.10",
			"discarded, there, b: b discards what it has for 10.2.0.0/24"},
		{"a next hop that is not assigned", "right: 10.1.0.77", "left: a", "default: b", "10.2.0.10",
			"next-hop-silent, there, a: nobody on left has the next hop 10.1.0.77 of a"},
		{"a next hop that cannot be found", "right: 10.77.0.1", "left: a", "default: b", "10.2.0.10",
			"no-route, there, a: a has no usable route to 10.2.0.10: for 10.2.0.0/24, no route leads to the next hop 10.77.0.1"},
		{"a next hop that is a host", "right: 10.1.0.10", "left: a", "default: b", "10.2.0.10",
			"not-forwarded, there, west: a hands it to west, a host, which does not forward"},
		{"nobody there", "default: b", "left: a, right: c", "default: b", "10.2.0.11",
			"address-silent, there, c: nobody on right has 10.2.0.11; east has 10.2.0.10"},
		{"the broadcast address", "default: b", "left: a, right: c", "default: b", "10.2.0.255",
			"address-silent, there, c: 10.2.0.255 is the broadcast address of right, not a machine's"},
		{"IPv6 forgotten", "default: b", "left: a, 10.2.0.0/24: c", "default: b", "2001:db8:2::a",
			"no-route, there, b: b has no route to 2001:db8:2::a"},
	}
	for _, tt := range tests {
		net := coretest.Network(t, row(tt.a, tt.b, tt.c))
		assert.Equal(t, tt.want, says(t, net, pinged(t, net, "west", tt.to)), tt.about)
	}
}

func TestWhatIsDownIsNamed(t *testing.T) {
	net := coretest.Network(t, strings.Replace(row("default: b", "left: a, right: c", "default: b"), "r: {segment: bc, address: first}",
		"r: {segment: bc, address: first, admin: down}", 1))
	assert.Equal(t, "interface-down, there, b: b:r is down: administratively down", says(t, net, pinged(t, net, "west", "10.2.0.10")))
	assert.Equal(t, "interface-down, there, b: b:r is down: administratively down", says(t, net, pinged(t, net, "west", "10.0.0.6")),
		"its own subnet is gone from the table")

	net = coretest.Network(t, strings.Replace(row("default: b", "left: a, right: c", "default: b"), "p: {segment: right, address: 10}",
		"p: {segment: right, address: 10, admin: down}", 1))
	x := pinged(t, net, "west", "10.2.0.10")
	assert.Equal(t, "interface-down, there, c: 10.2.0.10 does not answer: east:p is down: administratively down", says(t, net, x))
	f, _ := x.Failure(net)
	assert.Equal(t, "east", net.Spec.Devices[f.Cause].Name, "the device to look at is not the one where the packet ends")
	assert.Equal(t, "interface-down, there, east: east:p is down: administratively down", says(t, net, pinged(t, net, "east", "10.1.0.10")))
}

func TestALongerMatchThatCouldNotBeUsedIsNamed(t *testing.T) {
	net := coretest.Network(t, row("10.2.0.0/24: 10.77.0.1, default: b", "default: a", "default: b"))
	assert.Equal(t, "forwarding-loop, there, a: its TTL runs out in a loop between a and b; before that a could not use its route to "+
		"10.2.0.0/24: only the default route matches the next hop 10.77.0.1",
		says(t, net, pinged(t, net, "west", "10.2.0.10")))
}

// Each device that forwards lowers the TTL; two routers need three.
func TestTTL(t *testing.T) {
	net := coretest.Network(t, row("default: b", "left: a, right: c", "default: b"))
	west := coretest.Device(t, net.Spec, "west")
	for ttl, want := range map[int]string{
		1: "ttl-ran-out, there, a: its TTL runs out at a", 2: "ttl-ran-out, there, b: its TTL runs out at b",
		3: "ttl-ran-out, there, c: its TTL runs out at c", 4: "works",
	} {
		x := forward.PingBy(net, west, netip.Addr{}, netip.MustParseAddr("10.2.0.10"), model.None, forward.Probe{TTL: ttl})
		assert.Equal(t, want, says(t, net, x), "TTL %d", ttl)
	}
}

// equalCost is a square: a to d by b and by c alike.
func equalCost(routesC string) string {
	return `
segments: {ab: {prefix: 10.0.0.0/30}, ac: {prefix: 10.0.0.4/30}, bd: {prefix: 10.0.0.8/30}, cd: {prefix: 10.0.0.12/30}, end: {prefix: 10.9.0.0/24}}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: 1}, c: {segment: ac, address: 1}}, routes: {10.9.0.0/24: [{next-hop: b}, {next-hop: c, distance: 1}]}}
  b: {is: router, interfaces: {a: {segment: ab, address: 2}, d: {segment: bd, address: 1}}, routes: {10.9.0.0/24: d}}
  c: {is: router, interfaces: {a: {segment: ac, address: 2}, d: {segment: cd, address: 1}}, routes: {` + routesC + `}}
  d: {is: router, interfaces: {b: {segment: bd, address: 2}, c: {segment: cd, address: 2}, e: {segment: end, address: 1}}, routes: {default: b, 10.0.0.4/30: c, 10.0.0.0/30: b}}
`
}

func TestEqualCostWaysAreAllFollowed(t *testing.T) {
	net := coretest.Network(t, equalCost("10.9.0.0/24: d"))
	x := pinged(t, net, "a", "10.9.0.1")
	assert.Equal(t, forward.Works, x.Verdict())
	assert.Len(t, x.There.Nodes, 5, "a, b, d by b, c, d by c")
	assert.Len(t, x.Back, 2, "d answers 10.0.0.1, and 10.0.0.5 where it was asked by c")

	net = coretest.Network(t, equalCost("10.9.0.0/24: {discard: true}"))
	x = pinged(t, net, "a", "10.9.0.1")
	assert.Equal(t, forward.Depends, x.Verdict(), "by b it arrives, by c it does not")
	assert.Equal(t, "discarded, there, c: c discards what it has for 10.9.0.0/24", says(t, net, x))
}

func TestADuplicateAddressMayAnswerFromEither(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: 10.1.0.0/24}}
devices:
  h1: {is: host, interfaces: {p: {segment: lan, address: 5}}}
  h2: {is: host, interfaces: {p: {segment: lan, address: 5}}}
  pc: {is: host, interfaces: {p: {segment: lan, address: 9}}}
`)
	x := pinged(t, net, "pc", "10.1.0.5")
	assert.Len(t, x.Back, 2)
	assert.Equal(t, forward.Works, x.Verdict())
}

func TestSourceAddressIPv4(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: [10.1.0.0/24, 10.7.0.0/24]}}
devices:
  r: {is: router, loopback: 10.9.9.9, interfaces: {e: {segment: lan, address: [10.1.0.1/24, 10.7.0.1/24]}, u: {segment: lan, address: none}}, routes: {10.20.0.0/16: 10.7.0.2, 10.30.0.0/16: 10.1.0.2, 10.40.0.0/16: {out: u}}}
  n: {is: router, interfaces: {e: {segment: lan, address: [10.1.0.2/24, 10.7.0.2/24]}}, routes: {default: 10.1.0.1}}
`)
	r := coretest.Device(t, net.Spec, "r")
	for to, want := range map[string]string{
		"10.20.0.1": "10.7.0.1", // in the next hop's subnet
		"10.30.0.1": "10.1.0.1",
		"10.7.0.2":  "10.7.0.1",
		"10.40.0.1": "10.9.9.9", // the interface has none: the loopback's, before others', as a kernel chooses
		"10.9.9.9":  "10.9.9.9", // to itself
	} {
		got, ok := forward.Source(net, r, netip.MustParseAddr(to))
		assert.True(t, ok)
		assert.Equal(t, want, got.String(), to)
	}
	_, ok := forward.Source(net, r, netip.MustParseAddr("2001:db8::1"))
	assert.False(t, ok, "no IPv6 at all")
}

// Of IPv6 addresses on other interfaces that are equally good, the loopback's comes first: both share 40 bits with the target.
func TestOfEqualSourcesTheLoopbacksIsFirst(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: "2001:db8:3::/64"}, w: {}}
devices:
  r: {is: router, interfaces: {e: {segment: lan, address: 1}, u: {segment: w, address: none}}, loopback: "2001:db8:9:2::1",
    routes: {"2001:db8:ff:3::/64": {out: u}}}
`)
	got, ok := forward.Source(net, 0, netip.MustParseAddr("2001:db8:ff:3::"))
	assert.True(t, ok)
	assert.Equal(t, "2001:db8:9:2::1", got.String())
}

// RFC 6724 §5, one rule each, the examples of §10.1 where they are about
// addresses that do not change.
func TestSourceAddressIPv6(t *testing.T) {
	tests := []struct{ about, addresses, to, want string }{
		{"rule 1: the same address", `"2001:db8:1::1/64", "2001:db8:1::2/64"`, "2001:db8:1::2", "2001:db8:1::2"},
		{"rule 2: scope enough", `"fe80::1/64", "2001:db8:1::1/64"`, "2001:db8:9::1", "2001:db8:1::1"},
		{"rule 6: the same label", `"2001:db8:1::1/64", "fd00:1::1/64"`, "fd00:9::1", "fd00:1::1"},
		{"rule 6: the same label, the other way", `"fd00:1::1/64", "2001:db8:1::1/64"`, "2001:db8:9::1", "2001:db8:1::1"},
		{"rule 6: 6to4", `"2002:c633:6401::1/64", "2001:db8:1::1/64"`, "2002:c633:6499::9", "2002:c633:6401::1"},
		{"rule 8: the longest common prefix", `"2001:db8:1::1/64", "2001:db8:3ffe::1/64"`, "2001:db8:3fff::9", "2001:db8:3ffe::1"},
		{"else the first", `"2001:db8:4::1/64", "2001:db8:5::1/64"`, "3fff::1", "2001:db8:4::1"},
	}
	for _, tt := range tests {
		net := coretest.Network(t, `
segments: {lan: {prefix: "2001:db8:1::/64"}}
devices:
  r: {is: router, interfaces: {e: {segment: lan, address: [`+tt.addresses+`]}}, routes: {"::/0": {next-hop: "fe80::9", out: e}}}
`)
		got, ok := forward.Source(net, 0, netip.MustParseAddr(tt.to))
		assert.True(t, ok, tt.about)
		assert.Equal(t, tt.want, got.String(), tt.about)
	}
}

// A link with only link-local addresses borrows another interface's global one.
func TestSourceBorrowedFromAnotherInterface(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: "2001:db8:1::/64"}, link: {}}
devices:
  a: {is: router, interfaces: {lan: {segment: lan, address: first}, up: {segment: link, address: "fe80::a/64"}}, routes: {"::/0": {next-hop: "fe80::b", out: up}}}
  b: {is: router, loopback: "2001:db8:9::1", interfaces: {up: {segment: link, address: "fe80::b/64"}}, routes: {"2001:db8:1::/64": {next-hop: "fe80::a", out: up}}}
`)
	x := pinged(t, net, "a", "2001:db8:9::1")
	assert.Equal(t, "2001:db8:1::1", x.Source.String())
	assert.Equal(t, forward.Works, x.Verdict())
	tr := forward.Follow(net, x)
	assert.Equal(t, "2001:db8:9::1", tr.Hops[0].Answers[0].Address.String())
}

func TestLinkLocalIsNeverForwarded(t *testing.T) {
	net := coretest.Network(t, `
segments: {one: {}, two: {}}
devices:
  a: {is: router, interfaces: {p: {segment: one, address: "fe80::a/64"}}}
  b: {is: router, interfaces: {p: {segment: one, address: "fe80::b/64"}, q: {segment: two, address: "fe80::b/64"}}}
  c: {is: router, interfaces: {q: {segment: two, address: "fe80::c/64"}}}
`)
	spec := net.Spec
	a, p := coretest.Device(t, spec, "a"), coretest.Interface(t, spec, "a:p")
	near := forward.Ping(net, a, netip.Addr{}, netip.MustParseAddr("fe80::b"), p)
	assert.Equal(t, forward.Works, near.Verdict())
	assert.Equal(t, "fe80::a", near.Source.String())
	far := forward.Ping(net, a, netip.Addr{}, netip.MustParseAddr("fe80::c"), p)
	assert.Equal(t, forward.Fails, far.Verdict(), "c is on another link")
}

// traced is a traceroute in words: each hop's address and answer.
func traced(t testing.TB, net *forward.Network, from, to string) []string {
	t.Helper()
	tr := forward.Follow(net, pinged(t, net, from, to))
	family := prefix.FamilyOf(netip.MustParseAddr(to))
	var all []string
	for _, h := range tr.Hops {
		for _, a := range h.Answers {
			word := a.ICMP.Words(family)
			switch {
			case a.Silent:
				word = "silent"
			case a.Lost:
				word += ", lost"
			}
			all = append(all, strings.TrimSpace(fmt.Sprintf("%d %s %s: %s", h.TTL, net.Spec.Devices[a.Device].Name, a.Address, word)))
		}
	}
	if len(tr.Loop) > 0 {
		all = append(all, fmt.Sprintf("loop of %d", len(tr.Loop)))
	}
	return all
}

func TestTraceShowsWhoAnswersAtEachTTL(t *testing.T) {
	tests := []struct {
		about, a, b, c, to string
		want               []string
	}{
		{"in IPv4 from the interface it came in by", "default: b", "left: a, right: c", "default: b", "10.2.0.10",
			[]string{"1 a 10.1.0.1: time exceeded", "2 b 10.0.0.2: time exceeded", "3 c 10.0.0.6: time exceeded", "4 east 10.2.0.10: reply"}},
		{"in IPv6 from the address used towards the sender", "default: b", "left: a, right: c", "default: b", "2001:db8:2::a",
			[]string{"1 a 2001:db8:1::1: time exceeded", "2 b 2001:db8:a:0:ffff:ffff:ffff:ffff: time exceeded",
				"3 c 2001:db8:b::2: time exceeded", "4 east 2001:db8:2::a: reply"}},
		{"no route", "default: b", "left: a", "default: b", "10.2.0.10",
			[]string{"1 a 10.1.0.1: time exceeded", "2 b 10.0.0.2: network unreachable"}},
		{"no route in IPv6", "default: b", "left: a", "default: b", "2001:db8:2::a",
			[]string{"1 a 2001:db8:1::1: time exceeded", "2 b 2001:db8:a:0:ffff:ffff:ffff:ffff: no route to destination"}},
		{"a discard route is silent", "default: b", "left: a, right: {discard: true}", "default: b", "10.2.0.10",
			[]string{"1 a 10.1.0.1: time exceeded", "2 b invalid IP: silent"}},
		// The TTL runs out at c before it asks for the host; with one more it asks, in vain.
		{"nobody has the address", "default: b", "left: a, right: c", "default: b", "10.2.0.99",
			[]string{"1 a 10.1.0.1: time exceeded", "2 b 10.0.0.2: time exceeded", "3 c 10.0.0.6: time exceeded",
				"4 c 10.0.0.6: host unreachable"}},
		{"nobody has the IPv6 address", "default: b", "left: a, right: c", "default: b", "2001:db8:2::99",
			[]string{"1 a 2001:db8:1::1: time exceeded", "2 b 2001:db8:a:0:ffff:ffff:ffff:ffff: time exceeded",
				"3 c 2001:db8:b::2: time exceeded", "4 c 2001:db8:b::2: address unreachable"}},
		{"an error lost on its own way back", "default: b", "right: c", "right: b, left: b", "10.2.0.10",
			[]string{"1 a 10.1.0.1: time exceeded", "2 b 10.0.0.2: time exceeded, lost", "3 c 10.0.0.6: time exceeded, lost",
				"4 east 10.2.0.10: reply, lost"}},
		{"a loop is told once", "default: b", "default: a", "default: b", "10.2.0.10",
			[]string{"1 a 10.1.0.1: time exceeded", "2 b 10.0.0.2: time exceeded", "3 a 10.0.0.1: time exceeded", "4 b 10.0.0.2: time exceeded",
				"loop of 2"}},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, traced(t, coretest.Network(t, row(tt.a, tt.b, tt.c)), "west", tt.to), tt.about)
	}
}

func TestWhereErrorsComeFromIsASetting(t *testing.T) {
	// b hears from west by l and would answer by r.
	plan := strings.Replace(row("default: b", "left: a, right: c", "default: b"), "left: a, right: c", "10.1.0.0/24: c, right: c", 1)
	assert.Equal(t, "2 b 10.0.0.2: time exceeded, lost", traced(t, coretest.Network(t, plan), "west", "10.2.0.10")[1])
	assert.Equal(t, "2 b 10.0.0.5: time exceeded, lost",
		traced(t, coretest.Network(t, "settings: {error-source: towards-sender}\n"+plan), "west", "10.2.0.10")[1])
}

// aside is a network in which b hears from h by x, and answers by y.
const aside = `segments: {l: {prefix: "2001:db8:1::/64"}, x: {prefix: "2001:db8:2::/64"}, y: {prefix: "2001:db8:3::/64"}}
devices:
  h: {is: host, interfaces: {p: {segment: l, address: 9}}, gateway: a}
  a: {is: router, interfaces: {l: {segment: l, address: 1}, x: {segment: x, address: 1}, y: {segment: y, address: 1}}, routes: {"2001:db8:9::/48": "2001:db8:2::2"}}
  b: {is: router, interfaces: {x: {segment: x, address: 2}, y: {segment: y, address: 2}}, routes: {"2001:db8:1::/64": "2001:db8:3::1"}}
`

// A reply that leaves by another interface than the request came in by is told.
func TestRepliesThatLeaveElsewhere(t *testing.T) {
	for to, want := range map[string][]string{"2001:db8:2::2": {"b:x", "b:y"}, "2001:db8:3::2": nil, "2001:db8:2::1": nil} {
		net := coretest.Network(t, strings.Replace(aside, `"2001:db8:2::2"}}`, `"2001:db8:2::2", "2001:db8:3::2/128": "2001:db8:3::2"}}`, 1))
		x := forward.Ping(net, coretest.Device(t, net.Spec, "h"), netip.Addr{}, netip.MustParseAddr(to), model.None)
		assert.Equal(t, forward.Works, x.Verdict(), to)
		var got []string
		if in, out, elsewhere := x.Elsewhere(); elsewhere {
			got = []string{net.Spec.Label(in), net.Spec.Label(out)}
		}
		assert.Equal(t, want, got, to)
	}
}

// In IPv6 too, where unless set they come from what is used towards the sender.
func TestWhereIPv6ErrorsComeFromIsASetting(t *testing.T) {
	for settings, want := range map[string]string{
		"": "2001:db8:3::2", "settings: {error-source: towards-sender}\n": "2001:db8:3::2",
		"settings: {error-source: {ipv6: towards-sender}}\n":                 "2001:db8:3::2",
		"settings: {error-source: incoming}\n":                               "2001:db8:2::2",
		"settings: {error-source: {ipv6: incoming, ipv4: towards-sender}}\n": "2001:db8:2::2",
		"settings: {error-source: {ipv4: incoming}}\n":                       "2001:db8:3::2",
	} {
		assert.Equal(t, "2 b "+want+": no route to destination", traced(t, coretest.Network(t, settings+aside), "h", "2001:db8:9::9")[1],
			settings)
	}
}

// A device whose interface has no link does not answer for its address, unless it is set
// that it does, as Linux does; one that is switched off never.
func TestAnswersWithoutLinkIsASetting(t *testing.T) {
	plan := `segments: {l: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, x: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}}
devices:
  h: {is: host, interfaces: {p: {segment: l, address: 9}}, gateway: r}
  r: {is: router, interfaces: {l: {segment: l, address: 1}, x: {segment: x, address: 1}}}
  f: {is: host, interfaces: {p: {segment: x, address: 9, admin: down}}}
cables: [h:p to r:l, r:x to f:p]
`
	for _, to := range []string{"10.2.0.1", "2001:db8:2::1"} {
		verdict := func(plan string) forward.Verdict {
			net := coretest.Network(t, plan)
			return forward.Ping(net, coretest.Device(t, net.Spec, "h"), netip.Addr{}, netip.MustParseAddr(to), model.None).Verdict()
		}
		set := "settings: {answers-without-link: true}\n"
		assert.Equal(t, forward.Fails, verdict(plan), to)
		assert.Equal(t, forward.Works, verdict(set+plan), to)
		assert.Equal(t, forward.Fails, verdict(set+
			strings.Replace(plan, "x: {segment: x, address: 1}", "x: {segment: x, address: 1, admin: down}", 1)), to)
		assert.Equal(t, forward.Fails, verdict(set+"must: []\n"+
			strings.Replace(strings.Replace(plan, "r:l,", "r:x,", 1), "r:x to f:p", "r:l to f:p", 1)), "no way to it")
	}
}

// A packet is looked up in the table of the interface it came in by, what a
// device itself sends in its main one, and neither knows the other's routes.
func TestTablesByName(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {in: {prefix: 10.1.0.0/24}, apart: {prefix: 10.2.0.0/24}, out: {prefix: 10.3.0.0/24}}
devices:
  r: {is: router, interfaces: {i: {segment: in, address: 1}, m: {segment: apart, address: 1}, o: {segment: out, address: 1}}, routes: {default: 10.3.0.9, 10.9.0.0/16: 10.2.0.9}}
  n: {is: router, interfaces: {o: {segment: out, address: 9}}, routes: {default: r}}
`)
	spec.Interfaces[coretest.Interface(t, spec, "r:m")].Table = "manage"
	for i := range spec.Statics {
		if spec.Statics[i].To.Bits() == 16 {
			spec.Statics[i].Table = "manage"
		}
	}
	topology := network.Build(spec)
	net := forward.Answered(topology.State())
	r, i, m := coretest.Device(t, spec, "r"), coretest.Interface(t, spec, "r:i"), coretest.Interface(t, spec, "r:m")
	matched := func(net *forward.Network, in model.InterfaceID, to string) string {
		d := forward.Decide(net, forward.At{Device: r, In: in}, forward.FlowTo(netip.MustParseAddr("10.1.0.7"), netip.MustParseAddr(to)))
		if d.Action == forward.NoRoute {
			return "no route"
		}
		return d.Match.Prefix.String()
	}
	for _, in := range []model.InterfaceID{i, model.None} {
		assert.Equal(t, "0.0.0.0/0", matched(net, in, "10.9.0.1"), "the main table does not know the other's route")
		assert.Equal(t, "0.0.0.0/0", matched(net, in, "10.2.0.5"), "nor its subnet")
	}
	assert.Equal(t, "10.9.0.0/16", matched(net, m, "10.9.0.1"))
	assert.Equal(t, "10.2.0.0/24", matched(net, m, "10.2.0.5"))
	assert.Equal(t, "no route", matched(net, m, "10.3.0.5"), "nor has the other the main one's")

	_, ok := net.Named(routing.Key{Device: r, Name: "manage"})
	assert.True(t, ok)
	_, ok = net.Named(routing.Key{Device: r, Name: "none"})
	assert.False(t, ok)

	f, err := topology.FailureNamed("r:m")
	require.NoError(t, err)
	down := net.Update(topology.State(f))
	assert.Equal(t, "no route", matched(down, m, "10.9.0.1"), "worked out anew when its interface goes")
	assert.Equal(t, "10.9.0.0/16", matched(net, m, "10.9.0.1"), "and the first tables are as they were")
}

func TestDecideAllocatesNothing(t *testing.T) {
	net := coretest.Network(t, row("default: b", "left: a, right: c", "default: b"))
	at := forward.At{Device: coretest.Device(t, net.Spec, "b"), In: coretest.Interface(t, net.Spec, "b:l")}
	f := forward.FlowTo(netip.MustParseAddr("10.1.0.10"), netip.MustParseAddr("10.2.0.10"))
	assert.Zero(t, testing.AllocsPerRun(100, func() { forward.Decide(net, at, f) }))
}

// naiveArrives carries one packet hop by hop with plain scans of the spec's
// lists, no tables, no graph: an oracle for networks without equal cost.
func naiveArrives(spec *model.Spec, s *network.State, from model.DeviceID, to netip.Addr) bool {
	at := from
	for range forward.DefaultTTL {
		bits, distance := -1, 1000
		next, out := netip.Addr{}, model.InterfaceID(model.None)
		for _, id := range spec.InterfacesOf(at) {
			for _, a := range spec.Interfaces[id].Addresses {
				if !s.IsUp(id) {
					continue
				}
				if a.Addr() == to {
					return true
				}
				if a.Contains(to) && a.Bits() > bits {
					bits, distance, next, out = a.Bits(), 0, to, id
				}
			}
		}
		for _, r := range spec.Statics {
			if r.Device != at || !r.To.Contains(to) || r.To.Bits() < bits || r.To.Bits() == bits && int(r.Distance) >= distance {
				continue
			}
			for _, id := range spec.InterfacesOf(at) {
				for _, a := range spec.Interfaces[id].Addresses {
					if s.IsUp(id) && a.Contains(r.Via) && a.Addr() != r.Via {
						bits, distance, next, out = r.To.Bits(), int(r.Distance), r.Via, id
					}
				}
			}
		}
		if bits < 0 {
			return false
		}
		found := model.DeviceID(model.None)
		for id := range spec.Interfaces {
			i := &spec.Interfaces[id]
			for _, a := range i.Addresses {
				if a.Addr() == next && i.Segment == spec.Interfaces[out].Segment && s.IsUp(model.InterfaceID(id)) {
					found = i.Device
				}
			}
		}
		if found == model.None {
			return false
		}
		at = found
	}
	return false
}

// randomRing is routers joined at random by wires, with random routes: many
// wrong, some down.
func randomRing(r *rand.Rand) string {
	n := 3 + r.IntN(4)
	var segments, devices strings.Builder
	interfaces := make([][]string, n)
	neighbours := make([][]string, n)
	link := 0
	for a := range n {
		for b := a + 1; b < n; b++ {
			if b != a+1 && r.IntN(3) > 0 {
				continue
			}
			fmt.Fprintf(&segments, "  l%d: {prefix: 10.0.%d.0/30}\n", link, link)
			for k, d := range []int{a, b} {
				down := ""
				if r.IntN(12) == 0 {
					down = ", admin: down"
				}
				interfaces[d] = append(interfaces[d], fmt.Sprintf("l%d: {segment: l%d, address: %d%s}", link, link, k+1, down))
				neighbours[d] = append(neighbours[d], fmt.Sprintf("10.0.%d.%d", link, 2-k))
			}
			link++
		}
	}
	for d := range n {
		fmt.Fprintf(&segments, "  lan%d: {prefix: 10.1.%d.0/24}\n", d, d)
		interfaces[d] = append(interfaces[d], fmt.Sprintf("lan: {segment: lan%d, address: 1}", d))
		var routes []string
		for to := range n {
			if to == d || r.IntN(6) == 0 {
				continue
			}
			hop := neighbours[d][r.IntN(len(neighbours[d]))]
			if r.IntN(2) == 0 {
				hop = "[" + hop + ", " + neighbours[d][r.IntN(len(neighbours[d]))] + "]"
			}
			routes = append(routes, fmt.Sprintf("10.1.%d.0/%d: %s", to, 22+r.IntN(3), hop))
		}
		if r.IntN(2) == 0 {
			routes = append(routes, "default: "+neighbours[d][0])
		}
		seen := map[string]bool{}
		var unique []string
		for _, x := range routes {
			if key, _, _ := strings.Cut(x, ": "); !seen[key] && !strings.Contains(key, "/22") && !strings.Contains(key, "/23") {
				seen[key] = true
				unique = append(unique, x)
			}
		}
		fmt.Fprintf(&devices, "  r%d: {is: router, interfaces: {%s}, routes: {%s}}\n", d, strings.Join(interfaces[d], ", "),
			strings.Join(unique, ", "))
	}
	return "segments:\n" + segments.String() + "devices:\n" + devices.String()
}

func TestWalksAgreeWithAPacketCarriedByHand(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	arrived, lost := 0, 0
	for range 400 {
		text := randomRing(r)
		net := coretest.Network(t, text)
		spec := net.Spec
		for from := range spec.Devices {
			for to := range spec.Devices {
				target := netip.AddrFrom4([4]byte{10, 1, byte(to), 1})
				g := forward.Walk(net, forward.Sender(model.DeviceID(from)), forward.FlowTo(target, target))
				want := naiveArrives(spec, net.State, model.DeviceID(from), target)
				require.Equal(t, want, g.Verdict() == forward.Works, "r%d to r%d in\n%s", from, to, text)
				if want {
					arrived++
				} else {
					lost++
				}
			}
		}
	}
	assert.Greater(t, arrived, 1000)
	assert.Greater(t, lost, 1000)
}

// 'next' is the primary address beside a secondary that is written out, in either
// order of getting them, and an error comes from the primary (RFC 1812 §4.3.2.4
// leaves the choice among an interface's own to us).
func TestNextIsThePrimary(t *testing.T) {
	for _, address := range []string{"address: next, ", "", "address: first, "} {
		net := coretest.Network(t, `
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}
devices:
  r: {is: router, interfaces: {e0: {segment: a, `+address+`secondary: 10.1.0.200/24}, e1: {segment: b, address: 1}}}
  h: {is: host, interfaces: {p: {segment: a, address: 9}}, gateway: 10.1.0.1}
`)
		i := net.Spec.Interfaces[coretest.Interface(t, net.Spec, "r:e0")]
		require.Len(t, i.Addresses, 2, address)
		assert.Equal(t, "10.1.0.1", i.Addresses[0].Addr().String())
		assert.False(t, i.Addresses[0].Secondary)
		assert.Equal(t, "10.1.0.1", i.Primary().String())
		tr := forward.Follow(net, forward.Ping(net, coretest.Device(t, net.Spec, "h"), netip.Addr{}, netip.MustParseAddr("10.9.0.1"),
			model.None))
		require.NotEmpty(t, tr.Hops)
		assert.Equal(t, "10.1.0.1", tr.Hops[0].Answers[0].Address.String(), "an error comes from the primary")
	}
}
