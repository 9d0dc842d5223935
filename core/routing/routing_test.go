package routing_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// viewOf is the table of device r in a plan with two links, e0 and e1, to
// neighbours .2, and r's routes as given.
func viewOf(t *testing.T, routes string, extra ...string) routing.View {
	t.Helper()
	tables := coretest.Network(t, strings.Join(extra, "\n")+`
segments: {s0: {prefix: [10.0.0.0/24, "2001:db8:0::/64"]}, s1: {prefix: [10.0.1.0/24, "2001:db8:1::/64"]}}
devices:
  r: {is: router, interfaces: {e0: {segment: s0, address: 1}, e1: {segment: s1, address: 1}, off: {address: 10.0.2.1/24, admin: down}}, routes: {`+routes+`}}
  n: {is: router, interfaces: {e0: {segment: s0, address: 2}, e1: {segment: s1, address: 2}}}
`)
	return tables.Table(coretest.Device(t, tables.State.Spec, "r"))
}

// describe is a static route's state: "usable 10.0.0.2" with the links its
// hops end on, or why it is not.
func describe(v routing.View, e routing.Entry) string {
	if e.Usable != routing.IsUsable {
		return v.Cause(e).Words(v.State(), nil)
	}
	word := "standby"
	if e.InUse {
		word = "in use"
	}
	if e.Discard {
		return word + ", discards"
	}
	var hops []string
	for _, h := range e.Hops {
		hops = append(hops, h.Via.String())
	}
	return strings.TrimSpace(word + " " + strings.Join(hops, " "))
}

// statics lists the static routes of a table in words.
func statics(v routing.View) []string {
	var all []string
	for _, e := range v.Entries() {
		if e.Source == routing.Static {
			all = append(all, e.Prefix.String()+": "+describe(v, e))
		}
	}
	return all
}

