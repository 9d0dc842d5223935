package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

const farm = `ropeswing: 1
plan: Wind farm
blocks: {home: [10.48.0.0/22, "2001:db8:5ea::/48"]}
segments:
  staff: {vlan: auto, hosts: 42, grow: 50%}
  beam: {point-to-point: true}
devices:
  core: {is: router, loopback: true, interfaces: {lan0: {segment: staff}, beam0: {segment: beam}}, routes: {far: far}}
  far: {is: router, loopback: true, interfaces: {beam0: {segment: beam}}, routes: {default: core}}
  desk: {is: host, interfaces: {p: {segment: staff}}}
`

// windFarm is a folder with a plan that leaves every number open.
func windFarm(t testing.TB) string {
	t.Helper()
	dir := t.TempDir()
	write(t, dir, "farm.plan.yaml", strings.Replace(farm, "routes: {far: far}", "routes: {default: far}", 1))
	return dir
}

func TestAssignShowsFirstAndWritesWhenAsked(t *testing.T) {
	t.Parallel()
	dir := windFarm(t)
	r := run(t, dir, "assign")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Equal(t, "farm.ledger is behind: 17 new, nothing moves", first(r.Out))
	assert.Contains(t, r.Out, "next: ropeswing assign -w\n")
	assert.Empty(t, read(t, dir, "farm.ledger"), "nothing is written yet")
	assert.Equal(t, 1, run(t, dir, "assign", "--check").Code)
	assert.Contains(t, run(t, dir, "check").Out, "17 numbers are not in the ledger yet")
	assert.Equal(t, 0, run(t, dir, "ping", "desk", "far").Code, "and all the same they are used")

	r = run(t, dir, "assign", "-w")
	assert.Equal(t, "written to farm.ledger: 17 new, nothing moves", first(r.Out))
	ledger := read(t, dir, "farm.ledger")
	assert.True(t, strings.HasPrefix(ledger, "ropeswing-ledger 1\n# What was given stays given."), ledger)
	assert.Contains(t, ledger, "\ncore:lan0 address 10.48.0.1\n")
	assert.Contains(t, ledger, "\nstaff subnet 10.48.0.0/25\n")
	assert.Contains(t, ledger, "\nstaff vlan 2\n")
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code)
	assert.NotContains(t, run(t, dir, "check").Out, "ledger")
	assert.Equal(t, "the ledger is up to date: 17 numbers in farm.ledger\n", run(t, dir, "assign").Out)
	assert.Equal(t, 2, run(t, dir, "assign", "--check", "-w").Code)

	var v struct {
		Changes []struct{ Change, Owner string }
	}
	write(t, dir, "farm.plan.yaml", strings.Replace(read(t, dir, "farm.plan.yaml"), "  desk:", "  seat:", 1))
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "assign", "-o", "json").Out), &v))
	require.Len(t, v.Changes, 4)
	assert.Equal(t, "new", v.Changes[0].Change)
	assert.Equal(t, "retired", v.Changes[3].Change)
}

func TestAnOutgrownSegmentIsFoundAndGrows(t *testing.T) {
	t.Parallel()
	dir := windFarm(t)
	run(t, dir, "assign", "-w")
	plan := read(t, dir, "farm.plan.yaml")
	write(t, dir, "farm.plan.yaml", strings.Replace(plan, "hosts: 42", "hosts: 100", 1))
	r := run(t, dir, "check")
	assert.Equal(t, 0, r.Code, "a warning")
	assert.Contains(t, oneLine(r.Out), "with 50 % more hosts it needs 151 addresses, and 10.48.0.0/25 has 126")
	assert.Contains(t, r.Out, "next: ropeswing assign --grow staff")

	write(t, dir, "farm.plan.yaml", strings.Replace(plan, "hosts: 42", "hosts: 200", 1))
	assert.Equal(t, 1, run(t, dir, "check").Code)
	r = run(t, dir, "assign", "--grow", "staff")
	assert.Contains(t, r.Out, "3 moved", "a loopback and a beam lie beside it")
	assert.Contains(t, r.Out, "to renumber: 2\n")
	assert.Contains(t, r.Out, "desk:p     10.48.0.2/25  10.48.2.2/23")
	assert.Contains(t, r.Out, "next: ropeswing assign --grow staff -w\n")
	assert.Contains(t, run(t, dir, "show", "addresses").Out, "10.48.0.2/25", "nothing has moved yet")
	assert.Equal(t, 0, run(t, dir, "assign", "--grow", "staff", "-w").Code)
	assert.Contains(t, run(t, dir, "show", "addresses").Out, "10.48.2.2/23")
	assert.Contains(t, oneLine(run(t, dir, "show", "blocks").Out), "10.48.0.0/25 128 retired, was staff")
	assert.Contains(t, run(t, dir, "assign", "--release", "staff", "-w").Out, "written to farm.ledger: 1 released")
	assert.NotContains(t, run(t, dir, "show", "blocks").Out, "was staff")

	for _, tt := range []struct{ segment, message string }{
		{"staff", "staff has room enough: it needs 301 addresses"},
		{"stafff", "the plan has nothing called stafff; did you mean staff?"},
		{"beam", "beam has room enough"},
	} {
		r = run(t, dir, "assign", "--grow", tt.segment)
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, tt.message)
	}
	assert.Contains(t, run(t, dir, "assign", "--release", "staff").Err, "nothing retired of staff")
}

