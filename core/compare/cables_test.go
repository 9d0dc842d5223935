package compare

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/observed"
)

const patched = `
segments: {a: {vlan: 1, prefix: 192.0.2.0/27}, b: {vlan: 2, prefix: 192.0.2.32/27}}
devices:
  r:    {is: router, interfaces: {e0: {segment: a, address: first}, e1: {segment: b, address: first}}}
  sw:   {is: switch, interfaces: {p1: {access: a}, p2: {access: b}, p3: {access: a}, p4: {access: b}, p5: {access: b}}}
  pc:   {is: host, at: sw:p3, address: 10}
  lamp: {is: host, at: sw:p4, address: 10}
cables: [r:e0 to sw:p1, r:e1 to sw:p2]
`

// asCabled is the plan's devices as observed, each with what it says of its neighbours.
func asCabled(net *forward.Network, links map[string][]observed.Link) []*observed.Device {
	all := AsObserved(net)
	for _, d := range all {
		if l, ok := links[d.Name]; ok {
			d.Links = l
			d.Learn(observed.Links)
		}
	}
	return all
}

func TestCablesAreComparedByWhoIsAtTheirEnds(t *testing.T) {
	net := coretest.Network(t, patched)
	swapped := map[string][]observed.Link{
		"r":  {{Interface: "e0", Device: "sw", Port: "p2"}, {Interface: "e1", Device: "sw", Port: "p1"}},
		"sw": {{Interface: "p1", Device: "R.example", Port: "e1"}, {Interface: "p2", Device: "r", Port: "e0"}},
	}
	found := asCabled(net, swapped)
	r := Compare(net, found)
	assert.Equal(t, "r cable e0 different: sw:p1 > sw:p2;\nr cable e1 different: sw:p2 > sw:p1;", told(r), "each once, though both ends tell")
	assert.Positive(t, r.Differences[0].Lost)
	assert.Contains(t, r.Untold, OfCable, "of the hosts' cables nobody says anything")
	placed := asCabled(net, map[string][]observed.Link{"r": {{Interface: "e0", Device: "sw", Port: "p1"},
		{Interface: "e1", Device: "sw", Port: "p2"}}})
	for host, port := range map[string]string{"pc": "p3", "lamp": "p4"} {
		mac := "02:00:5e:00:00:" + port[1:] + "0"
		of(placed, host).Interfaces[0].MAC = mac
		of(placed, "sw").MACs = append(of(placed, "sw").MACs, observed.MACEntry{MAC: mac, Interface: port})
	}
	of(placed, "sw").Learn(observed.MACs)
	all := Compare(net, placed)
	assert.Empty(t, told(all))
	assert.NotContains(t, all.Untold, OfCable, "each cable was compared")
	after := Overlay(net, found)
	id := func(label string) string {
		return after.Spec.Label(after.State.Peer(coretest.Interface(t, after.Spec, label)))
	}
	assert.Equal(t, []string{"sw:p2", "sw:p1", "r:e1", "pc:port"}, []string{id("r:e0"), id("r:e1"), id("sw:p1"), id("sw:p3")})

	for about, links := range map[string]map[string][]observed.Link{
		"": {"r": {{Interface: "e0", Device: "sw", Port: "p1"}},
			"sw": {{Interface: "p1", Device: "r", Port: "e0"}, {Interface: "p5", Device: "a phone"}}},
		"r cable e0 different: sw:p1 > someone eth7;": {"r": {{Interface: "e0", Device: "someone", Port: "eth7"}}},
		"r cable e0 different: sw:p1 > sw:p5;":        {"r": {{Interface: "e0", Device: "sw", Port: "p5"}}},
		"sw cable p5 extra:  > r:e1;":                 {"sw": {{Interface: "p5", Device: "r", Port: "e1"}}},
	} {
		assert.Equal(t, about, told(Compare(net, asCabled(net, links))))
	}
	// A port's name that the plan does not have says which device it is, and no more: the cable is not compared.
	unnamed := Compare(net, asCabled(net, map[string][]observed.Link{"r": {{Interface: "e0", Device: "sw", Port: "Port 1"}}}))
	assert.Empty(t, told(unnamed))
	assert.Contains(t, unnamed.Untold, OfCable)
	moved := Overlay(net, asCabled(net, map[string][]observed.Link{"r": {{Interface: "e0", Device: "sw", Port: "p5"}}}))
	assert.False(t, moved.State.IsUp(coretest.Interface(t, moved.Spec, "sw:p1")), "its cable is pulled out")
	assert.True(t, moved.State.IsUp(coretest.Interface(t, moved.Spec, "sw:p5")))
}

func TestHostsAreWhereTheirMACIsSeen(t *testing.T) {
	net := coretest.Network(t, patched)
	for about, ports := range map[string][]string{"": {"p3"}, "pc cable port different: sw:p3 > sw:p5;": {"p5"}, " ": {"p3", "p5"},
		"  ": {"p1"}} {
		all := AsObserved(net)
		of(all, "pc").Interfaces[0].MAC = "02:00:5E:00:00:07"
		sw := of(all, "sw")
		for _, p := range ports {
			sw.MACs = append(sw.MACs, observed.MACEntry{MAC: "02:00:5e:00:00:07", Interface: p, VLAN: 1})
		}
		sw.Learn(observed.MACs)
		want := about
		if want == " " || want == "  " { // seen twice, or behind a router: nothing is known of it
			want = ""
		}
		assert.Equal(t, want, told(Compare(net, all)), ports)
	}
}
