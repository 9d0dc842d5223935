package pushtest

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/clitest"
)

// A device whose management address changes is at the old one until it is told: it is asked there, where the plan before, the state
// or the ledger tells of it, and push carries the change out. With nothing that tells of it, it is silent, and nothing
// is sent that could cut
// it off.
func TestADeviceIsAskedWhereItWas(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	dir := t.TempDir()
	before := strings.Replace(isles, "mill, address: 2", "mill, address: 1", 1)
	for _, name := range []string{"found", "nothing", "state", "ledger", "git"} {
		require.NoError(t, os.Mkdir(filepath.Join(dir, name), 0o755))
		write(t, dir, name+"/goal.plan.yaml", isles)
	}
	write(t, dir, "found/goal.plan.yaml", before)
	write(t, dir, "ledger/goal.ledger", "ropeswing-ledger 1\nr3:lan address 10.3.0.1 retired 2026-11-30\n")
	write(t, dir, "git/goal.plan.yaml", before)
	for _, args := range []string{"init -q", "add goal.plan.yaml", "-c user.name=t -c user.email=t@example.net commit -qm before"} {
		cmd := exec.Command("git", append([]string{"-C", filepath.Join(dir, "git")}, strings.Fields(args)...)...)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	write(t, dir, "git/goal.plan.yaml", isles)
	script := fmt.Sprintf("cd %s\nA=$(dirname $ROPESWING_ACCESS)/all.yaml; echo 'ropeswing-access: 1\nknown-hosts: known-hosts\naccess: "+
		"[{for: everyone, "+
		"methods: [{by: netconf, user: stand-in, key: {file: key}}]}]' > $A\n"+
		"export ROPESWING_ACCESS=$A\nR=%s\n$R -p found/goal.plan.yaml observe --live -w state/observed\n"+
		"for w in nothing ledger git state; do $R -p $w/goal.plan.yaml compare --live > $w.out 2> $w.err; echo $? > $w.code; done\n"+
		"$R -p nothing/goal.plan.yaml push -w --yes --timer 10s > nothing.push 2>&1; echo $? >> nothing.push\n"+
		"$R -p state/goal.plan.yaml push -w --yes --timer 10s > state.push 2>&1; echo $? >> state.push\nexit 0\n", dir, program)
	write(t, dir, "script", script)
	cmd := exec.Command(program, "-p", "found/goal.plan.yaml", "rehearse", "--stand-ins", "--", "sh", filepath.Join(dir, "script"))
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	text := func(name string) string { return clitest.OneLine(clitest.Read(t, dir, name)) }
	assert.Equal(t, "1", text("nothing.code"), "what others have is found all the same")
	assert.Contains(t, text("nothing.err"), "r3: no answer", text("nothing.out"))
	for name, by := range map[string]string{"state": "the state observed", "ledger": "the ledger", "git": "the plan before"} {
		assert.Contains(t, text(name+".err"), "r3 answers at 10.3.0.1, which it had by "+by, text(name+".out"))
		assert.Contains(t, text(name+".out"), "r3 address lan different 10.3.0.2/24 10.3.0.1/24", name)
	}
	assert.NotRegexp(t, `done: .* 0$`, text("nothing.push"), "r3 is not answered for")
	assert.Regexp(t, `done: 3 steps on 2 devices.* 0$`, text("state.push"))
}
