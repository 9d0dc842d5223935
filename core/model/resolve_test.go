package model_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/source"
)

// addressesOf lists an interface's addresses as text.
func addressesOf(spec *model.Spec, i model.InterfaceID) string {
	var all []string
	for _, a := range spec.Interfaces[i].Addresses {
		all = append(all, a.Prefix.String())
	}
	return strings.Join(all, " ")
}

// staticsOf lists a device's static routes as "to via distance".
func staticsOf(t *testing.T, spec *model.Spec, device string) []string {
	t.Helper()
	d := coretest.Device(t, spec, device)
	var all []string
	for _, s := range spec.Statics {
		if s.Device != d {
			continue
		}
		via := s.Via.String()
		if s.Discard {
			via = "discard"
		}
		text := fmt.Sprintf("%s %s %d", s.To, via, s.Distance)
		if s.Out != model.None {
			text += " " + spec.Interfaces[s.Out].Name
		}
		if s.Metric != 0 {
			text += fmt.Sprintf(" metric %d", s.Metric)
		}
		all = append(all, text)
	}
	return all
}

// slips lists findings as "name: reason | remedy".
func slips(found []finding.Finding) []string {
	var all []string
	for _, f := range found {
		all = append(all, strings.TrimSuffix(fmt.Sprintf("%s: %s | %s", f.Name, f.Reason, f.Remedy), " | "))
	}
	return all
}

func TestPlacesBecomeAddresses(t *testing.T) {
	spec := coretest.Spec(t, `
segments:
  lan: {prefix: [10.48.1.0/26, "2001:db8:1::/64"]}
  link: {prefix: [10.48.0.0/31, "2001:db8:f::/127"]}
devices:
  r:
    is: router
    interfaces:
      a: {segment: lan, address: first}
      b: {segment: lan, address: last}
      c: {segment: lan, address: 10}
      d: {segment: lan, address: -2}
      e: {segment: lan, address: 10.48.1.5/26}
      f: {segment: lan, address: [7, "2001:db8:1::f00/64"]}
      g: {segment: lan, address: ["fe80::1", 8]}
      h: {segment: lan, address: 10.48.1.6}
      i: {segment: link, address: first}
      j: {segment: link, address: last}
      k: {address: 192.0.2.1/30}
`)
	for name, want := range map[string]string{
		"a": "10.48.1.1/26 2001:db8:1::1/64",
		"b": "10.48.1.62/26 2001:db8:1:0:ffff:ffff:ffff:ffff/64",
		"c": "10.48.1.10/26 2001:db8:1::a/64",
		"d": "10.48.1.61/26 2001:db8:1:0:ffff:ffff:ffff:fffe/64",
		"e": "10.48.1.5/26",
		"f": "2001:db8:1::f00/64 10.48.1.7/26", // the place holds for the family that is not written out
		"g": "fe80::1/64 10.48.1.8/26 2001:db8:1::8/64",
		"h": "10.48.1.6/26", // the length of the segment
		"i": "10.48.0.0/31 2001:db8:f::/127",
		"j": "10.48.0.1/31 2001:db8:f::1/127",
		"k": "192.0.2.1/30",
	} {
		assert.Equal(t, want, addressesOf(spec, coretest.Interface(t, spec, "r:"+name)), name)
	}
}

func TestRangesAndOverrides(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {staff: {vlan: 110}, guest: {vlan: 120}}
devices:
  sw:
    is: switch
    interfaces:
      p1..p4: {access: staff}
      p3: {access: guest, admin: down}
      slot-0/0/8..10: {tagged: [staff, 130, 120, guest], untagged: 99}
`)
	sw := coretest.Device(t, spec, "sw")
	assert.Equal(t, []string{"p1", "p2", "p3", "p4", "slot-0/0/8", "slot-0/0/9", "slot-0/0/10"}, spec.InterfaceNames(sw))
	p3 := spec.Interfaces[coretest.Interface(t, spec, "sw:p3")]
	assert.Equal(t, model.VLAN(120), p3.Untagged, "the exact entry overrides the range")
	assert.True(t, p3.AdminDown)
	trunk := spec.Interfaces[coretest.Interface(t, spec, "sw:slot-0/0/9")]
	assert.Equal(t, []model.VLAN{110, 120, 130}, trunk.Tagged, "in order, each once")
	assert.Equal(t, model.VLAN(99), trunk.Untagged)
}

// An override may stand before the range as well as behind it.
func TestOverrideBeforeItsRange(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {staff: {vlan: 110}, guest: {vlan: 120}}
devices: {sw: {is: switch, interfaces: {p2: {access: guest}, p1..p3: {access: staff}}}}
`)
	assert.Equal(t, model.VLAN(120), spec.Interfaces[coretest.Interface(t, spec, "sw:p2")].Untagged)
	assert.Equal(t, model.VLAN(110), spec.Interfaces[coretest.Interface(t, spec, "sw:p3")].Untagged)
}

