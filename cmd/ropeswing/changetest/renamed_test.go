package changetest

import (
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What was renamed between two revisions is one thing: nothing is lost by it, nothing has to be set but the host name, and what else
// changed is told of it by its new name.
func TestWhatWasRenamedIsOneThing(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for _, args := range []string{"init -q", "add .", "-c user.name=t -c user.email=t@example.net commit -qm before"} {
		out, err := exec.Command("git", append([]string{"-C", dir}, strings.Fields(args)...)...).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	for _, names := range [][2]string{{"tern-rock", "tern-light"}, {"tern-watch", "tern-lookout"}, {"tern", "ternside"}} {
		require.Equal(t, 0, run(t, dir, "rename", names[0], names[1], "-w").Code)
	}
	r := runWith(t, dir, []string{"PATH=" + os.Getenv("PATH")}, "compare", "--since", "HEAD")
	assert.Equal(t, 0, r.Code, r.Out)
	assert.Contains(t, r.Out, "the two plans say the same, names and remarks aside")
	for _, words := range []string{"tern-rock is called tern-light now: set its host name", "tern-watch is called tern-lookout now"} {
		assert.Contains(t, oneLine(r.Out), words)
	}
	r = runWith(t, dir, []string{"PATH=" + os.Getenv("PATH")}, "steps", "--since", "HEAD")
	assert.Contains(t, r.Out, "nothing needs to be set")
	assert.Contains(t, r.Err, "tern-rock is called tern-light now: set its host name")
	plan := read(t, dir, "skerry.plan.yaml")
	write(t, dir, "skerry.plan.yaml", strings.Replace(plan, "  tern-light:\n", "  tern-light:\n    answers: [ping, ssh, snmp]\n", 1))
	r = runWith(t, dir, []string{"PATH=" + os.Getenv("PATH")}, "compare", "--since", "HEAD")
	assert.Contains(t, oneLine(r.Out), "tern-light answers")
	assert.NotContains(t, r.Out, "will not work any more")
}
