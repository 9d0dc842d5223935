package derive_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// lines lists derived IPv4 routes: "a 10.2.0.0/24 b" or "… b watch 10.0.0.3",
// floating ones behind a comma.
func lines(spec *model.Spec, statics []model.Static) []string {
	var all []string
	for _, s := range statics {
		if !s.To.Addr().Is4() {
			continue
		}
		hop := "discard"
		if s.Out != model.None {
			hop = spec.Interfaces[s.Out].Name
		}
		if s.Watch.IsValid() {
			hop += " watch " + s.Watch.String()
		}
		line := fmt.Sprintf("%s %s ", spec.Devices[s.Device].Name, s.To)
		if n := len(all); n > 0 && strings.HasPrefix(all[n-1], line) {
			all[n-1] += ", " + hop
		} else {
			all = append(all, line+hop)
		}
	}
	return all
}

const three = `
wants: %s
segments: {ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}, lc: {prefix: 10.3.0.0/24}%s}
devices:
  a: {is: router, interfaces: {b: {segment: ab, address: first}, l: {segment: la, address: 1}%s}}
  b: {is: router, interfaces: {a: {segment: ab, address: last}, c: {segment: bc, address: first}, l: {segment: lb, address: 1}}}
  c: {is: router, interfaces: {b: {segment: bc, address: last}, l: {segment: lc, address: 1}%s}}
cables: [x-ab: a:b to b:a, x-bc: b:c to c:b%s]
`

func chain(wants string) string { return fmt.Sprintf(three, wants, "", "", "", "") }

func ringOf(wants string) string {
	return fmt.Sprintf(three, wants, ", ca: {prefix: 10.0.0.4/31}", ", c: {segment: ca, address: last}", ", a: {segment: ca, address: first}",
		", x-ca: c:a to a:c")
}

// The textbook: three routers in a row. Each end needs the two subnets behind the
// middle, and the far link only where links are wanted; the middle the two outer subnets.
func TestThreeRoutersInARow(t *testing.T) {
	t.Parallel()
	spec := coretest.Spec(t, chain("{}"))
	_, _, r := derive.Resolve(spec)
	assert.Equal(t, []string{
		"a 10.2.0.0/24 b", "a 10.3.0.0/24 b",
		"b 10.1.0.0/24 a", "b 10.3.0.0/24 c",
		"c 10.1.0.0/24 b", "c 10.2.0.0/24 b",
	}, lines(spec, r.Statics))
	assert.Empty(t, r.Open, "where there is no wire round, there is nothing to protect")
}

// With a block around all of it, what nobody has between two subnets goes where
// its neighbour goes: to 10.2.0.0/24 and 10.3.0.0/24 a has one route. It has none
// around its own subnets, which a further route would have to take out again.
func TestThreeRoutersInARowSummarised(t *testing.T) {
	t.Parallel()
	spec := coretest.Spec(t, "blocks: {home: 10.0.0.0/14}\n"+chain("{}"))
	_, _, r := derive.Resolve(spec)
	assert.Equal(t, []string{
		"a 10.2.0.0/15 b",
		"b 10.1.0.0/16 a", "b 10.3.0.0/16 c",
		"c 10.1.0.0/16 b", "c 10.2.0.0/16 b",
	}, lines(spec, r.Statics))
}

// In a ring of three each router floats to the other neighbour, who is on the
// subnet or next to it and never sends back: nothing needs to be watched.
func TestThreeRoutersInARing(t *testing.T) {
	t.Parallel()
	spec := coretest.Spec(t, ringOf("{}"))
	_, net, r := derive.Resolve(spec)
	got := lines(spec, r.Statics)
	assert.Contains(t, got, "a 10.2.0.0/24 b, c")
	assert.Contains(t, got, "a 10.3.0.0/24 c, b")
	assert.Contains(t, got, "c 10.1.0.0/24 a, b watch 10.0.0.0", "with a dead, b would send it back")
	assert.Contains(t, got, "a 10.0.0.2/31 b", "by which a answers that watch")
	_, _, with := derive.Resolve(coretest.Spec(t, ringOf("{links: true}")))
	assert.Contains(t, lines(spec, with.Statics), "a 10.0.0.2/31 b", "the far link")
	assert.Empty(t, r.Open)
	watches := 0
	for _, s := range r.Statics {
		if s.Watch.IsValid() {
			watches++
		}
	}
	assert.Equal(t, 3, watches, "of the two paths to each, one is watched to its end")
	for id := range spec.Cables {
		f := network.NoFailure
		f.Cable = model.CableID(id)
		after := net.Update(net.State.With(f))
		for _, way := range [][2]string{{"a", "10.2.0.1"}, {"a", "10.3.0.1"}, {"b", "10.1.0.1"}, {"b", "10.3.0.1"}, {"c", "10.1.0.1"},
			{"c", "10.2.0.1"}} {
			x := forward.Ping(after, coretest.Device(t, spec, way[0]),
				coretest.Spec(t, ringOf("{}")).MainAddress(coretest.Device(t, spec, way[0]), prefix.IPv4), addr(way[1]), model.None)
			// From a loopback or LAN address; the first of the device may be on the dead link.
			if x.Verdict() != forward.Works {
				x = forward.Ping(after, coretest.Device(t, spec, way[0]), lan(way[0]), addr(way[1]), model.None)
			}
			assert.Equal(t, forward.Works, x.Verdict(), "%s to %s without %s", way[0], way[1], spec.Cables[id].Name)
		}
	}
}

