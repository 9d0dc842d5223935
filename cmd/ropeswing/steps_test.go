package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// worksheet is what is asked of the JSON of steps.
type worksheet struct {
	Devices int
	Safe    bool
	Steps   []struct {
		Device, Login, Session, Then, Works string
		Save                                bool
		Broken                              int
		Sets                                []struct {
			Set, Was, Look string
			TakeBack       string `json:"take_back"`
		}
	}
}

func stepsOf(t *testing.T, dir string, args ...string) worksheet {
	t.Helper()
	r := run(t, dir, append([]string{"steps", "-o", "json"}, args...)...)
	var w worksheet
	require.NoError(t, json.Unmarshal([]byte(r.Out), &w), r.Err)
	return w
}

// The bad morning is mended in five steps: the edge of the ring first, by the family that
// still leads there; at mole-sw, whose VLAN is missing, somebody has to stand.
func TestStepsMendTheBadMorning(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "observe", "bad-morning/seen", "-w", "observed").Code)
	r := run(t, dir, "steps")
	assert.Equal(t, 1, r.Code, "hands are needed")
	assert.Contains(t, oneLine(r.Out),
		"5 steps on 5 devices; nothing fails in between, as far as the state shows; hands are needed at 1 step · predicted from what was "+
			"observed")
	assert.Contains(t, oneLine(r.Out), "first observe it again: its IPv4 addresses, IPv4 routes")
	text := oneLine(r.Out)
	assert.Contains(t, text, "mole-sw it is not reached now: be at its console")
	assert.Contains(t, text, "p24 tagged 120, 191 (was: p24 tagged 120)")
	assert.Contains(t, text, "not observed, so nothing is known to be set there: fibre-carrier, sat-carrier, tablet")
	w := stepsOf(t, dir)
	assert.False(t, w.Safe)
	require.Len(t, w.Steps, 5)
	for _, s := range w.Steps {
		assert.Zero(t, s.Broken)
		assert.True(t, s.Save, "each is the last of its device")
		switch s.Device {
		case "gull-point":
			assert.Equal(t, "2001:db8:5ea:402::2", s.Login, "its default route is missing in IPv4")
		case "mole-sw":
			assert.Equal(t, "console", s.Session)
		default:
			assert.Equal(t, "stays", s.Session, s.Device)
		}
	}
	assert.Len(t, stepsOf(t, dir, "--only-next").Steps, 1)
	for args, shown := range map[string]string{"--only-next": "1", "--device quay-core": "0"} {
		assert.Contains(t, oneLine(run(t, dir, append([]string{"steps"}, strings.Fields(args)...)...).Out), "5 steps on 5 devices, "+shown+
			" of them shown; nothing fails in between, as far as the state shows; hands are needed at 1 step", "of all steps, not of those shown")
	}
	assert.Len(t, stepsOf(t, dir, "--device", "quay-sw1").Steps, 1)
	assert.Contains(t, run(t, dir, "steps", "-o", "markdown").Out, "  - set `p7 admin: up`, was `p7 admin: down`\n")
	assert.Equal(t, "step,device,login,set,was,session,fails,look,take_back", first(run(t, dir, "steps", "-o", "csv").Out))
	assert.Contains(t, oneLine(run(t, dir, "steps", "--restart", "--device", "mole-rtr").Out), "then save what runs, then restart it: ",
		"what is behind it fails while that lasts")
	require.NoError(t, os.Mkdir(filepath.Join(dir, "one"), 0o755))
	write(t, dir, "one/desk-7.json", read(t, dir, "observed/desk-7.json"))
	assert.Contains(t, oneLine(run(t, dir, "steps", "one").Out), "nothing needs to be set, as far as the state shows")
	// Standing at the pilot station, the switch of the quay is beyond what is broken.
	at := stepsOf(t, dir, "--standing-at", "pilot-desk")
	for _, s := range at.Steps {
		assert.Equal(t, s.Device == "pilot-desk", s.Session == "local")
	}
}

// What is pasted into a ticket says what the terminal says: how it stands, what no step sets, what is not known.
func TestMarkdownSaysWhatTheTableSays(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "observe", "bad-morning/seen", "-w", "observed").Code)
	require.NoError(t, os.Mkdir(filepath.Join(dir, "one"), 0o755))
	write(t, dir, "one/desk-7.json", read(t, dir, "observed/desk-7.json"))
	for _, args := range []string{"check", "check --observed observed", "compare observed", "compare one", "steps", "steps one",
		"ping desk-7 tern-cam", "trace desk-7 tern-cam", "reach --failures 1", "assign", "show routes --table none"} {
		text := run(t, dir, strings.Fields(args)...)
		pasted := oneLine(strings.NewReplacer(`\`, "", "`", "", "**", "").Replace(
			run(t, dir, append(strings.Fields(args), "-o", "markdown")...).Out))
		headline, _, _ := strings.Cut(oneLine(text.Out), " · ")
		said, _, _ := strings.Cut(headline, "  ")
		said, _, _ = strings.Cut(said, ": ")
		assert.Contains(t, pasted, said, args)
		for _, about := range []string{"not observed", "not known: ", "no step sets this", "not compared", "there may be"} {
			assert.Equal(t, strings.Contains(oneLine(text.Out), about), strings.Contains(pasted, about), "%s: %s", args, about)
		}
	}
}

