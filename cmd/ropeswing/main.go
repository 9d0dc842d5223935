// Ropeswing plans subnets and static routes and predicts what they do.
package main

import (
	"os"
	"runtime"
	"runtime/debug"

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

// collectLater has memory collected from firstAt on, and from then on as usual.
func collectLater() {
	usual := debug.SetGCPercent(-1)
	debug.SetMemoryLimit(firstAt)
	type sign struct{ _ *byte } // which the first collection finds that nobody uses; with a pointer, so that it shares no room
	runtime.SetFinalizer(&sign{}, func(*sign) {
		debug.SetMemoryLimit(softLimit)
		debug.SetGCPercent(usual)
	})
}
