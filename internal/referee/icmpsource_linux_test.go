package referee

import (
	"fmt"
	"net/netip"
	"os"
	"sync"
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// towardsSender6 tells whether this kernel sends IPv6 errors from the address that it uses
// towards the sender, and not from the interface the packet came in by: kernels differ.
var towardsSender6 = sync.OnceValue(func() bool {
	t := asking
	spec := coretest.Spec(t, `
segments: {x: {prefix: "2001:db8::/127"}, y: {prefix: "2001:db8:0:1::/127"}}
devices:
  a: {is: router, interfaces: {x: {segment: x, address: first}, y: {segment: y, address: first}}, routes: {"2001:db8:ffff::/48": "2001:db8::1"}}
  r: {is: router, interfaces: {x: {segment: x, address: last}, y: {segment: y, address: last}}, routes: {"2001:db8::/128": "2001:db8:0:1::"}}
cables: [a:x to r:x, a:y to r:y]
`[1:])
	l := &lab{t: t, spec: spec, state: network.Build(spec).State(), prefix: fmt.Sprintf("rs-%d-icmp", os.Getpid()), wires: len(spec.Devices)}
	defer l.remove()
	l.build(nil)
	to := netip.MustParseAddr("2001:db8:ffff::9")
	for range 3 {
		heard := l.askAll(map[model.DeviceID][]netip.Addr{0: {to}})[0].hops[probeKey{to, 1}]
		switch heard.from {
		case netip.MustParseAddr("2001:db8::1"):
			return false
		case netip.MustParseAddr("2001:db8:0:1::1"):
			return true
		}
	}
	t.Fatal("this kernel tells nobody that a TTL ran out")
	return false
})

// asking is the test that asks first.
var asking *testing.T
