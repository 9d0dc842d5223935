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
	goal, start := network(t, to), network(t, from)
	r := compare.Differences(goal, compare.AsObserved(start))
	require.Empty(t, r.AddFrom(goal.Spec, start.Spec), "everything can be set")
	return steps.Plan(r, nil)
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

// grouped is the office with a group of two ports to the router.
var grouped = strings.NewReplacer("lan: {},", "l1: {}, l2: {}, lan: {members: [l1, l2]},", "p1: {tagged: [desks, manage]}",
	"p1: {}, p5: {}, g: {members: [p1, p5], tagged: [desks, manage]}", "cables: [rtr:lan to sw:p1]",
	"cables: [rtr:l1 to sw:p1, rtr:l2 to sw:p5]").Replace(office)

// walled is the yard with a firewall in it.
var walled = strings.NewReplacer("two:\n    is: router",
	"two:\n    is: firewall\n    permits: [desks may reach barn]\n    own-permits: [desks may reach itself]", "routes: {default: 10.0.0.1}",
	"routes: {10.1.0.0/24: 10.0.0.1}", "  up: {prefix", "  attic: {prefix: 10.4.0.0/24}\n  up: {prefix",
	"lan: {segment: desks, address: 1},", "lan: {segment: desks, address: 1}, loft: {segment: attic, address: 1},", "  cow:",
	"  cat: {is: host, interfaces: {e: {segment: attic, address: 10}}}\n  cow:").Replace(yard)

// twoHeads is the office with a router that is managed by an address which one of two ports holds,
// each of a supervisor of its own.
var twoHeads = strings.NewReplacer("devices:",
	"devices:\n  big: {is: router, manage: m0, answers: ssh, routes: {default: rtr}, interfaces: {m0: {segment: manage, address: none, "+
		"virtual: 5, priority: 120}, m1: {segment: manage, address: none, virtual: 5}}}",
	"p2: {access: desks}", "p2: {access: desks}, p6: {access: manage}, p7: {access: manage}", "cables: [",
	"cables: [big:m0 to sw:p6, big:m1 to sw:p7, ").Replace(office)

