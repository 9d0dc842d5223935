package forward_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// harbour is a LAN, a device that judges and translates, and a world that knows no
// way to the LAN:
//
//	pc 10.1.0.10, pc2 .11 --- fw --- 198.51.100.0/29 --- w (192.0.2.0/24 beyond)
const harbour = `
segments:
  lan: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  up: {prefix: [198.51.100.0/29, "2001:db8:ca::/64"]}
devices:
  pc: {is: host, gateway: fw, interfaces: {p: {segment: lan, address: 10}}}
  pc2: {is: host, gateway: fw, interfaces: {p: {segment: lan, address: 11}}}
  fw:
    is: KIND
    interfaces: {l: {segment: lan, address: first}, u: {segment: up, address: 2}}
    routes: {default: w}
    POLICY
  w: {is: world, beyond: [192.0.2.0/24, "2001:db8:ffff::/48"], interfaces: {u: {segment: up, address: first}}, routes: {"2001:db8:1::/64": fw}}
`

func harbourOf(t *testing.T, kind, policy string) *forward.Network {
	return coretest.Network(t, strings.NewReplacer("KIND", kind, "POLICY", policy).Replace(harbour))
}

func pingedOver(t *testing.T, net *forward.Network, from, source, to, over string) *forward.Exchange {
	t.Helper()
	s, err := model.ParseService(over)
	require.NoError(t, err)
	src := netip.Addr{}
	if source != "" {
		src = netip.MustParseAddr(source)
	}
	return forward.PingBy(net, coretest.Device(t, net.Spec, from), src, netip.MustParseAddr(to), model.None, forward.Probe{Over: s})
}

// outcome is what becomes of a ping: works, or the finding and the way.
func outcome(t *testing.T, net *forward.Network, from, source, to, over string) string {
	x := pingedOver(t, net, from, source, to, over)
	f, failing := x.Failure(net)
	switch {
	case !failing:
		return x.Verdict().String()
	case f.Back:
		return string(f.Name) + " back"
	}
	return string(f.Name) + " there"
}

const far6 = "2001:db8:ffff::9"

