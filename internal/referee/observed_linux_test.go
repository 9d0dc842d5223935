package referee

import (
	"os/exec"
	"slices"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/internal/rehearse"
	"ropeswing/internal/wire"
)

// observe has each namespace say what it is, in its own lists and by netlink, and
// compares that with the plan that made it: nothing differs but that failed ports are
// down.
func (l *lab) observe(net *forward.Network) {
	var listed, told []*observed.Device
	for d := range l.spec.Devices {
		device := &observed.Device{Name: l.spec.Devices[d].Name}
		for _, args := range [][]string{{"addr"}, {"-4", "route"}, {"-6", "route"}} {
			var out []byte
			require.NoError(l.t, l.Inside(model.DeviceID(d), func() (err error) {
				out, err = exec.Command("ip", append([]string{"-j"}, args...)...).Output()
				return err
			}))
			r, err := wire.Read(out, "linux", device.Name)
			if err != nil {
				continue // a list of nothing
			}
			require.Empty(l.t, r.Unread)
			device.Merge(r.Devices[0])
		}
		listed = append(listed, device)
		require.NoError(l.t, l.Inside(model.DeviceID(d), func() error {
			r, err := wire.ReadHere(device.Name)
			if err != nil {
				return err
			}
			require.Empty(l.t, r.Unread)
			told = append(told, r.Devices[0])
			told[len(told)-1].Routes = slices.DeleteFunc(r.Devices[0].Routes,
				func(r observed.Route) bool { return rehearse.IsProbeTable(r.Table) })
			return nil
		}))
		last := told[len(told)-1]
		assert.ElementsMatch(l.t, device.Interfaces, last.Interfaces, "netlink tells of the interfaces what the list does")
		if device.Knows(observed.Routes4) && device.Knows(observed.Routes6) {
			assert.ElementsMatch(l.t, device.Routes, last.Routes, "and of the routes")
		}
	}
	l.found(net, listed)
	l.found(net, told)
}

// found compares what was observed with the plan.
func (l *lab) found(net *forward.Network, devices []*observed.Device) {
	failed := map[string]bool{}
	for _, f := range l.state.Failures() {
		if f.Interface != model.None {
			failed[l.spec.Label(f.Interface)] = true
		}
	}
	for _, d := range compare.Compare(net, devices).Differences {
		here := d.Device + ":" + d.Subject
		id, ok := l.spec.DeviceNamed(d.Device)
		require.True(l.t, ok)
		i, _ := l.spec.InterfaceNamed(id, d.Subject)
		switch {
		case failed[here] && (d.What == compare.OfAdmin || d.What == compare.OfAddress):
		case d.What == compare.OfAddress && i != model.None && !l.state.IsUp(i): // taken away by hand
		case d.What == compare.OfRoute || d.What == compare.OfNextHop: // routes out of what is down, or that watch in vain, are not there
			if len(l.state.Failures()) > 0 || len(net.Silent()) > 0 {
				continue
			}
			fallthrough
		default:
			assert.Fail(l.t, "a difference where there is none", "network %s: %s %s: planned %s, found %s", l.name, here, d.What, d.Planned,
				d.Found)
		}
	}
}
