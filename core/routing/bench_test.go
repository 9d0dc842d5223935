package routing_test

import (
	"math/rand/v2"
	"net/netip"
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// somewhere is an address of unicast space: any of IPv4 below 224.0.0.0, any of
// IPv6 in 2000::/3.
func somewhere(r *rand.Rand, family prefix.Family) netip.Addr {
	if family == prefix.IPv4 {
		return netip.AddrFrom4([4]byte{byte(r.IntN(224)), byte(r.Uint32()), byte(r.Uint32()), byte(r.Uint32())})
	}
	var b [16]byte
	for i := range b {
		b[i] = byte(r.Uint32())
	}
	b[0] = b[0]&0x1f | 0x20
	return netip.AddrFrom16(b)
}

// large is a network of one router, with routes to random prefixes as long as
// most are in a table of the whole Internet.
func large(tb testing.TB, n int, family prefix.Family) (*network.State, []model.Static) {
	spec := coretest.Spec(tb, "segments: {s: {prefix: [10.0.0.0/24, '2001:db8::/64']}}\ndevices: {r: {is: router, interfaces: {e: "+
		"{segment: s, address: 1}}}}")
	r := rand.New(rand.NewPCG(1, 1))
	out := coretest.Interface(tb, spec, "r:e")
	routes := make([]model.Static, 0, n)
	for range n {
		length, via := 16+r.IntN(9), "10.0.0.2"
		if family == prefix.IPv6 {
			length, via = 32+r.IntN(17), "2001:db8::2"
		}
		routes = append(routes, model.Static{To: netip.PrefixFrom(somewhere(r, family), length).Masked(), Via: netip.MustParseAddr(via),
			Out: out, Distance: 1, Origin: model.Learned})
	}
	return network.Build(spec).State(), routes
}

func families(b *testing.B, bench func(*testing.B, prefix.Family)) {
	b.Run("IPv4", func(b *testing.B) { bench(b, prefix.IPv4) })
	b.Run("IPv6", func(b *testing.B) { bench(b, prefix.IPv6) })
}

// A million routes to random prefixes: built, and what of it stays in memory.
func BenchmarkBuildMillion(b *testing.B) {
	families(b, func(b *testing.B, family prefix.Family) {
		state, routes := large(b, 1_000_000, family)
		var tables *routing.Tables
		for b.Loop() {
			tables = routing.Resolve(state, routes)
		}
		b.StopTimer()
		var with, without runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&with)
		runtime.KeepAlive(tables)
		tables = nil
		runtime.GC()
		runtime.ReadMemStats(&without)
		b.ReportMetric(float64(with.HeapAlloc-without.HeapAlloc)/(1<<20), "MB")
	})
}

// Random addresses, half of them of a prefix in the table, one at a time.
func BenchmarkLookupMillion(b *testing.B) {
	families(b, func(b *testing.B, family prefix.Family) {
		v, asked := asking(b, family)
		for i := 0; b.Loop(); i++ {
			v.Lookup(asked[i%len(asked)])
		}
	})
}

// The same in batches of 4,096; the time is that of one address.
func BenchmarkBatchMillion(b *testing.B) {
	families(b, func(b *testing.B, family prefix.Family) {
		v, asked := asking(b, family)
		groups := make([]int32, 4096)
		n := 0
		for b.Loop() {
			from := n * 4096 % len(asked)
			v.Deciding(asked[from:from+4096], groups)
			n++
		}
		b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*4096), "ns/address")
	})
}

func asking(b *testing.B, family prefix.Family) (routing.View, []netip.Addr) {
	state, routes := large(b, 1_000_000, family)
	v := routing.Resolve(state, routes).Table(0)
	r := rand.New(rand.NewPCG(2, 2))
	asked := make([]netip.Addr, 1<<20)
	for i := range asked {
		asked[i] = somewhere(r, family)
		if i%2 == 0 {
			asked[i] = routes[r.IntN(len(routes))].To.Addr()
		}
	}
	return v, asked
}

// What is found in batches is what is found one by one.
func TestBatchesFindWhatLookupFinds(t *testing.T) {
	for _, family := range prefix.Families {
		for _, n := range []int{0, 1, 31, 33, 5000} {
			state, routes := large(t, n, family)
			v := routing.Resolve(state, routes).Table(0)
			r := rand.New(rand.NewPCG(3, 3))
			var asked []netip.Addr
			for range 1003 {
				asked = append(asked, somewhere(r, family))
			}
			for _, s := range routes {
				asked = append(asked, s.To.Addr())
			}
			groups := make([]int32, len(asked))
			v.Deciding(asked, groups)
			for i, a := range asked {
				m, ok := v.Lookup(a)
				found, decided := v.Decided(a, groups[i])
				require.Equal(t, ok, decided, "%s among %d", a, n)
				require.Equal(t, m, found, "%s among %d", a, n)
			}
		}
	}
}