func TestSubinterfaces(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {staff: {vlan: 110, prefix: 10.1.0.0/24}, guest: {vlan: 120, prefix: 10.2.0.0/24}}
devices:
  r:
    is: router
    interfaces:
      lan0.110: {segment: staff, address: first}
      lan0.7:   {segment: guest, address: first, tag: 120}
      v:        {segment: guest, address: 2, parent: lan1, tag: 120}
      x.y:      {segment: staff, address: 9}
  sw: {is: switch, interfaces: {p1: {tagged: [110, 120]}, p2: {tagged: [120]}}}
cables:
  - r:lan0 to sw:p1
  - r:lan1 to sw:p2
`)
	lan0 := coretest.Interface(t, spec, "r:lan0")
	for name, want := range map[string]struct {
		kind   model.InterfaceKind
		parent string
		tag    model.VLAN
	}{
		"lan0":     {model.Port, "", 0}, // known from its cable
		"lan0.110": {model.Subinterface, "lan0", 110},
		"lan0.7":   {model.Subinterface, "lan0", 120}, // the tag is said outright
		"v":        {model.Subinterface, "lan1", 120},
		"x.y":      {model.Port, "", 0}, // there is no x, so this is just a name
	} {
		i := spec.Interfaces[coretest.Interface(t, spec, "r:"+name)]
		assert.Equal(t, want.kind, i.Kind, name)
		assert.Equal(t, want.tag, i.Tag, name)
		if want.parent == "" {
			assert.Equal(t, model.InterfaceID(model.None), i.Parent, name)
		} else {
			assert.Equal(t, want.parent, spec.Interfaces[i.Parent].Name, name)
		}
	}
	assert.Equal(t, lan0, spec.Cables[0].Ends[0])
	assert.Equal(t, "r:lan0 to sw:p1", spec.Cables[0].Name)
}

func TestAtIsACableFromTheOnlyPort(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {staff: {vlan: 110, prefix: 10.1.0.0/24}, cam: {prefix: 10.2.0.0/24}}
devices:
  sw:  {is: switch, interfaces: {p1: {access: staff}}}
  r:   {is: router, interfaces: {lan0: {segment: cam, address: first}}}
  pc:  {is: host, at: "sw:p1", address: 10}
  eye: {is: host, at: "r:lan0", address: 2}
  ap:  {is: switch, interfaces: {p1: {tagged: [110], untagged: staff}}}
  tab: {is: host, at: "ap:p1", address: 11}
`)
	assert.Equal(t, "10.1.0.11/24", addressesOf(spec, coretest.Interface(t, spec, "tab:port")), "of the untagged VLAN of a trunk")
	assert.Equal(t, "10.1.0.10/24", addressesOf(spec, coretest.Interface(t, spec, "pc:port")), "of the segment the access port serves")
	assert.Equal(t, "10.2.0.2/24", addressesOf(spec, coretest.Interface(t, spec, "eye:port")), "of the routed port's segment")
	assert.Equal(t, coretest.Interface(t, spec, "sw:p1"), spec.Cables[0].Ends[1])
}

