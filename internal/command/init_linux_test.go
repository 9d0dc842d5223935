package command

import (
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mostAtStart is how many things rooms and libraries together may make before the program does anything: what a start costs. What only
// one command needs is made when that runs.
const mostAtStart = 2300

// The start of the program costs what it must: nothing is parsed or compiled before it is needed. One of our rooms alone makes few things.
func TestTheStartCostsLittle(t *testing.T) {
	program := filepath.Join(t.TempDir(), "ropeswing")
	build := exec.Command("go", "build", "-o", program, "../../cmd/ropeswing")
	build.Env = append(build.Environ(), "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	require.NoError(t, err, string(out))
	cmd := exec.Command(program, "subnet", "10.0.0.0/8")
	cmd.Env = []string{"GODEBUG=inittrace=1"}
	out, err = cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	all := 0
	for _, m := range regexp.MustCompile(`(?m)^init (\S+) @.* bytes, (\d+) allocs$`).FindAllStringSubmatch(string(out), -1) {
		n, _ := strconv.Atoi(m[2])
		all += n
		if len(m[1]) > 9 && m[1][:9] == "ropeswing" {
			assert.LessOrEqual(t, n, 200, m[1])
		}
		assert.NotContains(t, m[1], "blackfriday", "what only 'man' needs is not paid for by others")
	}
	t.Logf("%d things are made before the program begins", all)
	assert.Positive(t, all)
	assert.LessOrEqual(t, all, mostAtStart)
}
