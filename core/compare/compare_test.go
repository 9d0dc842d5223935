package compare

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/observed"
)

const quay = `
segments: {a: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, b: {prefix: 10.2.0.0/24}, l: {prefix: 10.0.0.0/30}, v: {vlan: 7, prefix: 10.7.0.0/24}, w: {vlan: 8, prefix: 10.8.0.0/24}}
devices:
  pc: {is: host, gateway: r1, interfaces: {e: {segment: a, address: 10}}}
  r1: {is: router, loopback: 10.9.0.1, interfaces: {lan: {segment: a, address: first}, up: {segment: l, address: 1, mtu: 1500}, spare: {segment: b, address: 9, admin: down}}, routes: {10.2.0.0/24: [10.0.0.2, {next-hop: 10.1.0.77, distance: 200}], 10.66.0.0/16: {discard: true}}}
  r2: {is: router, interfaces: {up: {segment: l, address: 2}, lan: {segment: b, address: first}}, routes: {10.1.0.0/24: 10.0.0.1}}
  far: {is: host, gateway: r2, interfaces: {e: {segment: b, address: 10}}}
  sw: {is: switch, interfaces: {p1: {access: 7}, p2: {tagged: [7, 8]}}}
`

// told is the differences in words, one a line.
func told(r *Result) string {
	var all []string
	for _, d := range r.Differences {
		all = append(all, strings.TrimSpace(fmt.Sprintf("%s %s %s %s: %s > %s; %s", d.Device, d.What, d.Subject, d.Kind, d.Planned, d.Found,
			d.Slip.Words(r.Net))))
	}
	return strings.Join(all, "\n")
}

// of is what a device was observed to say.
func of(devices []*observed.Device, name string) *observed.Device {
	for _, d := range devices {
		if d.Name == name {
			return d
		}
	}
	return nil
}

func route(d *observed.Device, to string) *observed.Route {
	for i := range d.Routes {
		if d.Routes[i].To == netip.MustParsePrefix(to) {
			return &d.Routes[i]
		}
	}
	return nil
}