func TestALedgerThatContradictsItselfIsRefused(t *testing.T) {
	t.Parallel()
	dir := windFarm(t)
	run(t, dir, "assign", "-w")
	ledger := read(t, dir, "farm.ledger")
	write(t, dir, "farm.ledger", ledger+"guests subnet 10.48.0.64/26\n")
	for _, args := range [][]string{{"assign"}, {"assign", "-w"}, {"ping", "desk", "far"}, {"rename", "staff", "office", "-w"}} {
		r := run(t, dir, args...)
		assert.Equal(t, 2, r.Code, args)
		assert.Contains(t, r.Err, "farm.ledger:", args)
		assert.Contains(t, r.Err, "10.48.0.64/26 overlaps 10.48.0.0/25", args)
	}
	assert.Equal(t, ledger+"guests subnet 10.48.0.64/26\n", read(t, dir, "farm.ledger"), "and left as it is")
}

func TestRenameChangesPlanAndLedgerTogether(t *testing.T) {
	t.Parallel()
	dir := windFarm(t)
	run(t, dir, "assign", "-w")
	plan, ledger := read(t, dir, "farm.plan.yaml"), read(t, dir, "farm.ledger")
	r := run(t, dir, "rename", "core", "hub")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Equal(t, "core becomes hub: 2 places in the plan, 6 numbers in the ledger", first(r.Out))
	assert.Contains(t, r.Out, "next: ropeswing rename core hub -w")
	assert.Equal(t, plan, read(t, dir, "farm.plan.yaml"))

	for _, names := range [][2]string{{"core", "hub"}, {"staff", "office"}, {"hub:lan0", "hub:eth0"}} {
		r = run(t, dir, "rename", names[0], names[1], "-w")
		require.Equal(t, 0, r.Code, r.Err)
		assert.Equal(t, 0, run(t, dir, "assign", "--check").Code, "no number has moved")
	}
	assert.Equal(t, strings.NewReplacer("core", "hub", "staff", "office", "lan0", "eth0").Replace(plan), read(t, dir, "farm.plan.yaml"))
	got := strings.Split(read(t, dir, "farm.ledger"), "\n")
	want := strings.Split(strings.NewReplacer("core", "hub", "staff", "office", "lan0", "eth0").Replace(ledger), "\n")
	assert.ElementsMatch(t, want, got)

	for _, tt := range []struct{ old, to, message string }{
		{"hubb", "x", "did you mean hub?"}, {"hub", "far", "the plan has a far already"}, {"hub", "10.0.0.1", "reads as an address"},
		{"hub:eth0", "far:eth0", "an interface keeps its device"}, {"hub", "hub", "called that already"},
	} {
		r = run(t, dir, "rename", tt.old, tt.to, "-w")
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, tt.message)
	}

	// Changed by hand first; and cut short between plan and ledger.
	write(t, dir, "farm.plan.yaml", strings.ReplaceAll(read(t, dir, "farm.plan.yaml"), "desk", "seat"))
	assert.Equal(t, 0, run(t, dir, "rename", "--ledger-only", "desk", "seat", "-w").Code)
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code)
	write(t, dir, "farm.plan.yaml", strings.ReplaceAll(read(t, dir, "farm.plan.yaml"), "seat", "table"))
	write(t, dir, "farm.ledger", read(t, dir, "farm.ledger")+"seat renaming table\n")
	r = run(t, dir, "assign")
	assert.Contains(t, r.Out, "2 renamed, nothing moves")
	run(t, dir, "assign", "-w")
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code)
	assert.NotContains(t, read(t, dir, "farm.ledger"), "renaming")
}

