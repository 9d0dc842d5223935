package verify_test

import (
	"testing"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
	"ropeswing/core/verify"
)

// A ring with chords, ten LANs on each router, numbers assigned in the plan's
// order, so that nothing summarises by router: derived beforehand.
func BenchmarkCheckRing100(b *testing.B) { benchmarkCheck(b, ring(b, 100)) }
func BenchmarkCheckRing200(b *testing.B) { benchmarkCheck(b, ring(b, 200)) }

// What is to be compared with it: reach on the same.
func BenchmarkReachRing200(b *testing.B) {
	net := ring(b, 200)
	for b.Loop() {
		reach.All(net, reach.Ends(net.Spec)).Count()
	}
}

// 1,000 routers with 10,000 LANs and a block for each router, so that each
// summarises: routes to the blocks of all others by the fewest hops.
func BenchmarkCheck1000Routers(b *testing.B) {
	spec := coretest.WithTreeRoutes(coretest.Spec(b, coretest.LargeNetwork(1000, "{}")))
	benchmarkCheck(b, forward.Resolve(network.Build(spec).State()))
}

// The same with permits and translations on 20 of the routers, and a tunnel's MTU on
// one link in fifty.
func BenchmarkCheck1000RoutersPolicies(b *testing.B) {
	spec := coretest.WithTreeRoutes(coretest.Spec(b, coretest.LargeNetwork(1000, "{}")))
	spec = coretest.WithPolicies(spec, 20)
	for id := range spec.Interfaces {
		if s := spec.Interfaces[id].Segment; s != model.None && spec.Segments[s].Name[0] == 'l' && s%50 == 0 {
			spec.Interfaces[id].MTU = 1420
		}
	}
	benchmarkCheck(b, forward.Resolve(network.Build(spec).State()))
}

func ring(b *testing.B, routers int) *forward.Network {
	_, net, _ := derive.Resolve(coretest.Spec(b, coretest.RingNetwork(routers, "{}")))
	return net
}

func benchmarkCheck(b *testing.B, net *forward.Network) {
	b.ReportAllocs()
	for b.Loop() {
		b.ReportMetric(float64(len(verify.Check(net, derive.Result{}))), "findings")
	}
}
