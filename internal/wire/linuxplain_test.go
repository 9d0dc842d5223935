package wire_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/wire"
)

// What 'ip' prints plain is read as what it prints with -j: the same machine, taken once each way.
func TestPlainListsOfLinuxAreReadAsJSON(t *testing.T) {
	for _, x := range []struct{ plain, json string }{
		{`1: lo: <LOOPBACK,UP,LOWER_UP> mtu 65536 qdisc noqueue state UNKNOWN group default qlen 1000
    link/loopback 00:00:00:00:00:00 brd 00:00:00:00:00:00
    inet 127.0.0.1/8 scope host lo
       valid_lft forever preferred_lft forever
3: d0@d1: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1400 qdisc noqueue state UP group default qlen 1000
    link/ether 2a:6a:6b:13:3a:fb brd ff:ff:ff:ff:ff:ff
    alias to the mole
    inet 10.1.0.1/24 scope global d0
       valid_lft forever preferred_lft forever
    inet 192.0.2.1 peer 192.0.2.2/32 scope global d0
       valid_lft forever preferred_lft forever
    inet 10.1.0.9/24 scope global secondary dynamic d0
       valid_lft forever preferred_lft forever
    inet6 2001:db8::1/64 scope global tentative ` + `
       valid_lft forever preferred_lft forever
4: d9: <BROADCAST,MULTICAST> mtu 1500 qdisc noop state DOWN group default qlen 1000
    link/ether 2a:6a:6b:13:3a:fc brd ff:ff:ff:ff:ff:ff
`, `[{"ifname":"lo","flags":["LOOPBACK","UP","LOWER_UP"],"mtu":65536,"operstate":"UNKNOWN","link_type":"loopback",
"address":"00:00:00:00:00:00","addr_info":[{"local":"127.0.0.1","prefixlen":8}]},
{"ifname":"d0","link":"d1","flags":["BROADCAST","MULTICAST","UP","LOWER_UP"],"mtu":1400,"operstate":"UP","link_type":"ether",
"address":"2a:6a:6b:13:3a:fb","ifalias":"to the mole","addr_info":[{"local":"10.1.0.1","prefixlen":24},
{"local":"192.0.2.1","address":"192.0.2.2","prefixlen":32},{"local":"10.1.0.9","prefixlen":24,"secondary":true,"dynamic":true},
{"local":"2001:db8::1","prefixlen":64}]},
{"ifname":"d9","flags":["BROADCAST","MULTICAST"],"mtu":1500,"operstate":"DOWN","link_type":"ether","address":"2a:6a:6b:13:3a:fc","addr_info":[]}]`},
		{`default via 10.1.0.4 dev d0 metric 5 ` + `
default via 10.1.0.5 dev d0 metric 10 linkdown
10.1.0.0/24 dev d0 proto kernel scope link src 10.1.0.1 ` + `
blackhole 10.7.0.0/16 ` + `
10.9.0.0/16 ` + `
	nexthop via 10.1.0.2 dev d0 weight 1 ` + `
	nexthop via 10.1.0.3 dev d0 weight 3 ` + `
10.33.0.0/16 via 10.1.0.2 dev d0 proto static onlink mtu lock 1400 ` + `
10.55.0.0/16 via 10.1.0.2 dev d0 table 100 ` + `
10.77.0.0/16 via inet6 fe80::1 dev d0 ` + `
local 10.1.0.1 dev d0 table local proto kernel scope host src 10.1.0.1 ` + `
`, `[{"dst":"default","gateway":"10.1.0.4","dev":"d0","metric":5,"flags":[]},
{"dst":"default","gateway":"10.1.0.5","dev":"d0","metric":10,"flags":["linkdown"]},
{"dst":"10.1.0.0/24","dev":"d0","protocol":"kernel","flags":[]},{"type":"blackhole","dst":"10.7.0.0/16","flags":[]},
{"dst":"10.9.0.0/16","flags":[],"nexthops":[{"gateway":"10.1.0.2","dev":"d0","flags":[]},{"gateway":"10.1.0.3","dev":"d0","flags":[]}]},
{"dst":"10.33.0.0/16","gateway":"10.1.0.2","dev":"d0","protocol":"static","flags":["onlink"]},
{"dst":"10.55.0.0/16","gateway":"10.1.0.2","dev":"d0","table":"100","flags":[]},
{"dst":"10.77.0.0/16","via":{"family":"inet6","host":"fe80::1"},"dev":"d0","flags":[]},
{"type":"local","dst":"10.1.0.1","dev":"d0","table":"local","flags":[]}]`},
		{`2001:db8:9::/48 metric 1024 pref medium
	nexthop via 2001:db8::2 dev d0 weight 1 ` + `
	nexthop via 2001:db8::3 dev d0 weight 1 ` + `
unreachable 2001:db8:dead::/48 dev lo metric 1024 pref medium
default dev d0 metric 1024 pref medium
`, `[{"dst":"2001:db8:9::/48","metric":1024,"pref":"medium","nexthops":[{"gateway":"2001:db8::2","dev":"d0"},{"gateway":"2001:db8::3","dev":"d0"}]},
{"type":"unreachable","dst":"2001:db8:dead::/48","dev":"lo","metric":1024,"pref":"medium"},
{"dst":"default","dev":"d0","metric":1024,"pref":"medium"}]`},
		{"10.1.0.2 dev d0 lladdr 02:00:00:00:00:01 PERMANENT \n10.1.0.3 dev d0  FAILED \n",
			`[{"dst":"10.1.0.2","dev":"d0","lladdr":"02:00:00:00:00:01","state":["PERMANENT"]},{"dst":"10.1.0.3","dev":"d0","state":["FAILED"]}]`},
	} {
		plain, err := wire.Read([]byte(x.plain), "", "box")
		require.NoError(t, err)
		json, err := wire.Read([]byte(x.json), "", "box")
		require.NoError(t, err)
		assert.Empty(t, plain.Unread)
		assert.Equal(t, "linux", plain.Format)
		assert.Equal(t, string(json.Devices[0].Encode()), string(plain.Devices[0].Encode()))
		require.NotEmpty(t, plain.Devices[0].Known)
	}
}