// On moving day no session is lost and nothing fails: the carrier first has both of its
// addresses, then the edge, and what is old goes last.
func TestStepsOfMovingDay(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "steps", "skerry.plan.yaml", "-p", "moving-day/skerry.plan.yaml")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, oneLine(r.Out), "38 steps on 5 devices: every step is safe, and nothing fails in between")
	w := stepsOf(t, dir, "skerry.plan.yaml", "-p", "moving-day/skerry.plan.yaml")
	assert.True(t, w.Safe)
	place := func(set string) int {
		for n, s := range w.Steps {
			for _, x := range s.Sets {
				if x.Set == set {
					return n
				}
			}
		}
		t.Fatalf("no step sets %s", set)
		return -1
	}
	assert.Less(t, place("also to-quay address: 198.51.100.49/29"),
		place("route 0.0.0.0/0 via 198.51.100.49 (fibre-carrier:to-quay) instead of via 198.51.100.33"))
	assert.Less(t, place("also mgmt address: 10.48.1.130/28"), place("remove vlan190 address: 10.48.1.97/28, and keep 10.48.1.129/28"))
	assert.Equal(t, "theirs", w.Steps[place("also to-quay address: 198.51.100.49/29")].Session)
	assert.Equal(t, "remove to-quay address: 198.51.100.49/29", w.Steps[place("also to-quay address: 198.51.100.49/29")].Sets[0].TakeBack)

	for _, tt := range []struct{ option, value, message string }{{"--session", "quay-sw1", "--session is DEVICE=ADDRESS"},
		{"--session", "quay-sw1=10.9.9.9",
			"quay-sw1 is not reached at 10.9.9.9 before the first step; it is at --session quay-sw1=10.48.1.98"}, {"--session",
			"ops-laptop=10.9.9.9", "leave --session out"}, {"--device", "quay-sww", "did you mean quay-sw1?"}, {"--standing-at", "nobody",
			"nobody"}} {
		bad := run(t, dir, "steps", "skerry.plan.yaml", "-p", "moving-day/skerry.plan.yaml", tt.option, tt.value)
		assert.Equal(t, 2, bad.Code)
		assert.Contains(t, bad.Err, tt.message)
	}
	said := run(t, dir, "steps", "skerry.plan.yaml", "-p", "moving-day/skerry.plan.yaml", "--session", "quay-sw1=2001:db8:5ea:190::2")
	assert.Contains(t, said.Out, "quay-sw1  log in at 2001:db8:5ea:190::2 by ssh\n", "the session that is said")
	assert.Contains(t, run(t, dir, "steps").Err, "there is no state observed")
	assert.Contains(t, run(t, dir, "steps", "tern-rock").Err, "say --device tern-rock", "a device where a state is asked")
	assert.Contains(t, run(t, dir, "steps", "--since", "HEAD").Err, "and it is not here", "the program git is needed")
}

// A worksheet that somebody changed is proven as it stands: one that takes the old address
// of the switch away before the new one is there cuts it off, and what is left out is told.
func TestStepsOfAWorksheetChangedByHand(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	from := []string{"skerry.plan.yaml", "-p", "moving-day/skerry.plan.yaml"}
	whole := run(t, dir, append([]string{"steps", "-o", "json"}, from...)...).Out
	write(t, dir, "whole.json", whole)
	r := run(t, dir, append([]string{"steps", "--check", "whole.json"}, from...)...)
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "every step is safe")

	var sheet map[string]any
	require.NoError(t, json.Unmarshal([]byte(whole), &sheet))
	all := sheet["steps"].([]any)
	setting := func(s any) string { return s.(map[string]any)["sets"].([]any)[0].(map[string]any)["set"].(string) }
	var kept []any
	for _, s := range all {
		switch setting(s) {
		case "also vlan190 address: 10.48.1.129/28", "also vlan190 address: 2001:db8:5ea:1a0::1/64":
		case "remove vlan190 address: 10.48.1.97/28, and keep 10.48.1.129/28":
		default:
			kept = append(kept, s)
		}
	}
	sheet["steps"] = kept[:len(kept)-2]
	text, err := json.Marshal(sheet)
	require.NoError(t, err)
	write(t, dir, "changed.json", string(text))
	r = run(t, dir, append([]string{"steps", "--check", "changed.json"}, from...)...)
	assert.Equal(t, 1, r.Code, r.Err)
	out := oneLine(r.Out)
	assert.Contains(t, out, "left as found")
	assert.Contains(t, out, "quay-core: vlan190 address: planned 10.48.1.129/28, found 10.48.1.97/28")

	for sheet, message := range map[string]string{
		"{}": "standard input: the worksheet has no steps", "nonsense": "this is no worksheet",
		`{"steps":[{"device":"quay-sw9","sets":[]}]}`:                                    "step 1: there is no device quay-sw9",
		`{"steps":[{"device":"quay-sw1","sets":[{"set":"mgmt address: 10.9.9.9/24"}]}]}`: "step 1: nothing is left to set on quay-sw1 that reads 'mgmt address: 10.9.9.9/24'", `{"steps":[{"device":"quay-sw1","sets":[]}]}`: "step 1 sets nothing on quay-sw1",
	} {
		r = start(t, dir, nil, sheet, append([]string{"steps", "--check", "-"}, from...)...)
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, message)
	}
}