// What a wish changes.
func TestWhatIsWantedDecidesWhatIsDerived(t *testing.T) {
	t.Parallel()
	tests := []struct {
		about, text string
		want        []string
	}{
		{"one pair only: the forward path, the return path, and nothing else", chain("{reach: [la to lc]}"),
			[]string{"a 10.3.0.0/24 b", "b 10.1.0.0/24 a", "b 10.3.0.0/24 c", "c 10.1.0.0/24 b"}},
		{"a device that is left out gets nothing, and nobody goes by it", chain("{leave-out: b}"),
			[]string{"a 10.2.0.0/24 b", "c 10.2.0.0/24 b"}},
		{"the addresses of links too", chain("{links: true, reach: [la to lb, la to bc]}"),
			[]string{"a 10.0.0.2/31 b", "a 10.2.0.0/24 b", "b 10.1.0.0/24 a", "c 10.1.0.0/24 b"}},
		{"without floating routes", ringOf("{protect: none, reach: [la to lb]}"),
			[]string{"a 10.2.0.0/24 b", "b 10.1.0.0/24 a"}},
		{"the dear cable is gone round",
			strings.Replace(ringOf("{protect: none, reach: [la to lb]}"), "x-ab: a:b to b:a", "{between: \"a:b to b:a\", cost: 30}", 1),
			[]string{"a 10.2.0.0/24 c", "b 10.1.0.0/24 c", "c 10.1.0.0/24 a", "c 10.2.0.0/24 b"}},
		{"what is written stands, and the others build around it",
			strings.Replace(ringOf("{protect: none, reach: [la to lb]}"), "l: {segment: la, address: 1}",
				"l: {segment: la, address: 1}}, routes: {lb: 10.0.0.4", 1),
			[]string{"b 10.1.0.0/24 a", "c 10.2.0.0/24 b"}},
	}
	for _, tt := range tests {
		tt.text = strings.Replace(tt.text, "routes: {lb: 10.0.0.4, c: {segment: ca, address: last}}}",
			"c: {segment: ca, address: last}}, routes: {lb: 10.0.0.4}}", 1)
		tt.text = strings.Replace(tt.text, "}}, c: {segment: ca", "}, c: {segment: ca", 1)
		spec := coretest.Spec(t, tt.text)
		_, _, r := derive.Resolve(spec)
		assert.Equal(t, tt.want, lines(spec, r.Statics), tt.about)
	}
}

// The same plan gives the same routes, and another subnet somewhere leaves the
// routes to all others alone.
func TestASmallChangeChangesFewRoutes(t *testing.T) {
	t.Parallel()
	text := coretest.LargeNetwork(30, "{}")
	routes := func(text string) map[string]bool {
		spec := coretest.Spec(t, text)
		_, _, r := derive.Resolve(spec)
		set := map[string]bool{}
		for _, l := range lines(spec, r.Statics) {
			set[l] = true
		}
		return set
	}
	before, again := routes(text), routes(text)
	assert.Equal(t, before, again)
	text = strings.Replace(text, "  s7-9: {", "  s7-more: {prefix: [10.0.31.128/27]}\n  s7-9: {", 1)
	text = strings.Replace(text, "      s9: {segment: s7-9,", "      more: {segment: s7-more, address: first}\n      s9: {segment: s7-9,", 1)
	after := routes(text)
	changed := 0
	for l := range after {
		if !before[l] {
			changed++
		}
	}
	for l := range before {
		if !after[l] {
			changed++
		}
	}
	assert.Zero(t, changed, "it lies in the block of its router, to which all have a route: of %d", len(before))
}

func addr(text string) netip.Addr { return netip.MustParseAddr(text) }

// lan is a router's address on its LAN.
func lan(device string) netip.Addr {
	return addr(map[string]string{"a": "10.1.0.1", "b": "10.2.0.1", "c": "10.3.0.1"}[device])
}
