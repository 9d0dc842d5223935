package picturestest

import (
	"os"
	"testing"

	"ropeswing/internal/clitest"
)

// program is the path of the built program.
var program string

func TestMain(m *testing.M) { os.Exit(clitest.Main(m, &program)) }

var (
	run    = clitest.Run
	lights = clitest.Lights
	write  = clitest.Write
)
