package devicestest

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// twoPlanned is the plan of two, with routes.
var twoPlanned = strings.NewReplacer("link, address: 10.77.0.0}}", "link, address: 10.77.0.0}}, routes: {b: r2}",
	"lan: {segment: b, address: first}}", "lan: {segment: b, address: first}}, routes: {a: r1}").Replace(twoPlan)

// What runs is compared with what is saved, and what a restart breaks is told; the two
// are never put together.
func TestWhatIsSavedStandsBesideWhatRuns(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "two.plan.yaml", twoPlanned)
	write(t, dir, "ports.csv", "device,interface,admin,oper,mtu,address\nr1,lan,up,up,1500,10.77.1.1/24\nr1,up,up,up,1500,10.77.0.0/31\n"+
		"r2,lan,up,up,1500,10.77.2.1/24\nr2,up,up,up,1500,10.77.0.1/31\n")
	write(t, dir, "routes.csv", "device,destination,next-hop,source\nr1,10.77.2.0/24,10.77.0.1,static\nr2,10.77.1.0/24,10.77.0.0,static\n")
	write(t, dir, "startup.csv", "device,destination,next-hop\nr1,10.77.9.0/24,10.77.0.1\n")
	write(t, dir, "startup-ports.csv", "device,interface,admin,address\nr1,lan,up,10.77.1.1/24\nr1,up,up,10.77.0.2/31\n")

	require.Equal(t, 0, run(t, dir, "observe", "ports.csv", "routes.csv", "-w", "observed").Code)
	assert.Contains(t, run(t, dir, "compare", "--saved").Err,
		"observed has nothing that is saved; keep it there: ropeswing observe FILE… --saved -w observed")
	r := run(t, dir, "observe", "startup.csv", "startup-ports.csv", "--saved", "-w", "observed")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "next: ropeswing compare observed --saved")
	assert.FileExists(t, dir+"/observed/saved/r1.json")

	r = run(t, dir, "compare")
	assert.Equal(t, 0, r.Code, "what is saved does not mix into what runs: %s", r.Out)
	r = run(t, dir, "compare", "--saved")
	assert.Equal(t, 1, r.Code, r.Err)
	text := oneLine(r.Out)
	assert.Contains(t, text, "it is running saved")
	assert.Contains(t, text, "r1 route 10.77.2.0/24 missing via 10.77.0.1 (r2:up) breaks: near cannot reach far, and 1 pair more")
	assert.Contains(t, text, "r1 route 10.77.9.0/24 extra via 10.77.0.1 (r2:up)")
	assert.Contains(t, text, "r1 address up different 10.77.0.0/31 10.77.0.2/31 one digit off")
	assert.Contains(t, text, "not observed: near, r2, far")
	assert.NotContains(t, text, "oper status", "what is saved does not say what is up")

	assert.Contains(t, run(t, dir, "compare", "--saved", "two.plan.yaml").Err, "--before and --saved go with a state")
	assert.Contains(t, run(t, dir, "compare", "observed", "--saved", "--before", "observed").Err, "two comparisons")

	require.NoError(t, os.Remove(dir+"/two.plan.yaml"))
	r = run(t, dir, "compare", "observed", "--saved")
	assert.Equal(t, 1, r.Code, "two words of the same devices need no plan")
	assert.Contains(t, oneLine(r.Out), "r1 address up different 10.77.0.0/31 10.77.0.2/31")

	// Where only what is saved was observed, it stands for what runs.
	write(t, dir, "two.plan.yaml", twoPlanned)
	require.NoError(t, os.RemoveAll(dir+"/observed"))
	require.Equal(t, 0, run(t, dir, "observe", "startup.csv", "startup-ports.csv", "--saved", "-w", "observed").Code)
	assert.Contains(t, oneLine(run(t, dir, "compare").Out), "r1 address up different 10.77.0.0/31 10.77.0.2/31")
}

// Read again from the same files, a device is as it is now: what it no longer has is
// gone. From other files it is put together.
func TestADeviceReadAgainIsNew(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "two.plan.yaml", twoPlanned)
	write(t, dir, "r1.csv", "interface,admin,oper,address\nlan,up,up,10.77.1.1/24\nup,up,up,10.77.0.0/31\nold,up,up,10.77.3.1/24\n")
	require.Equal(t, 0, run(t, dir, "observe", "r1.csv", "-w", "observed").Code)
	assert.Contains(t, run(t, dir, "compare").Out, "it is not in the plan")
	write(t, dir, "r1.csv", "interface,admin,oper,address\nlan,up,up,10.77.1.1/24\nup,up,up,10.77.0.0/31\n")
	require.Equal(t, 0, run(t, dir, "observe", "r1.csv", "-w", "observed").Code)
	r := run(t, dir, "compare")
	assert.Equal(t, 0, r.Code, r.Out)
	write(t, dir, "r1.more.csv", "interface,mtu\nlan,1400\n")
	require.Equal(t, 0, run(t, dir, "observe", "r1.more.csv", "-w", "observed").Code)
	text, err := os.ReadFile(dir + "/observed/r1.json")
	require.NoError(t, err)
	assert.Contains(t, string(text), `"mtu": 1400`)
	assert.Contains(t, string(text), `"10.77.0.0/31"`, "what was known stays")
}