// Many write at once, each for a plan that has one segment more: in the end
// every segment has the number it was given first.
func TestWritersAtOnceLoseNothing(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var all sync.WaitGroup
	var mu sync.Mutex
	text := "ropeswing: 1\nblocks: {home: 10.48.0.0/20}\nsegments:\n"
	for n := range 8 {
		all.Go(func() {
			mu.Lock()
			text += fmt.Sprintf("  s%d: {hosts: 10}\n", n)
			assert.NoError(t, os.WriteFile(filepath.Join(dir, "half"), []byte(text), 0o644))
			assert.NoError(t, os.Rename(filepath.Join(dir, "half"), filepath.Join(dir, "a.plan.yaml")))
			mu.Unlock()
			r := run(t, dir, "assign", "-w")
			assert.Equal(t, 0, r.Code, r.Err)
		})
	}
	all.Wait()
	assert.Equal(t, 8, strings.Count(read(t, dir, "a.ledger"), " subnet "))
	assert.NotContains(t, read(t, dir, "a.ledger"), " retired\n")
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code)
}

func TestWhyTellsWhereANumberComesFrom(t *testing.T) {
	t.Parallel()
	dir := windFarm(t)
	run(t, dir, "assign", "-w")
	r := run(t, dir, "why", "staff")
	assert.Equal(t, "staff: 10.48.0.0/25 and 2001:db8:5ea::/64, VLAN 2", first(r.Out))
	at := -1
	for _, step := range []string{"need      42 hosts (farm.plan.yaml:5)", "growth    50 % more: 63",
		"its own   1 of routers and switches: 64 addresses", "rounding  the smallest subnet", "block     home, 10.48.0.0/22",
		"beside    at the start of the block, before beam (10.48.0.128/31)", "ledger    given before, and so it stays (farm.ledger:"} {
		next := strings.Index(r.Out, step)
		assert.Greater(t, next, at, "%s in its place in\n%s", step, r.Out)
		at = next
	}
	for what, want := range map[string]string{
		"10.48.0.2":     "10.48.0.2: of desk:p",
		"core:lan0":     "core:lan0: 10.48.0.1/25, 2001:db8:5ea::1/64",
		"core":          "core: 10.48.0.1/25, 2001:db8:5ea::1/64, 10.48.0.128/31",
		"10.48.0.0/25":  "10.48.0.0/25: of staff",
		"10.48.0.99":    "10.48.0.99: not assigned, in staff",
		"10.48.0.127":   "10.48.0.127: not assigned, in staff",
		"10.48.1.0/24":  "10.48.1.0/24: free",
		"10.48.0.0/24":  "10.48.0.0/24: no segment's",
		"home":          "home: 10.48.0.0/22 and 2001:db8:5ea::/48",
		"192.0.2.1":     "192.0.2.1: nobody's",
		"ledger-behind": "ledger-behind (warning, found when checking the plan)",
	} {
		r := run(t, dir, "why", what)
		assert.Equal(t, 0, r.Code, r.Err)
		assert.True(t, strings.HasPrefix(r.Out, want), "why %s: %s", what, r.Out)
	}
	assert.Contains(t, run(t, dir, "why", "stafff").Err, "did you mean staff?")
	assert.Contains(t, run(t, dir, "why", "core:lan1").Err, "did you mean lan0?")
	assert.Contains(t, run(t, t.TempDir(), "why", "staff").Err, "no plan here")
}

func TestSpareIsShownBySegment(t *testing.T) {
	t.Parallel()
	dir := windFarm(t)
	write(t, dir, "farm.plan.yaml", strings.Replace(read(t, dir, "farm.plan.yaml"), "grow: 50%",
		"grow: 50%, leases: {range: 10..19, by: core}", 1))
	r := run(t, dir, "show", "segments", "-o", "csv")
	assert.Equal(t, "segment,vlan,prefixes,hosts,grow,used,spare,members,leases,given,place\nstaff,2,10.48.0.0/25 2001:db8:5ea::/64,42,50 "+
		"%,12,114,\"core, desk\",10.48.0.10 to 10.48.0.19 by core,proposed,farm.plan.yaml:5", strings.Join(strings.SplitN(r.Out, "\n", 3)[:2],
		"\n"))
}