// The orders that a careful engineer would take, with the reason for each.
func TestStepsByHand(t *testing.T) {
	for name, tt := range map[string]struct {
		from   string
		change []string // old, new, …: what makes the goal of it
		want   string
	}{
		"a management address within its subnet": {office, []string{"mgmt: {vlan: manage, address: 2}", "mgmt: {vlan: manage, address: 3}"},
			"sw | mgmt address: 10.9.0.3/24 | moves to 10.9.0.3\n"}, // one login more, and nothing else
		"a management address to another subnet, with its gateway": {office,
			[]string{"manage: {vlan: 90, prefix: 10.9.0.0/24}", "manage: {vlan: 90, prefix: 10.8.0.0/24}"},
			// The gateway first has both, then the switch; only then may its default route move; the old ones go last.
			"rtr | also lan.90 address: 10.8.0.1/24 | stays\n" +
				"sw | also mgmt address: 10.8.0.2/24 | stays\n" +
				"sw | route 0.0.0.0/0 via 10.8.0.1 (rtr:lan.90) | stays\n" +
				"rtr | remove lan.90 address: 10.9.0.1/24, and keep 10.8.0.1/24 | stays\n" +
				"sw | remove mgmt address: 10.9.0.2/24, and keep 10.8.0.2/24 | stays\n"},
		"a VLAN taken off the only link of a switch": {office,
			[]string{"p1: {tagged: [desks, manage]}", "p1: {tagged: [desks]}", "mgmt: {vlan: manage, address: 2}",
				"mgmt: {vlan: desks, address: 2}"},
			// Alone each would cut the switch off: all at once, and log in again.
			"sw | p1 tagged 10 + mgmt address: 10.1.0.2/24 + route 0.0.0.0/0 via 10.1.0.1 (rtr:lan.10) + mgmt tag: 10 | moves to 10.1.0.2\n"},
		"a way over another link, both directions": {yard,
			[]string{"10.2.0.0/24: 10.0.0.2", "10.2.0.0/24: 10.0.0.10", "default: 10.0.0.1}", "default: 10.0.0.9}"},
			"one | route 10.2.0.0/24 via 10.0.0.10 (two:b) | stays\n" +
				"two | route 0.0.0.0/0 via 10.0.0.9 (one:b) | stays\n"},
		"a link gets another subnet": {yard,
			[]string{"near: {prefix: 10.0.0.0/30}", "near: {prefix: 10.0.0.4/30}", "10.2.0.0/24: 10.0.0.2", "10.2.0.0/24: 10.0.0.6",
				"default: 10.0.0.1}", "default: 10.0.0.5}"},
			// Both ends have both before a route moves; the old ones go when nothing leads to them.
			"one | also a address: 10.0.0.5/30 | stays\n" +
				"two | also a address: 10.0.0.6/30 | stays\n" +
				"two | route 0.0.0.0/0 via 10.0.0.5 (one:a) | stays\n" +
				"one | route 10.2.0.0/24 via 10.0.0.6 (two:a) | stays\n" +
				"one | remove a address: 10.0.0.1/30, and keep 10.0.0.5/30 | stays\n" +
				"two | remove a address: 10.0.0.2/30, and keep 10.0.0.6/30 | stays\n"},
		"a link's /30 to a /31": {yard, []string{"near: {prefix: 10.0.0.0/30}", "near: {prefix: 10.0.0.4/31}", "10.2.0.0/24: 10.0.0.2",
			"10.2.0.0/24: 10.0.0.5", "default: 10.0.0.1}", "default: 10.0.0.4}"},
			"one | also a address: 10.0.0.4/31 | stays\n" +
				"two | also a address: 10.0.0.5/31 | stays\n" +
				"two | route 0.0.0.0/0 via 10.0.0.4 (one:a) | stays\n" +
				"one | route 10.2.0.0/24 via 10.0.0.5 (two:a) | stays\n" +
				"one | remove a address: 10.0.0.1/30, and keep 10.0.0.4/31 | stays\n" +
				"two | remove a address: 10.0.0.2/30, and keep 10.0.0.5/31 | stays\n"},
		"two carriers swapped": {yard, []string{"default: 198.51.100.1}", "default: 198.51.100.5}"},
			"one | route 0.0.0.0/0 via 198.51.100.5 (sky:e) | stays\n"},
		"a mask corrected on one end": {strings.Replace(yard, "a: {segment: near, address: 2}", "a: {segment: near, address: 10.0.0.2/29}", 1),
			[]string{"a: {segment: near, address: 10.0.0.2/29}", "a: {segment: near, address: 2}"},
			"two | a address: 10.0.0.2/30 | stays\n"},
		"IPv6 added to all": {yard, []string{"desks: {prefix: 10.1.0.0/24}", "desks: {prefix: [10.1.0.0/24, '2001:db8:1::/64']}",
			"barn: {prefix: 10.2.0.0/24}", "barn: {prefix: [10.2.0.0/24, '2001:db8:2::/64']}", "near: {prefix: 10.0.0.0/30}",
			"near: {prefix: [10.0.0.0/30, '2001:db8:3::/127']}"},
			"one | lan address: 2001:db8:1::1/64 | stays\n" +
				"one | a address: 2001:db8:3::/127 | stays\n" +
				"two | lan address: 2001:db8:2::1/64 | stays\n" +
				"two | a address: 2001:db8:3::1/127 | stays\n" +
				"ops | e address: 2001:db8:1::a/64 | local\n" +
				"ops | route ::/0 via 2001:db8:1::1 (one:lan) | local\n" +
				"cow | e address: 2001:db8:2::a/64 | stays\n" +
				"cow | route ::/0 via 2001:db8:2::1 (two:lan) | stays\n"},
		"a loop mended": {strings.Replace(yard, "routes: {default: 10.0.0.1}", "routes: {default: 10.0.0.1, 10.2.0.0/25: 10.0.0.1}", 1),
			[]string{", 10.2.0.0/25: 10.0.0.1", ""},
			"two | remove route 10.2.0.0/25 via 10.0.0.1 (one:a) | stays\n"},
		"a port taken out of the group one comes in by": {grouped,
			[]string{"g: {members: [p1, p5], tagged", "g: {members: [p1], tagged", "lan: {members: [l1, l2]}", "lan: {members: [l1]}"},
			// Half a group loses what it sends by the port that is out of it at the other end.
			"rtr | l2 in no group | ends | 2 pairs, such as desks to manage\n" +
				"sw | p5 in no group | console\n"},
		"a port taken out of a group that negotiates": {strings.ReplaceAll(grouped, "members:", "negotiates: true, members:"),
			[]string{"members: [p1, p5], tagged", "members: [p1], tagged", "members: [l1, l2]}", "members: [l1]}"},
			"rtr | l2 in no group | stays\n" +
				"sw | p5 in no group | stays\n"},
		"a permit added behind a route back": {walled,
			[]string{"routes: {10.1.0.0/24: 10.0.0.1}", "routes: {10.1.0.0/24: 10.0.0.1, 10.4.0.0/24: 10.0.0.1}",
				"permits: [desks may reach barn]", "permits: [desks may reach barn, attic may reach barn]"},
			// What is let in has a path back when it comes.
			"two | route 10.4.0.0/24 via 10.0.0.1 (one:a) | stays\n" +
				"two | also permit attic may reach barn, behind 'desks may reach barn' | stays\n"},
		"a permit in another's place": {walled, []string{"permits: [desks may reach barn]", "permits: [10.1.0.0/24 may reach barn]"},
			// The new one is there before the old one goes.
			"two | also permit 10.1.0.0/24 may reach barn, before all others | stays\n" +
				"two | remove permit desks may reach barn | stays\n"},
		"permits in another order": {strings.Replace(walled, "permits: [desks may reach barn]",
			"permits: [desks may reach barn, attic may reach barn]", 1), []string{"permits: [desks may reach barn, attic may reach barn]",
			"permits: [attic may reach barn, desks may reach barn]"},
			"two | permits: attic may reach barn; desks may reach barn | stays\n"},
		"a translation replaced": {strings.Replace(yard, "routes: {10.2.0.0/24: 10.0.0.2,",
			"translates: [desks shares up]\n    routes: {10.2.0.0/24: 10.0.0.2,", 1), []string{"desks shares up]", "desks shares up2]"},
			"one | translates: desks shares up2 | stays\n"},
		"a LAN moved with its hosts": {yard,
			[]string{"barn: {prefix: 10.2.0.0/24}", "barn: {prefix: 10.3.0.0/24}", "10.2.0.0/24: 10.0.0.2", "10.3.0.0/24: 10.0.0.2"},
			// The new one is there, and the way to it, before a host moves; what leads to the old one goes last.
			"two | also lan address: 10.3.0.1/24 | stays\n" +
				"one | route 10.3.0.0/24 via 10.0.0.2 (two:a) | stays\n" +
				"cow | also e address: 10.3.0.10/24 | stays\n" +
				"cow | route 0.0.0.0/0 via 10.3.0.1 (two:lan) | stays\n" +
				"cow | remove e address: 10.2.0.10/24, and keep 10.3.0.10/24 | moves to 10.3.0.10\n" +
				"one | remove route 10.2.0.0/24 via 10.0.0.2 (two:a) | stays\n" +
				"two | remove lan address: 10.2.0.1/24, and keep 10.3.0.1/24 | stays\n"},
		"a managed address that moves with the active supervisor": {twoHeads, []string{"priority: 120", "priority: 90"},
			"big | m0 priority: 90 | moves to 10.9.0.5\n"},
		"a supervisor in reserve is switched off": {twoHeads, []string{"virtual: 5}}", "virtual: 5, admin: down}}"},
			"big | m1 admin: down | stays\n"},
		"the active supervisor is switched off": {twoHeads, []string{"priority: 120}", "priority: 120, admin: down}"},
			"big | m0 admin: down | moves to 10.9.0.5\n"},
	} {
		t.Run(name, func(t *testing.T) {
			goal := strings.NewReplacer(tt.change...).Replace(tt.from)
			if name == "a mask corrected on one end" || name == "a loop mended" {
				goal = strings.Replace(tt.from, tt.change[0], tt.change[1], 1)
			}
			w := between(t, tt.from, goal)
			require.NotEmpty(t, w.Steps)
			assert.Equal(t, tt.want, told(w))
		})
	}
}