// What a firewall passes, sentence by sentence; IPv6, where nothing is translated.
func TestPermitsDecideInOrder(t *testing.T) {
	for _, tt := range []struct{ name, kind, policy, from, to, over, want string }{
		{"a firewall forwards only what is permitted", "firewall", "", "pc", far6, "icmp", "filtered-out there"},
		{"permitted, and replies come back by state", "firewall", "permits: [lan may reach anyone]", "pc", far6, "icmp", "works"},
		{"not the other path", "firewall", "permits: [lan may reach anyone]", "w", "2001:db8:1::a", "icmp", "filtered-out there"},
		{"the first that matches it decides", "firewall", "permits: [pc may not reach anyone, lan may reach anyone]", "pc", far6, "icmp",
			"filtered-out there"},
		{"of another it does not speak", "firewall", "permits: [pc may not reach anyone, lan may reach anyone]", "pc2", far6, "icmp", "works"},
		{"refused is told", "firewall", "permits: [pc is refused anyone, lan may reach anyone]", "pc", far6, "icmp", "refused-by-permit there"},
		{"the rest may be refused too", "firewall", "otherwise: refuse", "pc", far6, "icmp", "refused-by-permit there"},
		{"by service", "firewall", "permits: [lan may reach anyone over tcp/443]", "pc", far6, "tcp/443", "works"},
		{"another service", "firewall", "permits: [lan may reach anyone over tcp/443]", "pc", far6, "tcp/80", "filtered-out there"},
		{"ping is another service", "firewall", "permits: [lan may reach anyone over tcp/443]", "pc", far6, "icmp", "filtered-out there"},
		{"a range of ports", "firewall", "permits: [lan may reach anyone over udp/50..60]", "pc", far6, "udp/53", "works"},
		{"by the interface it comes in by", "firewall", "permits: [{permit: anyone may reach anyone, in: u}]", "pc", far6, "icmp",
			"filtered-out there"},
		{"and the one it leaves by", "firewall", "permits: [{permit: anyone may reach anyone, in: l, out: u}]", "pc", far6, "icmp", "works"},
		{"a pending one is not in force", "firewall", "permits: [{permit: lan may reach anyone, pending: true}]", "pc", far6, "icmp",
			"filtered-out there"},
		{"a router passes what it does not cover", "router", "permits: [pc2 may not reach anyone]", "pc", far6, "icmp", "works"},
		{"without state a reply is judged for itself", "router", "otherwise: drop, permits: [lan may reach anyone]", "pc", far6, "icmp",
			"filtered-out back"},
		{"and permitted as one", "router", "otherwise: drop, permits: [lan may reach anyone, anyone may answer lan]", "pc", far6, "icmp",
			"works"},
		{"which lets in nothing that begins there", "router", "otherwise: drop, permits: [lan may reach anyone, anyone may answer lan]", "w",
			"2001:db8:1::a", "icmp", "filtered-out there"},
		{"a reply over tcp is sent to no service's port", "router",
			"otherwise: drop, permits: [lan may reach anyone, anyone may reach lan over tcp/443]", "pc", far6, "tcp/443", "filtered-out back"},
		{"but to one of those that requests come from", "router",
			"otherwise: drop, permits: [lan may reach anyone, anyone may reach lan over tcp/49152..65535]", "pc", far6, "tcp/443", "works"},
		{"answers of one service only", "router", "otherwise: drop, permits: [lan may reach anyone, anyone may answer lan over tcp/443]", "pc",
			far6, "tcp/80", "filtered-out back"},
		{"ping and its reply are both icmp", "router", "otherwise: drop, permits: [anyone may reach anyone over icmp]", "pc", far6, "icmp",
			"works"},
		{"what is for the device itself has permits of its own", "firewall", "own-permits: [pc may reach itself]", "pc", "2001:db8:1::1",
			"icmp", "works"},
		{"of others nothing is said, and the rest is dropped", "firewall", "own-permits: [pc may reach itself]", "pc2", "2001:db8:1::1", "icmp",
			"filtered-out there"},
		{"without any, all gets in", "firewall", "", "pc2", "2001:db8:1::1", "icmp", "works"},
		{"what it sends has its own too", "firewall", "own-permits: [itself may not reach anyone]", "fw", far6, "icmp", "filtered-out there"},
		{"and its replies go by state", "firewall", "own-permits: [anyone may reach itself, itself may not reach anyone]", "pc",
			"2001:db8:1::1", "icmp", "works"},
		{"without state they do not", "router", "own-permits: [itself may not reach anyone]", "pc", "2001:db8:1::1", "icmp",
			"filtered-out back"},
	} {
		policy := strings.ReplaceAll(tt.policy, "drop, permits", "drop\n    permits")
		assert.Equal(t, tt.want, outcome(t, harbourOf(t, tt.kind, policy), tt.from, "", tt.to, tt.over), tt.name)
	}
}

// Order at a device (the design's §7): the destination is translated, then looked
// up, then judged with its source as it came, then the source is translated.
func TestPermitsSeeTheTranslatedDestinationAndTheOriginalSource(t *testing.T) {
	const one = "translates: [pc is 198.51.100.3 beyond u]\n    "
	assert.Equal(t, "works", outcome(t, harbourOf(t, "firewall", one+"permits: [anyone may reach 10.1.0.10]"), "w", "", "198.51.100.3",
		"icmp"))
	assert.Equal(t, "filtered-out there",
		outcome(t, harbourOf(t, "firewall", one+"permits: [anyone may reach 198.51.100.3]"), "w", "", "198.51.100.3", "icmp"))
	assert.Equal(t, "works", outcome(t, harbourOf(t, "firewall", one+"permits: [10.1.0.10 may reach anyone]"), "pc", "", "192.0.2.9", "icmp"))
	assert.Equal(t, "filtered-out there",
		outcome(t, harbourOf(t, "firewall", one+"permits: [198.51.100.3 may reach anyone]"), "pc", "", "192.0.2.9", "icmp"))
}

