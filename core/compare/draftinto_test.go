package compare_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/observed"
	"ropeswing/core/plan"
	"ropeswing/core/workspace"
)

// pier is a plan of a router and a switch, in two layouts.
const pierInLines = `ropeswing: 1
segments:
    desks: {prefix: 10.1.0.0/24}
devices:
    edge:
        is: router
        interfaces:
            lan0: {segment: desks, address: 1}
            up0: {}
    sw:
        is: switch
        interfaces: {p1: {}, p2: {access: 5}}
    gone: {is: host, interfaces: {e: {segment: desks, address: 7}}}
cables: ["edge:up0 to sw:p1"]
`

func found(name string, parts ...observed.Interface) *observed.Device {
	d := &observed.Device{Name: name, Interfaces: parts}
	d.Learn(observed.Interfaces, observed.Addresses4, observed.Routes4)
	return d
}

func with(name, address, note string) observed.Interface {
	i := observed.Interface{Name: name, Admin: observed.Up, Oper: observed.Up, Description: note}
	if address != "" {
		i.Add(observed.Address{Prefix: netip.MustParsePrefix(address)})
	}
	return i
}

// layOver lays what was found over a plan, and reads the plan again with it.
func layOver(t *testing.T, text string, devices ...*observed.Device) (*compare.Into, string, *workspace.Numbers) {
	n := workspace.FromText("pier.plan.yaml", []byte(text))
	require.True(t, n.Usable(), "%v", n.Slips())
	x := compare.DraftInto(n.Document, n.Predict().Network, devices)
	after := n.Edited(nil, x.Edits...)
	written := string(plan.Apply(n.Document.File, x.Edits...))
	require.True(t, after.Usable(), "%v\n%s", after.Slips(), written)
	return x, written, after
}

func TestWhatWasFoundIsLaidOverAPlan(t *testing.T) {
	router := found("core1", with("lan0", "10.1.0.1/24", "to the desks"), with("wan0", "192.0.2.2/30", "to the carrier: line 7"),
		with("up0", "", ""))
	router.Routes = []observed.Route{{To: netip.MustParsePrefix("0.0.0.0/0"), NextHop: netip.MustParseAddr("192.0.2.1"), Interface: "wan0"}}
	router.Links = []observed.Link{{Interface: "up0", Device: "access-1", Port: "p1"}}
	other := found("far", with("wan0", "192.0.2.1/30", ""))
	sw := found("access-1", with("p1", "", "trunk"), with("p2", "", "desk 2"))
	devices := []*observed.Device{router, other, sw}
	x, text, after := layOver(t, pierInLines, devices...)
	assert.Equal(t, []compare.Alias{{"core1", "edge", "10.1.0.1"}, {"access-1", "sw", "what edge:up0 hears"}}, x.Known)
	assert.Equal(t, []string{"far"}, x.Devices)
	assert.Equal(t, []string{"net-192-0-2-0-30"}, x.Segments)
	assert.Equal(t, []string{"edge:wan0"}, x.Ports)
	assert.Equal(t, []string{"edge:lan0", "sw:p1", "sw:p2"}, x.Notes)
	assert.Equal(t, []string{"edge:wan0 to far:wan0"}, x.Cables, "a subnet of two is a line")
	assert.Equal(t, 1, x.Routes)
	assert.Equal(t, []string{"gone"}, x.NotFound)
	assert.Empty(t, x.Left)
	for _, line := range []string{
		"    net-192-0-2-0-30: {prefix: [192.0.2.0/30]}\n",
		"            lan0: {segment: desks, address: 1, note: to the desks}\n",
		"            wan0: {segment: net-192-0-2-0-30, address: [192.0.2.2/30], note: \"to the carrier: line 7\"}\n",
		"        interfaces: {p1: {note: trunk}, p2: {access: 5, note: desk 2}}\n",
		"    far:\n      is: host   # guessed: it is on one subnet\n",
		`cables: ["edge:up0 to sw:p1", "edge:wan0 to far:wan0"]`,
	} {
		assert.Contains(t, text, strings.ReplaceAll(line, `"edge:wan0 to far:wan0"`, "edge:wan0 to far:wan0"))
	}
	again := compare.DraftInto(after.Document, after.Predict().Network, devices)
	assert.Empty(t, again.Edits, "laid over once more it adds nothing: %s", text)

	crlf, _, _ := layOver(t, strings.ReplaceAll(pierInLines, "\n", "\r\n"), devices...)
	assert.Equal(t, x.Ports, crlf.Ports)
}

func TestWhatCannotBeLaidOverIsTold(t *testing.T) {
	braces := "ropeswing: 1\nsegments: {desks: {prefix: 10.1.0.0/24}}\n" +
		"devices: {h-(1..3): {is: host, interfaces: {e: {segment: desks, address: (n)}}}}\n"
	x, text, _ := layOver(t, braces, found("h-2", with("e", "10.1.0.2/24", "in the cellar"), with("f", "10.9.0.1/24", "")),
		found("new", with("e", "10.1.0.9/24", "")))
	assert.Equal(t, []string{"the description of h-2:e, \"in the cellar\": the plan has no entry of its own for it",
		"interfaces of h-2: the plan has no entry of its own for the device",
		"devices: it cannot be added to there; write its entries in lines, and try again"}, x.Left)
	assert.Empty(t, x.Devices, "what is left out is not told as laid over")
	assert.Empty(t, x.Ports)
	assert.Contains(t, text, "segments: {desks: {prefix: 10.1.0.0/24}, net-10-9-0-0-24: {prefix: [10.9.0.0/24]}}", "one line fits into braces")

	two := found("box", with("e", "10.1.0.1/24", ""), with("f", "10.1.0.2/24", ""))
	x, _, _ = layOver(t, strings.Replace(braces, "h-(1..3)", "h-(1..2)", 1), two)
	assert.Empty(t, x.Known, "it has an address of each of two")
}
