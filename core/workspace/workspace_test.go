package workspace_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

// open is the workspace of a plan whose first line is added.
func open(t testing.TB, text string) *workspace.Workspace {
	t.Helper()
	n := workspace.FromText("t.plan.yaml", []byte("ropeswing: 1\n"+strings.TrimLeft(text, "\n")))
	require.True(t, n.Usable(), "%v", n.Read())
	return n.Predict()
}

// ping is the pings between two endpoints.
func ping(t testing.TB, w *workspace.Workspace, from, to string) []ask.Trial {
	t.Helper()
	a, err := w.Endpoint(from)
	require.NoError(t, err)
	b, err := w.Endpoint(to)
	require.NoError(t, err)
	trials, _, err := ask.Pings(w.Network, a, b, prefix.Both, forward.Probe{})
	require.NoError(t, err)
	return trials
}

const office = `
operator: pc
segments:
  lan:  {vlan: 5, prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  far:  {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}
  link: {prefix: [10.0.0.0/31, "2001:db8:f::/127"]}
devices:
  a:
    is: router
    loopback: [10.9.0.1, "2001:db8:9::1"]
    interfaces:
      lan0: {segment: lan, address: [first, "fe80::1"]}
      p:    {segment: link, address: first}
    routes:
      far: b
  b:
    is: router
    interfaces: {lan0: {segment: far, address: first}, p: {segment: link, address: last}}
    routes: {lan: a}
  sw: {is: switch, interfaces: {x: {address: 10.3.0.1/24}, mgmt: {vlan: lan, address: 2}, p1: {access: lan}}}
  pc: {is: host, interfaces: {p: {segment: lan, address: 10}}}
  tv: {is: host, interfaces: {p: {segment: far, address: 10}}}
  old: {is: host, interfaces: {p: {segment: far, address: 10.2.0.11/24}}}
  bare: {is: host}
`

func TestEndpoints(t *testing.T) {
	w := open(t, office)
	tests := []struct{ text, device, address string }{
		{"pc", "pc", ""},
		{"a:lan0", "a", ""},
		{"10.2.0.10", "tv", "10.2.0.10"},
		{"2001:db8:2::a", "tv", "2001:db8:2::a"},
		{"192.0.2.1", "", "192.0.2.1"},
	}
	for _, tt := range tests {
		e, err := w.Endpoint(tt.text)
		require.NoError(t, err, tt.text)
		name := ""
		if e.Device >= 0 {
			name = w.Spec.Devices[e.Device].Name
		}
		assert.Equal(t, tt.device, name, tt.text)
		if tt.address != "" {
			assert.Equal(t, tt.address, e.Address.String())
		}
	}
	for text, says := range map[string]string{
		"pcc":          "no device called pcc; did you mean pc?",
		"a:lam0":       "a has no interface called lam0; did you mean lan0?",
		"10.1.0.0/24":  "is a subnet; name one address in it, such as 10.1.0.1",
		"10.1.0.999":   "999 is more than 255",
		"2001:db8:::1": "not an IPv6 address",
		"lan":          "lan is a segment; name a device or an address on it, such as a, sw, pc",
		"224.0.0.1":    "multicast",
		"0.0.0.0":      "this host",
		"::1":          "loopback",
	} {
		_, err := w.Endpoint(text)
		assert.ErrorContains(t, err, says, text)
	}
}

func TestWhichAddressIsPinged(t *testing.T) {
	w := open(t, office)
	tests := []struct {
		about, to string
		want      []string
	}{
		{"a device's loopback before its links", "a", []string{"10.9.0.1", "2001:db8:9::1"}},
		{"without a loopback the first", "b", []string{"10.2.0.1", "2001:db8:2::1"}},
		{"a switch by its VLAN interface", "sw", []string{"10.1.0.2", "2001:db8:1::2"}},
		{"an interface by its own", "a:p", []string{"10.0.0.0", "2001:db8:f::"}},
		{"one family only", "old", []string{"10.2.0.11"}},
		{"an address as it is", "2001:db8:2::a", []string{"2001:db8:2::a"}},
	}
	for _, tt := range tests {
		var got []string
		for _, x := range ping(t, w, "pc", tt.to) {
			got = append(got, x.Target.String())
		}
		assert.Equal(t, tt.want, got, tt.about)
	}
}