func TestWhoForwards(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {s: {prefix: 10.1.0.0/24}}
devices:
  r: {is: router}
  f: {is: firewall}
  w: {is: world}
  h: {is: host}
  l2: {is: switch}
  l3: {is: switch, routes: {10.9.0.0/16: {discard: true}}}
  pc: {is: host, forwards: true}
  off: {is: router, forwards: false}
`)
	for name, want := range map[string]bool{"r": true, "f": true, "w": true, "h": false, "l2": false, "l3": true, "pc": true, "off": false} {
		assert.Equal(t, want, spec.Devices[coretest.Device(t, spec, name)].Forwards, name)
	}
}

func TestGateways(t *testing.T) {
	spec := coretest.Spec(t, `
segments:
  one:  {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  two:  {prefix: 10.2.0.0/24}
  said: {prefix: 10.3.0.0/24, gateway: 10.3.0.9}
  alone: {prefix: 10.4.0.0/24}
  end:  {prefix: 10.5.0.0/24, gateway: last}
devices:
  r: {is: router, interfaces: {a: {segment: one, address: 5}, b: {segment: two, address: first}, c: {segment: said, address: first}, e: {segment: end, address: last}}}
  q: {is: router, interfaces: {b: {segment: two, address: 2}}}
  only-router:  {is: host, interfaces: {p: {segment: one, address: 10}}}
  first-usable: {is: host, interfaces: {p: {segment: two, address: 10}}}
  by-segment:   {is: host, interfaces: {p: {segment: said, address: 10}}}
  own:          {is: host, interfaces: {p: {segment: two, address: 11}}, gateway: q}
  by-place:     {is: host, interfaces: {p: {segment: two, address: 12}}, gateway: 2}
  lonely:       {is: host, interfaces: {p: {segment: alone, address: 10}}}
  last-one:     {is: host, interfaces: {p: {segment: end, address: 10}}}
  v4-only:      {is: host, interfaces: {p: {segment: one, address: 10.1.0.77}}}
  written:      {is: host, interfaces: {p: {segment: one, address: 12}}, routes: {default: 10.1.0.200}}
  mixed:        {is: host, interfaces: {p: {segment: one, address: 13}}, gateway: "fe80::1"}
  link-local:   {is: host, interfaces: {p: {segment: one, address: "2001:db8:1::99"}}, gateway: "fe80::1"}
`)
	for device, want := range map[string][]string{
		"only-router":  {"0.0.0.0/0 10.1.0.5 1", "::/0 2001:db8:1::5 1"},
		"first-usable": {"0.0.0.0/0 10.2.0.1 1"}, // two routers: the one at the first usable address
		"by-segment":   {"0.0.0.0/0 10.3.0.9 1"},
		"own":          {"0.0.0.0/0 10.2.0.2 1"},
		"by-place":     {"0.0.0.0/0 10.2.0.2 1"},
		"lonely":       nil,
		"last-one":     {"0.0.0.0/0 10.5.0.254 1"},
		"v4-only":      {"0.0.0.0/0 10.1.0.5 1"},
		"written":      {"0.0.0.0/0 10.1.0.200 1"},
		"link-local":   {"::/0 fe80::1 1 p"},
		"mixed":        {"0.0.0.0/0 10.1.0.5 1", "::/0 fe80::1 1 p"}, // its own for IPv6, the one router for IPv4
	} {
		assert.Equal(t, want, staticsOf(t, spec, device), device)
	}
}

func TestRoutes(t *testing.T) {
	spec := coretest.Spec(t, `
blocks: {site: [10.8.0.0/16, "2001:db8:8::/48"]}
segments:
  link: {prefix: [10.48.0.0/31, "2001:db8:f::/127"]}
  back: {prefix: 10.48.0.2/31}
  far:  {prefix: [10.9.0.0/24, "2001:db8:9::/64"]}
devices:
  a:
    is: router
    interfaces: {l: {segment: link, address: first}, m: {segment: back, address: first}}
    routes:
      default: [b, c]
      10.20.0.0/16: [b, c, 10.48.0.99]
      "2001:db8:20::/48": b
      site: b
      far: b
      10.30.0.0/16: {next-hop: 10.48.0.1, distance: 77, metric: 3}
      10.40.0.0/16: {out: m}
      10.50.0.0/16: {discard: true}
      "2001:db8:60::/48": {next-hop: "fe80::2", out: l}
      192.0.2.1: b
  b: {is: router, interfaces: {l: {segment: link, address: last}}, routes: {default: a}}
  c: {is: router, interfaces: {m: {segment: back, address: last}}, routes: {default: a}}
`)
	assert.Equal(t, []string{
		"0.0.0.0/0 10.48.0.1 1", "::/0 2001:db8:f::1 1",
		"0.0.0.0/0 10.48.0.3 11", // c has no IPv6, so its turn is only in IPv4
		"10.20.0.0/16 10.48.0.1 1", "10.20.0.0/16 10.48.0.3 11", "10.20.0.0/16 10.48.0.99 21",
		"2001:db8:20::/48 2001:db8:f::1 1",
		"10.8.0.0/16 10.48.0.1 1", "2001:db8:8::/48 2001:db8:f::1 1",
		"10.9.0.0/24 10.48.0.1 1", "2001:db8:9::/64 2001:db8:f::1 1",
		"10.30.0.0/16 10.48.0.1 77 metric 3",
		"10.40.0.0/16 invalid IP 1 m",
		"10.50.0.0/16 discard 1",
		"2001:db8:60::/48 fe80::2 1 l",
		"192.0.2.1/32 10.48.0.1 1",
	}, staticsOf(t, spec, "a"))
}

func TestSlipsAreNamedWithARemedy(t *testing.T) {
	const base = "segments: {lan: {vlan: 5, prefix: 10.1.0.0/28}, nolan: {}}\n"
	tests := []struct{ about, text, want string }{
		{"unknown segment", "devices: {r: {is: router, interfaces: {a: {segment: lam, address: first}}}}",
			"unknown-name: there is no segment called lam | did you mean lan?"},
		{"unknown operator", "operator: q\ndevices: {r: {is: router}}", "unknown-name: there is no device called q | did you mean r?"},
		{"a place the subnet has not", "devices: {r: {is: router, interfaces: {a: {segment: lan, address: 15}}}}",
			"no-such-place: 10.1.0.0/28 has 14 usable addresses, and no number 15"},
		{"a place without a subnet", "devices: {r: {is: router, interfaces: {a: {segment: nolan, address: 1}}}}",
			"no-subnet: segment nolan has no prefix, so there is no 1 usable address | add 'prefix:' or what it needs, such as 'hosts: 20', " +
				"to segment nolan"},
		{"no segment at all", "devices: {r: {is: router, interfaces: {a: {address: first}}}}",
			"no-subnet: r:a is on no segment, so there is no first usable address | say which segment it is on, or write the address with its " +
				"length"},
		{"no length", "devices: {r: {is: router, interfaces: {a: {address: 192.0.2.1}}}}",
			"no-prefix-length: 192.0.2.1 has no prefix length | write 192.0.2.1/24"},
		{"a subnet without a length", "blocks: {b: 10.0.0.0}", "no-prefix-length: 10.0.0.0 has no prefix length | write 10.0.0.0/24"},
		{"a range backwards", "devices: {s: {is: switch, interfaces: {p5..p1: {access: lan}}}}",
			"bad-value: p5..p1 is no range of ports; write it as p1..p12, the lower number first, 4096 ports at most"},
		{"an endless range", "devices: {s: {is: switch, interfaces: {p1..p99999: {access: lan}}}}",
			"bad-value: p1..p99999 is no range of ports; write it as p1..p12, the lower number first, 4096 ports at most"},
		{"an absurd range", "devices: {s: {is: switch, interfaces: {p1..p99999999999999999999: {access: lan}}}}",
			"bad-value: p1..p99999999999999999999 is no range of ports; write it as p1..p12, the lower number first, 4096 ports at most"},
		{"no number", "devices: {s: {is: switch, interfaces: {p1: {access: nolan}}}}",
			"no-vlan-number: segment nolan has no VLAN number for a switch to carry it by | add 'vlan:' to segment nolan"},
		{"two kinds at once", "devices: {s: {is: switch, interfaces: {p1: {access: lan, vlan: lan}}}}",
			"key-out-of-place: p1 is either on a segment, a VLAN interface, an access port or a tagged port, not two of them"},
		{"a switch port on a router", "devices: {r: {is: router, interfaces: {p1: {access: lan}}}}",
			"key-out-of-place: r is a router, and only a switch has access and tagged ports | say 'segment:' for a routed port"},
		{"an address on a switch port", "devices: {s: {is: switch, interfaces: {p1: {access: lan, address: first}}}}",
			"key-out-of-place: s:p1 is a switch port, which has no address of its own | give the switch a VLAN interface: 'mgmt: {vlan: " +
				"SEGMENT, address: …}'"},
		{"at beside interfaces", "devices: {s: {is: switch, interfaces: {p1: {}}}, h: {is: host, at: 's:p1', interfaces: {q: {}}}}",
			"key-out-of-place: h has interfaces, and 'at' is for a device with one port only | write the cable under 'cables'"},
		{"an address without a port", "devices: {h: {is: host, address: 1}}",
			"key-out-of-place: h has an address and no port to put it on | add 'at: DEVICE:PORT', or put the address on an interface"},
		{"a cable without a port", "devices: {r: {is: router, interfaces: {a: {}, b: {}}}, h: {is: host, interfaces: {p: {}}}}\ncables: " +
			"[r:a to h]", "bad-value: h does not say which port | write h:p"},
		{"a cable into a loopback", "devices: {r: {is: router, loopback: 10.9.9.9}, h: {is: host, at: 'r:loopback'}}",
			"bad-value: r:loopback is a loopback, and a cable goes into a port"},
		{"a cable to itself", "devices: {r: {is: router, interfaces: {a: {}}}}\ncables: [r:a to r:a]",
			"bad-value: the cable leads from r:a back to itself"},
		{"a next hop of the other family",
			"devices: {r: {is: router, interfaces: {a: {segment: lan, address: 1}}, routes: {10.9.0.0/16: '2001:db8::1'}}}",
			"bad-address: the next hop 2001:db8::1 is of another family than its destination"},
		{"a link-local next hop alone", "devices: {r: {is: router, interfaces: {a: {segment: lan, address: 1}}, routes: {'2001:db8::/32': " +
			"'fe80::1'}}}", "missing-key: fe80::1 is link-local and could be on any interface | write {next-hop: \"fe80::1\", out: INTERFACE}"},
		{"an unknown destination", "devices: {r: {is: router, interfaces: {a: {segment: lan, address: 1}}, routes: {lann: 10.1.0.2}}}",
			"unknown-name: lann is neither a prefix, a segment nor a block | did you mean lan?"},
		{"an unknown next hop", "devices: {r1: {is: router, interfaces: {a: {segment: lan, address: 1}}, routes: {default: r2}}}",
			"unknown-name: there is no device called r2 | did you mean r1?"},
		{"a next hop that is no address",
			"devices: {r: {is: router, interfaces: {a: {segment: lan, address: 1}}, routes: {default: 10.1.0.300}}}",
			`bad-address: "10.1.0.300" is not an address: 300 is more than 255`},
		{"a loopback that is a subnet", "devices: {r: {is: router, loopback: 10.9.9.0/24}}",
			"bad-address: a loopback address has length 32, not 24 | write 10.9.9.0"},
		{"a gateway nowhere", "devices: {h: {is: host, interfaces: {p: {segment: lan, address: 3}}, gateway: x}}",
			"unknown-name: x is neither a device nor an address | did you mean h?"},
		{"a gateway that is not there", "devices: {h: {is: host, interfaces: {p: {segment: lan, address: 3}}, gateway: r}, r: {is: router}}",
			"no-shared-segment: r has no address on lan to be its gateway"},
		{"an unknown parent", "devices: {r: {is: router, interfaces: {a: {}, v: {segment: lan, address: 1, parent: b}}}}",
			"unknown-name: there is no interface of r called b | did you mean a?"},
		{"host bits in a destination", "devices: {r: {is: router, interfaces: {a: {segment: lan, address: 1}}, routes: {10.9.1.1/16: " +
			"10.1.0.2}}}", "host-bits-set: 10.9.1.1/16 is an address in a subnet, and the destination of a route is a subnet | write 10.9.0.0/16"},
		{"two ports of one name", "devices: {r: {is: router, loopback: 10.9.9.9, interfaces: {loopback: {}}}}",
			"name-taken: r has an interface loopback already, on line 3"},
	}
	for _, tt := range tests {
		_, _, found := coretest.Resolve(base + tt.text)
		assert.Equal(t, []string{tt.want}, slips(found), tt.about)
	}
}

func TestUnknownPlacesDoNotBringFurtherSlips(t *testing.T) {
	_, _, found := coretest.Resolve("devices: {r: {is: router, interfaces: {a: {segment: lan, address: first}}}}")
	assert.Equal(t, []string{"unknown-name: there is no segment called lan"}, slips(found))
}

func TestChangesAreMadeInACopy(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {link: {prefix: 10.48.0.0/29}}
devices:
  a: {is: router, interfaces: {l: {segment: link, address: 1, admin: down}}, routes: {default: b}}
  b: {is: router, interfaces: {l: {segment: link, address: 2}}, routes: {default: a}}
`)
	before := fmt.Sprint(spec.Statics, spec.Interfaces)
	a, l := coretest.Device(t, spec, "a"), coretest.Interface(t, spec, "a:l")
	up := model.BringUp{Interface: l}.Apply(spec)
	assert.False(t, up.Interfaces[l].AdminDown)
	route := model.AddRoute{Static: model.Static{Device: a, To: spec.Segments[0].Prefixes[0].Prefix, Via: spec.Statics[0].Via,
		Out: model.None}}
	more := route.Apply(up)
	require.Len(t, more.Statics, 3)
	assert.Equal(t, a, more.Statics[1].Device, "routes of one device stand together")
	hop := model.SetNextHop{Static: 0, Via: spec.Statics[1].Via}
	other := hop.Apply(more)
	assert.Equal(t, "10.48.0.1", other.Statics[0].Via.String())
	assert.Equal(t, before, fmt.Sprint(spec.Statics, spec.Interfaces), "the first spec is as it was")

	assert.Equal(t, "add to a: 10.48.0.0/29 via 10.48.0.2 (b)", route.Describe(spec))
	assert.Equal(t, "on a send 0.0.0.0/0 via 10.48.0.1 (a) instead of 10.48.0.2 (b)", hop.Describe(spec))
	assert.Equal(t, "bring up a:l, which is administratively down", model.BringUp{Interface: l}.Describe(spec))
	for _, c := range []model.Change{route, hop, model.BringUp{Interface: l}} {
		assert.Equal(t, a, c.On(spec))
	}
}

