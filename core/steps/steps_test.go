package steps_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/steps"
)

// network is a plan's network with its derived routes.
func network(t testing.TB, text string) *forward.Network {
	t.Helper()
	_, net, _ := derive.Resolve(coretest.Spec(t, text))
	return net
}

// between is the worksheet from one plan to another.
func between(t testing.TB, from, to string) *steps.Worksheet {
	t.Helper()
	return steps.Plan(compare.Differences(network(t, to), compare.AsObserved(network(t, from))), nil)
}

// told is a worksheet, a line a step: the device, what is set, what becomes of the session,
// and what fails.
func told(w *steps.Worksheet) string {
	var b strings.Builder
	spec := w.After.Spec
	for i := range w.Steps {
		s := &w.Steps[i]
		var sets []string
		for n := range s.Sets {
			set, _ := s.Sets[n].What()
			sets = append(sets, set)
		}
		fmt.Fprintf(&b, "%s | %s | %s", spec.Devices[s.Device].Name, strings.Join(sets, " + "), s.Session)
		if s.Session == steps.Moves {
			fmt.Fprintf(&b, " to %s", s.Then.Address)
		}
		if s.Broken > 0 || len(s.Unmet) > 0 {
			fmt.Fprintf(&b, " | %s", s.FailsWords())
		}
		b.WriteString("\n")
	}
	return b.String()
}

// office is a router, a switch that is managed in a VLAN of its own, and two hosts.
const office = `
operator: ops
segments: {desks: {vlan: 10, prefix: 10.1.0.0/24}, manage: {vlan: 90, prefix: 10.9.0.0/24}}
devices:
  rtr: {is: router, interfaces: {lan: {}, lan.10: {segment: desks, address: first}, lan.90: {segment: manage, address: first}}}
  sw: {is: switch, interfaces: {p1: {tagged: [desks, manage]}, p2: {access: desks}, p3: {access: desks}, mgmt: {vlan: manage, address: 2}}}
  ops: {is: host, at: "sw:p2", address: 10}
  desk: {is: host, at: "sw:p3", address: 11}
cables: [rtr:lan to sw:p1]
`

// yard is two routers with two links between them, a carrier at one and a LAN at the other.
const yard = `
operator: ops
segments:
  desks: {prefix: 10.1.0.0/24}
  barn: {prefix: 10.2.0.0/24}
  near: {prefix: 10.0.0.0/30}
  wide: {prefix: 10.0.0.8/30}
  up: {prefix: 198.51.100.0/30}
  up2: {prefix: 198.51.100.4/30}
devices:
  one:
    is: router
    interfaces: {lan: {segment: desks, address: 1}, a: {segment: near, address: 1}, b: {segment: wide, address: 1}, up: {segment: up, address: 2}, up2: {segment: up2, address: 2}}
    routes: {10.2.0.0/24: 10.0.0.2, default: 198.51.100.1}
  two:
    is: router
    interfaces: {lan: {segment: barn, address: 1}, a: {segment: near, address: 2}, b: {segment: wide, address: 2}}
    routes: {default: 10.0.0.1}
  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 1}}, routes: {10.0.0.0/8: 198.51.100.2}}
  sky: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up2, address: 1}}, routes: {10.0.0.0/8: 198.51.100.6}}
  ops: {is: host, interfaces: {e: {segment: desks, address: 10}}}
  cow: {is: host, interfaces: {e: {segment: barn, address: 10}}}
cables: [one:a to two:a, one:b to two:b]
must: [ops reaches cow, ops reaches 192.0.2.9]
`

