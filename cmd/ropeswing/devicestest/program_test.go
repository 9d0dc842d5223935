package devicestest

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
	run, runWith, start = clitest.Run, clitest.RunWith, clitest.RunAs
	lights, write, read = clitest.Lights, clitest.Write, clitest.Read
	standIns            = clitest.StandIns
	first, oneLine      = clitest.First, clitest.OneLine
)