// Hosts that the plan does not know go with their gateway: that is told where its subnet goes.
func TestHostsThatThePlanDoesNotKnow(t *testing.T) {
	w := between(t, yard, strings.NewReplacer("barn: {prefix: 10.2.0.0/24}", "barn: {prefix: 10.3.0.0/24}", "10.2.0.0/24: 10.0.0.2",
		"10.3.0.0/24: 10.0.0.2").Replace(yard))
	var all []string
	for _, s := range w.Steps {
		all = append(all, s.Hosts...)
	}
	assert.Equal(t, []string{"barn: 10.3.0.0/24 instead of 10.2.0.0/24"}, all, "once, when the old address goes, and not of links")
}

// The restart of the router between takes its LAN and the world; that of the host nothing
// but itself.
func TestRestarts(t *testing.T) {
	w := between(t, yard, strings.NewReplacer("default: 10.0.0.1}", "default: 10.0.0.9}").Replace(yard))
	require.Len(t, w.Steps, 1)
	assert.Nil(t, w.Steps[0].Restart, "not asked")
	w.AddRestarts()
	r := w.Steps[0].Restart
	require.NotNil(t, r)
	assert.Equal(t, 3, r.Broken, "desks and barn either way, and barn to the world")
}

// What outlasts a step is told: leases that keep the old gateway, and who remembers that an
// address was somebody else's.
func TestWhatOutlastsAStepIsTold(t *testing.T) {
	leased := strings.Replace(yard, "barn: {prefix: 10.2.0.0/24}", "barn: {prefix: 10.2.0.0/24, leases: [{range: 10.2.0.100..10.2.0.120}]}",
		1)
	notes := func(from string, change ...string) (all []string) {
		r := compare.Differences(network(t, strings.NewReplacer(change...).Replace(from)), compare.AsObserved(network(t, from)))
		for _, s := range steps.Plan(r, nil).Steps {
			all = append(all, s.Notes...)
		}
		return all
	}
	const kept = "leased hosts of barn keep the gateway 10.2.0.1 until their leases run out, and reach nothing beyond the segment until " +
		"then: wait that long, or have them renew"
	assert.Equal(t, []string{kept}, notes(leased, "lan: {segment: barn, address: 1}", "lan: {segment: barn, address: 254}"))
	assert.Empty(t, notes(yard, "lan: {segment: barn, address: 1}", "lan: {segment: barn, address: 254}"), "no leases")
	assert.Empty(t, notes(leased, "default: 10.0.0.1}", "default: 10.0.0.9}"), "the gateway stays")
	moved := notes(yard, "ops: {is: host, interfaces: {e: {segment: desks, address: 10}}}",
		"ops: {is: host, interfaces: {e: {segment: desks, address: 11}}}\n  new: {is: host, interfaces: {e: {segment: desks, address: 12}}}")
	assert.Empty(t, moved)
	swapped := notes(strings.Replace(yard, "  cow:", "  pig: {is: host, interfaces: {e: {segment: desks, address: 20}}}\n  cow:", 1),
		"segment: desks, address: 10}", "segment: desks, address: 30}", "segment: desks, address: 20}", "segment: desks, address: 10}")
	assert.Equal(t, []string{"neighbours may remember for some minutes that 10.1.0.10 was ops: ping from pig, or clear their entries"},
		swapped)
}