func TestTranslations(t *testing.T) {
	for _, tt := range []struct{ name, policy, from, source, to, want string }{
		{"the world knows no way to private addresses", "", "pc", "", "192.0.2.9", "no-route back"},
		{"one to one, outwards", "translates: [pc is 198.51.100.3 beyond u]", "pc", "", "192.0.2.9", "works"},
		{"of others it does not speak", "translates: [pc is 198.51.100.3 beyond u]", "pc2", "", "192.0.2.9", "no-route back"},
		{"one to one, inwards, by ARP of the translator", "translates: [pc is 198.51.100.3 beyond u]", "w", "", "198.51.100.3", "works"},
		{"from an address further on", "translates: [pc is 198.51.100.3 beyond u]", "w", "192.0.2.9", "198.51.100.3", "works"},
		{"from inside it stands for nobody", "translates: [pc is 198.51.100.3 beyond u]", "pc2", "", "198.51.100.3", "address-silent there"},
		{"sharing the interface's address", "translates: [lan shares u]", "pc2", "", "192.0.2.9", "works"},
		{"and the interface stays its own", "translates: [lan shares u]", "w", "", "198.51.100.2", "works"},
		{"sharing another address", "translates: [lan shares 198.51.100.4 beyond u]", "pc2", "", "192.0.2.9", "works"},
		{"by which nothing that begins outside gets in", "translates: [lan shares 198.51.100.4 beyond u]", "w", "", "198.51.100.4",
			"address-silent there"},
		{"each takes one of its own", "translates: [lan takes 198.51.100.4..198.51.100.5 beyond u]", "pc2", "", "192.0.2.9", "works"},
		{"while there are any", "translates: [lan takes 198.51.100.4..198.51.100.4 beyond u]", "pc2", "", "192.0.2.9", "no-address-left there"},
		{"whoever comes first has one", "translates: [lan takes 198.51.100.4..198.51.100.4 beyond u]", "pc", "", "192.0.2.9", "works"},
		{"the first sentence that matches it", "translates: [pc is 198.51.100.3 beyond u, lan shares u]", "pc", "", "192.0.2.9", "works"},
		{"a prefix for a prefix", "translates: [10.1.0.8/30 is 198.51.100.4/30 beyond u]", "w", "", "198.51.100.6", "works"},
		{"IPv6 likewise", `translates: ["2001:db8:1::/64 is 2001:db8:ca:1::/64 beyond u"]`, "w", "", "2001:db8:ca:1::a", "no-route there"},
	} {
		assert.Equal(t, tt.want, outcome(t, harbourOf(t, "router", tt.policy), tt.from, tt.source, tt.to, "icmp"), tt.name)
	}
	x := pingedOver(t, harbourOf(t, "router", "translates: [10.1.0.8/30 is 198.51.100.4/30 beyond u]"), "pc", "", "192.0.2.9", "icmp")
	assert.Equal(t, "198.51.100.6", x.There.Nodes[len(x.There.Nodes)-1].Source.String(), "the third of the one is the third of the other")
	back := x.Back[0]
	assert.Equal(t, "10.1.0.10", back.Nodes[len(back.Nodes)-1].Destination.String(), "undone on the return path")
}