func TestPatternsAndIncludedFiles(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "sites"), 0o755))
	write(t, dir, "a.plan.yaml", "ropeswing: 1\ninclude: sites/huts.yaml\nblocks: {home: 10.48.0.0/20}\ndevices:\n  hub: {is: switch, "+
		"interfaces: {p1..p4: {access: hut-1}, p2: {access: hut-2}, p4: {access: extra}}}\n")
	write(t, dir, "sites/huts.yaml", "ropeswing: 1\nsegments:\n  hut-(1..3): {vlan: (200+n*10), hosts: 5}\n  hut-2: {vlan: 999, hosts: "+
		"50}\n  extra: {vlan: 77, hosts: 3}\ndevices:\n  rtr-(01..03): {is: router, interfaces: {up: {segment: hut-(n*1)}}}\ncables:\n  - "+
		"wire-(1..3): rtr-0(n*1):up to hub:p(n)\n")
	r := run(t, dir, "show", "segments", "--only", "vlan")
	assert.Equal(t, "210\n230\n999\n77\n", r.Out, "each made, but for the one written out: %s", r.Err)
	assert.Contains(t, run(t, dir, "show", "interfaces", "rtr-03", "--only", "cable").Out, "wire-3")
	assert.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	assert.Contains(t, read(t, dir, "a.ledger"), "rtr-03:up address ")
	assert.Contains(t, run(t, dir, "rename", "hut-1", "cabin").Err, "comes of a pattern")
	assert.Contains(t, run(t, dir, "rename", "hub:p2", "hub:x").Err, "comes of a pattern", "a cable made from one leads to it")
	assert.Contains(t, run(t, dir, "rename", "hub", "core").Out, "+  - wire-(1..3): rtr-0(n*1):up to core:p(n)",
		"in a pattern it stands in full")
	assert.Equal(t, 0, run(t, dir, "rename", "extra", "cabin", "-w").Code, "this one is written out")
	assert.Contains(t, read(t, dir, "sites/huts.yaml"), "  cabin: {vlan: 77")
	assert.Contains(t, read(t, dir, "a.plan.yaml"), "{access: cabin}", "in every file that matches it")

	for include, message := range map[string]string{
		"../other.yaml": "../other.yaml is outside the plan's folder", "/etc/passwd": "is outside the plan's folder",
		"sites/none.yaml": "there is no such file", "a.plan.yaml": "is a part of the plan already", "sites/link.yaml": "path escapes",
	} {
		if include == "sites/link.yaml" {
			require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(dir, include)))
		}
		write(t, dir, "a.plan.yaml", "ropeswing: 1\ninclude: ["+include+"]\n")
		r = run(t, dir, "check")
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, oneLine(r.Out), message)
	}
}