func TestFamiliesAndSources(t *testing.T) {
	w := open(t, office)
	old, _ := w.Endpoint("old")
	pc, _ := w.Endpoint("pc")
	trials, passed, err := ask.Pings(w.Network, old, pc, prefix.Both, forward.Probe{})
	require.NoError(t, err)
	assert.Len(t, trials, 1)
	assert.Equal(t, []string{"old has no IPv6 address"}, passed, "what is not tried is told")

	_, _, err = ask.Pings(w.Network, pc, old, prefix.Only6, forward.Probe{})
	assert.ErrorContains(t, err, "old has no IPv6 address")
	none, _ := w.Endpoint("bare")
	_, _, err = ask.Pings(w.Network, pc, none, prefix.Both, forward.Probe{})
	assert.ErrorContains(t, err, "bare has no address to ping")
	stranger, _ := w.Endpoint("192.0.2.1")
	_, _, err = ask.Pings(w.Network, stranger, pc, prefix.Both, forward.Probe{})
	assert.ErrorContains(t, err, "nobody in the plan has 192.0.2.1 to send from")

	link, _ := w.Endpoint("a:p")
	trials, _, err = ask.Pings(w.Network, link, pc, prefix.Both, forward.Probe{})
	require.NoError(t, err)
	assert.Equal(t, "10.0.0.0", trials[0].Source.String(), "an interface named is the source, though the packet leaves by another")
}

func TestLinkLocalNeedsItsLink(t *testing.T) {
	w := open(t, office)
	pc, _ := w.Endpoint("pc")
	a, _ := w.Endpoint("a")
	router, _ := w.Endpoint("fe80::1")
	trials, _, err := ask.Pings(w.Network, pc, router, prefix.Both, forward.Probe{})
	require.NoError(t, err, "a device with one link has no choice")
	assert.Equal(t, forward.Works, trials[0].Verdict())
	assert.Equal(t, "2001:db8:1::a", trials[0].Source.String())
	_, _, err = ask.Pings(w.Network, a, router, prefix.Both, forward.Probe{})
	assert.ErrorContains(t, err, "ping a:INTERFACE fe80::1")
}

func TestOperatorIsTheUsualStart(t *testing.T) {
	w := open(t, office)
	e, err := w.Operator()
	require.NoError(t, err)
	assert.Equal(t, "pc", e.Text)
	_, err = open(t, "devices: {h: {is: host}}").Operator()
	assert.ErrorContains(t, err, "ping FROM TO")
}

func TestWithout(t *testing.T) {
	w := open(t, office)
	next, err := w.Without("b")
	require.NoError(t, err)
	assert.Equal(t, forward.Fails, ping(t, next, "pc", "tv")[0].Verdict())
	assert.Equal(t, forward.Works, ping(t, w, "pc", "tv")[0].Verdict(), "the workspace itself is as it was")
	_, err = w.Without("linc")
	assert.ErrorContains(t, err, "did you mean link?")
}

func TestTheDemoIsSoundAsPlanned(t *testing.T) {
	w := workspace.Open(demo.Files(), demo.Plan, demo.Plan).Predict()
	assert.Empty(t, w.Check())
	for _, from := range w.DeviceNames() {
		for _, to := range w.DeviceNames() {
			if strings.HasSuffix(from, "-carrier") {
				continue // the world begins nothing but what is permitted
			}
			source := from
			for id := range w.Spec.Devices { // nobody wants the addresses of links reached
				if d := &w.Spec.Devices[id]; d.Name == from && d.Forwards && d.Kind != model.World {
					source = w.Spec.Label(w.Spec.InterfacesOf(model.DeviceID(id))[slices.IndexFunc(w.Spec.InterfacesOf(model.DeviceID(id)),
						func(i model.InterfaceID) bool { return w.Spec.Interfaces[i].Kind == model.Loopback })])
				}
			}
			for _, x := range ping(t, w, source, to) {
				f, _ := x.Failure(w.Network)
				if from == "tablet" && f.Name == finding.RefusedByPermit {
					continue // a visitor
				}
				assert.Equal(t, forward.Works, x.Verdict(), "%s to %s: %s", from, to, f.Words(w.Network))
			}
		}
	}
}