// A device that does not forward has its segment's gateway in each family, unless the plan
// says that it has none, or what its default is.
func TestWhoHasAGateway(t *testing.T) {
	for text, want := range map[string]string{
		"":                                       "0.0.0.0/0 ::/0",
		"gateway: none, ":                        "",
		"gateway: no-ipv6, ":                     "0.0.0.0/0",
		"gateway: [10.1.0.1, no-ipv6], ":         "0.0.0.0/0",
		"gateway: [no-ipv4], ":                   "::/0",
		"routes: {}, ":                           "",
		"routes: {10.9.0.0/16: r}, ":             "10.9.0.0/16 0.0.0.0/0 ::/0",
		"routes: {default: r}, ":                 "0.0.0.0/0 ::/0",
		"routes: {0.0.0.0/0: r}, ":               "0.0.0.0/0 ::/0",
		"routes: {\"::/0\": {discard: true}}, ":  "::/0 0.0.0.0/0",
		"routes: {0.0.0.0/0: {discard: true}}, ": "0.0.0.0/0 ::/0",
	} {
		spec := coretest.Spec(t, `
segments: {lan: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, far: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}}
devices:
  r: {is: router, interfaces: {l: {segment: lan, address: first}, f: {segment: far, address: first}}}
  h: {is: host, `+text+`interfaces: {p: {segment: lan, address: 10}}}
`)
		first, last := spec.StaticsOf(coretest.Device(t, spec, "h"))
		var got []string
		for _, s := range spec.Statics[first:last] {
			word := s.To.String()
			if s.Table != "" {
				word += " in " + s.Table
			}
			got = append(got, word)
		}
		assert.ElementsMatch(t, strings.Fields(strings.ReplaceAll(want, " in ", "_in_")),
			strings.Fields(strings.ReplaceAll(strings.Join(got, "  "), " in ", "_in_")), text)
	}
	spec := coretest.Spec(t, `
segments: {lan: {vlan: 7, prefix: 10.1.0.0/24}}
devices:
  r: {is: router, interfaces: {l: {segment: lan, address: first}}}
  s: {is: switch, interfaces: {p1: {access: lan}, p2: {access: lan}, m: {vlan: lan, table: apart, address: 2}}}
cables: [r:l to s:p1]
`)
	first, last := spec.StaticsOf(coretest.Device(t, spec, "s"))
	require.Equal(t, 1, last-first, "no default in a table that has no interface")
	assert.Equal(t, "apart", spec.Statics[first].Table)
}