// A template of the user's own makes a file for each visit.
func TestStepsThroughATemplate(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	write(t, dir, "gear.txt.tmpl", "{{range .steps}}{{range .sets}}{{.does}} {{.what}} {{.subject}} {{.planned}} {{.found}}\n{{end}}{{end}}")
	args := []string{"steps", "skerry.plan.yaml", "-p", "moving-day/skerry.plan.yaml", "--template", "gear.txt.tmpl"}
	assert.Equal(t, "also address to-quay 198.51.100.49/29 198.51.100.33/29", first(run(t, dir, args...).Out))
	r := run(t, dir, append(args, "--to", "out", "-w")...)
	assert.Equal(t, 0, r.Code, r.Err)
	visits, err := filepath.Glob(filepath.Join(dir, "out", "*-quay-sw1.txt"))
	require.NoError(t, err)
	require.NotEmpty(t, visits)
	assert.Contains(t, read(t, dir, "out/"+filepath.Base(visits[0])), "also address mgmt 10.48.1.130/28 10.48.1.98/28\n")
}

// Steps begin at an earlier revision of the plan.
func TestStepsSinceARevision(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("needs git")
	}
	dir := t.TempDir()
	git := func(args ...string) {
		cmd := exec.Command("git", append([]string{"-C", dir, "-c", "user.name=x", "-c", "user.email=x@example.org"}, args...)...)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	plan := "ropeswing: 1\noperator: ops\nsegments: {lan: {prefix: 10.1.0.0/24}}\ndevices:\n  rtr: {is: router, interfaces: {lan: " +
		"{segment: lan, address: first}, far: {address: 10.2.0.1/24}}}\n  ops: {is: host, interfaces: {e: {segment: lan, address: 10}}}\n"
	write(t, dir, "a.plan.yaml", plan)
	git("init", "-q")
	git("add", "-A")
	git("commit", "-qm", "first")
	write(t, dir, "a.plan.yaml", strings.Replace(plan, "10.2.0.1/24", "10.2.0.9/24", 1))
	path := []string{"PATH=" + os.Getenv("PATH"), "HOME=" + dir}
	r := start(t, dir, path, "", "steps", "--since", "HEAD")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "1. far address: 10.2.0.9/24 (was: far address: 10.2.0.1/24)\n")
	assert.Contains(t, start(t, dir, path, "", "steps", "--since", "nope").Err, "git cannot read a.plan.yaml at nope")
	assert.Contains(t, run(t, dir, "steps", "--since", "--all").Err, "is no revision")
}

// A factory-new switch: what to set on the laptop, on the switch, and what to put back.
func TestStepsOfANewDevice(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "steps", "--factory", "192.0.2.253/24", "mole-sw")
	assert.Equal(t, 0, r.Code, r.Err)
	text := oneLine(r.Out)
	for _, words := range []string{
		"mole-sw, new, at 192.0.2.253/24: 28 things to set, then log in at 10.48.2.34",
		"1. on the laptop set 192.0.2.254/24, without a gateway", "2. plug it into p20, which is set last, and log in at 192.0.2.253",
		"p23, p24 tagged 120, 191", "interface mgmt, a VLAN interface, tag 191",
		"6. log in at 10.48.2.34, with 10.48.2.36/28 on the laptop while it is still at the device",
		"7. put back on the laptop what it had: by the plan 10.48.1.106/28, gateway 10.48.1.97",
		"8. look: in its place it is reached from where you sit",
	} {
		assert.Contains(t, text, words)
	}
	for _, tt := range [][2]string{{"192.0.2.0/24", "no machine's address"}, {"192.0.2.253", "write 192.0.2.253/24"},
		{"192.0.2.253/32", "no other address free"}} {
		r = run(t, dir, "steps", "--factory", tt[0], "mole-sw")
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, tt[1])
	}
	assert.Contains(t, run(t, dir, "steps", "--factory", "192.0.2.253/24").Err, "name the device")
}
