package referee

import (
	"os/exec"
	"regexp"
	"strconv"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/routing"
	"ropeswing/internal/wire"
)

// asNamed puts the plan's interface names in the place of the namespaces'.
var asNamed = regexp.MustCompile(`"i(\d+)"`)

// observe has each namespace say what it is, in its own lists, and compares that with
// the plan that made it: nothing differs but that failed ports are down.
func (l *lab) observe(tables *routing.Tables) {
	var devices []*observed.Device
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
		devices = append(devices, device)
	}
	failed := map[string]bool{}
	for _, f := range l.state.Failures() {
		if f.Interface != model.None {
			failed[l.spec.Label(f.Interface)] = true
		}
	}
	for _, d := range compare.Compare(tables, devices).Differences {
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
