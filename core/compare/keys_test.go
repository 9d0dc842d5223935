package compare

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/plan"
)

// everyKey is a plan in which every key says something.
const everyKey = `
operator: desk
settings: {resolve-through-default: false, vlan-interface-needs-port: true, error-source: incoming, spanning-tree: single, tree-root: sw1, ports-start: up, default-vlan: 5}
wants: {reach: [a to b], world: [a], carriers: [isp, sat], floating: true, summarise: true, leave-out: gw}
groups: {staff: [a]}
must: [staff reaches b]
vlans: 300..399
blocks: {home: {prefix: 10.64.0.0/16, keep: 10.64.9.0/24}, spare: {prefix: 10.66.0.0/16}}
segments:
  a: {vlan: 7, prefix: [10.1.0.0/24, "2001:db8:1::/64"], leases: [{range: 100..149, by: desk}], gateway: r1}
  b: {prefix: 10.2.0.0/24}
  l: {prefix: [10.0.0.0/29, "2001:db8:7::/64"], identifier: place}
  n: {hosts: 20, grow: 20%, from: home}
  m: {length: 28, from: home}
  p: {point-to-point: true, from: home}
  up: {prefix: 198.51.100.0/29}
  x: {vlan: 8, prefix: 10.3.0.0/24}
devices:
  desk: {is: host, at: "sw1:p1", address: 10, gateway: 10.1.0.1}
  tap: {is: host, forwards: false, interfaces: {e: {segment: x, address: 9}}}
  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 1}}, routes: {home: r1}}
  sat: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 4}}, routes: {home: r1}}
  sw1: {is: switch, interfaces: {p1: {access: a}, p2: {tagged: [7, 8], untagged: 9}, p3..p4: {}, g: {members: [p3, p4]}, mgmt: {vlan: a, address: 20}}}
  r1:
    is: firewall
    loopback: 10.9.0.1
    manage: loopback
    answers: [ping, ssh]
    otherwise: drop
    keeps-state: true
    interfaces:
      lan: {}
      lan.7: {parent: lan, tag: 7, segment: a, address: first, virtual: 250, priority: 90}
      l: {segment: l, address: 1, secondary: 3, link-local: "fe80::1", mac: "02:00:00:00:00:01", prefer: 10.0.0.1, mtu: 1400, bandwidth: 100M, admin: up}
      up: {segment: up, address: 2}
      n: {segment: n, address: first}
      q: {segment: x, table: apart, address: 1}
    routes:
      10.2.0.0/24: [{next-hop: 10.0.0.2, out: l, distance: 5, metric: 3, watch: 10.0.0.4}]
      10.77.0.0/16: {discard: true}
    tables: {apart: {10.88.0.0/16: 10.3.0.2}}
    permits: [staff may reach b, {permit: b may reach staff, in: l, out: lan.7, pending: true}]
    own-permits: [staff may reach itself]
    translates: [a shares up]
  gw: {is: router, loopback: true, from: home, interfaces: {l: {segment: l, address: 2}, b: {segment: b, address: first}, s: {line: serial, clock: here, borrow: b}, p: {segment: p}, m: {segment: m}}, routes: {default: 10.0.0.1, 10.3.0.0/24: [10.0.0.1, 10.2.0.10]}}
  far: {is: router, interfaces: {s: {line: serial, borrow: l}, l: {segment: l, address: 4}}}
  hb: {is: host, interfaces: {e: {segment: b, address: 10}}}
cables: [{between: "gw:s to far:s", fault: seen, cost: 10}, "sw1:p2 to r1:lan"]
`

// change puts another text where one stands, once.
type change [2]string

