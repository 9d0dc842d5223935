package view_test

import (
	"io"
	"testing"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
	"ropeswing/demo"
	"ropeswing/internal/view"
)

// One ping of the demo in one family, through permits and a translation, predicted and
// explained in full.
func BenchmarkExplainedPing(b *testing.B) {
	w := workspace.Open(demo.Files(), demo.Plan, demo.Plan).Predict()
	for _, to := range []string{"tern-cam", "192.0.2.200"} {
		b.Run(to, func(b *testing.B) {
			from, _ := w.Endpoint("desk-7")
			target, _ := w.Endpoint(to)
			b.ReportAllocs()
			for b.Loop() {
				trials, passed, err := ask.Pings(w.Network, from, target, prefix.Only4, forward.Probe{})
				if err != nil {
					b.Fatal(err)
				}
				p := view.NewPing(ask.Pinged{Net: w.Network, From: from, To: target, Trials: trials, Passed: passed}, nil, "ropeswing")
				p.Text(io.Discard, w.Network, 80, true)
			}
		})
	}
}