// Ports that are asked for outside lead to those inside: at an address of its own or at the translator's.
func TestPortsAreTranslated(t *testing.T) {
	const own = "translates: [pc:443 is u:8443 beyond u]"
	const other = "translates: [pc:8000..8010 is 198.51.100.3:9000..9010 beyond u, lan shares u]"
	const judged = "keeps-state: true\n    otherwise: drop\n    permits: [anyone may reach pc over tcp/443]\n    " + own
	const stateless = "otherwise: drop\n    permits: [anyone may reach pc over tcp/443, pc may answer anyone over tcp/443]\n    " + own
	for _, tt := range []struct{ name, policy, from, to, over, want string }{
		{"at the translator's own address", own, "w", "198.51.100.2", "tcp/8443", "works"},
		{"by state", judged, "w", "198.51.100.2", "tcp/8443", "works"},
		{"permits see the port inside", strings.Replace(judged, "tcp/443", "tcp/8443", 1), "w",
			"198.51.100.2", "tcp/8443", "filtered-out there"},
		{"without state the reply is of the port inside", stateless, "w", "198.51.100.2", "tcp/8443", "works"},
		{"and of none else", strings.Replace(stateless, "may answer anyone over tcp/443", "may answer anyone over tcp/8443", 1), "w",
			"198.51.100.2", "tcp/8443", "filtered-out back"},
		{"from inside it is the translator's", "answers: [ping]\n    " + own, "pc2", "198.51.100.2", "tcp/8443", "service-not-answered there"},
		{"another port is the translator's", "answers: [ping]\n    " + own, "w", "198.51.100.2", "tcp/443", "service-not-answered there"},
		{"another protocol, too", "answers: [ping]\n    " + own, "w", "198.51.100.2", "udp/8443", "service-not-answered there"},
		{"as is a ping", own, "w", "198.51.100.2", "icmp", "works"},
		{"at an address that it answers for", other, "w", "198.51.100.3", "tcp/9003", "works"},
		{"which has no other ports", other, "w", "198.51.100.3", "tcp/9011", "address-silent there"},
		{"and no ping", other, "w", "198.51.100.3", "icmp", "address-silent there"},
		{"what begins inside is not of it", own, "pc", "192.0.2.9", "tcp/443", "no-route back"},
		{"over udp where that is said", "translates: [pc:53 is u:5300 beyond u over udp]", "w", "198.51.100.2", "udp/5300", "works"},
	} {
		assert.Equal(t, tt.want, outcome(t, harbourOf(t, "router", tt.policy), tt.from, "", tt.to, tt.over), tt.name)
	}
	x := pingedOver(t, harbourOf(t, "router", other), "w", "", "198.51.100.3", "tcp/9003")
	assert.Equal(t, "tcp/8003", x.There.Nodes[len(x.There.Nodes)-1].Over.String(), "the fourth of the one is the fourth of the other")
	assert.Equal(t, "tcp/9003", x.Back[0].Nodes[len(x.Back[0].Nodes)-1].Over.String(), "undone on the return path")
}

// An address outside of every subnet of the translator has to be routed to it.
func TestTranslatedAddressesAreRoutedTo(t *testing.T) {
	const policy = "translates: [pc is 203.0.113.7 beyond u]"
	net := harbourOf(t, "router", policy)
	assert.Equal(t, "no-route back", outcome(t, net, "pc", "", "192.0.2.9", "icmp"))
	with := coretest.Network(t, strings.NewReplacer("KIND", "router", "POLICY", policy, `"2001:db8:1::/64": fw`,
		"203.0.113.0/24: fw").Replace(harbour))
	assert.Equal(t, "works", outcome(t, with, "pc", "", "192.0.2.9", "icmp"))
	assert.Equal(t, "works", outcome(t, with, "w", "", "203.0.113.7", "icmp"))
}

