package reach_test

import (
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/reach"
)

// Every cable of 500 routers with 5,000 segments, both families, fails in turn.
func BenchmarkSweep500Routers(b *testing.B) {
	spec, tables, _ := derive.Resolve(coretest.Spec(b, coretest.LargeNetwork(500, "{}")))
	ends := reach.Ends(spec)
	failures := reach.Together(reach.Cables(spec), 1)
	b.ReportAllocs()
	for b.Loop() {
		lost := 0
		reach.Sweep(tables, ends, failures, func(l reach.Loss) bool { lost += l.Lost; return true })
		b.ReportMetric(float64(len(failures)), "failures")
		b.ReportMetric(float64(len(ends)), "ends")
		b.ReportMetric(float64(lost), "lost")
	}
}