// The rules of static routes (DESIGN: static routes), one case each.
func TestUsability(t *testing.T) {
	tests := []struct {
		about, routes string
		want          []string
	}{
		{"a neighbour", "10.9.0.0/16: 10.0.0.2", []string{"10.9.0.0/16: in use 10.0.0.2"}},
		{"an interface", "10.9.0.0/16: {out: e0}", []string{"10.9.0.0/16: in use invalid IP"}},
		{"an interface that is down", "10.9.0.0/16: {out: off}", []string{"10.9.0.0/16: off is down: administratively down"}},
		{"an interface and a next hop: no recursion", "10.9.0.0/16: {next-hop: 10.7.7.7, out: e0}", []string{"10.9.0.0/16: in use 10.7.7.7"}},
		{"a next hop behind an interface that is down", "10.9.0.0/16: 10.0.2.9",
			[]string{"10.9.0.0/16: next hop 10.0.2.9 is on off, which is down: administratively down"}},
		{"found through another route", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: 10.0.0.2",
			[]string{"10.8.0.0/16: in use 10.0.0.2", "10.9.0.0/16: in use 10.0.0.2"}},
		{"found through two others", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: 10.7.0.1, 10.7.0.0/16: 10.0.1.2",
			[]string{"10.7.0.0/16: in use 10.0.1.2", "10.8.0.0/16: in use 10.0.1.2", "10.9.0.0/16: in use 10.0.1.2"}},
		{"found through a static route out of an interface: on that link", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: {out: e1}",
			[]string{"10.8.0.0/16: in use invalid IP", "10.9.0.0/16: in use 10.8.0.1"}},
		{"nothing leads there", "10.9.0.0/16: 10.8.0.1", []string{"10.9.0.0/16: no route leads to the next hop 10.8.0.1"}},
		{"only the default leads there", "default: 10.0.0.2, 10.9.0.0/16: 10.8.0.1",
			[]string{"0.0.0.0/0: in use 10.0.0.2", "10.9.0.0/16: only the default route matches the next hop 10.8.0.1"}},
		{"one's own address", "10.9.0.0/16: 10.0.0.1", []string{"10.9.0.0/16: the next hop 10.0.0.1 is r's own address"}},
		{"a discard route", "10.9.0.0/16: {discard: true}", []string{"10.9.0.0/16: in use, discards"}},
		{"found through a discard route: it discards", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: {discard: true}",
			[]string{"10.8.0.0/16: in use, discards", "10.9.0.0/16: in use, discards"}},
		{"through itself alone", "10.9.0.0/16: 10.9.0.1", []string{"10.9.0.0/16: no route leads to the next hop 10.9.0.1"}},
		{"through each other", "10.8.0.0/16: 10.9.0.1, 10.9.0.0/16: 10.8.0.1",
			[]string{"10.8.0.0/16: finding the next hop 10.9.0.1 leads back to this route",
				"10.9.0.0/16: finding the next hop 10.8.0.1 leads back to this route"}},
		{"behind one that is not usable", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: 10.7.0.1",
			[]string{"10.8.0.0/16: no route leads to the next hop 10.7.0.1",
				"10.9.0.0/16: the next hop 10.8.0.1 is behind 10.8.0.0/16, which is not usable: no route leads to the next hop 10.7.0.1"}},
		// A shorter usable route serves where the longer is not usable.
		{"past one that is not usable", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: 10.7.0.1, 10.0.0.0/8: 10.0.1.2",
			[]string{"10.0.0.0/8: in use 10.0.1.2", "10.8.0.0/16: in use 10.0.1.2", "10.9.0.0/16: in use 10.0.1.2"}},
		{"floating", "10.9.0.0/16: [10.0.0.2, 10.0.1.2]", []string{"10.9.0.0/16: in use 10.0.0.2", "10.9.0.0/16: standby 10.0.1.2"}},
		{"the floating one takes over", "10.9.0.0/16: [10.0.2.2, 10.0.1.2]",
			[]string{"10.9.0.0/16: next hop 10.0.2.2 is on off, which is down: administratively down", "10.9.0.0/16: in use 10.0.1.2"}},
		{"equal cost", "10.9.0.0/16: [{next-hop: 10.0.0.2}, {next-hop: 10.0.1.2, distance: 1}]",
			[]string{"10.9.0.0/16: in use 10.0.0.2", "10.9.0.0/16: in use 10.0.1.2"}},
		{"lower metric", "10.9.0.0/16: [{next-hop: 10.0.0.2, metric: 5}, {next-hop: 10.0.1.2, distance: 1, metric: 4}]",
			[]string{"10.9.0.0/16: in use 10.0.1.2", "10.9.0.0/16: standby 10.0.0.2"}},
		{"through an equal-cost set: both", "10.9.0.0/16: 10.8.0.1, 10.8.0.0/16: [{next-hop: 10.0.0.2}, {next-hop: 10.0.1.2, distance: 1}]",
			[]string{"10.8.0.0/16: in use 10.0.0.2", "10.8.0.0/16: in use 10.0.1.2", "10.9.0.0/16: in use 10.0.0.2 10.0.1.2"}},
		{"IPv6 as IPv4", "'2001:db8:9::/48': '2001:db8:8::1', '2001:db8:8::/48': '2001:db8:1::2'",
			[]string{"2001:db8:8::/48: in use 2001:db8:1::2", "2001:db8:9::/48: in use 2001:db8:1::2"}},
		{"link-local with its interface", "'2001:db8:9::/48': {next-hop: 'fe80::2', out: e0}", []string{"2001:db8:9::/48: in use fe80::2"}},
	}
	for _, tt := range tests {
		v := viewOf(t, tt.routes)
		assert.Equal(t, tt.want, statics(v), tt.about)
	}
}

