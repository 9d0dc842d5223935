package forward_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
)

// By each of its equally good hops a device sends from the address that suits it: the reply to one gets back, to the other not.
func TestTheSourceIsThatOfTheHop(t *testing.T) {
	text := `
segments: {w: {prefix: 10.9.1.0/30}, v: {prefix: 10.9.2.0/30}, far: {prefix: 10.2.0.0/24}, x: {prefix: 10.9.3.0/30}, y: {prefix: 10.9.4.0/30}}
devices:
  a: {is: router, interfaces: {e0: {segment: w, address: 1}, e1: {segment: v, address: 1}}, routes: {far: [{next-hop: b}, {next-hop: c, distance: 1}]}}
  b: {is: router, interfaces: {e0: {segment: w, address: 2}, e1: {segment: x, address: 1}}, routes: {far: d}}
  c: {is: router, interfaces: {e0: {segment: v, address: 2}, e1: {segment: y, address: 1}}, routes: {far: d}}
  d: {is: router, interfaces: {e0: {segment: x, address: 2}, e1: {segment: y, address: 2}, lan: {segment: far, address: 1}}, routes: {w: b`
	net := coretest.Network(t, text+"}}\n")
	x := pinged(t, net, "a", "10.2.0.1")
	assert.Equal(t, forward.Depends, x.Verdict())
	assert.Equal(t, "no-route, back, d: d has no route to 10.9.2.1", says(t, net, x))
	var from []string
	for _, h := range x.There.Sent() {
		from = append(from, h.Source.String())
	}
	assert.Equal(t, []string{"10.9.1.1", "10.9.2.1"}, from)

	net = coretest.Network(t, text+", v: c}}\n")
	assert.Equal(t, forward.Works, pinged(t, net, "a", "10.2.0.1").Verdict())
}

// An Ethernet that borrows its address has it on its link, and the far end's name is a next hop.
func TestABorrowedAddressAnswersOnTheLink(t *testing.T) {
	net := coretest.Network(t, `
segments: {mid: {}, near: {prefix: 10.1.0.0/24}, far: {prefix: 10.2.0.0/24}}
devices:
  a: {is: router, loopback: 10.9.0.1, interfaces: {e: {segment: mid, borrow: loopback}, l: {segment: near, address: 1}}, routes: {far: b, 10.9.0.2/32: b}}
  b: {is: router, loopback: 10.9.0.2, interfaces: {e: {segment: mid, borrow: loopback}, l: {segment: far, address: 1}}, routes: {near: a, 10.9.0.1/32: {next-hop: 10.9.0.1, out: e}}}
  h: {is: host, interfaces: {p: {segment: near, address: 9}}}
  k: {is: host, interfaces: {p: {segment: far, address: 9}}}
`)
	assert.Equal(t, "works", says(t, net, pinged(t, net, "h", "10.2.0.9")))
	x := pinged(t, net, "a", "10.2.0.9")
	assert.Equal(t, "works", says(t, net, x))
	assert.Equal(t, "10.9.0.1", x.Source.String())
	assert.Equal(t, netip.MustParseAddr("10.9.0.2"), x.There.Nodes[0].Edges[0].Address)
}

// A link-local source gets to the next device and no further.
func TestALinkLocalSourceStaysOnItsLink(t *testing.T) {
	net := coretest.Network(t, `
segments: {w: {}, far: {prefix: "2001:db8:2::/64"}}
devices:
  a: {is: router, interfaces: {e: {segment: w, address: none, link-local: "fe80::1"}}, routes: {"2001:db8::/32": {next-hop: "fe80::2", out: e}}}
  b: {is: router, interfaces: {e: {segment: w, address: none, link-local: "fe80::2"}, l: {segment: far, address: 1}}}
  h: {is: host, interfaces: {p: {segment: far, address: 9}}}
`)
	assert.Equal(t, "works", says(t, net, pinged(t, net, "a", "2001:db8:2::1")))
	x := pinged(t, net, "a", "2001:db8:2::9")
	assert.Equal(t, "no-source-address, there, b: a has no address to send from but fe80::1, a link-local one, and b passes that on to no "+
		"other link", says(t, net, x))
	var said []string // the hop limit is lowered before that is looked at
	for _, hop := range forward.Follow(net, x).Hops {
		said = append(said, fmt.Sprint(hop.TTL, " ", hop.Answers[0].ICMP.Words(1)))
	}
	assert.Equal(t, []string{"1 time exceeded", "2 beyond scope of source address"}, said)
	nowhere := says(t, net, pinged(t, net, "a", "2001:db8:3::9"))
	assert.True(t, strings.HasPrefix(nowhere, "no-route, "), "b has no route for it, whoever it is from: %s", nowhere)
}