func TestNewMakesAPlanThatCanBeUsed(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "s.csv", "# ours\nNote,name,vlan,hosts,prefix\n\"Harbour: desks, and \"\"more\"\"\",quay-staff,110,42,\n"+
		",fibre,,,198.51.100.32/29 2001:db8:ca:1::/64\n")
	args := []string{"new", "lights", "--block", "10.48.0.0/20,198.51.100.0/24,2001:db8::/32", "--from", "s.csv"}
	r := run(t, dir, args...)
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Empty(t, read(t, dir, "lights.plan.yaml"))
	assert.Equal(t, 0, run(t, dir, append(args, "-w")...).Code)
	assert.Equal(t, r.Out, read(t, dir, "lights.plan.yaml"), "what was shown is what is written")
	assert.Equal(t, "quay-staff\nfibre\n", run(t, dir, "show", "segments", "--only", "segment").Out)
	assert.Contains(t, read(t, dir, "lights.plan.yaml"), "  rtr:\n    is: router", "a router is there already")
	assert.Contains(t, run(t, dir, append(args, "-w")...).Err, "exists already")

	r = start(t, dir, nil, "Wind farm\n10.1.0.5/22\n10.1.0.0/22\n2001:db8:1::/48\neast a:b\neast east\neast west hill\nmany\n40\nyes\n",
		"new", "farm", "--ask")
	assert.Equal(t, 0, r.Code, r.Err)
	for _, slip := range []string{"did you mean 10.1.0.0/22?", "cannot be called a:b", "east stands there twice",
		"hosts is a whole number, not many"} {
		assert.Contains(t, r.Err, slip)
	}
	assert.Contains(t, read(t, dir, "farm.plan.yaml"), "  west-lan:  {hosts: 40, from: west}\n")
	assert.Contains(t, r.Out, "laptop reaches hill-host")
	assert.Equal(t, 0, run(t, dir, "ping", "hill-host", "-p", "farm.plan.yaml").Code, "it pings, in both families")
	assert.Equal(t, 0, run(t, dir, "ping", "west-host", "east-rtr", "-p", "farm.plan.yaml").Code)
	assert.Equal(t, 2, start(t, dir, nil, "Wind farm\n", "new", "more", "--ask").Code, "broken off")
	assert.Equal(t, 2, start(t, dir, nil, "\n\n\n\nno\n", "new", "more", "--ask").Code)
	assert.Empty(t, read(t, dir, "more.plan.yaml"))

	r = run(t, dir, "new", "two", "-w")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "laptop reaches south-host\nnext: ropeswing -p two.plan.yaml ping south-host\n")
	assert.Equal(t, 0, run(t, dir, "check", "-p", "two.plan.yaml").Code)
	assert.Contains(t, run(t, dir, "new", "x", "--here", "--block", "10.0.0.0/8").Err, "--here goes with")
	if r = run(t, dir, "new", "me", "--here", "-w"); r.Code == 0 { // under Linux, on a machine with an address
		assert.Equal(t, 0, run(t, dir, "show", "interfaces", "-p", "me.plan.yaml").Code)
	}

	write(t, dir, "sheet.csv", "Location;VLAN ID;Network;Default gateway;Purpose;Owner\nNorth Quay;10;010.001.000.000/24;10.1.0.1;Office "+
		"North;ops\n;20;10.1.1.7/24;;Guest WiFi;\n")
	r = run(t, dir, "new", "quays", "--from", "sheet.csv", "-w")
	assert.Equal(t, 0, r.Code, r.Err)
	for _, told := range []string{"the column 'Purpose' is taken for the name", "the column 'Owner' is not used",
		"1 blank cell of the column 'Location' is as the row above has it", "'Guest WiFi' is called guest-wifi",
		"010.001.000.000/24 is taken for 10.1.0.0/24", "10.1.1.7/24 is an address in 10.1.1.0/24",
		"links and loopbacks take their numbers from 10.255.252.0/22"} {
		assert.Contains(t, r.Err, told)
	}
	assert.Contains(t, read(t, dir, "quays.plan.yaml"), "lan0: {segment: office-north, address: 10.1.0.1}")

	for text, message := range map[string]string{
		"name\na\na\n": "s.csv:3:1: the segment a stands on line 2 already", "name,vlan\na,0\n": "s.csv:2:3: a VLAN number is from 1",
		"hosts\n1\n":           "no column is called name",
		"name,hosts\na,many\n": "s.csv:2:3: hosts is a whole number, not many",
		"name;Subnet;Mask\na;10.0.0.1;255.0.255.0\nb;10.1.0.0;\n": "s.csv:3:3: 10.1.0.0 has no length, and there is no mask beside it",
		"name\n--\n": "it cannot be called --", "": "there are no rows in it",
	} {
		write(t, dir, "s.csv", text)
		r = run(t, dir, "new", "other", "--from", "s.csv", "-w")
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, message)
	}
}

