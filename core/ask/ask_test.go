package ask

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// mill is a router with two LANs, a loopback and a carrier, and hosts of one family or both.
const mill = `
operator: desk
groups: {machines: [saw, wheel, desk], all-of-it: [machines, yard], elsewhere: [192.0.2.9]}
blocks: {home: 10.0.0.0/8, tops: 10.9.0.0/16, empty: 172.16.0.0/16}
segments:
  shop: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  yard: {prefix: 10.2.0.0/24}
  attic: {prefix: 10.3.0.0/24}
  up: {prefix: 198.51.100.0/30}
devices:
  rtr:
    is: router
    loopback: 10.9.0.1
    interfaces: {a: {segment: shop, address: 1}, b: {segment: yard, address: 1}, c: {segment: attic}, up: {segment: up, address: 2}}
    routes: {default: 198.51.100.1}
  saw: {is: host, interfaces: {e: {segment: shop, address: 10}}, gateway: rtr}
  desk: {is: host, interfaces: {e: {segment: shop, address: 11}}, gateway: rtr}
  wheel: {is: host, interfaces: {e: {segment: yard, address: 10}}, gateway: rtr}
  crate: {is: host, interfaces: {e: {}}}
  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: up, address: 1}}, routes: {home: rtr}}
cables: [rtr:up to isp:to]
`

func millWho(t *testing.T) (Who, *forward.Network) {
	t.Helper()
	d, spec, _ := coretest.Resolve(mill)
	require.NotNil(t, spec)
	return Who{Spec: spec, Groups: d.Groups}, forward.Resolve(network.Build(spec).State())
}

// What a word stands for, wherever it is asked who reaches whom.
func TestEndsOfAWord(t *testing.T) {
	w, _ := millWho(t)
	all := append(slicesOf(reach.Ends(w.Spec)), reach.Loopbacks(w.Spec)...)
	for word, want := range map[string]string{
		"shop":           "10.1.0.10 2001:db8:1::a", // one stands for all
		"yard":           "10.2.0.10",
		"saw":            "10.1.0.10 2001:db8:1::a",
		"rtr:b":          "10.2.0.1",
		"10.1.0.10":      "10.1.0.10",
		"192.0.2.77":     "192.0.2.77",
		"machines":       "10.1.0.10 10.1.0.11 10.2.0.10 2001:db8:1::a 2001:db8:1::b",
		"all-of-it":      "10.1.0.10 10.1.0.11 10.2.0.10 2001:db8:1::a 2001:db8:1::b",
		"elsewhere":      "192.0.2.9",
		"tops":           "10.9.0.1",
		"nowhere":        "error: the plan has no segment, device, group or block called nowhere",
		"yart":           "error: the plan has no segment, device, group or block called yart; did you mean yard?",
		"empty":          "error: nobody has an address in the block empty",
		"crate":          "error: crate has no address that could be asked",
		"203.0.113.1":    "error: nobody in the plan has 203.0.113.1, nor the world",
		"rtr:z":          "error: rtr has no interface called z",
		"224.0.0.1":      "error: 224.0.0.1 is for",
		"255.300.0.1":    "error:",
		"rtr:c":          "10.3.0.1",
		"0.0.0.0":        "error: 0.0.0.0 is for",
		"crate:e":        "error: crate:e has no address that could be asked",
		"attic":          "10.3.0.1", // it has no host
		"2001:db8:1::a":  "2001:db8:1::a",
		"rtr":            "10.9.0.1 2001:db8:1::1",
		"isp":            "198.51.100.1",
		"198.51.100.1":   "198.51.100.1",
		"fe80::1:nobody": "error:",
	} {
		ends, err := w.Ends(word, all)
		if rest, isError := strings.CutPrefix(want, "error:"); isError {
			if assert.Error(t, err, word) {
				assert.Contains(t, err.Error(), strings.TrimSpace(rest), word)
			}
			continue
		}
		require.NoError(t, err, word)
		var got []netip.Addr
		for _, e := range ends {
			got = append(got, e.Address)
		}
		assert.ElementsMatch(t, strings.Fields(want), texts(got), word)
	}
	everyone, err := w.Ends("everyone", all)
	require.NoError(t, err)
	assert.Equal(t, all, everyone)
}

func slicesOf(all []*reach.End) []*reach.End { return append([]*reach.End{}, all...) }

func texts(all []netip.Addr) []string {
	var words []string
	for _, a := range all {
		words = append(words, a.String())
	}
	return words
}

