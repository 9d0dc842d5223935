package standin_test

import (
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/standin"
)

const rooms = `
segments: {left: {prefix: 192.0.2.0/25}, right: {prefix: 192.0.2.128/25}}
devices:
  middle: {is: router, interfaces: {eth0: {segment: left, address: first}, eth1: {segment: right, address: first}}, routes: {198.51.100.0/24: 192.0.2.10}}
  desk: {is: router, interfaces: {eth0: {segment: left, address: 10}}, routes: {default: middle}}
cables: [middle:eth0 to desk:eth0]
`

func of(t *testing.T, y *standin.Yard, name, iface string) observed.Interface {
	t.Helper()
	d, err := y.Says(name)
	require.NoError(t, err)
	i := slices.IndexFunc(d.Interfaces, func(i observed.Interface) bool { return i.Name == iface })
	require.GreaterOrEqual(t, i, 0)
	return d.Interfaces[i]
}

// A network of stand-ins says what the plan says.
func TestStandInsAreAsPlanned(t *testing.T) {
	net := coretest.Network(t, rooms)
	y := standin.New(net, nil)
	var all []*observed.Device
	for _, name := range y.Names() {
		d, err := y.Says(name)
		require.NoError(t, err)
		all = append(all, d)
	}
	assert.Empty(t, compare.Compare(net, all).Differences)
}

// What is set on one device takes effect on what the others see; what is not saved is gone after
// a restart.
func TestWhatIsSetTakesEffect(t *testing.T) {
	y := standin.New(coretest.Network(t, rooms), nil)
	assert.Equal(t, observed.Up, of(t, y, "middle", "eth0").Oper)
	d, err := y.Running("desk")
	require.NoError(t, err)
	d.Interface("eth0").Admin = observed.Down
	require.NoError(t, y.Set("desk", d))
	assert.Equal(t, observed.Down, of(t, y, "middle", "eth0").Oper, "the far end is switched off")
	says, err := y.Says("middle")
	require.NoError(t, err)
	assert.Empty(t, says.Links)
	for _, r := range says.Routes {
		if r.To == netip.MustParsePrefix("198.51.100.0/24") {
			assert.False(t, *r.Active, "its next hop is on no link any more")
		}
	}
	require.NoError(t, y.Restart("desk"))
	assert.Equal(t, observed.Up, of(t, y, "middle", "eth0").Oper, "it was not saved")
	assert.Equal(t, 1, y.Starts("desk"))
	require.NoError(t, y.Set("desk", d))
	require.NoError(t, y.Save("desk"))
	require.NoError(t, y.Restart("desk"))
	assert.Equal(t, observed.Down, of(t, y, "middle", "eth0").Oper, "it was saved")
}

// What a device cannot be set to is refused, and nothing changes.
func TestWhatIsNotPossibleIsRefused(t *testing.T) {
	for name, change := range map[string]func(*observed.Device){
		"a port is gone":          func(d *observed.Device) { d.Interfaces = d.Interfaces[1:] },
		"a port is new":           func(d *observed.Device) { d.Interface("eth9").Type = "ethernetCsmacd" },
		"an interface of no type": func(d *observed.Device) { d.Interface("what") },
		"an address twice":        func(d *observed.Device) { d.Interfaces[1].Add(d.Interfaces[0].Addresses[0]) },
		"a route to nowhere":      func(d *observed.Device) { d.Routes[0].NextHop = netip.Addr{} },
		"out of what is not":      func(d *observed.Device) { d.Routes[0].Interface = "eth7" },
		"two families":            func(d *observed.Device) { d.Routes[0].NextHop = netip.MustParseAddr("2001:db8::1") },
	} {
		y := standin.New(coretest.Network(t, rooms), nil)
		d, err := y.Running("middle")
		require.NoError(t, err)
		before := string(d.Encode())
		change(d)
		require.Error(t, y.Set("middle", d), name)
		now, err := y.Running("middle")
		require.NoError(t, err)
		assert.Equal(t, before, string(now.Encode()), name)
	}
}