func TestWhatDiffersIsNamed(t *testing.T) {
	net := coretest.Network(t, quay)
	for _, tt := range []struct {
		about  string
		change func(all []*observed.Device)
		want   string
	}{
		{"nothing", func([]*observed.Device) {}, ""},
		{"a loopback by another name", func(all []*observed.Device) { of(all, "r1").Interface("loopback").Name = "lo" }, ""},
		{"the only port of a host by another name", func(all []*observed.Device) { of(all, "pc").Interfaces[0].Name = "enp3s0" }, ""},
		{"a device that is not planned", func(all []*observed.Device) { of(all, "far").Name = "stranger" },
			"stranger device  extra:  > it was observed, and the plan has none of that name;"},
		{"a port is missing", func(all []*observed.Device) {
			d := of(all, "r2")
			d.Known = []observed.Part{observed.Interfaces}
			d.Interfaces = d.Interfaces[:1]
		}, "r2 interface lan missing: port > ;"},
		{"a port too many, up", func(all []*observed.Device) { of(all, "r2").Interface("x9").Oper = observed.Up },
			"r2 interface x9 extra:  > it is not in the plan;"},
		{"a port too many, down and empty", func(all []*observed.Device) { of(all, "r2").Interface("x9").Oper = observed.Down }, ""},
		{"taken down", func(all []*observed.Device) { of(all, "r2").Interface("lan").Admin = observed.Down },
			"r2 admin status lan different: up > down; administratively down"},
		{"brought up", func(all []*observed.Device) {
			x := of(all, "r1").Interface("spare")
			x.Admin, x.Oper = observed.Up, ""
		}, "r1 admin status spare different: down > up;"},
		{"nothing comes in", func(all []*observed.Device) { of(all, "r2").Interface("lan").Oper = observed.Down },
			"r2 oper status lan different: up > down;"},
		{"smaller packets", func(all []*observed.Device) { of(all, "r1").Interface("up").MTU = 1400 }, "r1 mtu up different: 1500 > 1400;"},
		{"an MTU that the plan leaves open", func(all []*observed.Device) { of(all, "r1").Interface("lan").MTU = 9000 }, ""},
		{"a VLAN missing", func(all []*observed.Device) { of(all, "sw").Interface("p2").Tagged = []int{7} },
			"sw vlan p2 different: tagged 7, 8 > tagged 7; VLAN 8 is missing"},
		{"a VLAN too many", func(all []*observed.Device) { of(all, "sw").Interface("p2").Tagged = []int{7, 8, 9} },
			"sw vlan p2 different: tagged 7, 8 > tagged 7, 8, 9; VLAN 9 is not planned there"},
		{"another access VLAN", func(all []*observed.Device) { eight := 8; of(all, "sw").Interface("p1").Untagged = &eight },
			"sw vlan p1 different: untagged 7 > untagged 8;"},
		{"not told of VLANs", func(all []*observed.Device) {
			d := of(all, "sw")
			d.Known, d.Interface("p2").Tagged = []observed.Part{observed.Interfaces}, nil
		}, ""},
		{"a route missing", func(all []*observed.Device) { d := of(all, "r2"); d.Routes = nil },
			"r2 route 10.1.0.0/24 missing: via 10.0.0.1 (r1:up) > ;"},
		{"a route too many", func(all []*observed.Device) {
			d := of(all, "r2")
			d.Routes = append(d.Routes, observed.Route{To: netip.MustParsePrefix("10.55.0.0/16"), NextHop: netip.MustParseAddr("10.0.0.1")})
		}, "r2 route 10.55.0.0/16 extra:  > via 10.0.0.1 (r1:up);"},
		{"a direct route is none too many", func(all []*observed.Device) {
			d := of(all, "r2")
			d.Routes = append(d.Routes, observed.Route{To: netip.MustParsePrefix("10.2.0.0/24"), Interface: "lan"})
		}, ""},
		{"the next hop points back", func(all []*observed.Device) {
			route(of(all, "r2"), "10.1.0.0/24").NextHop = netip.MustParseAddr("10.2.0.10")
		}, "r2 next hop 10.1.0.0/24 different: via 10.0.0.1 (r1:up) > via 10.2.0.10 (far:e); the next hop points back"},
		{"a discard route became another", func(all []*observed.Device) {
			x := route(of(all, "r1"), "10.66.0.0/16")
			x.Discard, x.NextHop = false, netip.MustParseAddr("10.0.0.2")
		}, "r1 next hop 10.66.0.0/16 different: discard > via 10.0.0.2 (r2:up);"},
		{"only the floating one is in use", func(all []*observed.Device) {
			d := of(all, "r1")
			yes := true
			kept := d.Routes[:0]
			for _, x := range d.Routes {
				if x.To != netip.MustParsePrefix("10.2.0.0/24") || x.NextHop != netip.MustParseAddr("10.0.0.2") {
					if x.To == netip.MustParsePrefix("10.2.0.0/24") {
						x.Active = &yes
					}
					kept = append(kept, x)
				}
			}
			d.Routes = kept
		}, "r1 next hop 10.2.0.0/24 different: via 10.0.0.2 (r2:up) > via 10.1.0.77; it goes by the standby route"},
		{"the floating one is not listed, by who lists those that stand by", func(all []*observed.Device) {
			d := of(all, "r1")
			d.Routes = slices.DeleteFunc(d.Routes, func(x observed.Route) bool { return x.NextHop == netip.MustParseAddr("10.1.0.77") })
		}, "r1 route 10.2.0.0/24 missing: via 10.1.0.77 distance: 200 > ;"},
		{"another distance", func(all []*observed.Device) {
			twenty := 20
			of(all, "r1").Routes[1].Distance = &twenty
		}, "r1 distance 10.2.0.0/24 different: 200, via 10.1.0.77 > 20;"},
		{"another metric", func(all []*observed.Device) {
			seven := 7
			of(all, "r1").Routes[0].Metric = &seven
		}, "r1 metric 10.2.0.0/24 different: 0, via 10.0.0.2 (r2:up) > 7;"},
		{"metrics in place of distances, the other path", func(all []*observed.Device) {
			for n, metric := range []int{200, 100} {
				x := &of(all, "r1").Routes[n]
				x.Distance, x.Metric = nil, &metric
			}
		}, "r1 order 10.2.0.0/24 different: via 10.0.0.2 (r2:up) before via 10.1.0.77 > via 10.1.0.77 before via 10.0.0.2 (r2:up);"},
		{"a route that is not in use", func(all []*observed.Device) {
			no := false
			route(of(all, "r2"), "10.1.0.0/24").Active = &no
		}, "r2 in use 10.1.0.0/24 different: in use > not in use;"},
		{"the floating one is not listed", func(all []*observed.Device) {
			d := of(all, "r1")
			d.Doubt(observed.Standby)
			kept := d.Routes[:0]
			for _, x := range d.Routes {
				if x.NextHop != netip.MustParseAddr("10.1.0.77") {
					kept = append(kept, x)
				}
			}
			d.Routes = kept
		}, ""},
	} {
		devices := AsObserved(net)
		tt.change(devices)
		assert.Equal(t, tt.want, told(Compare(net, devices)), tt.about)
	}
}

