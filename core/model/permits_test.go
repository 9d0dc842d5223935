package model_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

func TestServicesAreRead(t *testing.T) {
	for text, want := range map[string]string{"icmp marked EF": "icmp marked ef", "udp/5060 marked 46": "udp/5060 marked ef",
		"tcp marked 0": "tcp marked cs0", "udp/7 marked 2": "udp/7 marked 2", "icmp": "icmp", "tcp": "tcp", "udp/53": "udp/53", "tcp/8000..8099": "tcp/8000..8099",
		"tcp/5..5": "tcp/5"} {
		s, err := model.ParseService(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, s.String())
	}
	for _, text := range []string{"", "http", "tcp/", "tcp/0", "tcp/65536", "tcp/90..80", "icmp/8", "tcp/-1", "sctp/9", "udp/7 marked 64", "udp/7 marked", "udp/7 marked fast"} {
		_, err := model.ParseService(text)
		assert.Error(t, err, text)
	}
	covers := func(a, b string) bool {
		x, _ := model.ParseService(a)
		y, _ := model.ParseService(b)
		return x.Covers(y)
	}
	assert.True(t, covers("tcp", "tcp/443"))
	assert.True(t, covers("tcp/400..500", "tcp/443"))
	assert.False(t, covers("tcp/443", "tcp"))
	assert.False(t, covers("udp/443", "tcp/443"))
	assert.False(t, covers("icmp", "tcp/443"))
	assert.True(t, covers("icmp", "icmp"))
	assert.True(t, covers("udp/7", "udp/7 marked ef"), "what is not said does not matter")
	assert.True(t, covers("udp/7 marked ef", "udp/7 marked 46"))
	assert.False(t, covers("udp/7 marked ef", "udp/7"))
	assert.True(t, covers("udp/7 marked 0", "udp/7"), "the usual one is 0")
	assert.True(t, model.Service{}.Covers(model.Echo), "any protocol covers each")
}

const policied = `
blocks: {home: [10.1.0.0/16, "2001:db8:1::/48"]}
segments:
  staff: {prefix: [10.1.0.0/24, "2001:db8:1:1::/64"]}
  web: {prefix: 10.1.1.0/24}
  up: {prefix: 198.51.100.0/29}
groups: {both: [staff, web]}
devices:
  pc: {is: host, interfaces: {p: {segment: staff, address: 10}}}
  fw:
    is: firewall
    interfaces: {l: {segment: staff, address: first}, w: {segment: web, address: first}, u: {segment: up, address: 2}}
    PERMITS
  r: {is: router, interfaces: {u: {segment: up, address: 1}}}
`

func withPolicy(lines string) string { return strings.Replace(policied, "PERMITS", lines, 1) }

func TestPermitsAreResolved(t *testing.T) {
	spec := coretest.Spec(t, withPolicy(`permits:
      - both may reach anyone over tcp/80,tcp/443 over icmp
      - {permit: pc may not reach 10.1.1.128/25, in: l, out: [w, u], pending: true, note: not yet}
      - home is refused r
      - anyone may answer everyone
    own-permits: [staff may reach itself over tcp/22, itself may reach anyone]`))
	d := &spec.Devices[coretest.Device(t, spec, "fw")]
	assert.True(t, d.KeepsState, "as a firewall does")
	assert.Equal(t, model.Drop, d.Otherwise)
	require.Len(t, d.Permits, 4)
	p := d.Permits
	assert.Equal(t, []string{"tcp/80", "tcp/443", "icmp"}, []string{p[0].Over[0].String(), p[0].Over[1].String(), p[0].Over[2].String()})
	assert.Equal(t, "[10.1.0.0/23 2001:db8:1:1::/64]", strings.ReplaceAll(join(p[0].From.Prefixes), ",", " "), "a group's segments, merged")
	assert.True(t, p[0].To.Anyone)
	assert.Equal(t, model.Drop, p[1].Ruling)
	assert.True(t, p[1].Pending)
	assert.Equal(t, []model.InterfaceID{coretest.Interface(t, spec, "fw:l")}, p[1].In)
	assert.Len(t, p[1].Out, 2)
	assert.True(t, p[1].From.Contains(netip.MustParseAddr("2001:db8:1:1::a")), "a host by all of its addresses")
	assert.Equal(t, model.Refuse, p[2].Ruling)
	assert.True(t, p[3].Answers)
	assert.False(t, p[3].To.Contains(netip.MustParseAddr("10.1.2.1")), "everyone is every segment")
	require.Len(t, d.OwnPermits, 2)
	assert.True(t, d.OwnPermits[0].To.Itself)
	assert.True(t, d.OwnPermits[1].From.Itself)
	r := &spec.Devices[coretest.Device(t, spec, "r")]
	assert.Equal(t, model.Pass, r.Otherwise)
	assert.False(t, r.KeepsState)
}

func join(all []netip.Prefix) string {
	var words []string
	for _, p := range all {
		words = append(words, p.String())
	}
	return "[" + strings.Join(words, ",") + "]"
}

