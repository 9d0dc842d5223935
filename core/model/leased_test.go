package model_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

const leased = `
segments:
  lan: {prefix: [10.1.0.0/24, 10.5.0.0/24, "2001:db8:1::/64"], leases: [{range: 100..101, by: r}, {range: "2001:db8:1::100..2001:db8:1::1ff"}]}
  other: {prefix: 10.2.0.0/24, leases: {range: 5..6, gateway: 10.2.0.9}}
  quiet: {prefix: 10.3.0.0/24, leases: {range: 5..6, gateway: none}}
devices:
  r: {is: router, interfaces: {lan: {segment: lan, address: 1, secondary: 10.5.0.1, advertises: true, link-local: "fe80::1"}, other: {segment: other, address: 1}, quiet: {segment: quiet, address: 1}}}
  a: {is: host, interfaces: {p: {segment: lan, address: [leased, advertised], mac: "02:00:5e:10:00:01"}}}
  b: {is: host, interfaces: {p: {segment: lan, address: leased}}}
  c: {is: host, interfaces: {p: {segment: other, address: leased}}}
  d: {is: host, interfaces: {p: {segment: quiet, address: leased}}}
  e: {is: host, interfaces: {p: {segment: lan, address: 10.5.0.7}}}
  f: {is: host, interfaces: {p: {segment: lan, address: advertised}}}
`

// Hosts that lease, or take what is advertised, have an address and gateway that stand
// for what they get.
func TestLeasedAndAdvertisedAddresses(t *testing.T) {
	spec := coretest.Spec(t, leased)
	gateways := func(name string) string {
		var all []string
		first, last := spec.StaticsOf(coretest.Device(t, spec, name))
		for _, s := range spec.Statics[first:last] {
			all = append(all, s.Via.String())
		}
		return strings.Join(all, " ")
	}
	for name, want := range map[string][2]string{
		"a": {"10.1.0.100/24 2001:db8:1::100/64 2001:db8:1::5eff:fe10:1/64", "10.1.0.1 fe80::1"},
		"b": {"10.1.0.101/24 2001:db8:1::101/64", "10.1.0.1 fe80::1"},
		"c": {"10.2.0.5/24", "10.2.0.9"},
		"d": {"10.3.0.5/24", ""},
		"e": {"10.5.0.7/24", "10.5.0.1"}, // of its own subnet, not the first of the segment
	} {
		i := spec.Interfaces[coretest.Interface(t, spec, name+":p")]
		var all []string
		for _, a := range i.Addresses {
			all = append(all, a.Prefix.String())
			assert.Equal(t, name != "e", a.Varies(), name)
		}
		assert.Equal(t, want, [2]string{strings.Join(all, " "), gateways(name)}, name)
	}
	f := spec.Interfaces[coretest.Interface(t, spec, "f:p")]
	require.Len(t, f.Addresses, 1)
	assert.True(t, netip.MustParsePrefix("2001:db8:1::/64").Contains(f.Addresses[0].Addr()))
	again := coretest.Spec(t, leased)
	assert.Equal(t, f.Addresses[0].Prefix, again.Interfaces[coretest.Interface(t, again, "f:p")].Addresses[0].Prefix, "always the same")
}

func TestLeasesThatCannotBe(t *testing.T) {
	for old, want := range map[string]string{
		"range: 100..101": "range: 100..100", "segment: other, address: leased": "segment: other, address: [leased, none]",
	} {
		_, _, found := coretest.Resolve(strings.Replace(leased, old, want, 1))
		assert.Len(t, found, 1, want)
	}
	for text, want := range map[string]string{
		"segments: {l: {prefix: 10.0.0.0/24}}\ndevices: {h: {is: host, interfaces: {p: {segment: l, address: leased}}}}\n":            "nobody leases any on l",
		"devices: {h: {is: host, interfaces: {p: {address: leased}}}}\n":                                                              "on no segment",
		"segments: {l: {prefix: 10.0.0.0/24}}\ndevices: {h: {is: host, interfaces: {p: {segment: l, address: 1, advertises: true}}}}": "only routers advertise",
		"segments: {l: {prefix: 10.0.0.0/24}}\ndevices: {h: {is: router, interfaces: {p: {segment: l, address: 1, relay: hh}}}}":      "neither a device nor an IPv4 address",
	} {
		_, _, found := coretest.Resolve(text)
		require.Len(t, found, 1, text)
		assert.Contains(t, found[0].Reason, want)
	}
}

// Two ports of one device share its address: the one with the higher priority has it, and
// with that one down the other.
func TestTwoPortsWithOneAddress(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {mgmt: {prefix: 10.2.0.0/24, vlan: 20}, lan: {prefix: 10.1.0.0/24}}
devices:
  chassis: {is: switch, manage: m0, interfaces: {m0: {segment: mgmt, address: none, virtual: 5, priority: 200}, m1: {segment: mgmt, address: none, virtual: 5}}}
  r: {is: router, interfaces: {e: {segment: mgmt, address: 1}, f: {segment: lan, address: 1}}}
`)
	d := coretest.Device(t, spec, "chassis")
	assert.Equal(t, "10.2.0.5", spec.MainAddress(d, prefix.IPv4).String())
	first, last := spec.StaticsOf(d)
	require.Equal(t, 1, last-first, "it has a gateway, as it has an address")
	assert.Equal(t, "10.2.0.1", spec.Statics[first].Via.String())
	assert.Equal(t, coretest.Interface(t, spec, "chassis:m0"), spec.Devices[d].Manage)
	assert.Equal(t, []bool{false, false},
		[]bool{spec.Interfaces[spec.Devices[d].Manage].Addresses[0].OnTop(), model.Address{Virtual: true}.OnTop()})
}