// changes is for each key what is changed to see that it is compared.
var changes = map[string]map[string]change{
	"plan": {
		"operator": {"operator: desk", "operator: hb"}, "settings": {"spanning-tree: single", "spanning-tree: none"}, "wants": {"world: [a]", "world: [b]"}, "groups": {"staff: [a]", "staff: [a, x]"},
		"must": {"must: [staff reaches b]", "must: [b reaches staff]"}, "vlans": {"vlans: 300..399", "vlans: 300..398"}, "blocks": {"spare: {prefix", "other: {prefix"}, "segments": {"  x: {vlan: 8,", "  y: {prefix: 10.4.0.0/24}\n  x: {vlan: 8,"},
		"devices": {"  hb: {", "  hc: {is: host, interfaces: {e: {segment: b, address: 11}}}\n  hb: {"}, "cables": {"cables: [", "cables: [{between: \"gw:b to hb:e\"}, "},
	},
	"settings": {
		"resolve-through-default": {"through-default: false", "through-default: true"}, "vlan-interface-needs-port": {"needs-port: true", "needs-port: false"}, "error-source": {"source: incoming", "source: towards-sender"},
		"spanning-tree": {"tree: single", "tree: per-vlan"}, "tree-root": {"tree-root: sw1, ", ""}, "ports-start": {"ports-start: up", "ports-start: down"}, "default-vlan": {"default-vlan: 5", "default-vlan: 6"},
	},
	"wants": {
		"reach": {"[a to b]", "[a to l]"}, "world": {"world: [a]", "world: none"}, "carriers": {"carriers: [isp, sat]", "carriers: [sat, isp]"}, "floating": {"floating: true", "floating: false"}, "summarise": {"summarise: true", "summarise: false"}, "leave-out": {"leave-out: gw", "leave-out: far"},
	},
	"block": {"prefix": {"10.66.0.0/16", "10.67.0.0/16"}, "keep": {"keep: 10.64.9.0/24", "keep: 10.64.9.0/25"}},
	"segment": {
		"vlan": {"a: {vlan: 7", "a: {vlan: 8"}, "prefix": {"b: {prefix: 10.2.0.0/24", "b: {prefix: 10.2.0.0/25"}, "hosts": {"hosts: 20", "hosts: 19"}, "grow": {"grow: 20%", "grow: 21%"}, "point-to-point": {"point-to-point: true", "length: 31"},
		"length": {"length: 28", "length: 27"}, "from": {"length: 28, from: home", "length: 28, from: spare"}, "identifier": {"identifier: place", "identifier: digits"}, "leases": {"leases: [{range: 100..149, by: desk}], ", ""}, "gateway": {"gateway: r1}", "gateway: 10.1.0.9}"},
	},
	"lease": {"range": {"range: 100..149", "range: 100..150"}, "by": {"by: desk", "by: r1"}},
	"device": {
		"is": {"far: {is: router", "far: {is: firewall"}, "at": {"sw1:p1\"", "sw1:p3\""}, "address": {"address: 10, gateway", "address: 11, gateway"}, "gateway": {"gateway: 10.1.0.1}", "gateway: 10.1.0.9}"}, "loopback": {"10.9.0.1", "10.9.0.2"},
		"from": {"loopback: true, from: home", "loopback: true, from: spare"}, "manage": {"manage: loopback", "manage: l"}, "answers": {"[ping, ssh]", "[ping]"}, "tables": {"apart: {10.88.0.0/16: 10.3.0.2}", "apart: {10.88.0.0/16: 10.3.0.3}"},
		"forwards": {"forwards: false", "forwards: true"}, "beyond": {"beyond: 192.0.2.0/24", "beyond: 192.0.2.0/25"}, "interfaces": {"      n: {segment: n, address: first}\n", ""}, "routes": {"10.77.0.0/16: {discard: true}", "10.76.0.0/16: {discard: true}"},
		"permits": {"staff may reach b,", "staff may not reach b,"}, "own-permits": {"[staff may reach itself]", "[staff is refused itself]"}, "otherwise": {"otherwise: drop", "otherwise: refuse"}, "keeps-state": {"keeps-state: true", "keeps-state: false"}, "translates": {"[a shares up]", "[b shares up]"},
	},
	"interface": {
		"segment": {"q: {segment: x, table", "q: {segment: b, table"}, "vlan": {"mgmt: {vlan: a", "mgmt: {vlan: x"}, "access": {"access: a", "access: 8"}, "tagged": {"tagged: [7, 8]", "tagged: [7]"}, "untagged": {"untagged: 9", "untagged: 8"},
		"address": {"up: {segment: up, address: 2}", "up: {segment: up, address: 3}"}, "secondary": {"address: 1, secondary: 3", "address: 3, secondary: 1"}, "link-local": {"fe80::1", "fe80::2"}, "mac": {"00:00:01", "00:00:02"},
		"borrow": {"borrow: b}", "borrow: l}"}, "prefer": {"prefer: 10.0.0.1", "prefer: 10.0.0.3"}, "virtual": {"virtual: 250", "virtual: 251"}, "priority": {"priority: 90", "priority: 91"}, "table": {"table: apart,", "table: alone,"},
		"members": {"p3..p4: {}, g: {members: [p3, p4]}", "p3..p4: {}, g: {members: [p3]}"}, "mtu": {"mtu: 1400", "mtu: 1401"}, "bandwidth": {"100M", "10M"}, "line": {"line: serial, clock: here", "line: ethernet"}, "clock": {", clock: here", ""},
		"parent": {"parent: lan, ", "parent: n, "}, "tag": {"tag: 7, ", "tag: 8, "}, "admin": {"admin: up", "admin: down"},
	},
	"route": {
		"next-hop": {"next-hop: 10.0.0.2", "next-hop: 10.0.0.4"}, "out": {"out: l, distance", "out: up, distance"}, "distance": {"distance: 5", "distance: 6"}, "metric": {"metric: 3", "metric: 4"}, "watch": {"watch: 10.0.0.4", "watch: 10.0.0.2"}, "discard": {"{discard: true}", "10.0.0.2"},
	},
	"permit": {"permit": {"b may reach staff", "b may not reach staff"}, "in": {"in: l, ", ""}, "out": {"out: lan.7, ", ""}, "pending": {", pending: true", ""}},
	"cable":  {"between": {"gw:s to far:s", "far:s to gw:l"}, "fault": {"fault: seen", "fault: hidden"}, "cost": {"cost: 10", "cost: 11"}},
}

