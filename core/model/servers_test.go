package model_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

// Servers are said once for all, for a block or for a device; the nearest counts, of each kind by itself.
func TestServersAreSaidOnce(t *testing.T) {
	spec := coretest.Spec(t, `
name-servers: [dns, 192.0.2.53]
log-servers: logs
blocks: {home: {prefix: 10.0.0.0/16}, east: {prefix: 10.9.0.0/24, name-servers: 10.9.0.53}}
segments: {lan: {prefix: 10.1.0.0/24}, old: {prefix: "2001:db8::/64"}}
devices:
  r: {is: router, interfaces: {e: {segment: lan, address: 1}, o: {segment: old, address: 1}}}
  e: {is: router, loopback: true, from: east, log-servers: [], time-servers: r, interfaces: {p: {segment: lan, address: 2}}}
  s: {is: switch, log-servers: [10.1.0.7, r], interfaces: {}}
  dns: {is: host, interfaces: {p: {segment: lan, address: 53}}}
  logs: {is: host, name-servers: r, interfaces: {p: {segment: old, address: 9}}}
`)
	told := func(name string) string {
		id, ok := spec.DeviceNamed(name)
		require.True(t, ok)
		var all []string
		for _, k := range model.ServerKinds {
			all = append(all, model.DeviceKeyNamed(k.Key()).Says(&spec.Devices[id]))
		}
		return strings.Join(all, "; ")
	}
	assert.Equal(t, "10.1.0.53, 192.0.2.53; ; 2001:db8::9", told("r"))
	assert.Equal(t, "10.9.0.53; 10.1.0.1; 2001:db8::9", told("e"), "an empty list says nothing")
	assert.Equal(t, "10.1.0.53, 192.0.2.53; ; 10.1.0.7, 10.1.0.1", told("s"))
	assert.Equal(t, "; ; ", told("dns"), "hosts are told what stands at themselves")
	assert.Equal(t, "10.1.0.1; ; ", told("logs"))
}

func TestServersThatAreNoneAreTold(t *testing.T) {
	for text, message := range map[string]string{
		"name-servers: dsn\ndevices: {dns: {is: host}, r: {is: router}}":                                                  "dsn is neither a device nor an address | did you mean dns?",
		"devices: {r: {is: router, time-servers: bare}, bare: {is: host}}":                                                "bare has no address to be asked at",
		"devices: {r: {is: router, log-servers: fe80::1%e}}":                                                              "is neither a device nor an address",
		"blocks: {b: {prefix: 10.0.0.0/8, log-servers: 10.0.0.300}}\ndevices: {r: {is: router, loopback: true, from: b}}": "10.0.0.300",
	} {
		_, _, found := coretest.Resolve(text)
		assert.Contains(t, strings.Join(slips(found), "\n"), message, text)
	}
}