// A route whose longer match hangs on itself is a paradox: C is usable only
// through B, and where C is usable B hangs on C. Neither is believed.
func TestAParadoxIsNotUsable(t *testing.T) {
	v := viewOf(t, "10.0.0.0/8: 10.0.0.2, 10.1.0.0/16: 10.1.2.3, 10.1.2.0/24: 10.1.3.3")
	assert.Equal(t, []string{
		"10.0.0.0/8: in use 10.0.0.2",
		"10.1.0.0/16: finding the next hop 10.1.2.3 leads back to this route",
		"10.1.2.0/24: finding the next hop 10.1.3.3 leads back to this route",
	}, statics(v))
}

func TestResolvingThroughTheDefaultIsASetting(t *testing.T) {
	v := viewOf(t, "default: 10.0.0.2, 10.9.0.0/16: 10.8.0.1", "settings: {resolve-through-default: true}")
	assert.Equal(t, []string{"0.0.0.0/0: in use 10.0.0.2", "10.9.0.0/16: in use 10.0.0.2"}, statics(v))
}

func TestDirectAndLocalRoutesOfWhatIsUp(t *testing.T) {
	v := viewOf(t, "")
	var all []string
	for _, e := range v.Entries() {
		all = append(all, e.Prefix.String()+" "+e.Source.String())
	}
	assert.Equal(t, []string{
		"10.0.0.0/24 direct", "10.0.0.1/32 local", "10.0.1.0/24 direct", "10.0.1.1/32 local",
		"2001:db8::/64 direct", "2001:db8::1/128 local", "2001:db8:1::/64 direct", "2001:db8:1::1/128 local",
	}, all, "none of off, which is down")
}

func TestLookupAndWhatCovers(t *testing.T) {
	v := viewOf(t, "default: 10.0.0.2, 10.8.0.0/14: 10.0.1.2, 10.9.0.0/16: 10.7.7.7, 10.9.1.0/24: {discard: true}")
	for address, want := range map[string]string{
		"10.9.1.200":      "10.9.1.0/24",
		"10.9.2.1":        "10.8.0.0/14", // 10.9.0.0/16 is not usable
		"10.11.255.255":   "10.8.0.0/14",
		"10.12.0.0":       "0.0.0.0/0",
		"10.7.255.255":    "0.0.0.0/0",
		"10.0.0.1":        "10.0.0.1/32",
		"10.0.0.2":        "10.0.0.0/24",
		"255.255.255.255": "0.0.0.0/0",
		"2001:db8:1::5":   "2001:db8:1::/64",
		"2001:db8:2::5":   "",
	} {
		m, ok := v.Lookup(netip.MustParseAddr(address))
		assert.Equal(t, want != "", ok, address)
		if ok {
			assert.Equal(t, want, m.Prefix.String(), address)
		}
	}
	var covering []string
	for _, e := range v.Covering(netip.MustParseAddr("10.9.1.200")) {
		covering = append(covering, e.Prefix.String())
	}
	assert.Equal(t, []string{"10.9.1.0/24", "10.9.0.0/16", "10.8.0.0/14", "0.0.0.0/0"}, covering, "usable or not, longest first")
	m, _ := v.Lookup(netip.MustParseAddr("10.9.1.200"))
	assert.True(t, m.Drops)
	m, _ = v.Lookup(netip.MustParseAddr("10.0.1.1"))
	assert.True(t, m.Local)
	assert.Len(t, v.Of(m), 1)
}

func TestTheWorldAnswersForWhatIsBeyond(t *testing.T) {
	tables := coretest.Network(t, "devices: {w: {is: world, beyond: [192.0.2.0/24, '2001:db8:ffff::/48']}}")
	v := tables.Table(0)
	for address, want := range map[string]bool{"192.0.2.77": true, "192.0.3.0": false, "2001:db8:ffff:1::9": true} {
		m, ok := v.Lookup(netip.MustParseAddr(address))
		assert.Equal(t, want, ok && m.Local, address)
	}
}