func TestPolicySlipsAreTold(t *testing.T) {
	for lines, want := range map[string]string{
		`permits: [staff can reach web]`:                                "a permit is 'A may reach B'",
		`permits: [staff may reach]`:                                    "a permit is 'A may reach B'",
		`permits: [staff may reach web via r]`:                          "a permit is 'A may reach B'",
		`permits: [staff may reach web over http]`:                      "a service is 'icmp'",
		`permits: [staff may reach web over tcp/70000]`:                 "a port is a number from 1 to 65535",
		`permits: [stuff may reach web]`:                                "there is no segment, device, address or group called stuff",
		`permits: [staff may reach itself]`:                             "belongs under 'own-permits'",
		`own-permits: [staff may reach web]`:                            "one side of each sentence is 'itself'",
		`own-permits: [itself may reach itself]`:                        "one side of each sentence is 'itself'",
		`own-permits: [{permit: itself may reach web, in: l}]`:          "comes in by no interface",
		`permits: [{permit: staff may reach web, in: x}]`:               "there is no interface of fw called x",
		`permits: [{in: l}]`:                                            "the permit does not say what may pass",
		`permits: [{permit: staff may reach web, from: x}]`:             "a permit has no key from",
		`permits: [10.1.0.1/24 may reach web]`:                          "an address in a subnet",
		`otherwise: maybe`:                                              "otherwise is drop, refuse or pass",
		`translates: [staff shares]`:                                    "a translation is 'A is B beyond INTERFACE'",
		`translates: [staff hides u]`:                                   "a translation is",
		`translates: [staff shares x]`:                                  "there is no interface of fw called x",
		`translates: [staff is 198.51.100.3 beyond u]`:                  "one to one are two addresses",
		`translates: [10.1.0.0/24 is 198.51.100.0/29 beyond u]`:         "one to one are two addresses",
		`translates: [staff takes 198.51.100.9..198.51.100.3 beyond u]`: "is no address, range",
		`translates: [staff takes mud beyond u]`:                        "is no address, range",
		`translates: [pc is 198.51.100.3..198.51.100.4 beyond u]`:       "one to one are two addresses",
	} {
		_, _, found := coretest.Resolve(withPolicy(lines))
		var all []string
		for _, f := range found {
			all = append(all, f.Reason)
		}
		assert.Contains(t, strings.Join(all, "\n"), want, lines)
	}
}

func TestTranslationsAreResolved(t *testing.T) {
	spec := coretest.Spec(t, withPolicy(`translates:
      - pc is 198.51.100.3 beyond u
      - 10.1.1.0/30 is 203.0.113.0/30 beyond u
      - staff shares u
      - web shares 198.51.100.4..198.51.100.5 beyond u
      - anyone takes 198.51.100.6 beyond u`))
	all := spec.Devices[coretest.Device(t, spec, "fw")].Translates
	require.Len(t, all, 5)
	assert.Equal(t, "[10.1.0.10/32]", join(all[0].Inside.Prefixes), "of the host's addresses the one of the family")
	assert.Equal(t, "[203.0.113.0/30]", join(all[1].Outside))
	assert.True(t, all[2].ByInterface)
	assert.Equal(t, "198.51.100.5", all[3].Last.String())
	assert.Equal(t, model.Taking, all[4].Kind)
	up, _ := spec.SegmentNamed("up")
	assert.True(t, spec.Segments[up].Lends(netip.MustParseAddr("198.51.100.4")), "an address that stands for others is not assigned")
	assert.False(t, spec.Segments[up].Lends(netip.MustParseAddr("198.51.100.1")))
}

func TestSidesCompare(t *testing.T) {
	side := func(text string) model.Side {
		if text == "anyone" {
			return model.Side{Anyone: true}
		}
		s := model.Side{}
		for word := range strings.FieldsSeq(text) {
			s.Prefixes = append(s.Prefixes, netip.MustParsePrefix(word))
		}
		return s
	}
	for _, tt := range []struct {
		a, b             string
		covers, overlaps bool
	}{
		{"anyone", "10.0.0.0/8", true, true},
		{"10.0.0.0/8", "anyone", false, true},
		{"10.0.0.0/8", "10.1.0.0/16 10.2.0.0/16", true, true},
		{"10.1.0.0/16", "10.0.0.0/8", false, true},
		{"10.0.0.0/9 10.128.0.0/9", "10.0.0.0/8", true, true},
		{"10.0.0.0/9 10.192.0.0/10", "10.0.0.0/8", false, true},
		{"10.0.0.0/8", "2001:db8::/32", false, false},
	} {
		a, b := side(tt.a), side(tt.b)
		assert.Equal(t, tt.covers, a.Covers(&b), "%s covers %s", tt.a, tt.b)
		assert.Equal(t, tt.overlaps, a.Overlaps(&b), "%s overlaps %s", tt.a, tt.b)
	}
}