// How ports start is said of all devices or by their kind, and never of hosts; a port that
// only 'at' makes starts as the others.
func TestHowPortsStart(t *testing.T) {
	for start, want := range map[string]string{"up": "", "down": "r:a s:p f:port", "{router: down}": "r:a",
		"{switch: down, firewall: up}": "s:p", "{firewall: down}": "f:port"} {
		spec := coretest.Spec(t, `
settings: {ports-start: `+start+`}
segments: {lan: {vlan: 7, prefix: 10.1.0.0/24}}
devices:
  r: {is: router, interfaces: {a: {segment: lan}, b: {segment: lan, admin: up}}}
  s: {is: switch, interfaces: {p: {access: lan}, q: {access: lan, admin: up}}}
  f: {is: firewall, at: "s:p"}
  h: {is: host, at: "s:q"}
`)
		var down []string
		for id := range spec.Interfaces {
			if spec.Interfaces[id].AdminDown {
				down = append(down, spec.Label(model.InterfaceID(id)))
			}
		}
		assert.Equal(t, want, strings.Join(down, " "), start)
	}
	_, _, found := coretest.Resolve("settings: {ports-start: {host: down}}\nsegments: {a: {prefix: 10.1.0.0/24}}\n")
	require.NotEmpty(t, found)
	assert.Contains(t, found[0].Reason, "of a router, switch or firewall, not of a host")
}