// Errors about a permitted flow pass, with their inner header translated, and from
// the address asked where that was translated.
func TestErrorsComeBackThroughATranslator(t *testing.T) {
	const behind = `
segments: {lan: {prefix: 10.1.0.0/24}, mid: {prefix: 10.2.0.0/24}, up: {prefix: 198.51.100.0/29}, far: {prefix: 192.0.2.0/24}}
devices:
  pc: {is: host, gateway: r, interfaces: {p: {segment: lan, address: 10}}}
  r: {is: router, interfaces: {l: {segment: lan, address: first}, m: {segment: mid, address: 2}}, routes: {default: fw}}
  fw: {is: firewall, permits: [anyone may reach anyone], translates: [pc is 198.51.100.3 beyond u], interfaces: {m: {segment: mid, address: first}, u: {segment: up, address: 2}}, routes: {lan: r, default: w}}
  w: {is: router, interfaces: {u: {segment: up, address: first}, f: {segment: far, address: first}}}
  s: {is: host, gateway: w, interfaces: {p: {segment: far, address: 9}}}
`
	hops := func(from, to string) []string {
		net := coretest.Network(t, behind)
		var all []string
		for _, h := range forward.Follow(net, pingedOver(t, net, from, "", to, "icmp")).Hops {
			for _, a := range h.Answers {
				text := net.Spec.Devices[a.Device].Name + " " + a.Address.String() + " " + a.ICMP.Words(prefix.IPv4)
				if a.Lost || a.Silent {
					text = net.Spec.Devices[a.Device].Name + " nothing"
				}
				all = append(all, text)
			}
		}
		return all
	}
	assert.Equal(t, []string{"r 10.1.0.1 time exceeded", "fw 10.2.0.1 time exceeded", "w 198.51.100.1 time exceeded", "s 192.0.2.9 reply"},
		hops("pc", "192.0.2.9"), "w's is about the translated packet, and gets back to its sender")
	assert.Equal(t, []string{"w 192.0.2.1 time exceeded", "fw 198.51.100.3 time exceeded", "r 198.51.100.3 time exceeded",
		"pc 198.51.100.3 reply"}, hops("s", "198.51.100.3"), "nobody inside shows its own address")
	assert.Equal(t, []string{"r 10.1.0.1 time exceeded", "fw 10.2.0.1 time exceeded", "w 198.51.100.1 network unreachable"},
		hops("pc", "203.0.113.9"))
}

// State is per device: a reply that comes by another firewall is dropped; and one
// whose translation nobody undoes is not taken for the reply.
func TestRepliesByAnotherWay(t *testing.T) {
	const two = `
segments: {lan: {prefix: 10.1.0.0/24}, far: {prefix: 10.9.0.0/24}}
devices:
  pc: {is: host, gateway: a, interfaces: {p: {segment: lan, address: 10}}}
  s: {is: host, gateway: GATE, interfaces: {p: {segment: far, address: 10}}}
  a: {is: KIND, permits: [anyone may reach anyone], interfaces: {l: {segment: lan, address: 1}, f: {segment: far, address: 1}}TRANSLATES}
  b: {is: firewall, permits: [anyone may reach anyone], interfaces: {l: {segment: lan, address: 2}, f: {segment: far, address: 2}}}
`
	of := func(kind, gate, translates string) *forward.Network {
		return coretest.Network(t, strings.NewReplacer("KIND", kind, "GATE", gate, "TRANSLATES", translates).Replace(two))
	}
	assert.Equal(t, "works", outcome(t, of("firewall", "a", ""), "pc", "", "10.9.0.10", "icmp"))
	assert.Equal(t, "request-never-seen back", outcome(t, of("firewall", "b", ""), "pc", "", "10.9.0.10", "icmp"))
	assert.Equal(t, "request-never-seen back", outcome(t, of("firewall", "b", ""), "pc", "", "10.9.0.10", "tcp/443"))
	assert.Equal(t, "works", outcome(t, of("firewall", "b", ""), "pc", "", "10.9.0.10", "udp/53"),
		"over udp a reply looks like any packet, and is permitted as one")
	// a gives pc2's address away as another; s asks for it and hears of it by b, untranslated.
	translated := of("router", "b", ", translates: [pc is 10.9.0.77 beyond f]")
	x := pingedOver(t, translated, "s", "", "10.9.0.77", "icmp")
	require.Equal(t, forward.Works, x.Verdict(), "a's own answer is translated back")
	away := coretest.Network(t, strings.NewReplacer("gateway: a,",
		"gateway: b,").Replace(strings.NewReplacer("KIND", "router", "GATE", "b", "b: {is: firewall", "b: {is: router", "TRANSLATES",
		", translates: [pc is 10.9.0.77 beyond f]").Replace(two)))
	assert.Equal(t, "reply-from-elsewhere back", outcome(t, away, "s", "", "10.9.0.77", "icmp"))
}

