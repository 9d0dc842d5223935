package ask

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// inn has leases, a shared gateway address, and an address of every kind.
const inn = `
operator: clerk
segments:
  bar:  {prefix: [10.1.0.0/24, "2001:db8:1::/64"], leases: {range: 10.1.0.100..10.1.0.199, by: front}}
  loft: {prefix: 10.2.0.0/25}
  link: {prefix: 10.0.0.0/31}
devices:
  front: {is: router, interfaces: {b: {segment: bar, address: 2, virtual: 1}, k: {segment: link, address: first}}, routes: {10.2.0.0/25: 10.0.0.1}}
  back:  {is: router, loopback: 10.9.0.1, interfaces: {l: {segment: loft, address: 1}, k: {segment: link, address: last}}, routes: {10.1.0.0/24: 10.0.0.0}}
  clerk: {is: host, interfaces: {e: {segment: bar, address: 9}}, gateway: 10.1.0.1}
  bell:  {is: host, interfaces: {e: {segment: bar, address: 10}, f: {segment: loft, address: 10}}, routes: {default: [10.1.0.1, 10.2.0.1]}}
  sign:  {is: host, interfaces: {e: {}}}
`

func innWho(t *testing.T) (Who, *forward.Network) {
	t.Helper()
	d, spec, found := coretest.Resolve(inn)
	require.Empty(t, found)
	return Who{Spec: spec, Groups: d.Groups}, forward.Resolve(network.Build(spec).State())
}

func own(text string) OwnAddress {
	words := strings.Fields(text)
	return OwnAddress{Interface: words[0], Prefix: netip.MustParsePrefix(words[1]), Up: len(words) == 2}
}

// Where in the plan a machine is, by one address: what the plan says of that.
func TestWhereAnAddressStands(t *testing.T) {
	w, _ := innWho(t)
	for text, want := range map[string]struct {
		standing        Standing
		segment, holder string
		gateway         string
	}{
		"e0 10.1.0.9/24":         {AsPlanned, "bar", "clerk:e", "10.1.0.1"}, // the shared one, not front's own
		"e0 10.1.0.9/24 down":    {DownHere, "bar", "clerk:e", "10.1.0.1"},
		"e0 10.1.0.9/16":         {OtherLength, "bar", "clerk:e", "10.1.0.1"},
		"e0 10.1.0.9/16 down":    {OtherLength, "bar", "clerk:e", "10.1.0.1"},
		"e0 10.1.0.77/24":        {Unassigned, "bar", "", "10.1.0.1"},
		"e0 10.1.0.150/24":       {LeasedHere, "bar", "", "10.1.0.1"},
		"e0 10.1.0.77/24 down":   {DownHere, "bar", "", "10.1.0.1"},
		"e0 203.0.113.9/24":      {InNoSegment, "", "", ""},
		"e0 203.0.113.9/24 down": {InNoSegment, "", "", ""},
		"e0 2001:db8:1::9/64":    {AsPlanned, "bar", "clerk:e", "2001:db8:1::1"},
		"e0 2001:db8:1::7/64":    {Unassigned, "bar", "", "2001:db8:1::1"},
		"lo 10.9.0.1/32":         {InNoSegment, "", "back:loopback", ""},
		"k 10.0.0.1/31":          {AsPlanned, "link", "back:k", "10.0.0.0"},
		"l 10.2.0.1/25":          {AsPlanned, "loft", "back:l", ""}, // it is the gateway
	} {
		x := w.located(own(text))
		assert.Equal(t, want.standing, x.Standing, text)
		segment, holder, gateway := "", "", ""
		if x.Segment != model.None {
			segment = w.Spec.Segments[x.Segment].Name
		}
		if x.Holder != model.None {
			holder = w.Spec.Label(x.Holder)
		}
		if x.Gateway.IsValid() {
			gateway = x.Gateway.String()
		}
		assert.Equal(t, []string{want.segment, want.holder, want.gateway}, []string{segment, holder, gateway}, text)
	}
}

// Which device a machine is, what it lacks of that, and which of its default routes.
func TestWhichDeviceAMachineIs(t *testing.T) {
	w, _ := innWho(t)
	via := func(all ...string) []netip.Addr {
		addrs := []netip.Addr{}
		for _, a := range all {
			addrs = append(addrs, netip.MustParseAddr(a))
		}
		return addrs
	}
	bell, _ := w.Spec.DeviceNamed("bell")

	p := w.Here([]OwnAddress{own("eth0 10.1.0.10/24"), own("wlan0 192.168.0.7/24")}, via("192.168.0.1", "fe80::1"))
	assert.True(t, p.Found)
	assert.Equal(t, bell, p.Device)
	var lacks []string
	for _, l := range p.Lacks {
		lacks = append(lacks, w.Spec.Label(l.Interface)+" "+l.Prefix.String())
	}
	assert.ElementsMatch(t, []string{"bell:e 2001:db8:1::a/64", "bell:f 10.2.0.10/25"}, lacks)
	require.Len(t, p.Defaults, 2, "neither of its planned ones is there")
	for i, want := range []string{"10.1.0.1", "10.2.0.1"} {
		assert.Equal(t, want, p.Defaults[i].Via.String())
		assert.Equal(t, via("192.168.0.1"), p.Defaults[i].Instead, "of its own family")
	}

	p = w.Here([]OwnAddress{own("eth0 10.1.0.10/24"), own("eth0 2001:db8:1::a/64"), own("eth1 10.2.0.10/25")}, via("10.1.0.1", "10.2.0.1"))
	assert.Empty(t, p.Lacks)
	assert.Empty(t, p.Defaults)
	assert.Empty(t, w.Here([]OwnAddress{own("eth0 10.1.0.10/24")}, nil).Defaults, "what is not known is not missing")
	p = w.Here([]OwnAddress{own("eth0 169.254.7.7/16")}, nil)
	assert.Equal(t, NoLease, p.Addresses[0].Standing, "it gave itself that one")
	assert.False(t, p.Found)

	p = w.Here([]OwnAddress{own("eth0 10.1.0.77/24")}, via("10.1.0.1"))
	assert.True(t, p.Found, "it is on a segment")
	assert.Equal(t, model.DeviceID(model.None), p.Device, "and nobody")
	assert.Empty(t, p.Lacks)
	p = w.Here([]OwnAddress{own("eth0 203.0.113.4/24")}, nil)
	assert.False(t, p.Found)
	assert.Len(t, p.Addresses, 1)

	front, _ := w.Spec.DeviceNamed("front")
	p = w.Here([]OwnAddress{own("b 10.1.0.2/24")}, nil)
	assert.Equal(t, front, p.Device)
	for _, l := range p.Lacks {
		assert.NotEqual(t, "10.1.0.1/24", l.Prefix.String(), "a shared address may be elsewhere")
	}
}

