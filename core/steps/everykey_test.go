package steps

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/model"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
)

// yard is a small plan with room for whatever is set; %s is what is set on sw, r, r's port far and r's subinterface.
const yard = `ropeswing: 1
operator: op
segments: {ops: {vlan: 10, prefix: 10.1.0.0/24}, srv: {vlan: 20, prefix: 10.2.0.0/24}, out: {prefix: 10.3.0.0/24}}
devices:
  r:
    is: router%s
    loopback: 10.9.0.1
    interfaces:
      lan: {}
      lan.10: {segment: ops, parent: lan, tag: 10, address: 1}
      lan.20: {segment: srv, parent: lan, tag: 20, address: 1%s}
      far: {segment: out, address: 1%s}
  x: {is: router, interfaces: {e: {segment: out, address: 2}}, routes: {default: r}}
  sw:
    is: switch
    gateway: 10.1.0.1
    interfaces:
      up: {tagged: [ops, srv]}
      p1: {access: ops}
      p2: {access: srv}
%s
  op: {is: host, interfaces: {e: {segment: ops, address: 10}}, gateway: 10.1.0.1}
cables: ["r:lan to sw:up", "op:e to sw:p1", "r:far to x:e"]
`

func yardWith(device, sub, port, sw string) string {
	if sw == "" {
		sw = "      p3: {}\n      p4: {}\n      m: {vlan: ops, address: 5}"
	}
	return fmt.Sprintf(yard, device, sub, port, sw)
}

// said is what a plan says to set each key, twice otherwise; a key that is not among them fails the test.
var said = map[string][2]string{
	"mtu": {", mtu: 1400", ", mtu: 9000"}, "note": {`, note: "to the desk, and back"`, ", note: spare"}, "mac": {", mac: 02:00:00:00:00:01",
		", mac: 02:00:00:00:00:02"}, "duplex": {", duplex: half", ", duplex: full"}, "bandwidth": {", bandwidth: 100M", ", bandwidth: 64k"},
	"table": {", table: apart", ", table: other"}, "relay": {", relay: [10.1.0.10]",
		", relay: [10.3.0.2]"}, "advertises": {", advertises: true", ""},
	"virtual": {", virtual: 10.2.0.250", ", virtual: 10.2.0.251"}, "priority": {", virtual: 10.2.0.250, priority: 90",
		", virtual: 10.2.0.250, priority: 110"},
	"follows": {", virtual: 10.2.0.250, follows: loopback", ", virtual: 10.2.0.250, follows: [loopback by 20]"},
	"tag":     {"", ""}, "parent": {"", ""}, "negotiates": {"", ""}, "line": {"", ""}, "clock": {"", ""}, "borrow": {"", ""}, // further below
	"otherwise": {"\n    otherwise: drop\n    own-permits: [anyone may reach itself]\n    permits: [ops may reach srv]",
		"\n    otherwise: refuse\n    own-permits: [anyone may reach itself]\n    permits: [ops may reach srv]"},
	"shares-state": {"\n    keeps-state: true\n    shares-state: x", "\n    keeps-state: true\n    shares-state: op"},
	"keeps-state":  {"\n    keeps-state: true", ""}, "forwards": {"\n    forwards: false", ""}, "answers": {"\n    answers: [ssh]",
		"\n    answers: [ping, snmp, ssh]"},
	"name-servers": {"\n    name-servers: op", "\n    name-servers: [10.3.0.7, 10.3.0.8]"},
	"time-servers": {"\n    time-servers: op", "\n    time-servers: 10.3.0.7"},
	"log-servers":  {"\n    log-servers: op", "\n    log-servers: 10.3.0.7"},
}

