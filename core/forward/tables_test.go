package forward_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
)

// A management port in a table of its own: what comes in by it is answered by
// it, whatever the main table says, and the two do not see each other.
func TestAnAnswerLeavesByTheTableItsRequestCameInBy(t *testing.T) {
	plan := `
segments: {lan: {prefix: 10.1.0.0/24}, apart: {prefix: 10.9.0.0/24}, ops: {prefix: 10.8.0.0/24}}
devices:
  r:
    is: router
    interfaces: {p: {segment: lan, address: 1}, m: {segment: apart, address: 1, table: manage}}
    routes: {default: 10.1.0.77}
    tables: {manage: {default: 10.9.0.2}}
  g: {is: router, interfaces: {a: {segment: apart, address: 2}, o: {segment: ops, address: 1}}}
  pc: {is: host, interfaces: {p: {segment: ops, address: 10}}}
  h: {is: host, interfaces: {p: {segment: lan, address: 10}}}
`
	net := coretest.Network(t, plan)
	assert.Equal(t, forward.Works, pinged(t, net, "pc", "10.9.0.1").Verdict())
	assert.Equal(t, forward.Fails, pinged(t, net, "h", "10.9.0.1").Verdict(), "from the main table the management address is nowhere")
	assert.Equal(t, forward.Fails, pinged(t, net, "pc", "10.1.0.1").Verdict(), "nor from the management table the other")

	net = coretest.Network(t, strings.Replace(plan, "    tables: {manage: {default: 10.9.0.2}}\n", "", 1))
	x := pinged(t, net, "pc", "10.9.0.1")
	assert.Equal(t, forward.Fails, x.Verdict(), "the default of the main table is no help")
	assert.Contains(t, says(t, net, x), "r has no route to 10.8.0.10")
}

// DESIGN.md §7: the interface's preferred; its primary in the next hop's
// subnet; its first primary; the lender's, if unnumbered.
func TestTheOrderOfSources(t *testing.T) {
	net := coretest.Network(t, `
segments: {lan: {prefix: [10.1.0.0/24, 10.2.0.0/24]}, line: {}}
devices:
  a:
    is: router
    loopback: 10.9.9.9
    interfaces:
      p: {segment: lan, address: [10.1.0.1/24, 10.2.0.1/24], secondary: 10.2.0.9/24, virtual: 10.2.0.7/24}
      q: {segment: lan, address: [10.1.0.3/24, 10.2.0.3/24], prefer: 10.2.0.3}
      u: {segment: line, borrow: loopback}
    routes: {10.20.0.0/16: {next-hop: 10.2.0.2, out: p}, 10.30.0.0/16: {next-hop: 10.1.0.2, out: q}, 10.40.0.0/16: {out: u}, 10.50.0.0/16: {next-hop: 10.3.0.1, out: p}}
  b: {is: router, interfaces: {p: {segment: lan, address: [10.1.0.2/24, 10.2.0.2/24]}}}
`)
	a := coretest.Device(t, net.Spec, "a")
	for to, want := range map[string]string{
		"10.20.0.1": "10.2.0.1", "10.30.0.1": "10.2.0.3", "10.40.0.1": "10.9.9.9", "10.50.0.1": "10.1.0.1",
	} {
		got, ok := forward.Source(net, a, netip.MustParseAddr(to))
		assert.True(t, ok)
		assert.Equal(t, want, got.String(), to)
	}
}

// On a serial line nothing is resolved: a route out of it is enough, and the two
// ends need no addresses.
func TestASerialLineResolvesNothing(t *testing.T) {
	plan := `
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}
devices:
  q: {is: router, loopback: 10.9.0.1, interfaces: {l: {segment: a, address: 1}, s: {line: serial, clock: here, borrow: loopback}}, routes: {10.2.0.0/16: {out: s}, 10.9.0.2/32: {out: s}}}
  f: {is: router, loopback: 10.9.0.2, interfaces: {l: {segment: b, address: 1}, s: {line: serial, borrow: loopback}}, routes: {default: {out: s}}}
  pc: {is: host, interfaces: {p: {segment: a, address: 10}}}
  tv: {is: host, interfaces: {p: {segment: b, address: 10}}}
cables: [q:s to f:s]
`
	net := coretest.Network(t, plan)
	assert.Equal(t, forward.Works, pinged(t, net, "pc", "10.2.0.10").Verdict())
	assert.Equal(t, forward.Works, pinged(t, net, "f", "10.9.0.1").Verdict(), "from the lender's address")
	x := pinged(t, net, "pc", "10.2.7.7")
	assert.Equal(t, "forwarding-loop, there, q: its TTL runs out in a loop between q and f", says(t, net, x),
		"an address nobody has bounces between the ends")
}