// Which devices a word means, for asking and telling them.
func TestDevicesMeant(t *testing.T) {
	w, _ := millWho(t)
	for word, want := range map[string]string{
		"everyone":  "rtr saw desk wheel crate",
		"saw":       "saw",
		"yard":      "rtr wheel",
		"machines":  "saw wheel desk",
		"all-of-it": "saw wheel desk rtr",
		"nobody":    "error: the plan has no device called nobody",
		"shw":       "error: the plan has no device called shw",
	} {
		devices, err := w.DevicesMeant(word)
		if rest, isError := strings.CutPrefix(want, "error: "); isError {
			assert.ErrorContains(t, err, rest)
			continue
		}
		require.NoError(t, err, word)
		var names []string
		for _, d := range devices {
			names = append(names, w.Spec.Devices[d].Name)
		}
		assert.Equal(t, strings.Fields(want), names, word)
	}
}

// A ping is tried in every family that both ends have, and what is not tried is told.
func TestPingsInWhichFamilies(t *testing.T) {
	w, net := millWho(t)
	for _, tt := range []struct {
		from, to string
		only     prefix.Only
		tried    int
		passed   string
		err      string
	}{
		{"desk", "saw", prefix.Both, 2, "", ""},
		{"desk", "saw", prefix.Only4, 1, "", ""},
		{"desk", "saw", prefix.Only6, 1, "", ""},
		{"desk", "wheel", prefix.Both, 1, "", ""},
		{"wheel", "saw", prefix.Both, 1, "wheel has no IPv6 address", ""},
		{"desk", "wheel", prefix.Only6, 0, "", "wheel has no IPv6 address"},
		{"desk", "crate", prefix.Both, 0, "", "crate has no address to ping"},
		{"192.0.2.9", "saw", prefix.Both, 0, "", "nobody in the plan has 192.0.2.9 to send from"},
		{"10.1.0.11", "saw", prefix.Both, 1, "10.1.0.11 has no IPv6 address", ""},
		{"desk", "192.0.2.9", prefix.Both, 1, "", ""},
	} {
		from, err := w.Endpoint(tt.from)
		require.NoError(t, err)
		to, err := w.Endpoint(tt.to)
		require.NoError(t, err)
		trials, passed, err := Pings(net, from, to, tt.only, forward.Probe{})
		about := tt.from + " to " + tt.to
		if tt.err != "" {
			assert.ErrorContains(t, err, tt.err, about)
			continue
		}
		require.NoError(t, err, about)
		assert.Len(t, trials, tt.tried, about)
		assert.Equal(t, tt.passed, strings.Join(passed, "; "), about)
		for _, x := range trials {
			assert.Equal(t, forward.Works, x.Verdict(), about)
		}
	}
}

// Who sends from where: an address or interface of its own, and nobody else's.
func TestSentFrom(t *testing.T) {
	w, _ := millWho(t)
	rtr, err := w.Endpoint("rtr")
	require.NoError(t, err)
	for source, want := range map[string]string{
		"b": "b", "rtr:b": "b", "10.2.0.1": "10.2.0.1", "loopback": "loopback",
		"10.2.0.10": "error", "nothing": "error", "10.300.0.1": "error", "saw:e": "error",
	} {
		e, err := w.SentFrom(rtr, source)
		if want == "error" {
			assert.Error(t, err, source)
			continue
		}
		require.NoError(t, err, source)
		if e.Address.IsValid() {
			assert.Equal(t, want, e.Address.String())
		} else {
			assert.Equal(t, want, w.Spec.Interfaces[e.Interface].Name)
		}
	}
	nobody, err := w.Endpoint("203.0.113.1")
	require.NoError(t, err)
	_, err = w.SentFrom(nobody, "b")
	assert.ErrorContains(t, err, "nobody in the plan has 203.0.113.1")

	operator, err := w.Operator()
	require.NoError(t, err)
	assert.Equal(t, "desk", operator.Text)
	spec := *w.Spec
	spec.Operator = model.None
	_, err = Who{Spec: &spec}.Operator()
	assert.ErrorContains(t, err, "add 'operator: HOST' to the plan")
	assert.NoError(t, w.HasBlock("tops"))
	assert.ErrorContains(t, w.HasBlock("topz"), "did you mean tops?")
	assert.NoError(t, w.HasSegment("yard"))
	assert.ErrorContains(t, w.HasSegment("yarf"), "did you mean yard?")
	assert.Equal(t, "from a to b", Words("a", "b"))
	assert.Equal(t, "to b", Words("", "b"))
	assert.Empty(t, Words("", ""))
}