// What to give a machine, and who has an address already.
func TestPlannedSettingAndHolders(t *testing.T) {
	w, _ := innWho(t)
	for name, want := range map[string]string{"clerk": "10.1.0.9/24 by 10.1.0.1", "back": "10.9.0.1/32 by invalid IP",
		"bell": "10.1.0.10/24 by 10.1.0.1", "sign": ""} {
		d, ok := w.Spec.DeviceNamed(name)
		require.True(t, ok)
		s, ok := w.PlannedSetting(d)
		assert.Equal(t, want != "", ok, name)
		if ok {
			assert.Equal(t, want, s.Address.String()+" by "+s.Gateway.String(), name)
		}
	}
	for a, want := range map[string]string{"10.1.0.2": "front:b", "10.1.0.1": "front:b", "10.1.0.9": "", "10.1.0.150": "the leases of bar",
		"10.1.0.99": "", "203.0.113.1": ""} {
		assert.Equal(t, want, w.HolderIn(netip.MustParseAddr(a)), a)
	}
}

// At a device whose card is typed in, its next hops are tried, then the operator.
func TestPingsOfACard(t *testing.T) {
	w, net := innWho(t)
	back, _ := w.Spec.DeviceNamed("back")
	var got []string
	for _, p := range w.CardPings(net, back) {
		name := ""
		if p.Device != model.None {
			name = w.Spec.Devices[p.Device].Name
		}
		got = append(got, strings.Join([]string{p.To.String(), name, p.Verdict.String(), map[bool]string{true: "next hop"}[p.NextHop]}, " "))
	}
	assert.Equal(t, []string{"10.0.0.0 front works next hop", "10.1.0.9 clerk works "}, got, "clerk's IPv6 address is nothing to it")
	clerk, _ := w.Spec.DeviceNamed("clerk")
	for _, p := range w.CardPings(net, clerk) {
		assert.True(t, p.NextHop, "it is the operator itself")
	}
}

// Whom a word means where several may be asked at once.
func TestMeantBySeveral(t *testing.T) {
	w, net := millWho(t)
	for word, want := range map[string]string{
		"shop":        "saw 10.1.0.10, saw 2001:db8:1::a, desk 10.1.0.11, desk 2001:db8:1::b",
		"attic":       "rtr 10.3.0.1",
		"elsewhere":   "192.0.2.9 192.0.2.9",
		"saw":         "saw invalid IP",
		"10.1.0.10":   "10.1.0.10 10.1.0.10",
		"nobody-here": "error: nobody-here",
	} {
		all, err := w.Meant(net, word)
		if rest, isError := strings.CutPrefix(want, "error: "); isError {
			assert.ErrorContains(t, err, rest)
			continue
		}
		require.NoError(t, err, word)
		var got []string
		for _, e := range all {
			got = append(got, e.Text+" "+e.Address.String())
		}
		assert.ElementsMatch(t, strings.Split(want, ", "), got, word)
	}
}

// Where only the answer is lost, since a router sends from a link that nobody wants, another
// source works, and is named only because it was tried.
func TestAnotherSourceThatWorks(t *testing.T) {
	const text = `
wants: {}
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}, l: {prefix: 10.0.0.0/31}, m: {prefix: 10.0.0.2/31}}
devices:
  x: {is: router, interfaces: {a: {segment: a, address: 1}, l: {segment: l, address: first}}}
  mid: {is: router, loopback: 10.9.0.1, interfaces: {l: {segment: l, address: last}, m: {segment: m, address: first}}}
  y: {is: router, interfaces: {b: {segment: b, address: 1}, m: {segment: m, address: last}}}
  hb: {is: host, interfaces: {e: {segment: b, address: 9}}, gateway: y}
`
	for _, tt := range []struct{ routes, want string }{
		{"", "x:a"}, // y has a route to the LAN, and none to the link
		{", routes: {10.0.0.0/31: 10.0.0.2}", ""},        // it works
		{", routes: {10.1.0.0/24: {discard: true}}", ""}, // nor would another source
	} {
		spec := coretest.Spec(t, strings.Replace(text, "m: {segment: m, address: last}}}", "m: {segment: m, address: last}}"+tt.routes+"}", 1))
		spec, net, _ := derive.Resolve(spec)
		w := Who{Spec: spec}
		from, err := w.Endpoint("x")
		require.NoError(t, err)
		to, err := w.Endpoint("hb")
		require.NoError(t, err)
		trials, _, err := Pings(net, from, to, prefix.Both, forward.Probe{})
		require.NoError(t, err)
		assert.Equal(t, tt.want, Pinged{Net: net, From: from, Trials: trials}.OtherSource(), tt.routes)
	}
}