// randomRoutes is a spec of one router with many random routes, for
// comparisons with naive solvers.
func randomRoutes(t *testing.T, r *rand.Rand, n int) (*network.State, []model.Static) {
	t.Helper()
	spec := coretest.Spec(t, `
segments: {s0: {prefix: 10.0.0.0/24}, s1: {prefix: 10.0.1.0/24}}
devices:
  r: {is: router, interfaces: {e0: {segment: s0, address: 1}, e1: {segment: s1, address: 1}}}
`)
	// Few distinct bits, so that prefixes nest and next hops fall under them.
	address := func() netip.Addr {
		return netip.AddrFrom4([4]byte{10, byte(r.IntN(4)), byte(r.IntN(3)), byte(r.IntN(4))})
	}
	var statics []model.Static
	for range n {
		bits := []int{0, 8, 14, 15, 16, 22, 23, 24, 30, 32}[r.IntN(10)]
		s := model.Static{Device: 0, To: netip.PrefixFrom(address(), bits).Masked(), Out: model.None, Distance: uint8(1 + r.IntN(2)*10),
			Metric: uint32(r.IntN(2))}
		switch r.IntN(10) {
		case 0:
			s.Discard = true
		case 1:
			s.Out = model.InterfaceID(r.IntN(2))
		default:
			s.Via = address()
		}
		statics = append(statics, s)
	}
	return network.Build(spec).State(), statics
}

// summary is what a table makes of every route, independent of their order.
func summary(v routing.View, statics []model.Static) []string {
	var all []string
	for _, e := range v.Entries() {
		if e.Source != routing.Static {
			continue
		}
		s := statics[e.Static()]
		all = append(all, fmt.Sprint(s.To, s.Via, s.Out, s.Discard, s.Distance, s.Metric, " ", e.Usable, e.InUse, e.Hops))
	}
	slices.Sort(all)
	return all
}

func TestUsabilityDoesNotDependOnOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	unusable := 0
	for range 400 {
		state, statics := randomRoutes(t, r, 3+r.IntN(12))
		want := summary(routing.Resolve(state, statics).Table(0), statics)
		for range 3 {
			shuffled := slices.Clone(statics)
			r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
			require.Equal(t, want, summary(routing.Resolve(state, shuffled).Table(0), shuffled))
		}
		for _, line := range want {
			if !strings.Contains(line, " 0true") && !strings.Contains(line, " 0false") {
				unusable++
			}
		}
	}
	assert.Greater(t, unusable, 200, "the random routes hang on one another")
}

// naiveUsable works usability out on plain lists with the alternating rule of
// the design, scanning every route for every question.
func naiveUsable(statics []model.Static) map[int]bool {
	links := []netip.Prefix{netip.MustParsePrefix("10.0.0.0/24"), netip.MustParsePrefix("10.0.1.0/24")}
	own := []netip.Addr{netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("10.0.1.1")}
	open := func(i int) bool { return statics[i].Via.IsValid() && statics[i].Out == model.None }
	type candidate struct {
		bits, distance, metric int
		good                   func(in map[int]bool) bool
		blocks                 func(in map[int]bool) bool
	}
	always := func(map[int]bool) bool { return true }
	never := func(map[int]bool) bool { return false }
	resolves := func(i int, in, blocking map[int]bool) bool {
		var all []candidate
		for _, a := range own {
			if a == statics[i].Via {
				all = append(all, candidate{32, 0, 0, never, always})
			}
		}
		for _, l := range links {
			if l.Contains(statics[i].Via) {
				all = append(all, candidate{l.Bits(), 0, 0, always, always})
			}
		}
		for j, s := range statics {
			if j == i || !s.To.Contains(statics[i].Via) {
				continue
			}
			c := candidate{s.To.Bits(), int(s.Distance), int(s.Metric), always, always}
			if open(j) {
				c.good = func(in map[int]bool) bool { return in[j] }
				c.blocks = c.good
			}
			if s.To.Bits() == 0 {
				c.good = never
			}
			all = append(all, c)
		}
		slices.SortFunc(all, func(a, b candidate) int {
			if a.bits != b.bits {
				return b.bits - a.bits
			}
			if a.distance != b.distance {
				return a.distance - b.distance
			}
			return a.metric - b.metric
		})
		for k := 0; k < len(all); {
			good, blocked := false, false
			first := all[k]
			for ; k < len(all) && all[k].bits == first.bits && all[k].distance == first.distance && all[k].metric == first.metric; k++ {
				good = good || all[k].good(in)
				blocked = blocked || all[k].blocks(blocking)
			}
			if good || blocked {
				return good
			}
		}
		return false
	}
	grow := func(blocking map[int]bool) map[int]bool {
		in := map[int]bool{}
		for changed := true; changed; {
			changed = false
			for i := range statics {
				if open(i) && !in[i] && resolves(i, in, blocking) {
					in[i], changed = true, true
				}
			}
		}
		return in
	}
	sure := map[int]bool{}
	for {
		next := grow(grow(sure))
		if len(next) == len(sure) {
			break
		}
		sure = next
	}
	for i := range statics {
		if !open(i) {
			sure[i] = true
		}
	}
	return sure
}