// pairsOfPlans is pairs of plans, each with one thing set otherwise, by its name.
func pairsOfPlans(t *testing.T) map[string][2]string {
	pairs := map[string][2]string{}
	add := func(name string, at int, values [2]string) {
		all := []string{"", values[0], values[1]}
		for i, a := range all {
			for j, b := range all {
				if i == j || a == b {
					continue
				}
				of := func(value string) string {
					parts := [4]string{}
					parts[at] = value
					return yardWith(parts[0], parts[1], parts[2], parts[3])
				}
				pairs[fmt.Sprintf("%s from %q to %q", name, a, b)] = [2]string{of(a), of(b)}
			}
		}
	}
	for _, k := range model.InterfaceKeys {
		values, ok := said[k.Name]
		require.True(t, ok, "the key %s is not among those tried", k.Name)
		add(k.Name, 1, values)
	}
	for _, k := range model.DeviceKeys {
		values, ok := said[k.Name]
		require.True(t, ok, "the key %s is not among those tried", k.Name)
		add(k.Name, 0, values)
	}
	add("permits", 0, [2]string{"\n    permits: [ops may reach srv, {permit: srv may reach ops, in: [lan.20], pending: true}]",
		"\n    permits: [srv may not reach ops, ops may reach srv]"})
	add("watch", 0, [2]string{"\n    routes: {10.8.0.0/16: {next-hop: 10.3.0.2, watch: 10.3.0.2}}",
		"\n    routes: {10.8.0.0/16: {next-hop: 10.3.0.2, watch: 10.3.0.2, watch-from: 10.9.0.1}}"})
	add("addresses", 2, [2]string{", secondary: [10.3.0.9]", ", secondary: [10.3.0.9, 10.3.0.8]"})
	add("ports", 3, [2]string{"      p3: {tagged: [ops, srv]}\n      p4: {}\n      m: {vlan: srv, address: 5}",
		"      p3: {}\n      p4: {}\n      g: {members: [p3, p4], tagged: [ops, srv]}\n      m: {vlan: ops, address: 6}"})
	pairs["another VLAN interface"] = [2]string{yardWith("", "", "", "      v1: {vlan: ops, address: 5}"),
		yardWith("", "", "", "      v2: {vlan: srv, address: 5}")}
	base := yardWith("", "", "", "")
	number := func(text string) string {
		return strings.NewReplacer("vlan: 20", "vlan: 30", "tag: 20", "tag: 30", "lan.20", "lan.30").Replace(text)
	}
	pairs["another number"] = [2]string{base, strings.NewReplacer("vlan: 20", "vlan: 30", "tag: 20", "tag: 30").Replace(base)}
	pairs["another subinterface"] = [2]string{base, number(base)}
	two := strings.Replace(base, "lan: {}", "lan: {}\n      lin: {}", 1)
	pairs["another parent"] = [2]string{two, strings.Replace(two, "srv, parent: lan", "srv, parent: lin", 1)}
	serial := func(one, other string) string {
		return strings.NewReplacer("out, address: 1", "out, address: 1, line: serial"+one, "out, address: 2", "out, address: 2, line: serial"+
			other).Replace(base)
	}
	group := strings.Replace(base, "      p4: {}\n", "      p4: {}\n      g: {members: [p3, p4], tagged: [ops]}\n", 1)
	pairs["a group that negotiates"] = [2]string{group, strings.Replace(group, "g: {", "g: {negotiates: true, ", 1)}
	pairs["a serial line"] = [2]string{base, serial(", clock: here", "")}
	pairs["clocked at the other end"] = [2]string{serial(", clock: here", ""), serial("", ", clock: here")}
	pairs["borrowed"] = [2]string{serial(", clock: here", ""),
		strings.NewReplacer("far: {segment: out, address: 1, ", "far: {borrow: loopback, ", ", routes: {default: r}",
			"").Replace(serial(", clock: here", ""))}
	return pairs
}

// Whatever a worksheet says to set can be tried as it stands there, and all of it together makes what is planned; taken back
// in reverse, it is what was there.
func TestEveryKeyCanBeTriedAsItIsSaid(t *testing.T) {
	for name, pair := range pairsOfPlans(t) {
		t.Run(name, func(t *testing.T) {
			from, to := workspace.FromText("a.plan.yaml", []byte(pair[0])), workspace.FromText("b.plan.yaml", []byte(pair[1]))
			require.True(t, from.Usable(), "%v\n%s", from.Slips(), pair[0])
			require.True(t, to.Usable(), "%v\n%s", to.Slips(), pair[1])
			a, b := from.Predict(), to.Predict()
			r, _ := b.StepsFrom(a)
			sheet := Plan(r, nil)
			require.NotEmpty(t, sheet.Steps)
			next := a
			var all []string
			same := func(with *workspace.Workspace, what string) {
				left := compare.Differences(with.Network, compare.AsObserved(next.Network))
				left.AddFrom(with.Spec, next.Spec)
				assert.Empty(t, slices.DeleteFunc(left.Differences, func(d compare.Difference) bool {
					return d.What == compare.OfOper || d.What == compare.OfUse || d.What == compare.OfInterface && d.Kind == compare.Extra
				}), "%s\n%s", what, strings.Join(all, "\n"))
			}
			var back []string
			for i := range sheet.Steps {
				s := &sheet.Steps[i]
				for n := range s.Sets {
					set, _ := s.Sets[n].What()
					set, _, _ = strings.Cut(set, ", and keep ")
					all = append(all, b.Spec.Devices[s.Device].Name+": "+set)
					back = append(back, b.Spec.Devices[s.Device].Name+": "+s.Sets[n].TakeBack())
				}
			}
			var err error
			next, err = revise.With(a, all...)
			require.NoError(t, err, strings.Join(all, "\n"))
			same(b, "done")
			slices.Reverse(back)
			all = append(all, back...)
			next, err = revise.With(a, all...)
			require.NoError(t, err, strings.Join(all, "\n"))
			same(a, "taken back")
		})
	}
}
