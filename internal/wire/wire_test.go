package wire

import (
	"bytes"
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
)

const site = `
blocks: {home: [10.48.0.0/22, "2001:db8:5ea::/48"], lent: 198.51.100.32/29}
segments: {lan: {prefix: [10.48.1.0/24, "2001:db8:5ea:1::/64"]}, wan: {prefix: 198.51.100.32/29}, odd: {prefix: 192.0.2.0/24}}
devices:
  Quay_Edge: {is: router, loopback: [10.48.0.9, "2001:db8:5ea::9"], interfaces: {lan-0/1: {segment: lan, address: 1, link-local: "fe80::1"}, wan: {segment: wan, address: 2}, x: {segment: odd, address: 7}}}
  carrier: {is: world, interfaces: {p: {segment: wan, address: 1}}}
  desk: {is: host, interfaces: {p: {segment: lan, address: 10}}}
`

func TestNames(t *testing.T) {
	all, _, err := Names(coretest.Spec(t, site))
	require.NoError(t, err)
	var told []string
	for _, n := range all {
		told = append(told, n.Address.Addr().String()+" "+n.Name)
	}
	assert.Equal(t, []string{
		"10.48.1.1 lan-0-1.quay-edge", "2001:db8:5ea:1::1 lan-0-1.quay-edge", "198.51.100.34 wan.quay-edge", "192.0.2.7 x.quay-edge",
		"10.48.0.9 quay-edge", "2001:db8:5ea::9 quay-edge", "10.48.1.10 desk", "2001:db8:5ea:1::a desk",
	}, told, "letters, digits and hyphens; no link-local addresses, and none of the world's")

	for text, want := range map[string]string{
		"a_b: {is: host}, a-b: {is: host}": "a_b and a-b would both be called a-b; rename one of them",
		"r: {is: router, loopback: 10.9.9.9, interfaces: {p_1: {address: 10.0.0.1/24}, p-1: {address: 10.0.1.1/24}}}": "r:p_1 and r:p-1 would both be called p-1.r",
	} {
		_, _, err := Names(coretest.Spec(t, "devices: {"+text+"}"))
		assert.ErrorContains(t, err, want)
	}
	assert.Equal(t, "x", hostLabel("___"))
}

func TestHosts(t *testing.T) {
	all, _, err := Names(coretest.Spec(t, site))
	require.NoError(t, err)
	var b bytes.Buffer
	Hosts(&b, all[6:7], "skerry.example.")
	Hosts(&b, all[6:7], "")
	assert.Equal(t, "10.48.1.10                              desk.skerry.example desk\n10.48.1.10                              desk\n",
		b.String())
}

func TestZonesAreReadBackByAParser(t *testing.T) {
	spec := coretest.Spec(t, site)
	all, _, err := Names(spec)
	require.NoError(t, err)
	zones, err := Zones(spec, all, ZoneOptions{Domain: "Skerry.Example", Server: "desk", Mail: "ops@skerry.example", Serial: 7, TTL: 60})
	require.NoError(t, err)
	var names []string
	count := 0
	for _, z := range zones {
		names = append(names, z.Name)
		parser := dns.NewZoneParser(bytes.NewReader(z.Text), "", "")
		for n := 0; ; n++ {
			rr, ok := parser.Next()
			if !ok {
				require.NoError(t, parser.Err())
				break
			}
			require.True(t, dns.IsSubDomain(dns.Fqdn(z.Name), rr.Header().Name), "%s is in %s", rr.Header().Name, z.Name)
			switch rr := rr.(type) {
			case *dns.SOA:
				assert.Zero(t, n, "it stands first")
				assert.Equal(t, "desk.skerry.example. ops.skerry.example. 7", strings.Join([]string{rr.Ns, rr.Mbox, "7"}, " "))
			case *dns.A, *dns.AAAA, *dns.PTR:
				count++
			}
		}
	}
	assert.Equal(t, []string{"skerry.example", "0.48.10.in-addr.arpa", "1.48.10.in-addr.arpa", "2.0.192.in-addr.arpa",
		"32/29.100.51.198.in-addr.arpa", "a.e.5.0.8.b.d.0.1.0.0.2.ip6.arpa"}, names,
		"a zone for each octet of the widest block, one by RFC 2317, one where no block is, one on the nibble")
	assert.Equal(t, 2*len(all), count, "each address there and back")
}

func TestZonesThatWouldNotLoadAreRefused(t *testing.T) {
	spec := coretest.Spec(t, site)
	all, _, err := Names(spec)
	require.NoError(t, err)
	for _, tt := range []struct{ domain, server, want string }{
		{"", "desk", "is no domain name"}, {"a..b", "desk", "is no domain name"},
		{"skerry.example", "", "is no name server"}, {"skerry.example", "ns1", "is no name server"}, {"skerry.example", "ns1.skerry.example",
			"is no name server"},
		{strings.Repeat("a", 60) + "." + strings.Repeat("b", 60) + "." + strings.Repeat("c", 60) + "." + strings.Repeat("d", 60), "desk",
			"too long"},
	} {
		_, err := Zones(spec, all, ZoneOptions{Domain: tt.domain, Server: tt.server})
		assert.ErrorContains(t, err, tt.want)
	}
	for server, want := range map[string]string{"desk": "desk.skerry.example.", "desk.skerry.example": "desk.skerry.example.",
		"ns.other.example": "ns.other.example."} {
		got, err := serverName(server, "skerry.example.", all)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
}

func TestNamesSortAsPeopleRead(t *testing.T) {
	assert.Negative(t, compareNames("9.1.10.in-addr.arpa.", "10.1.10.in-addr.arpa."), "numbers by their value")
	assert.Negative(t, compareNames("a.example.", "b.a.example."), "a name before those within it")
	assert.Negative(t, compareNames("9.example.", "a.example."))
}