func TestTablesAgreeWithANaiveSolver(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 500 {
		state, statics := randomRoutes(t, r, 3+r.IntN(12))
		v := routing.Resolve(state, statics).Table(0)
		usable := naiveUsable(statics)
		for i := range statics {
			e, ok := v.EntryOf(model.StaticID(i))
			require.True(t, ok)
			require.Equal(t, usable[i], e.Usable == routing.IsUsable, "route %d of %v", i, statics)
		}
		for range 50 {
			a := netip.AddrFrom4([4]byte{10, byte(r.IntN(5)), byte(r.IntN(4)), byte(r.IntN(5))})
			best := -1
			for _, l := range []string{"10.0.0.0/24", "10.0.1.0/24", "10.0.0.1/32", "10.0.1.1/32"} {
				if p := netip.MustParsePrefix(l); p.Contains(a) {
					best = max(best, p.Bits())
				}
			}
			for i, s := range statics {
				if usable[i] && s.To.Contains(a) {
					best = max(best, s.To.Bits())
				}
			}
			m, ok := v.Lookup(a)
			require.Equal(t, best >= 0, ok)
			if ok {
				require.Equal(t, best, m.Prefix.Bits(), "%v in %v", a, statics)
			}
		}
	}
}

func TestUpdateIsTheSameAsResolvingAnew(t *testing.T) {
	spec := coretest.Spec(t, `
segments: {ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}}
devices:
  a: {is: router, interfaces: {p: {segment: ab, address: 1}}, routes: {default: b}}
  b: {is: router, interfaces: {p: {segment: ab, address: 2}, q: {segment: bc, address: 1}}, routes: {10.5.0.0/16: c}}
  c: {is: router, interfaces: {q: {segment: bc, address: 2}}, routes: {default: b}}
cables: [cable-a: a:p to b:p, cable-b: b:q to c:q]
`)
	topology := network.Build(spec)
	before := routing.Resolve(topology.State(), spec.Statics)
	f, err := topology.FailureNamed("cable-a")
	require.NoError(t, err)
	after := before.Update(topology.State(f))
	fresh := routing.Resolve(topology.State(f), spec.Statics)
	for d := range spec.Devices {
		id := model.DeviceID(d)
		assert.Equal(t, statics(fresh.Table(id)), statics(after.Table(id)))
	}
	assert.Equal(t, []string{"0.0.0.0/0: in use 10.0.0.1"}, statics(before.Table(0)), "the first tables are as they were")
	assert.Equal(t, []string{"0.0.0.0/0: next hop 10.0.0.1 is on p, which is down: the cable cable-a is down"}, statics(after.Table(0)))
}
