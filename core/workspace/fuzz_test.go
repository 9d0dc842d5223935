package workspace_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"io/fs"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

// Whatever a plan says, working everything out from it neither panics nor
// hangs, and a remedy that is offered works.
func FuzzWorkspace(f *testing.F) {
	for _, name := range []string{demo.Plan, demo.BadMorning} {
		text, err := fs.ReadFile(demo.Files(), name)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Add([]byte("ropeswing: 1\n" + office))
	for _, e := range finding.Catalogue() {
		f.Add([]byte(e.Example))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		w := workspace.FromText("f", text)
		for _, x := range w.Check() {
			require.NotEmpty(t, x.Reason)
		}
		if !w.Usable() || len(w.Spec.Devices) > 12 {
			return
		}
		for _, from := range w.DeviceNames() {
			for _, to := range w.DeviceNames() {
				a, errA := w.Endpoint(from)
				b, errB := w.Endpoint(to)
				if errA != nil || errB != nil {
					continue // a name that reads as something else
				}
				trials, _, err := w.Pings(a, b, workspace.Families{}, forward.DefaultTTL)
				if err != nil {
					continue
				}
				for _, x := range trials {
					forward.Follow(w.Tables, x.Exchange)
					fail, failing := x.Failure(w.Tables)
					require.Equal(t, x.Verdict() != forward.Works, failing)
					if failing {
						require.NotEmpty(t, fail.Reason)
						w.Mend(x)
					}
				}
			}
		}
	})
}
