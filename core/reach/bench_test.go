package reach_test

import (
	"context"
	"runtime"
	"strings"
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
)

// Every cable of 500 routers with 5,000 segments, both families, fails in turn. Their
// numbers summarise by router.
func BenchmarkSweep500Routers(b *testing.B) { benchmarkSweep(b, coretest.LargeNetwork(500, "{}")) }

// Every cable of a ring of 100 routers with chords and 1,140 segments. Their numbers were
// assigned in the plan's order, and do not summarise.
func BenchmarkSweepRing100(b *testing.B) { benchmarkSweep(b, coretest.RingNetwork(100, "{}")) }

func benchmarkSweep(b *testing.B, text string) {
	spec, net, _ := derive.Resolve(coretest.Spec(b, text))
	ends := reach.Ends(spec)
	failures := reach.Together(reach.Cables(net.State), 1)
	b.ReportAllocs()
	for b.Loop() {
		lost := 0
		_ = reach.Sweep(context.Background(), net, reach.Asked{Ends: ends, Over: model.Echo}, failures, func(l reach.Loss) { lost += l.Lost })
		b.ReportMetric(float64(len(failures)), "failures")
		b.ReportMetric(float64(len(ends)), "ends")
		b.ReportMetric(float64(lost), "lost")
	}
}

// Who reaches whom among 1,000 routers with 10,000 segments and their links, both
// families: 130 million ordered pairs in each, there and back.
func BenchmarkReach1000Routers(b *testing.B) { benchmarkReach(b, false) }

// The same with permits and translations on 20 of the routers.
func BenchmarkReach1000RoutersPolicies(b *testing.B) { benchmarkReach(b, true) }

func benchmarkReach(b *testing.B, policies bool) {
	text := strings.TrimPrefix(coretest.LargeNetwork(1000, "{}"), "wants: {}\n")
	spec := coretest.WithTreeRoutes(coretest.Spec(b, text))
	if policies {
		spec = coretest.WithPolicies(spec, 20)
	}
	net := forward.Resolve(network.Build(spec).State())
	ends := reach.Ends(spec)
	b.ReportAllocs()
	for b.Loop() {
		m := reach.All(net, ends)
		asked, works := m.Count()
		lost := 0
		m.Lost(func(reach.Pair) bool { lost++; return true })
		if lost != asked-works {
			b.Fatal(asked, works, lost)
		}
		b.ReportMetric(float64(asked)/1e6, "Mways")
		b.ReportMetric(float64(works)/1e6, "Mwork")
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	b.ReportMetric(float64(m.Sys)/1e6, "MB-sys")
}