// Whoever asked is told of each change, with the network as it is then; the plan stays what it was.
func TestWhoeverAskedIsToldOfChanges(t *testing.T) {
	net := coretest.Network(t, rooms)
	y := standin.New(net, nil)
	var seen []bool
	y.OnChange(func(now *forward.Network) {
		id := coretest.Interface(t, now.Spec, "middle:eth0")
		seen = append(seen, now.State.IsUp(id))
	})
	d, err := y.Running("desk")
	require.NoError(t, err)
	d.Interface("eth0").Admin = observed.Down
	require.NoError(t, y.Set("desk", d))
	require.NoError(t, y.Restart("desk"))
	assert.Equal(t, []bool{false, true}, seen)
	assert.Same(t, net, y.Plan())
	d.Interface("eth9").Type = "ethernetCsmacd"
	require.Error(t, y.Set("desk", d))
	assert.Len(t, seen, 2, "nothing changed")
	assert.True(t, y.Network().State.IsUp(coretest.Interface(t, net.Spec, "middle:eth0")))
}

// What is saved is kept apart from what runs, can be set by itself, and is what a restart comes back with.
func TestWhatIsSavedIsApart(t *testing.T) {
	y := standin.New(coretest.Network(t, rooms), nil)
	d, err := y.Running("middle")
	require.NoError(t, err)
	d.Routes = nil
	require.NoError(t, y.SetSaved("middle", d))
	runs, err := y.Running("middle")
	require.NoError(t, err)
	assert.NotEmpty(t, runs.Routes, "it runs on as it did")
	saved, err := y.Saved("middle")
	require.NoError(t, err)
	assert.Empty(t, saved.Routes)
	saved.Interfaces = nil
	again, err := y.Saved("middle")
	require.NoError(t, err)
	assert.NotEmpty(t, again.Interfaces, "what is handed out is a copy")
	require.NoError(t, y.Restart("middle"))
	runs, err = y.Running("middle")
	require.NoError(t, err)
	assert.Empty(t, runs.Routes)
	assert.Equal(t, 1, y.Starts("middle"))
	assert.Zero(t, y.Starts("desk"))
}

// Of a device that is not there everything is refused, by one error; what a device is is told.
func TestOfNobodyEverythingIsRefused(t *testing.T) {
	y := standin.New(coretest.Network(t, rooms), nil)
	for name, do := range map[string]func() error{
		"says":     func() error { _, err := y.Says("attic"); return err },
		"running":  func() error { _, err := y.Running("attic"); return err },
		"saved":    func() error { _, err := y.Saved("attic"); return err },
		"set":      func() error { return y.Set("attic", &observed.Device{}) },
		"save":     func() error { return y.Save("attic") },
		"setsaved": func() error { return y.SetSaved("attic", &observed.Device{}) },
		"restart":  func() error { return y.Restart("attic") },
	} {
		assert.ErrorIs(t, do(), standin.ErrUnknown, name)
		assert.ErrorContains(t, do(), "attic", name)
	}
	kind, forwards := y.Kind("middle")
	assert.Equal(t, model.Router, kind)
	assert.True(t, forwards)
	kind, forwards = y.Kind("attic")
	assert.Equal(t, model.Host, kind)
	assert.False(t, forwards)
}

// A stand-in begins as it was found where it was observed, and as planned where not.
func TestStandInsBeginAsFound(t *testing.T) {
	net := coretest.Network(t, rooms)
	found := compare.AsObserved(net)
	found = slices.DeleteFunc(found, func(d *observed.Device) bool { return d.Name != "desk" })
	require.Len(t, found, 1)
	found[0].Interface("eth0").Admin = observed.Down
	y := standin.New(net, found)
	assert.Equal(t, observed.Down, of(t, y, "desk", "eth0").Admin)
	assert.Equal(t, observed.Up, of(t, y, "middle", "eth0").Admin)
	assert.Equal(t, observed.Down, of(t, y, "middle", "eth0").Oper, "and they hang together")
}