// Where the rules leave it open which address a device sends from, and it matters, it depends; a preferred address decides, or a setting.
func TestATieOfSourcesDepends(t *testing.T) {
	text := func(settings, prefer string) string {
		return `
settings: {` + settings + `}
segments: {near: {prefix: ["2001:db8:1::/64"]}, far: {prefix: "2001:db8:8::/64"}}
devices:
  h: {is: host, interfaces: {p: {segment: near, address: "2001:db8:1::4", secondary: "2001:db8:1::5"` + prefer + `}}}
  r: {is: router, interfaces: {n: {segment: near, address: 1}, f: {segment: far, address: 1}}, permits: ["2001:db8:1::4 may reach far", far may reach near], otherwise: drop}
  k: {is: host, interfaces: {p: {segment: far, address: 9}}}
`
	}
	for _, tt := range []struct {
		settings, prefer string
		want             forward.Verdict
	}{
		{"", "", forward.Depends}, {"first-source: true", "", forward.Works},
		{"", ", prefer: \"2001:db8:1::4\"", forward.Works}, {"", ", prefer: \"2001:db8:1::5\"", forward.Fails},
	} {
		net := coretest.Network(t, text(tt.settings, tt.prefer))
		assert.Equal(t, tt.want, pinged(t, net, "h", "2001:db8:8::9").Verdict(), "%s %s", tt.settings, tt.prefer)
	}
}

// A translator that passed a packet out and gets it again knows the flow: it is not translated now.
func TestAFlowIsTranslatedAtItsFirstPacket(t *testing.T) {
	net := coretest.Network(t, `
segments: {in: {prefix: 10.1.0.0/24}, mid: {prefix: 10.9.0.0/30}}
devices:
  r: {is: router, interfaces: {i: {segment: in, address: 1}, w: {segment: mid, address: 1}}, routes: {default: c}, translates: [k is 198.51.100.7 beyond w]}
  c: {is: router, interfaces: {w: {segment: mid, address: 2}}, routes: {198.51.100.0/24: r, 10.1.0.0/24: r}}
  h: {is: host, interfaces: {p: {segment: in, address: 9}}}
  k: {is: host, interfaces: {p: {segment: in, address: 8}}}
`)
	assert.Equal(t, "works", says(t, net, pinged(t, net, "c", "198.51.100.7")))
	assert.Equal(t, "forwarding-loop, there, r: its TTL runs out in a loop between r and c",
		says(t, net, pinged(t, net, "h", "198.51.100.7")))
}

// Where only some of the errors that say 'too big' get back to the sender, whether smaller packets follow depends.
func TestWhetherASenderHearsThatItIsTooBigMayDepend(t *testing.T) {
	net := coretest.Network(t, `
segments: {near: {prefix: "2001:db8:1::/64"}, w: {prefix: "2001:db8:10::/64"}, v: {prefix: "2001:db8:11::/64"}, z: {prefix: "2001:db8:12::/64"}, far: {prefix: "2001:db8:2::/64"}}
devices:
  h: {is: host, interfaces: {p: {segment: near, address: 9}}, gateway: r}
  r: {is: router, interfaces: {n: {segment: near, address: 1}, w: {segment: w, address: 1}, v: {segment: v, address: 1}}, routes: {far: "2001:db8:10::2"}}
  q: {is: router, interfaces: {w: {segment: w, address: 2}, v: {segment: v, address: 2}, f: {segment: far, address: 1, mtu: 1300}}, routes: {near: [{next-hop: "2001:db8:10::1"}, {next-hop: "2001:db8:11::3", distance: 1}]}}
  s: {is: router, interfaces: {v: {segment: v, address: 3}, z: {segment: z, address: 1}}, routes: {near: {discard: true}}}
  k: {is: host, interfaces: {p: {segment: far, address: 9, mtu: 1300}}, gateway: q}
`)
	d := coretest.Device(t, net.Spec, "h")
	x := forward.PingBy(net, d, netip.Addr{}, netip.MustParseAddr("2001:db8:2::9"), -1, forward.Probe{Size: 1400})
	assert.Equal(t, forward.Depends, x.There.Verdict())
	assert.Equal(t, "packet-too-big, there, q: q cannot send its 1400 bytes out of f, which takes 1300 at most: IPv6 routers never "+
		"fragment, and its error gets back to the sender by some paths only", says(t, net, x))
}

// Of a pair of gateways that translate alike, the master answers for what both translate, and sees the replies.
func TestThePairsMasterTranslates(t *testing.T) {
	gateway := func(name, place, priority string) string {
		return `
  ` + name + `:
    is: router
    interfaces:
      in: {segment: lan, address: 10.1.0.` + place + `/24, virtual: 10.1.0.1/24, priority: ` + priority + `}
      wan: {segment: out, address: 198.51.100.` + place + `/28, virtual: 198.51.100.4/28, priority: ` + priority + `}
    routes: {default: isp}
    translates: [lan shares 198.51.100.4 beyond wan, web is 198.51.100.5 beyond wan]`
	}
	net := coretest.Network(t, `
segments: {lan: {prefix: 10.1.0.0/24}, out: {prefix: 198.51.100.0/28}}
devices:`+gateway("g1", "2", "200")+gateway("g2", "3", "100")+`
  pc: {is: host, gateway: 10.1.0.1, interfaces: {p: {segment: lan, address: 10}}}
  web: {is: host, gateway: 10.1.0.1, interfaces: {p: {segment: lan, address: 20}}}
  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: out, address: 198.51.100.1/28}}}
`)
	for _, without := range []string{"", "g1", "g2"} {
		net := net
		if without != "" {
			f, err := net.State.FailureNamed(without)
			assert.NoError(t, err)
			net = net.Update(net.State.With(f))
		}
		assert.Equal(t, "works", says(t, net, pinged(t, net, "pc", "192.0.2.7")), "without %q", without)
		assert.Equal(t, "works", says(t, net, pinged(t, net, "isp", "198.51.100.5")), "without %q", without)
	}
}
