package verify_test

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/verify"
)

// leasing is a plan with two LANs, a firewall, and a server beyond it that leases.
const leasing = `
segments:
  lan: {prefix: [10.1.0.0/24, "2001:db8:1::/64"], leases: {range: 100..101, by: srv}}
  mid: {prefix: 10.3.0.0/29}
  srvs: {prefix: 10.2.0.0/24}
devices:
  r:
    is: router
    interfaces: {lan: {segment: lan, address: 1, relay: srv, advertises: true}, mid: {segment: mid, address: 1}}
    routes: {default: fw}
  fw:
    is: firewall
    interfaces: {mid: {segment: mid, address: 2}, srvs: {segment: srvs, address: 1}}
    routes: {default: r}
    permits: [anyone may reach anyone]
  srv: {is: host, interfaces: {p: {segment: srvs, address: 5}}}
  pc: {is: host, interfaces: {p: {segment: lan, address: [leased, advertised]}}}
cables: [r:lan to pc:p, r:mid to fw:mid, fw:srvs to srv:p]
must: []
`

func TestCheckLeases(t *testing.T) {
	of := func(text string) []string {
		var all []string
		for _, s := range checked(t, text) {
			name, _, _ := strings.Cut(s, " ")
			switch finding.Name(name) {
			case finding.LeaseOutOfReach, finding.RelayForNothing, finding.NotAdvertised, finding.LeaseOverFixed, finding.GatewayUnheld:
				all = append(all, s)
			}
		}
		return all
	}
	with := func(old, new string) string {
		assert.Contains(t, leasing, old)
		return strings.Replace(leasing, old, new, 1)
	}
	for _, tt := range []struct {
		about, text string
		want        []string
	}{
		{"there and back", leasing, nil},
		{"relayed by nobody", with("relay: srv, ", ""),
			[]string{"lease-out-of-reach lan: srv gives the leases of lan, is not on it, and no router there relays to it | add 'relay: srv' " +
				"to r:lan"}},
		{"no remedy where that would not help",
			strings.Replace(with("relay: srv, ", ""), "permits: [anyone may reach anyone]", "permits: []",
				1), []string{"lease-out-of-reach lan: srv gives the leases of lan, is not on it, and no router there relays to it"}},
		{"by address", with("relay: srv", "relay: 10.2.0.5"), nil},
		{"to nobody", with("relay: srv", "relay: 10.2.0.6"), []string{
			"lease-out-of-reach lan: srv gives the leases of lan, is not on it, and no router there relays to it | add 'relay: srv' to r:lan",
			"relay-for-nothing r:lan: r:lan relays to 10.2.0.6, which nobody in the plan has"}},
		{"to another", with("relay: srv", "relay: [srv, fw]"),
			[]string{"relay-for-nothing r:lan: r:lan relays to fw, which gives no leases on lan"}},
		{"dropped on its path", with("anyone may reach anyone", "anyone may reach anyone over tcp"),
			[]string{"lease-out-of-reach lan: a request for a lease of lan, which r:lan relays to srv, does not get there | see 'ping r srv " +
				"--over udp/67'"}},
		{"no return path", with("    routes: {default: r}\n", "    routes: {}\n"),
			[]string{"lease-out-of-reach lan: a request for a lease of lan, which r:lan relays to srv, is not answered: the answer does not " +
				"get back | see 'ping r srv --over udp/67'"}},
		{"given by a router, which answers that too", strings.Replace(with("by: srv", "by: fw"), "relay: srv", "relay: fw", 1), nil},
		{"given on the segment itself", strings.Replace(with("by: srv", "by: r"), "relay: srv, ", "", 1), nil},
		{"heard by nobody", strings.Replace(strings.Replace(with("lan: {prefix", "lan: {vlan: 7, prefix"), "  srv: {",
			"  s1: {is: switch, interfaces: {p: {access: lan}}}\n  s2: {is: switch, interfaces: {p: {access: lan}}}\n  srv: {", 1),
			"r:lan to pc:p", "r:lan to s1:p, pc:p to s2:p", 1), []string{
			"not-advertised pc:p: pc:p takes its IPv6 address and gateway from a router that advertises, and hears none",
			"lease-out-of-reach pc:p: pc:p leases its address from srv, and hears neither it nor who relays to it"}},
		{"nobody advertises", with(", advertises: true", ""),
			[]string{"not-advertised pc:p: pc:p takes its IPv6 address and gateway from a router that advertises, and hears none | add " +
				"'advertises: true' to r:lan"}},
		{"a subnet too small for it", with("2001:db8:1::/64", "2001:db8:1::/80"),
			[]string{"not-advertised pc:p: pc:p makes its IPv6 address itself, for which a subnet of length 64 is needed, and lan has none " +
				"(RFC 4862 §5.5.3)"}},
		{"an address of the range that is another's", with("address: 1, relay", "address: 100, relay"),
			[]string{"lease-over-fixed-address r:lan: 10.1.0.100 is within the leases of lan, 10.1.0.100 to 10.1.0.101 | give r:lan the " +
				"address 10.1.0.1/24 instead of 10.1.0.100/24; free are 10.1.0.1..10.1.0.99, 10.1.0.102..10.1.0.254"}},
		{"a gateway that nobody is", with("by: srv}", "by: srv, gateway: 10.1.0.9}"),
			[]string{"gateway-unheld pc: pc uses the gateway 10.1.0.9, and nobody on lan has it | give pc the gateway 10.1.0.1 (r) instead of " +
				"10.1.0.9"}},
	} {
		assert.Equal(t, tt.want, of(tt.text), tt.about)
	}
}

// A lease of IPv6 brings no gateway: without a router that advertises, hosts that lease have no way out, and that is told.
func TestALeaseOfIPv6BringsNoGateway(t *testing.T) {
	text := func(more string) string {
		return "segments: {l: {prefix: [10.0.0.0/24, \"2001:db8:1::/64\"], leases: [{range: 100..149, by: r}, {range: " +
			"\"2001:db8:1::100..2001:db8:1::1ff\", by: r}]}, m: {prefix: \"2001:db8:2::/64\"}}\n" +
			"devices:\n  r: {is: router, interfaces: {a: {segment: l, address: 1" + more +
			"}, b: {segment: m, address: 1}}}\n  pc: {is: host, interfaces: {e: {segment: l, address: leased}}}\n  s: {is: host, interfaces: " +
			"{e: {segment: m, address: 9}}}\n"
	}
	for _, advertises := range []bool{false, true} {
		net := coretest.Network(t, text(map[bool]string{true: ", advertises: true"}[advertises]))
		pc := coretest.Device(t, net.Spec, "pc")
		x := forward.Ping(net, pc, netip.Addr{}, netip.MustParseAddr("2001:db8:2::9"), model.None)
		assert.Equal(t, advertises, x.Verdict() == forward.Works)
		told := slices.ContainsFunc(verify.Check(net, derive.Result{}), func(f finding.Finding) bool { return f.Name == finding.NotAdvertised })
		assert.Equal(t, advertises, !told)
	}
}
