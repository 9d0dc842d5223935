package forward_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/reach"
)

// doors is a LAN with two firewalls, by one of which it asks and by the other of which answers come back:
//
//	pc 10.1.0.10 --- east, west --- up --- r --- srv 10.3.0.10
const doors = `
segments: {lan: {prefix: 10.1.0.0/24}, up: {prefix: 10.2.0.0/24}, far: {prefix: 10.3.0.0/24}}
devices:
  pc: {is: host, gateway: east, interfaces: {p: {segment: lan, address: 10}}}
  east:
    is: firewall
    interfaces: {l: {segment: lan, address: 1}, u: {segment: up, address: 1}}
    routes: {default: r}
    permits: [lan may reach anyone]
    EAST
  west:
    is: firewall
    interfaces: {l: {segment: lan, address: 2}, u: {segment: up, address: 2}}
    routes: {default: r}
    permits: [lan may reach anyone]
    WEST
  r: {is: router, interfaces: {u: {segment: up, address: 3}, f: {segment: far, address: 1}}, routes: {10.1.0.0/24: west, 10.9.0.0/24: west}}
  srv: {is: host, gateway: r, interfaces: {p: {segment: far, address: 10}}}
`

// What one of a pair has seen the other knows only where they share their states, whichever of them says so; so do
// addresses that one translated. Reach says the same of all at once.
func TestAPairSharesItsStates(t *testing.T) {
	translated := "translates: [lan shares 10.9.0.7 beyond u]"
	for _, tt := range []struct{ name, east, west, want string }{
		{"each keeps its own", "", "", "filtered-out back"},
		{"one says so", "shares-state: west", "", "works"},
		{"the other says so", "", "shares-state: east", "works"},
		{"both say so", "shares-state: west", "shares-state: east", "works"},
		{"translated, each for itself", translated, translated, "filtered-out back"},
		{"translated by both", translated + "\n    shares-state: west", translated, "works"},
		{"with somebody else", "shares-state: r", "", "filtered-out back"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			net := coretest.Network(t, strings.NewReplacer("EAST", tt.east, "WEST", tt.west).Replace(doors))
			got := outcome(t, net, "pc", "", "10.3.0.10", "tcp/443")
			if strings.HasPrefix(tt.want, "filtered") {
				assert.Contains(t, got, " back")
			} else {
				assert.Equal(t, tt.want, got)
			}
			if tt.want == "works" {
				for one, other := range map[string]string{"east": "west", "west": "east"} {
					assert.Equal(t, other, net.Spec.StateWith(coretest.Device(t, net.Spec, one)), "whichever says so")
				}
			}
			ends := reach.Hosts(net.Spec)
			m := reach.All(net, ends)
			for i, a := range ends {
				for j, b := range ends {
					if net.Spec.Devices[a.Device].Name == "pc" && net.Spec.Devices[b.Device].Name == "srv" {
						assert.Equal(t, tt.want == "works", m.Verdict(i, j) == forward.Works)
					}
				}
			}
		})
	}
}