// What a pattern makes wrong many times over leaves room for what else is wrong, and does
// not take long.
func TestSlipsOfPatternsLeaveRoomForOthers(t *testing.T) {
	text := `ropeswing: 1
groups: {"g-(1..4096)": ["h-(1..4096)"]}
devices:
  r-(1..4096): {is: router, permits: ["x-(n) may reach y-(n)"], interfaces: {p: {segment: z}}, vlna: 3}
must: [nobody reaches r-1]
`
	doc, read := plan.Parse(source.New("p", []byte(text)))
	require.Len(t, read, 1, "the first that has it tells")
	start := time.Now()
	_, found := model.Resolve(doc, nil)
	assert.Less(t, time.Since(start), 5*time.Second)
	told := map[string]int{}
	for _, f := range found {
		told[f.Place.Text()]++
	}
	assert.Equal(t, 1, told["nobody"])
	assert.Equal(t, 1, told["z"])
	assert.Equal(t, 20, told["x-(n)"])
	assert.Equal(t, 20, told[`"h-(1..4096)"`])
}

// Groups that name groups twice over are resolved once each, however deep; a circle is told once.
func TestDeepGroupsEnd(t *testing.T) {
	var text strings.Builder
	text.WriteString("ropeswing: 1\ngroups:\n")
	for i := range 200 {
		fmt.Fprintf(&text, "  g%d: [g%d, g%d]\n", i, i+1, i+1)
	}
	body := "segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}\ndevices:\n" +
		"  r: {is: firewall, interfaces: {x: {segment: a, address: 1}, y: {segment: b, address: 1}}, permits: [g0 may reach b]}\nmust: [g0 " +
		"reaches b]\n"
	resolved := func(text string) (*model.Spec, []finding.Finding) {
		doc, slips := plan.Parse(source.New("g.plan.yaml", []byte(text)))
		assert.Empty(t, slips)
		return model.Resolve(doc, nil)
	}
	spec, found := resolved(text.String() + "  g200: [a]\n" + body)
	assert.Empty(t, found)
	assert.Len(t, spec.Must[0].From, 1)
	assert.Len(t, spec.Devices[0].Permits[0].From.Prefixes, 1)
	_, found = resolved(text.String() + "  g200: [g3]\n" + body)
	assert.Len(t, found, 1)
	assert.Contains(t, found[0].Reason, "the group g3 is in itself")
}