// The bad morning's five faults, each seen where an engineer would look.
func TestTheBadMorning(t *testing.T) {
	w := workspace.Open(demo.Files(), demo.BadMorning, demo.BadMorning).Predict()
	assert.Equal(t, []string{"next-hop-sends-back", "unmanageable", "vlan-missing", "segment-split", "unmanageable",
		"addressed-interface-down", "no-route-out", "length-differs"}, names(w.Check()))
	for to, want := range map[string]finding.Name{
		"tern-cam":         finding.ForwardingLoop,  // a next hop pointing the wrong way
		"desk-7":           finding.InterfaceIsDown, // a port left down
		"mole-sw":          finding.AddressSilent,   // a VLAN missing on a trunk
		"2001:db8:ffff::9": finding.NoRouteFound,    // a way back forgotten
	} {
		f, failing := ping(t, w, "ops-laptop", to)[0].Failure(w.Network)
		assert.True(t, failing, to)
		assert.Equal(t, want, f.Name, f.Words(w.Network))
	}
}

// A remedy that is printed works: the plan edited as it says is read again and
// the ping works.
func TestRemediesWorkWhenWrittenIntoThePlan(t *testing.T) {
	tests := []struct{ about, plan, from, to, edit string }{
		{"a way back forgotten", strings.Replace(office, "routes: {lan: a}", "routes: {link: a}", 1), "pc", "tv", "10.1.0.0/24: a"},
		{"a way there forgotten", strings.Replace(office, "far: b", "10.77.0.0/16: b", 1), "pc", "tv", "10.2.0.0/24: b"},
		{"a next hop that is not assigned", strings.Replace(office, "far: b", "10.2.0.0/24: 10.1.0.99", 1), "pc", "tv", "10.0.0.1"},
		{"a next hop that does not forward", strings.Replace(office, "far: b", "10.2.0.0/24: pc", 1), "pc", "tv", "b"},
		{"its own address as next hop", strings.Replace(office, "far: b", "10.2.0.0/24: 10.0.0.0", 1), "pc", "tv", "10.0.0.1"},
		{"a loop", strings.Replace(office, "far: b", "far: b\n      10.2.0.0/25: {next-hop: 10.1.0.2}", 1), "pc", "tv", "10.0.0.1"},
		{"a port switched off", strings.Replace(office, "lan0: {segment: far, address: first}",
			"lan0: {segment: far, address: first, admin: down}", 1), "pc", "tv", "up"},
		{"the target switched off", strings.Replace(office, "tv: {is: host, interfaces: {p: {segment: far, address: 10}}}",
			"tv: {is: host, interfaces: {p: {segment: far, address: 10, admin: down}}, gateway: b}", 1), "pc", "tv", "up"},
		{"a wrong gateway", strings.Replace(office, "address: 10}}}\n  tv", "address: 10}}, gateway: 10.1.0.77}\n  tv", 1), "pc", "tv",
			"10.1.0.1"},
		{"everything discarded", strings.Replace(office, "far: b", "10.0.0.0/8: {discard: true}", 1), "pc", "tv", "10.2.0.0/24: b"},
	}
	for _, tt := range tests {
		w := open(t, tt.plan)
		trial := ping(t, w, tt.from, tt.to)[0]
		require.NotEqual(t, forward.Works, trial.Verdict(), tt.about)
		advice, ok := revise.Mend(w, trial)
		if !assert.True(t, ok, tt.about) {
			continue
		}
		text := w.Document.File.Text
		var wanted []string
		for _, a := range advice {
			require.True(t, a.InPlan, "%s: %s", tt.about, a.Text)
			wanted = append(wanted, strings.Trim(a.Edit.Text, ", \n"))
			assert.NotEmpty(t, a.Device)
		}
		assert.Contains(t, wanted, tt.edit, tt.about)
		switch len(advice) {
		case 1:
			text = plan.Apply(w.Document.File, advice[0].Edit)
		case 2:
			text = plan.Apply(w.Document.File, advice[0].Edit, advice[1].Edit)
		}
		again := workspace.FromText("again", text)
		require.True(t, again.Usable(), "%s:\n%s", tt.about, text)
		assert.Equal(t, forward.Works, ping(t, again.Predict(), tt.from, tt.to)[0].Verdict(), "%s:\n%s", tt.about, text)
	}
}

