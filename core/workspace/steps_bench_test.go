package workspace_test

import (
	"testing"

	"ropeswing/core/steps"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

// The demo's moving day: 24 things to set, and about 600 states judged in between.
func BenchmarkStepsOfMovingDay(b *testing.B) {
	from := workspace.Open(demo.Files(), demo.Plan, demo.Plan).Predict()
	to := workspace.Open(demo.Files(), demo.MovingDay, demo.MovingDay).Predict()
	for b.Loop() {
		r, _ := to.StepsFrom(from)
		if w := steps.Plan(r, nil); !w.Safe() || len(w.Steps) != 38 {
			b.Fatal(len(w.Steps))
		}
	}
}