// What is not known is neither missing nor in place, and is told.
func TestNotKnownIsNotAbsent(t *testing.T) {
	net := coretest.Network(t, quay)
	d := &observed.Device{Name: "r1"}
	d.Learn(observed.Addresses4)
	d.Interface("lan").Add(observed.Address{Prefix: netip.MustParsePrefix("10.1.0.1/24")})
	d.Interface("up").Add(observed.Address{Prefix: netip.MustParsePrefix("10.0.0.1/30")})
	d.Interface("spare").Add(observed.Address{Prefix: netip.MustParsePrefix("10.2.0.9/24")})
	d.Interface("lo").Add(observed.Address{Prefix: netip.MustParsePrefix("10.9.0.1/32")})
	r := Compare(net, []*observed.Device{d})
	assert.Empty(t, told(r))
	assert.Equal(t, 4, r.InPlace)
	assert.Equal(t, 4, r.Compared)
	assert.Equal(t, []string{"pc", "r2", "far", "sw"}, r.NotKnown)
	assert.Equal(t, []Partly{{"r1", []string{"interfaces", "IPv4 routes", "IPv6 addresses", "IPv6 routes"}}}, r.Partly)
}

// The worst comes first, with what it breaks.
func TestTheWorstComesFirst(t *testing.T) {
	net := coretest.Network(t, quay)
	devices := AsObserved(net)
	of(devices, "r1").Interface("up").MTU = 1400
	of(devices, "r2").Routes = nil
	r := Compare(net, devices)
	require.Len(t, r.Differences, 2)
	assert.Equal(t, OfRoute, r.Differences[0].What)
	assert.Equal(t, 2, r.Differences[0].Lost, "both ways: no reply comes back")
	assert.Equal(t, "pc", r.Differences[0].From)
	assert.Equal(t, "far", r.Differences[0].To)
	assert.Zero(t, r.Differences[1].Lost)
}

// Two states are compared as far as both tell.
func TestTwoStatesAreComparedAsFarAsBothTell(t *testing.T) {
	net := coretest.Network(t, quay)
	before, after := AsObserved(net), AsObserved(net)
	of(before, "r2").Known = []observed.Part{observed.Addresses4}
	of(after, "r2").Routes = nil // earlier nothing was known of routes
	of(before, "r1").Interface("up").MTU = 0
	of(after, "r1").Interface("up").MTU = 1400
	of(before, "far").Name = "gone"
	of(after, "pc").Interface("e").Addresses[0].Prefix = netip.MustParsePrefix("10.1.0.1/24")
	r := Between(net, before, after)
	assert.Equal(t, "pc address e different: 10.1.0.10/24 > 10.1.0.1/24; one digit off", told(r))
	assert.Contains(t, r.NotKnown, "far", "of which one of them knows nothing")
	of(before, "pc").Interface("e").Addresses[0].Prefix = netip.MustParsePrefix("10.1.0.1/24")
	assert.Empty(t, told(Between(net, before, after)), "both are not as planned, and alike")
}

// drafted is the tables of the plan that is drafted of what was observed.
func draftedFrom(t *testing.T, devices []*observed.Device) *forward.Network {
	t.Helper()
	return coretest.Network(t, strings.Replace(string(Draft(devices)), "ropeswing: 1\n", "", 1))
}

// A draft of a whole network finds nothing when it is compared with it; what it guessed
// says so.
func TestADraftIsAlikeToItsSource(t *testing.T) {
	devices := AsObserved(coretest.Network(t, quay))
	text := string(Draft(devices))
	for _, line := range []string{"is: router   # guessed: it is on several subnets, or has routes", "is: switch   # guessed: it has VLANs",
		"loopback: [10.9.0.1]", "tagged: [7, 8]", "access: 7", "admin: down", "discard: true"} {
		assert.Contains(t, text, line)
	}
	var wanting []string
	for _, d := range devices {
		if d.Name != "pc" && d.Name != "far" {
			continue
		}
		d.Known = []observed.Part{observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.Routes4, observed.Routes6}
		wanting = append(wanting, d.Name)
	}
	assert.Len(t, wanting, 2)
	assert.Empty(t, told(Compare(draftedFrom(t, devices), devices)))
}

// A host that was found with no default in one family has none in the plan drafted of it:
// its segment's router is not made its gateway.
func TestADraftAddsNoGateway(t *testing.T) {
	plan := `
segments: {lan: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, far: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}}
devices:
  r: {is: router, interfaces: {l: {segment: lan, address: first}, f: {segment: far, address: first}}}
  h: {is: host, gateway: GATEWAY, interfaces: {p: {segment: lan, address: 10}}}
`
	for gateway, want := range map[string]string{"[10.1.0.1, no-ipv6]": "gateway: [10.1.0.1, no-ipv6]", "none": "gateway: [no-ipv4, no-ipv6]",
		"r": "gateway: [10.1.0.1, \"2001:db8:1::1\"]"} {
		devices := AsObserved(coretest.Network(t, strings.Replace(plan, "GATEWAY", gateway, 1)))
		assert.Contains(t, string(Draft(devices)), want, gateway)
		assert.Empty(t, told(Compare(draftedFrom(t, devices), devices)), gateway)
	}
	devices := AsObserved(coretest.Network(t, strings.Replace(plan, "GATEWAY", "none", 1)))
	of(devices, "h").Doubt(observed.Routes6)
	assert.Contains(t, string(Draft(devices)), "gateway: [no-ipv4]", "of IPv6 nothing is known")
}
