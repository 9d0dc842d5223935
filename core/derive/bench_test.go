package derive_test

import (
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
)

// benchmark derives the routes of a plan of both families.
func benchmark(b *testing.B, text string) {
	spec := coretest.Spec(b, text)
	b.ReportAllocs()
	for b.Loop() {
		r := derive.Routes(spec)
		b.ReportMetric(float64(len(r.Statics)), "routes")
		b.ReportMetric(float64(r.Single), "unsummarised")
		b.ReportMetric(float64(len(r.Open)), "open")
	}
}

// 500 routers, 5,000 segments, both families, numbers assigned by site.
func BenchmarkDerive500Routers(b *testing.B) { benchmark(b, coretest.LargeNetwork(500, "{}")) }

func BenchmarkDerive1000Routers(b *testing.B) { benchmark(b, coretest.LargeNetwork(1000, "{}")) }

// The same size in no order at all: neighbouring LANs are on different routers.
func BenchmarkDerive500RoutersInNoOrder(b *testing.B) {
	benchmark(b, coretest.RingNetwork(500, "{}"))
}

func BenchmarkDerive1000RoutersInNoOrder(b *testing.B) {
	benchmark(b, coretest.RingNetwork(1000, "{}"))
}

// A plain ring, in which everybody is far from everybody.
func BenchmarkDeriveARingOf400(b *testing.B) {
	benchmark(b, coretest.Ring(400).Plan(3, nil, "{}"))
}
