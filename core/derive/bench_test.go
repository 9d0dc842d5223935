package derive_test

import (
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/network"
)

// 500 routers, 5,000 segments, both families: floating routes proven, and
// summarised.
func BenchmarkDerive500Routers(b *testing.B) {
	spec := coretest.Spec(b, coretest.LargeNetwork(500, "{}"))
	net := forward.Answered(network.Build(spec).State())
	b.ReportAllocs()
	for b.Loop() {
		r := derive.Routes(net)
		b.ReportMetric(float64(len(r.Statics)), "routes")
		b.ReportMetric(float64(r.Single), "unsummarised")
		b.ReportMetric(float64(len(r.Open)), "open")
	}
}
