package steps_test

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/steps"
)

// sets is what is set, in the plan's words.
func sets(all []steps.Set) string {
	var words []string
	for i := range all {
		set, _ := all[i].What()
		words = append(words, set)
	}
	return strings.Join(words, "\n")
}

// Whatever the plan tells a device is set on a new one.
func TestANewDeviceIsToldEverything(t *testing.T) {
	net := network(t, coretest.EveryKey)
	f, ok := steps.New(net, coretest.Device(t, net.Spec, "r1"), netip.MustParsePrefix("192.168.0.1/24"))
	require.True(t, ok)
	assert.Equal(t, "192.168.0.2/24", f.Laptop.String())
	all := sets(f.Sets) + "\n" + sets(f.Last)
	for _, words := range []string{
		"interface lan.7, a subinterface of lan, tag 7", "lan.7 virtual: 10.1.0.250/24", "lan.7 priority: 90", "lan.7 address: 10.1.0.1/24",
		"l address: 10.0.0.1/29", "l address: 10.0.0.3/29",
		"l mtu: 1400", "l mac: 02:00:00:00:00:01", "l relay: 10.1.0.10", "l advertises: true", "q table: apart",
		"loopback address: 10.9.0.1/32",
		"route 10.2.0.0/24 via 10.0.0.2", "route 10.2.0.0/24 via 10.0.0.2 watch: 10.0.0.4 from 10.9.0.1", "route 10.77.0.0/16 discard",
		"route 10.88.0.0/16 in apart via 10.3.0.2",
		"also permit staff may reach b, before all others", "also own-permit staff may reach itself, before all others",
		"translates: a shares up", "answers: ping, ssh",
	} {
		assert.Contains(t, all, words)
	}
}

// Every key that the plan sets on an interface is set on a new device, whichever there are.
func TestANewDeviceIsToldEveryKey(t *testing.T) {
	net := network(t, coretest.EveryKey)
	told := 0
	for _, name := range []string{"r1", "sw1"} {
		d := coretest.Device(t, net.Spec, name)
		f, ok := steps.New(net, d, netip.MustParsePrefix("192.168.0.1/24"))
		require.True(t, ok)
		all := sets(f.Sets) + "\n" + sets(f.Last)
		for _, id := range net.Spec.InterfacesOf(d) {
			i := &net.Spec.Interfaces[id]
			shares := slices.ContainsFunc(i.Addresses, func(a model.Address) bool { return a.Virtual })
			for _, k := range model.InterfaceKeys {
				if value := k.Says(net.Spec, i); value != "" && !k.Is && (k.Name != "priority" || shares) &&
					k.Name != "bandwidth" { // which nobody sets
					assert.Contains(t, all, i.Name+" "+k.Name+": "+value)
					told++
				}
			}
		}
	}
	assert.Greater(t, told, 6)
}

// A switch with one address in one VLAN: its ports, and at last what the login hangs on.
func TestANewSwitch(t *testing.T) {
	net := network(t, office)
	f, ok := steps.New(net, coretest.Device(t, net.Spec, "sw"), netip.MustParsePrefix("192.0.2.253/24"))
	require.True(t, ok)
	assert.Equal(t, "192.0.2.254/24", f.Laptop.String())
	assert.Equal(t, "p1 tagged 10, 90\np2 untagged 10\nroute 0.0.0.0/0 via 10.9.0.1 (rtr:lan.90)\nanswers: ping, ssh", sets(f.Sets))
	assert.Equal(t, "p3 untagged 10\ninterface mgmt, a VLAN interface, tag 90\nmgmt address: 10.9.0.2/24", sets(f.Last))
	assert.Equal(t, "10.9.0.2", f.Then.String())
	assert.Equal(t, "10.9.0.3/24", f.Beside.String(), "what a laptop needs to see it at the same port")
	assert.Equal(t, "10.1.0.10/24", f.Back.String())
	assert.Equal(t, "10.1.0.1", f.Via.String())
	assert.True(t, f.Works)
	assert.Empty(t, f.Not)

	_, ok = steps.New(net, coretest.Device(t, net.Spec, "sw"), netip.MustParsePrefix("192.0.2.253/32"))
	assert.False(t, ok, "nothing is free beside it")
}