// With equal-cost paths, a firewall on one of them knows only what went by it:
// whether the reply passes depends on the flow.
func TestStateOnOneOfTwoEqualWays(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: 10.1.0.0/24}, ab: {prefix: 10.0.0.0/31}, ac: {prefix: 10.0.0.2/31}, bd: {prefix: 10.0.0.4/31}, cd: {prefix: 10.0.0.6/31}, far: {prefix: 10.9.0.0/24}}
devices:
  pc: {is: host, gateway: a, interfaces: {p: {segment: lan, address: 10}}}
  a: {is: router, interfaces: {l: {segment: lan, address: 1}, b: {segment: ab, address: first}, c: {segment: ac, address: first}}, routes: {far: [{next-hop: b}, {next-hop: c, distance: 1}]}}
  b: {is: firewall, permits: [anyone may reach anyone], interfaces: {a: {segment: ab, address: last}, d: {segment: bd, address: first}}, routes: {far: d, lan: a}}
  c: {is: router, interfaces: {a: {segment: ac, address: last}, d: {segment: cd, address: first}}, routes: {far: d, lan: a}}
  d: {is: router, interfaces: {b: {segment: bd, address: last}, c: {segment: cd, address: last}, f: {segment: far, address: 1}}, routes: {lan: b}}
  s: {is: host, gateway: d, interfaces: {p: {segment: far, address: 10}}}
`)
	x := pingedOver(t, net, "pc", "", "10.9.0.10", "icmp")
	assert.Equal(t, forward.Depends, x.Verdict())
	require.Len(t, x.Back, 2, "one for each way there that b remembers otherwise")
	f, failing := x.Failure(net)
	assert.True(t, failing)
	assert.Equal(t, "b drops the reply over icmp from 10.9.0.10 to 10.1.0.10: it never saw the request that this belongs to", f.Words(net))
}

// A directed broadcast is not passed on (RFC 2644).
func TestDirectedBroadcastsAreNotPassedOn(t *testing.T) {
	net := harbourOf(t, "router", "")
	x := pingedOver(t, net, "w", "", "198.51.100.7", "icmp")
	f, _ := x.Failure(net)
	assert.Equal(t, "198.51.100.7 is the broadcast address of up, not a machine's", f.Words(net))
	at := pingedOver(t, net, "pc", "", "198.51.100.7", "icmp")
	assert.Equal(t, "fw", net.Spec.Devices[at.There.Nodes[at.There.Endings[0].Node].Device].Name,
		"it ends at the router that is on the subnet")
}

// A flow that a translator let through as it was stays as it was, its replies too, whichever protocol it is of; one that begins
// inside is translated (RFC 2663 §2.3). The kernel found it.
func TestRepliesToWhatWasNotTranslatedAreNot(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: 10.1.0.0/24}, up: {prefix: 10.2.0.0/24}}
devices:
  pc: {is: host, gateway: nat, interfaces: {p: {segment: lan, address: 10}}}
  nat: {is: router, interfaces: {l: {segment: lan, address: 1}, u: {segment: up, address: 1}}, translates: [lan shares u]}
  srv: {is: host, interfaces: {u: {segment: up, address: 2}}, routes: {10.1.0.0/24: 10.2.0.1}}
`)
	for _, over := range []string{"icmp", "tcp/443", "udp/53"} {
		assert.Equal(t, "works", outcome(t, net, "srv", "", "10.1.0.10", over), over)
		x := pingedOver(t, net, "pc", "", "10.2.0.2", over)
		assert.Equal(t, "10.2.0.1", x.There.Nodes[x.There.Endings[0].Node].Source.String(), over)
	}
}