// A line that is not understood is told, and the part it is of is not known.
func TestWhatAPlainListSaysBesideIsTold(t *testing.T) {
	for text, part := range map[string]observed.Part{
		"10.1.0.0/24 dev d0 wobble 3 \n10.2.0.0/24 dev d0 \n":                      observed.Routes4,
		"10.1.0.0/24 dev d0 \n10.2.0.0/33 via 10.1.0.9 \n":                         observed.Routes4,
		"1: d0: <UP> mtu 1500 state UP\n    inet 10.1.0.1 scope global d0\n":       observed.Addresses4,
		"10.1.0.2 dev d0 lladdr 02:00:00:00:00:01 STALE \nx dev d0 lladdr 2 STALE": observed.Neighbours,
	} {
		r, err := wire.Read([]byte(text), "linux", "box")
		require.NoError(t, err, text)
		assert.Len(t, r.Unread, 1, text)
		assert.False(t, r.Devices[0].Knows(part), text)
	}
	for _, text := range []string{"port address\nd0 10.1.0.1/24\n", "wan0 via 10.1.0.1 up\n", "lan0 dev 3\n"} {
		_, err := wire.Read([]byte(text), "", "box")
		assert.ErrorContains(t, err, "none of the formats", text)
	}
}

// A table may have commas, semicolons or tabs between its cells.
func TestTablesOfOtherCountriesAreRead(t *testing.T) {
	for _, s := range []string{",", ";", "\t"} {
		text := strings.ReplaceAll("device,interface,address\na,e0,10.1.0.1/24\n", ",", s)
		r, err := wire.Read([]byte(text), "", "")
		require.NoError(t, err, "%q", s)
		assert.Equal(t, "csv", r.Format)
		assert.Equal(t, "10.1.0.1/24", r.Devices[0].Interfaces[0].Addresses[0].String(), "%q", s)
	}
}
