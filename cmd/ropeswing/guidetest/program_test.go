package guidetest

import (
	"os"
	"testing"

	"ropeswing/internal/clitest"
)

// program is the path of the built program.
var program string

func TestMain(m *testing.M) { os.Exit(clitest.Main(m, &program)) }

type result = clitest.Result

var (
	run            = clitest.Run
	lights, write  = clitest.Lights, clitest.Write
	standIns       = clitest.StandIns
	first, oneLine = clitest.First, clitest.OneLine
)