// The orders that a careful engineer would take, with the reason for each.
func TestStepsByHand(t *testing.T) {
	for name, tt := range map[string]struct {
		from   string
		change []string // old, new, …: what makes the goal of it
		want   string
	}{
		"a management address within its subnet": {office, []string{"mgmt: {vlan: manage, address: 2}", "mgmt: {vlan: manage, address: 3}"},
			"sw | mgmt address: 10.9.0.3/24 | moves to 10.9.0.3\n"}, // one login more, and nothing else
		"a management address to another subnet, with its gateway": {office, []string{"manage: {vlan: 90, prefix: 10.9.0.0/24}", "manage: {vlan: 90, prefix: 10.8.0.0/24}"},
			// The gateway first has both, then the switch; only then may its default route move; the old ones go last.
			"rtr | also lan.90 address: 10.8.0.1/24 | stays\n" +
				"sw | also mgmt address: 10.8.0.2/24 | stays\n" +
				"sw | route 0.0.0.0/0 via 10.8.0.1 (rtr:lan.90) | stays\n" +
				"rtr | remove lan.90 address: 10.9.0.1/24, and keep 10.8.0.1/24 | stays\n" +
				"sw | remove mgmt address: 10.9.0.2/24, and keep 10.8.0.2/24 | stays\n"},
		"a VLAN taken off the only link of a switch": {office, []string{"p1: {tagged: [desks, manage]}", "p1: {tagged: [desks]}", "mgmt: {vlan: manage, address: 2}", "mgmt: {vlan: desks, address: 2}"}, ""},
		"a way over another link, both directions": {yard, []string{"10.2.0.0/24: 10.0.0.2", "10.2.0.0/24: 10.0.0.10", "default: 10.0.0.1}", "default: 10.0.0.9}"},
			"two | route 0.0.0.0/0 via 10.0.0.9 (one:b) | stays\n" +
				"one | route 10.2.0.0/24 via 10.0.0.10 (two:b) | stays\n"},
		"a link gets another subnet": {yard, []string{"near: {prefix: 10.0.0.0/30}", "near: {prefix: 10.0.0.4/30}", "10.2.0.0/24: 10.0.0.2", "10.2.0.0/24: 10.0.0.6", "default: 10.0.0.1}", "default: 10.0.0.5}"}, ""},
		"a link's /30 to a /31": {yard, []string{"near: {prefix: 10.0.0.0/30}", "near: {prefix: 10.0.0.4/31}", "10.2.0.0/24: 10.0.0.2", "10.2.0.0/24: 10.0.0.5", "default: 10.0.0.1}", "default: 10.0.0.4}"}, ""},
		"two carriers swapped": {yard, []string{"default: 198.51.100.1}", "default: 198.51.100.5}"},
			"one | route 0.0.0.0/0 via 198.51.100.5 (sky:e) | local\n"},
		"a mask corrected on one end": {strings.Replace(yard, "a: {segment: near, address: 2}", "a: {segment: near, address: 10.0.0.2/29}", 1), []string{"a: {segment: near, address: 10.0.0.2/29}", "a: {segment: near, address: 2}"},
			"two | a address: 10.0.0.2/30 | stays\n"},
		"IPv6 added to all": {yard, []string{"desks: {prefix: 10.1.0.0/24}", "desks: {prefix: [10.1.0.0/24, '2001:db8:1::/64']}", "barn: {prefix: 10.2.0.0/24}", "barn: {prefix: [10.2.0.0/24, '2001:db8:2::/64']}", "near: {prefix: 10.0.0.0/30}", "near: {prefix: [10.0.0.0/30, '2001:db8:3::/127']}"}, ""},
		"a loop mended": {strings.Replace(yard, "routes: {default: 10.0.0.1}", "routes: {default: 10.0.0.1, 10.2.0.0/25: 10.0.0.1}", 1), []string{", 10.2.0.0/25: 10.0.0.1", ""}, ""},
		"a LAN moved with its hosts": {yard, []string{"barn: {prefix: 10.2.0.0/24}", "barn: {prefix: 10.3.0.0/24}", "10.2.0.0/24: 10.0.0.2", "10.3.0.0/24: 10.0.0.2"}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			goal := strings.NewReplacer(tt.change...).Replace(tt.from)
			if name == "a mask corrected on one end" || name == "a loop mended" {
				goal = strings.Replace(tt.from, tt.change[0], tt.change[1], 1)
			}
			w := between(t, tt.from, goal)
			require.NotEmpty(t, w.Steps)
			if tt.want == "" {
				t.Log("\n" + told(w))
			}
			assert.Equal(t, tt.want, told(w))
		})
	}
}
