package changetest

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const siteFile = `segments:
  NAME: {vlan: auto, hosts: 40}
devices:
  NAME-rtr: {is: router, loopback: true, interfaces: {e: {segment: NAME, address: first}}}
  NAME-pc: {is: host, interfaces: {e: {segment: NAME}}}
`

// A site is added in each of two branches, a file each; the ledgers are merged by lines, and one command gives the one other numbers.
func TestASiteAddedInEachOfTwoBranches(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "sites"), 0o755))
	write(t, dir, "a.plan.yaml", "ropeswing: 1\ninclude: sites/*.yaml\nblocks: {home: 10.20.0.0/22}\n")
	site := func(name string) string { return strings.ReplaceAll(siteFile, "NAME", name) }
	write(t, dir, "sites/hub.yaml", site("hub"))
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	base := read(t, dir, "a.ledger")
	ledgers := map[string]string{}
	for _, name := range []string{"east", "west"} {
		write(t, dir, "sites/"+name+".yaml", site(name))
		require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
		ledgers[name] = read(t, dir, "a.ledger")
		write(t, dir, "a.ledger", base)
		require.NoError(t, os.Remove(filepath.Join(dir, "sites", name+".yaml")))
	}
	added := func(name string) string {
		var lines []string
		for line := range strings.Lines(ledgers[name]) {
			if !strings.Contains(base, line) {
				lines = append(lines, line)
			}
		}
		return strings.Join(lines, "")
	}
	write(t, dir, "sites/east.yaml", site("east"))
	write(t, dir, "sites/west.yaml", site("west"))
	write(t, dir, "a.ledger", base+"<<<<<<< HEAD\n"+added("east")+"=======\n"+added("west")+">>>>>>> west\n")
	r := run(t, dir, "check")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, oneLine(r.Err+r.Out), "a merge of two versions was not finished here; 'assign -w' takes the lines of both")
	r = run(t, dir, "assign", "-w")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, oneLine(r.Err), "next: ropeswing assign --keep east --keep east-pc:e --keep east-rtr -w")
	assert.Contains(t, oneLine(r.Err), "keep the numbers of east and give west others")
	r = run(t, dir, "assign", "--keep", "west*", "-w")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, oneLine(r.Out), "moved subnet east 10.20.0.192/26 10.20.0.128/26")
	after := read(t, dir, "a.ledger")
	for line := range strings.Lines(ledgers["west"]) {
		assert.Contains(t, after, line, "who is kept keeps all")
	}
	assert.NotContains(t, after, "<<<<<<<")
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code)
	assert.Contains(t, run(t, dir, "assign", "--keep", "west").Err, "--keep had nothing to decide")
	assert.Contains(t, run(t, dir, "assign", "--keep", "wset").Err, "the ledger has nothing of wset")

	r = run(t, dir, "rename", "west*", "dawn*", "-w")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, read(t, dir, "sites/west.yaml"),
		"dawn-rtr: {is: router, loopback: true, interfaces: {e: {segment: dawn, address: first}}}")
	assert.NotContains(t, read(t, dir, "a.ledger"), "west")
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code, "numbers stay")
	assert.Contains(t, run(t, dir, "rename", "west*", "dawn*").Err, "the plan has nothing whose name begins with west")
	assert.Contains(t, run(t, dir, "rename", "dawn*", "dusk").Err, "both names end with a star, or neither")
}

// A device is replaced by one whose ports have other names; two of them swap theirs.
func TestPortsGetOtherNamesByATable(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	write(t, dir, "ports.csv", "# old,new\nbeam0,beam1\nbeam1;beam0\nlan0\tge0\n")
	r := run(t, dir, "rename", "tern-rock", "--ports", "ports.csv", "-w")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "tern-rock:beam0 becomes tern-rock:beam1, and 2 more likewise: ")
	plan := read(t, dir, "skerry.plan.yaml")
	assert.Contains(t, plan, "  - beam-b: mole-rtr:beam1 to tern-rock:beam1\n")
	assert.Contains(t, plan, "      beam1: {segment: beam-tern, mtu: 1500, bandwidth: 300M}\n")
	assert.Contains(t, plan, "tern-cam:      {is: host, at: tern-rock:ge0, address: 2}")
	out := oneLine(run(t, dir, "ping", "desk-7", "tern-cam").Out)
	assert.Contains(t, out, "tern-rock beam1 10.48.3.0/29 10.48.3.2 ge0")
	assert.Contains(t, out, "tern-rock ge0 0.0.0.0/0 10.48.0.4 beam1")
	for table, message := range map[string]string{"lan1\n": "ports.csv:1: a line is the old name of a port and the new one, and this has 1 word",
		"": "renames nothing", "lan1 ge0\n": "the plan has a tern-rock:ge0 already", "nine ten\n": "the plan has nothing called tern-rock:nine"} {
		write(t, dir, "ports.csv", table)
		assert.Contains(t, run(t, dir, "rename", "tern-rock", "--ports", "ports.csv").Err, message)
	}
}

func TestWhatIsRetiredIsReleasedByAge(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const plan = "ropeswing: 1\nblocks: {home: 10.20.0.0/22}\nsegments:\n  a: {hosts: 9}\n"
	write(t, dir, "x.plan.yaml", plan+"  b: {hosts: 9}\n")
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	write(t, dir, "x.plan.yaml", plan)
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	today := time.Now().Format(time.DateOnly)
	ledger := read(t, dir, "x.ledger")
	assert.Contains(t, ledger, "retired "+today+"\n")
	assert.NotContains(t, run(t, dir, "assign", "--release-all", "--older", "1y").Out, "released")
	write(t, dir, "x.ledger", strings.Replace(ledger, today, "2020-01-01", 1)+"old subnet 10.20.3.0/24 retired\n")
	r := run(t, dir, "assign", "--release-all", "--older", "1y")
	assert.Contains(t, oneLine(r.Out), "released subnet b")
	assert.Contains(t, oneLine(r.Out), "next: ropeswing assign --release-all --older 1y -w")
	assert.Contains(t, r.Err, "1 number retired, since when is not known")
	assert.Contains(t, run(t, dir, "assign", "--release-all", "--older", "soon").Err, "--older is an age such as 30d")
	assert.Contains(t, run(t, dir, "assign", "--older", "1y").Err, "--older goes with --release or --release-all")
}
