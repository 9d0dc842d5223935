// Ropeswing plans subnets and static routes and predicts what they do.
package main

import (
	"os"
	"runtime/debug"

	"ropeswing/internal/command"
)

// softLimit is from how many bytes on memory is collected sooner: the largest networks
// are to be dealt with in less than 1.5 GB.
const softLimit = 1300 << 20

func main() {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(softLimit)
	}
	os.Exit(command.Main(os.Args[1:], os.Stdout, os.Stderr))
}