// planOf is a network of a plan's text, whatever its checks say.
func planOf(t *testing.T, text string) *forward.Network {
	t.Helper()
	_, spec, found := coretest.Resolve(text)
	require.NotNil(t, spec, found)
	return forward.Resolve(network.Build(spec).State())
}

// Between two plans every key is compared that the table of keys has, or it is said why
// it need not be. Each is changed in turn.
func TestEveryKeyOfAPlanIsCompared(t *testing.T) {
	one := planOf(t, everyKey)
	between := func(text string) *Result {
		other := planOf(t, text)
		r := differences(one, AsObserved(other), false).Result
		r.Sentences(one.Spec, other.Spec)
		r.Facts(one.Spec, other.Spec)
		return r
	}
	require.Empty(t, told(between(everyKey)), "a plan is like itself")
	without := between(regexp.MustCompile(`(?m)^wants: .*$`).ReplaceAllString(everyKey, ""))
	assert.Contains(t, told(without), "wants  different: true > false", "wants that are in one plan only")
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			how, known := HowCompared[g.Of][k.Name]
			require.True(t, known, "nothing says how %s of a %s is compared", k.Name, g.Of)
			if how.Because != "" {
				continue
			}
			c, ok := changes[g.Of][k.Name]
			require.True(t, ok, "%s of a %s is not changed", k.Name, g.Of)
			require.Contains(t, everyKey, c[0], "%s of a %s", k.Name, g.Of)
			r := between(strings.Replace(everyKey, c[0], c[1], 1))
			seen := slices.ContainsFunc(r.Differences, func(d Difference) bool { return slices.Contains(how.Whats, d.What) })
			assert.True(t, seen, "%s of a %s: not told as %v:\n%s", k.Name, g.Of, how.Whats, told(r))
		}
	}
}

// What a list of a device tells of a key is compared with a state, too.
func TestEveryKeyThatAStateTellsIsCompared(t *testing.T) {
	one := planOf(t, everyKey)
	require.Empty(t, told(Compare(one, AsObserved(one))))
	for of, keys := range HowCompared {
		for name, how := range keys {
			if len(how.State) == 0 {
				continue
			}
			c := changes[of][name]
			devices := AsObserved(planOf(t, strings.Replace(everyKey, c[0], c[1], 1)))
			r := differences(one, devices, false).Result
			seen := slices.ContainsFunc(r.Differences, func(d Difference) bool {
				return slices.Contains(how.State, d.What) || slices.Contains(how.State, OfNextHop) && d.What == OfRoute
			})
			assert.True(t, seen, "%s of a %s: not told as %v:\n%s", name, of, how.State, told(r))
			found := Overlay(one, devices)
			assert.NotPanics(t, func() { AsObserved(found) })
		}
	}
}

