package referee

import (
	"os/exec"
	"regexp"
	"strconv"
	"strings"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/internal/wire"
)

// asNamed puts the plan's interface names in the place of the namespaces'.
var asNamed = regexp.MustCompile(`"i(\d+)"`)

// observe has each namespace say what it is, in its own lists and by netlink, and
// compares that with the plan that made it: nothing differs but that failed ports are
// down.
func (l *lab) observe(net *forward.Network) {
	var listed, told []*observed.Device
	for d := range l.spec.Devices {
		device := &observed.Device{Name: l.spec.Devices[d].Name}
		for _, args := range [][]string{{"addr"}, {"-4", "route"}, {"-6", "route"}} {
			out, err := exec.Command("ip", append([]string{"-n", l.ns(d), "-j"}, args...)...).Output()
			require.NoError(l.t, err)
			text := asNamed.ReplaceAllFunc(out, func(b []byte) []byte {
				n, _ := strconv.Atoi(string(b[2 : len(b)-1]))
				return []byte(strconv.Quote(l.spec.Interfaces[n].Name))
			})
			r, err := wire.Read(text, "linux", device.Name)
			if err != nil {
				continue // a list of nothing
			}
			require.Empty(l.t, r.Unread)
			device.Merge(r.Devices[0])
		}
		listed = append(listed, device)
		require.NoError(l.t, inside(l.ns(d), func() error {
			r, err := wire.ReadHere(device.Name)
			if err != nil {
				return err
			}
			require.Empty(l.t, r.Unread)
			told = append(told, l.named(r.Devices[0]))
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

// named puts the plan's interface names in the place of the namespace's.
func (l *lab) named(d *observed.Device) *observed.Device {
	name := func(s string) string {
		if n, err := strconv.Atoi(strings.TrimPrefix(s, "i")); err == nil && s != "" {
			return l.spec.Interfaces[n].Name
		}
		return s
	}
	for i := range d.Interfaces {
		d.Interfaces[i].Name = name(d.Interfaces[i].Name)
	}
	for i := range d.Routes {
		d.Routes[i].Interface = name(d.Routes[i].Interface)
	}
	for i := range d.Neighbours {
		d.Neighbours[i].Interface = name(d.Neighbours[i].Interface)
	}
	return d
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
		case d.What == compare.OfRoute || d.What == compare.OfNextHop: // routes out of what is down are not there
			if len(failed) > 0 {
				continue
			}
			fallthrough
		default:
			assert.Fail(l.t, "a difference where there is none", "network %s: %s %s: planned %s, found %s", l.prefix, here, d.What, d.Planned, d.Found)
		}
	}
}