func TestExport(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "export", "hosts", "--domain", "skerry.example")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "10.48.1.10                              desk-7.skerry.example desk-7\n")
	assert.Contains(t, r.Out, "10.48.1.100                             quay-edge.skerry.example quay-edge\n",
		"a router is known by where it is managed")
	assert.NotContains(t, r.Out, "fibre-carrier", "which is not ours")

	args := []string{"export", "zones", "--domain", "skerry.example", "--server", "log-server", "--to", "zones"}
	r = run(t, dir, args...)
	assert.Contains(t, r.Out, "new        zones/skerry.example.zone\n")
	assert.Contains(t, r.Out, "nothing is written yet")
	assert.Equal(t, 0, run(t, dir, append(args, "-w")...).Code)
	assert.Contains(t, read(t, dir, "zones/1.48.10.in-addr.arpa.zone"), "10.1.48.10.in-addr.arpa.\t3600\tIN\tPTR\tdesk-7.skerry.example.\n")
	assert.Contains(t, read(t, dir, "zones/32-29.100.51.198.in-addr.arpa.zone"),
		"34.32/29.100.51.198.in-addr.arpa.\t3600\tIN\tPTR\twan0.quay-edge.skerry.example.\n", "by RFC 2317")
	assert.Regexp(t, `SOA\s.* 20\d{6}01 7200`, read(t, dir, "zones/skerry.example.zone"))
	assert.Regexp(t, `(?m)^skerry.example serial 20\d{6}01 of [0-9a-f]{12}$`, read(t, dir, "skerry.ledger"))
	assert.Contains(t, run(t, dir, args...).Out, "as it is   zones/skerry.example.zone")

	write(t, dir, "i.conf.tmpl", "{{.device}}{{range .interfaces}}{{$i := .}}{{range .addresses}} "+
		"{{$i.interface}}={{.address}}/{{.prefix_length}}{{end}}{{if eq .tag 120}} tagged{{end}}{{end}}\n")
	assert.Equal(t, "desk-7 port=10.48.1.10/26 port=2001:db8:5ea:110::a/64\n", run(t, dir, "export", "template", "i.conf.tmpl", "desk-7").Out)
	assert.Contains(t, run(t, dir, "export", "template", "i.conf.tmpl", "mole-rtr").Out,
		"lan0.120=10.48.2.1/27 lan0.120=2001:db8:5ea:220::1/64 tagged")
	assert.Equal(t, 0, run(t, dir, "export", "template", "i.conf.tmpl", "--to", "out", "-w").Code)
	assert.Contains(t, read(t, dir, "out/desk-7.conf"), "10.48.1.10/26")
	for text, message := range map[string]string{"{{.devise}}": `no entry for key "devise"`, "{{": "t.tmpl:1:", "{{range}}": "t.tmpl:1"} {
		write(t, dir, "t.tmpl", text)
		r = run(t, dir, "export", "template", "t.tmpl", "desk-7")
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, message)
	}
	var all []struct{ Device, Gateway string }
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "export", "json", "desk-7").Out), &all))
	assert.Equal(t, "10.48.1.1", all[0].Gateway)
	assert.Contains(t, run(t, dir, "export", "csv", "desk-7").Out,
		"desk-7,host,port,port,quay-staff,,10.48.1.10,26,255.255.255.192,10.48.1.0/26,10.48.1.1,,,\n")
	for args, message := range map[string]string{"zones": "name the domain", "zones --server log-server --domain a..b": "no domain name",
		"zones --domain a.example --server ns1": "is no name server", "zones --domain a.example --server ns1.a.example": "is no name server",
		"hosts -w": "name one", "hosts x": "takes nothing", "template": "name the template", "template none": "cannot read none",
		"csv desk7": "did you mean desk-7?", "cvs": "did you mean 'ropeswing export csv'?"} {
		r = run(t, dir, append([]string{"export"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.Code, args)
		assert.Contains(t, r.Err, message, args)
	}
}

func TestTheDemosLedgerIsUpToDate(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	assert.Equal(t, 0, run(t, dir, "assign", "--check").Code)
	assert.Equal(t, 0, run(t, dir, "assign", "--check", "-p", demo.BadMorning).Code)
}

// The guide's plans on numbers are tried too.
func TestTheGuidesNumbersWork(t *testing.T) {
	t.Parallel()
	text := read(t, "../../docs/guide", "assign.md")
	blocks := strings.Split(text, "```yaml\n")
	require.Len(t, blocks, 3)
	for i := range blocks {
		blocks[i], _, _ = strings.Cut(blocks[i], "```")
	}
	dir := t.TempDir()
	write(t, dir, "farm.plan.yaml", blocks[1])
	assert.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	r := run(t, dir, "check")
	assert.Equal(t, "Wind farm: 1 warning · predicted from the plan", first(r.Out), r.Out+r.Err)
	assert.Contains(t, r.Out, "lan-not-64", "the yard's /60, which is there to be shown")
	assert.Equal(t, 0, run(t, dir, "ping", "desk", "meter").Code)

	dir = t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "sites"), 0o755))
	write(t, dir, "huts.plan.yaml", blocks[2])
	write(t, dir, "sites/yards.yaml", "ropeswing: 1\nsegments: {yard: {hosts: 3}}\n")
	assert.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	assert.Equal(t, 20, strings.Count(run(t, dir, "show", "devices", "--only", "device").Out, "hut-"))
}
