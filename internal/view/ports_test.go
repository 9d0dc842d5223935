package view_test

import (
	"bytes"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/internal/view"
)

// styles are the codes for colours.
var styles = regexp.MustCompile("\x1b\\[[0-9;]*m")

// Every port stands in the grid once, with its state, what it carries and what is plugged in; and no line is wider than the window.
func TestPortsSideBySide(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {staff: {vlan: 10, prefix: 10.1.0.0/24}, guest: {vlan: 20, prefix: 10.2.0.0/24}}
devices:
  sw: {is: switch, interfaces: {p1..p40: {access: staff}, p41: {access: guest, admin: down}, p42: {tagged: [staff, guest]}, p43: {access: staff, note: spare}}}
  r: {is: router, interfaces: {e: {}, e.10: {segment: staff, address: 1}, e.20: {segment: guest, address: 1, admin: down}}}
  pc: {is: host, at: "sw:p7", address: 9}
  off: {is: host, interfaces: {port: {segment: staff, address: 10, admin: down}}}
cables: [r:e to sw:p42, off:port to sw:p8]
`)
	state := network.Build(spec).State()
	data, table := view.Ports(state, []model.DeviceID{coretest.Device(t, spec, "sw")})
	assert.Len(t, data, 43)
	assert.Len(t, table.Rows, 43)
	states := map[string]string{}
	for _, p := range data {
		states[p.Port] = p.State + " " + p.Carries + " " + p.To
	}
	assert.Equal(t, "up staff pc", states["p7"])
	assert.Equal(t, "down staff off", states["p8"])
	assert.Equal(t, "off guest ", states["p41"])
	assert.Equal(t, "up tagged 10,20 r:e", states["p42"])
	assert.Equal(t, "free staff ", states["p43"])
	assert.Equal(t, "spare", data[42].Note)
	for _, width := range []int{30, 60, 80, 120, 200} {
		var b bytes.Buffer
		view.PortsText(&b, data, width)
		text := styles.ReplaceAllString(b.String(), "")
		assert.True(t, strings.HasPrefix(text, "sw: 43 ports, 2 up, 1 down, 1 administratively down, 39 nothing plugged in\n") || width < 80,
			text)
		lines := strings.Split(text, "\n")
		for _, l := range lines[1:] {
			assert.True(t, len([]rune(l)) <= width || strings.Contains(l, "administratively") && width < 80, "%d: %s", width, l)
		}
		for _, p := range data {
			assert.Contains(t, text, " "+p.Port+" ", "at %d", width)
		}
		assert.Contains(t, text, "p8 is down")
	}
	all, _ := view.Ports(state, []model.DeviceID{0, 1, 2, 3})
	assert.Len(t, all, 44, "of all devices: those of hosts are left out")
}
