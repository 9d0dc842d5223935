package view

import (
	"encoding/json"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
)

// notExported is what of a device's keys stands in no export, and why.
var notExported = map[string]string{
	"device at": "which cable leads to it: 'show cables'", "device from": "the block its loopback is from: the number stands there",
}

// exportedText is what is exported of every device of a plan.
func exportedText(t *testing.T, text string) string {
	t.Helper()
	_, spec, found := coretest.Resolve(text)
	require.NotNil(t, spec, found)
	all := make([]model.DeviceID, len(spec.Devices))
	for i := range all {
		all[i] = model.DeviceID(i)
	}
	raw, err := json.Marshal(NewExported(spec, all))
	require.NoError(t, err)
	return string(raw)
}

// What the plan says of a device is exported: each key is changed in turn.
func TestEveryKeyOfADeviceIsExported(t *testing.T) {
	before := exportedText(t, coretest.EveryKey)
	for _, g := range plan.Keys() {
		if !slices.Contains([]string{"device", "interface", "route", "permit", "lease"}, g.Of) {
			continue
		}
		for _, k := range g.Keys {
			c, ok := coretest.Changes[g.Of][k.Name]
			if notExported[g.Of+" "+k.Name] != "" || !ok {
				continue // notes, which no comparison changes, are below
			}
			assert.NotEqual(t, before, exportedText(t, strings.Replace(coretest.EveryKey, c[0], c[1], 1)), "%s of a %s", k.Name, g.Of)
		}
	}
	noted := exportedText(t, "segments: {l: {prefix: 10.0.0.0/29}}\ndevices: {a: {is: router, note: one, interfaces: {p: {segment: l, "+
		"note: two}}, permits: [{permit: l may reach l, note: three}]}}\n")
	for _, note := range []string{"one", "two", "three"} {
		assert.Contains(t, noted, `"note":"`+note+`"`)
	}
}

// A card says all that an export does.
func TestCardsHavePolicies(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {l: {prefix: 10.0.0.0/24, leases: {range: 10..20, by: f}}, w: {prefix: 198.51.100.0/28}}
devices:
  f:
    is: firewall
    interfaces: {l: {segment: l, address: 1, relay: srv, advertises: true}, w: {segment: w, address: 1}}
    permits: ["l may reach anyone over tcp/80..81, icmp", {permit: anyone may answer l, in: w, pending: true, note: later}]
    own-permits: [l may reach itself over tcp/22]
    translates: [l shares w, l takes 198.51.100.5..198.51.100.6 beyond w]
  srv: {is: host, interfaces: {p: {segment: l, address: 30}}}
`[1:])
	var b strings.Builder
	NewCard(spec, coretest.Device(t, spec, "f"), "predicted", nil).Text(&b, 200)
	for _, line := range []string{
		"answers ping, ssh at l", "advertises its IPv6 subnets, relays leases to 10.0.0.30",
		"pass from 10.0.0.0/24 to anyone over tcp/80..81, icmp", "pending: leave it out", "pass replies from anyone to 10.0.0.0/24",
		"1  itself   l may reach itself over tcp/22", "the rest it drops; replies to what passed pass",
		"w       10.0.0.0/24  198.51.100.1/32", "198.51.100.5..198.51.100.6  taken", "l    10.0.0.10  10.0.0.20  255.255.255.0  10.0.0.1",
	} {
		assert.Contains(t, b.String(), line)
	}
}

// Rows are kept that have a text in them, in the data as in the table.
func TestMatching(t *testing.T) {
	type row struct {
		Name  string `json:"name"`
		Count int    `json:"count"`
		File  string `json:"file"`
		Place string `json:"place"`
	}
	data := []row{{"quay-edge", 7, "gull", "gull"}, {"mole-rtr", 12, "gull", "gull"}}
	table := Table{Columns: []Column{{Key: "name"}, {Key: "place"}}, Rows: [][]string{{"quay-edge", "gull"}, {"mole-rtr", "gull"}}}
	for text, want := range map[string][]string{"": {"quay-edge", "mole-rtr"}, "QUAY": {"quay-edge"}, "12": {"mole-rtr"}, "gull": nil,
		"e": {"quay-edge", "mole-rtr"}} {
		kept, rows := Matching(data, table, text)
		var names, cells []string
		for i := range kept {
			names = append(names, kept[i].Name)
		}
		for _, r := range rows.Rows {
			cells = append(cells, r[0])
		}
		assert.Equal(t, [2][]string{want, want}, [2][]string{names, cells}, text)
	}
	_, none := Matching(data, table, "tern")
	assert.Equal(t, `nothing here has "tern" in it`, none.Empty)
}

// Equal-cost paths stand one below the other, each with its number; where all of them
// come together the number ends.
func TestPathsOfEqualCostAreApart(t *testing.T) {
	assert.Equal(t, []string{""}, joinedAgain([]string{"2", "1"}, map[string]int{"": 2}))
	assert.Equal(t, []string{"1", "2.2"}, joinedAgain([]string{"2.2", "1"}, map[string]int{"": 2, "2": 2}))
	assert.Equal(t, []string{""}, joinedAgain([]string{"2.2", "1", "2.1"}, map[string]int{"": 2, "2": 2}))
	net := coretest.Network(t, `
segments: {la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}, x1: {prefix: 10.0.1.0/31}, x2: {prefix: 10.0.2.0/31}, y1: {prefix: 10.0.3.0/31}, y2: {prefix: 10.0.4.0/31}}
devices:
  r1: {is: router, interfaces: {l: {segment: la, address: 1}, x1: {segment: x1, address: 10.0.1.0}, x2: {segment: x2, address: 10.0.2.0}}, routes: {lb: [{next-hop: 10.0.1.1, distance: 1}, {next-hop: 10.0.2.1, distance: 1}]}}
  m1: {is: router, interfaces: {x: {segment: x1, address: 10.0.1.1}, y: {segment: y1, address: 10.0.3.0}}, routes: {lb: 10.0.3.1, la: 10.0.1.0}}
  m2: {is: router, interfaces: {x: {segment: x2, address: 10.0.2.1}, y: {segment: y2, address: 10.0.4.0}}, routes: {lb: 10.0.4.1, la: 10.0.2.0}}
  r2: {is: router, interfaces: {l: {segment: lb, address: 1}, y1: {segment: y1, address: 10.0.3.1}, y2: {segment: y2, address: 10.0.4.1}}, routes: {la: 10.0.3.0}}
  a: {is: host, interfaces: {p: {segment: la, address: 5}}}
  b: {is: host, interfaces: {p: {segment: lb, address: 5}}}
`[1:])
	x := forward.PingBy(net, coretest.Device(t, net.Spec, "a"), netip.Addr{}, netip.MustParseAddr("10.2.0.5"), model.None, forward.Probe{})
	var steps []string
	for _, row := range walkRows(net, x.There) {
		steps = append(steps, strings.TrimSpace(row[0]+" "+row[1]))
	}
	assert.Equal(t, []string{"a", "1 r1", "2 r1", "1 m1", "1 r2", "2 m2", "2 r2", "b"}, steps)
	assert.Equal(t, []string{"3", "3.2", ""}, []string{branchOf("", 2, 3), branchOf("3", 1, 2), branchOf("", 0, 1)})
}