func TestSeveralFaultsAreMendedTogether(t *testing.T) {
	plan := strings.Replace(strings.Replace(office, "far: b", "10.77.0.0/16: b", 1), "routes: {lan: a}", "routes: {link: a}", 1)
	w := open(t, plan)
	advice, ok := revise.Mend(w, ping(t, w, "pc", "tv")[0])
	require.True(t, ok)
	require.Len(t, advice, 2)
	assert.Equal(t, "add to a: 10.2.0.0/24 via 10.0.0.1 (b)", advice[0].Text)
	assert.Equal(t, "add to b: 10.1.0.0/24 via 10.0.0.0 (a)", advice[1].Text)
}

func TestNoRemedyWhereNoneHelps(t *testing.T) {
	w := open(t, office)
	trial := ping(t, w, "pc", "10.2.0.200")[0]
	require.Equal(t, forward.Fails, trial.Verdict())
	_, ok := revise.Mend(w, trial)
	assert.False(t, ok, "nobody has the address, and no route changes that")
}

// Where a part is out of order, the remedy floats behind the route that is
// there, and is written as its second choice.
func TestARemedyForAFailureFloats(t *testing.T) {
	w := open(t, `
segments: {lan: {prefix: 10.1.0.0/24}, far: {prefix: 10.2.0.0/24}, one: {prefix: 10.0.0.0/31}, two: {prefix: 10.0.0.2/31}}
devices:
  a: {is: router, interfaces: {l: {segment: lan, address: 1}, p: {segment: one, address: 1}, q: {segment: two, address: 1}}, routes: {10.2.0.0/24: 10.0.0.1}}
  b: {is: router, interfaces: {l: {segment: far, address: 1}, p: {segment: one, address: 2}, q: {segment: two, address: 2}}, routes: {10.1.0.0/24: [10.0.0.0, 10.0.0.2]}}
  pc: {is: host, interfaces: {p: {segment: lan, address: 10}}}
  tv: {is: host, interfaces: {p: {segment: far, address: 10}}}
cables: [cable-p: a:p to b:p, cable-q: a:q to b:q]
`)
	broken, err := w.Without("cable-p")
	require.NoError(t, err)
	advice, ok := revise.Mend(broken, ping(t, broken, "pc", "tv")[0])
	require.True(t, ok)
	require.Len(t, advice, 1)
	assert.Equal(t, "[10.0.0.1, 10.0.0.3]", advice[0].Edit.Text)
	again := workspace.FromText("again", plan.Apply(w.Document.File, advice[0].Edit)).Predict()
	mended, err := again.Without("cable-p")
	require.NoError(t, err)
	assert.Equal(t, forward.Works, ping(t, mended, "pc", "tv")[0].Verdict())
	assert.Equal(t, "10.0.0.1", ping(t, again, "pc", "tv")[0].There.Nodes[1].Edges[0].Address.String(), "and the first choice stays first")
}

func BenchmarkReadAndResolveTheDemo(b *testing.B) {
	b.ReportAllocs()
	for b.Loop() {
		if w := workspace.Open(demo.Files(), demo.Plan, demo.Plan); !w.Usable() {
			b.Fatal("the demo is not usable")
		}
	}
}

func BenchmarkPredictedPing(b *testing.B) {
	w := workspace.Open(demo.Files(), demo.Plan, demo.Plan).Predict()
	from, _ := w.Operator()
	to, _ := w.Endpoint("tern-cam")
	b.ReportAllocs()
	for b.Loop() {
		trials, _, err := ask.Pings(w.Network, from, to, prefix.Only4, forward.Probe{})
		if err != nil || trials[0].Verdict() != forward.Works {
			b.Fatal("the ping does not work")
		}
	}
}

func BenchmarkMendTheBadMorning(b *testing.B) {
	w := workspace.Open(demo.Files(), demo.BadMorning, demo.BadMorning).Predict()
	trial := ping(b, w, "ops-laptop", "tern-cam")[0]
	for b.Loop() {
		if _, ok := revise.Mend(w, trial); !ok {
			b.Fatal("no remedy")
		}
	}
}
