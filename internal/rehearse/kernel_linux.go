package rehearse

import (
	"context"
	"net/netip"
	"slices"
	"sync"

	"ropeswing/core/assign"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// two is a network that shows by which address a router tells of an error.
const two = `ropeswing: 1
segments: {x: {prefix: "2001:db8::/127"}, y: {prefix: "2001:db8:0:1::/127"}}
devices:
  a: {is: router, interfaces: {x: {segment: x, address: first}, y: {segment: y, address: first}}, routes: {"2001:db8:ffff::/48": "2001:db8::1"}}
  r: {is: router, interfaces: {x: {segment: x, address: last}, y: {segment: y, address: last}}, routes: {"2001:db8::/128": "2001:db8:0:1::"}}
cables: [a:x to r:x, a:y to r:y]
`

// ErrorsTowardsSender6 tells whether this kernel sends IPv6 errors from the address that it
// uses towards the sender, and not from the interface the packet came in by (RFC 4443 §2.2):
// kernels differ, and none lets one choose.
var ErrorsTowardsSender6 = sync.OnceValues(func() (bool, error) {
	doc, _ := plan.Parse(source.New("two.plan.yaml", []byte(two)))
	spec, _ := model.Resolve(doc, assign.NewNumbering(nil, assign.Ask{}))
	l, err := Make(context.Background(), forward.Resolve(network.Build(spec).State()), func(int, int) {}, nil)
	if err != nil {
		return false, err
	}
	defer l.Close()
	to := netip.MustParseAddr("2001:db8:ffff::9")
	for range 3 {
		all, err := l.ask(map[model.DeviceID][]netip.Addr{0: {to}}, true, little)
		if err != nil {
			return false, err
		}
		if heard := all[0].Hops[Probe{to, 1}]; heard.From.IsValid() {
			return heard.From == netip.MustParseAddr("2001:db8:0:1::1"), nil
		}
	}
	return false, nil
})

// AsHere is the network with what this kernel does by itself in the place of the plan's
// settings.
func AsHere(net *forward.Network) (*forward.Network, error) {
	towards, err := ErrorsTowardsSender6()
	if err != nil || towards == net.Spec.Settings.ErrorsTowardsSender[prefix.IPv6] && sharing(net.Spec) == 0 {
		return net, err
	}
	spec := *net.Spec
	spec.Devices = slices.Clone(spec.Devices)
	for d := range spec.Devices {
		spec.Devices[d].SharesState = "" // no kernel tells another what it keeps in mind
	}
	spec.Settings.ErrorsTowardsSender[prefix.IPv6] = towards
	return forward.Resolve(network.Build(&spec).State(net.State.Failures()...)), nil
}