// Each part of a state can be found otherwise than planned.
func TestEveryPartOfAStateIsCompared(t *testing.T) {
	one := planOf(t, everyKey)
	for _, part := range observed.Parts {
		if part == observed.Neighbours || part == observed.MACs {
			continue // a plan says nothing of them
		}
		devices := AsObserved(one)
		for _, d := range devices {
			if _, router := one.Spec.DeviceNamed(d.Name); !router {
				continue
			}
			for n := range d.Interfaces {
				x := &d.Interfaces[n]
				switch part {
				case observed.Interfaces:
					x.Oper = map[observed.Status]observed.Status{observed.Up: observed.Down, observed.Down: observed.Up}[x.Oper]
				case observed.Addresses4, observed.Addresses6:
					x.Addresses = slices.DeleteFunc(x.Addresses, func(a observed.Address) bool { return a.Addr().Is4() == (part == observed.Addresses4) })
				case observed.VLANs:
					x.Tagged = append(x.Tagged, 77)
				}
			}
			if part == observed.Standby {
				d.Routes = slices.DeleteFunc(d.Routes, func(x observed.Route) bool { return !*x.Active })
			}
			if part == observed.Routes4 || part == observed.Routes6 {
				d.Routes = nil
			}
		}
		if part == observed.Routes6 && !slices.ContainsFunc(one.Spec.Statics, func(s model.Static) bool { return s.To.Addr().Is6() }) {
			continue
		}
		assert.NotEmpty(t, Compare(one, devices).Differences, part)
	}
}

// What no list of a device tells is told as such, key by key.
func TestWhatNoListTellsIsTold(t *testing.T) {
	for _, of := range []string{"device", "interface", "route", "permit"} {
		for name, how := range HowCompared[of] {
			if len(how.State) > 0 || how.Because != "" || name == "at" || name == "from" {
				continue // a cable is compared by what is up, a block by the numbers from it
			}
			assert.True(t, slices.ContainsFunc(how.Whats, func(w What) bool { return slices.Contains(noList, w) }), "%s of a %s", name, of)
		}
	}
	one := planOf(t, everyKey)
	r := Compare(one, AsObserved(one))
	assert.Equal(t, []What{OfPermit, OfTranslation, OfWatch, OfPrefer, OfVirtual, OfPriority, OfBorrow, OfTable, OfLine, OfTag, OfAnswers}, r.Untold)
	assert.Empty(t, Compare(one, AsObserved(one)[:1]).Untold, "of a host that was seen alone")
}

// A difference tells which requirements it breaks, and whom the operator does not come
// to any more.
func TestWhatADifferenceBreaks(t *testing.T) {
	one := planOf(t, strings.Replace(quay, "segments:", "operator: pc\nmust: [pc reaches far]\nsegments:", 1))
	devices := AsObserved(one)
	of(devices, "r2").Routes = nil
	r := Compare(one, devices)
	require.Len(t, r.Differences, 1)
	assert.Equal(t, []string{"pc reaches far"}, r.Differences[0].Unmet)
	assert.Equal(t, []string{"r2"}, r.Differences[0].Unmanaged)
}

// Each device has its row: what is in place, what is to do, all of a device not seen.
func TestProgress(t *testing.T) {
	one := planOf(t, strings.Replace(quay, "segments:", "operator: far\nsegments:", 1))
	devices := AsObserved(one)
	of(devices, "r1").Interface("up").MTU = 1400
	of(devices, "pc").Doubt(observed.Routes4)
	seen := slices.DeleteFunc(slices.Clone(devices), func(d *observed.Device) bool { return d.Name == "sw" || d.Name == "r2" })
	saved := AsObserved(one)
	of(saved, "r1").Routes = nil
	all, done := ProgressOf(one, seen, saved[1:2])
	rows := map[string]Progress{}
	for _, p := range all {
		rows[p.Device] = p
	}
	assert.Equal(t, Progress{Device: "r1", Seen: true, InPlace: rows["r1"].InPlace, ToDo: 1, Unsaved: 3, Away: 2}, rows["r1"], "its routes to two destinations, and the MTU that it runs")
	assert.Greater(t, rows["r1"].InPlace, 10)
	assert.False(t, rows["r2"].Seen)
	assert.Equal(t, 5, rows["r2"].ToDo, "two interfaces, two addresses, a route")
	assert.Equal(t, []string{"IPv4 routes"}, rows["pc"].Unknown)
	assert.Equal(t, -1, rows["pc"].Unsaved)
	assert.Contains(t, done, Done{OfAddress, "far", "e", "10.2.0.10/24"})
	next, found := Next(all)
	assert.True(t, found)
	assert.Equal(t, "r2", next.Device, "nearest to the operator")
}
