package reach_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
)

// house has LANs of one family and both, a link, loopbacks, and a segment nobody stands for.
const house = `
segments:
  hall:   {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  attic:  {prefix: 10.2.0.0/24}
  stairs: {prefix: [10.0.0.0/31, "2001:db8::/127"]}
  cellar: {vlan: 9, prefix: 10.9.0.0/24}
  shed:   {prefix: 10.8.0.0/24}
devices:
  a: {is: router, loopback: 10.7.0.1, interfaces: {h: {segment: hall, address: 1}, s: {segment: stairs, address: first}}, routes: {10.2.0.0/24: 10.0.0.1}}
  b: {is: router, loopback: [10.7.0.2, "2001:db8:7::2"], interfaces: {t: {segment: attic, address: 1}, s: {segment: stairs, address: last}}, routes: {10.1.0.0/24: 10.0.0.0}}
  x: {is: host, interfaces: {e: {segment: hall, address: 10}}, gateway: a}
  y: {is: host, interfaces: {e: {segment: attic, address: 10}}, gateway: b}
  gone: {is: switch, interfaces: {p1: {access: cellar}}}
`

// What stands for whom is counted once, whatever its families.
func TestPlaces(t *testing.T) {
	t.Parallel()
	spec := coretest.Spec(t, house)
	ends := reach.Ends(spec)
	lans, links, devices := reach.Places(spec, ends)
	assert.Equal(t, [3]int{2, 1, 0}, [3]int{lans, links, devices})
	lans, links, devices = reach.Places(spec, append(reach.WithoutLinks(spec, ends), reach.Loopbacks(spec)...))
	assert.Equal(t, [3]int{2, 0, 2}, [3]int{lans, links, devices})
	assert.ElementsMatch(t, []string{"cellar", "shed"}, reach.Unaddressed(spec))
	lans, links, devices = reach.Places(spec, nil)
	assert.Zero(t, lans+links+devices)
}

// From one device to another, in one family, is asked once each way, and no device asks itself.
func TestDevicePairs(t *testing.T) {
	t.Parallel()
	net := forward.Resolve(network.Build(coretest.Spec(t, house)).State())
	ends := append(reach.Hosts(net.Spec), reach.Loopbacks(net.Spec)...)
	m := reach.AllOver(net, ends, model.Echo)
	got := map[string]string{}
	m.DevicePairs(func(p reach.Pair) bool {
		name := net.Spec.Devices[p.From.Device].Name + " " + net.Spec.Devices[p.To.Device].Name
		if p.From.Address.Is4() {
			_, twice := got[name]
			assert.False(t, twice, name)
			got[name] = p.Verdict.String()
		}
		assert.Equal(t, p.From.Address.Is4(), p.To.Address.Is4())
		assert.NotEqual(t, p.From.Device, p.To.Device)
		return true
	})
	assert.Len(t, got, 4*3)
	assert.Equal(t, "works", got["x y"])
	assert.Equal(t, "works", got["y x"])
	assert.Equal(t, "fails", got["x b"], "a has no route to b's loopback")
	n := 0
	m.DevicePairs(func(reach.Pair) bool { n++; return n < 3 })
	assert.Equal(t, 3, n, "it stops when it is told to")
}
