// Ropeswing plans subnets and static routes and predicts what they do.
package main

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"

	"ropeswing/internal/command"
)

// softLimit is from how many bytes on memory is collected sooner: the largest networks
// are to be dealt with in less than 1.5 GB. Below firstAt nothing is collected at all: most answers never get there.
const (
	softLimit = 1300 << 20
	firstAt   = 64 << 20
)

func main() {
	if os.Getenv("GOMEMLIMIT") == "" && os.Getenv("GOGC") == "" {
		collectLater()
	}
	os.Exit(command.Main(os.Args[1:], os.Stdout, os.Stderr))
}

// collectLater has memory collected from firstAt on, and from then on as usual, but never before another firstAt was
// asked for: what tries a small network a thousand times would else collect a thousand times.
func collectLater() {
	usual := debug.SetGCPercent(-1)
	debug.SetMemoryLimit(firstAt)
	afterCollecting(func() {
		debug.SetMemoryLimit(softLimit)
		debug.SetGCPercent(max(usual, percentFor(inUse())))
	})
}

// percentFor is by how many percent memory in use may grow until firstAt more is asked for.
func percentFor(inUse uint64) int { return int(100 * firstAt / max(inUse, 1<<20)) }

// inUse is how many bytes the last collection found in use.
func inUse() uint64 {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(live)
	return live[0].Value.Uint64()
}

// afterCollecting calls something after each collection, from the first on.
func afterCollecting(do func()) {
	type sign struct{ _ *byte } // which a collection finds that nobody uses; with a pointer, so that it shares no room
	var lay func()
	lay = func() {
		runtime.SetFinalizer(&sign{}, func(*sign) {
			do()
			lay()
		})
	}
	lay()
}
