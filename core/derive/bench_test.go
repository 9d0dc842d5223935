package derive_test

import (
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// 500 routers, 5,000 segments, both families: floating routes proven, and
// summarised.
func BenchmarkDerive500Routers(b *testing.B) {
	spec := coretest.Spec(b, coretest.LargeNetwork(500, "{}"))
	tables := routing.Resolve(network.Build(spec).State(), spec.Statics)
	b.ReportAllocs()
	for b.Loop() {
		r := derive.Routes(tables)
		b.ReportMetric(float64(len(r.Statics)), "routes")
		b.ReportMetric(float64(r.Single), "unsummarised")
		b.ReportMetric(float64(len(r.Open)), "open")
	}
}
