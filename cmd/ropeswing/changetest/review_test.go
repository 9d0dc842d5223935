package changetest

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

// A reviewer is told of ten changes of the demo which five are sound and which five break something, and what.
func TestTheReviewOfTenChanges(t *testing.T) {
	t.Parallel()
	for name, change := range map[string]struct {
		was, is string // in the plan
		worse   string // in the headline and below it; "" where the change is sound
		tells   string
	}{
		"a host more": {"  tablet:        {is", "  desk-8:        {is: host, at: quay-sw1:p8, address: 11}\n  tablet:        {is", "",
			"there will be desk-8"},
		"a segment more": {"  quay-guest:   {vlan: 160", "  quay-phones:  {vlan: 170, hosts: 20, from: quay}\n  quay-guest:   {vlan: 160", "",
			"numbers given quay-phones"},
		"a note": {"note: Old line to Far Skerry", "note: To Far Skerry", "", "quay-edge note ser0 different Old line to Far To Far Skerry"},
		"another gateway": {"      vlan110: {vlan: quay-staff, address: first}", "      vlan110: {vlan: quay-staff, address: last}", "",
			"quay-core address vlan110 different 10.48.1.1/26 10.48.1.62/26"},
		"a requirement more": {"  - quay-guest does not reach quay-manage\n", "  - quay-guest does not reach quay-manage\n" +
			"  - ops-laptop reaches tern-cam without beam-a\n", "", "requirement 1"},
		"a beam less": {"      beam1: {segment: beam-quay, mtu: 1500, bandwidth: 300M}\n      ser0", "      beam1: {segment: beam-quay, mtu: 1500, " +
			"bandwidth: 300M, admin: down}\n      ser0", "lost by one failure", "lost without beam-"},
		"a mask slips": {"  pilot-desk:    {is: host, at: mole-sw:p3, address: 10}", "  pilot-desk:    {is: host, at: mole-sw:p3, address: " +
			"10.48.2.10/24}", "will be new", "pilot-desk"},
		"a port shut": {"      p1..p20: {access: quay-staff}\n", "      p1..p20: {access: quay-staff}\n      p7: {access: quay-staff, admin: down}\n",
			"will not work any more", "quay-sw1:p7 is administratively down"},
		"a permit less": {"      - quay-guest may reach log-server over udp/514\n", "", "will not work any more", "over udp/514"},
		"a wrong default route": {"    keeps-state: true\n", "    routes: {default: 10.48.1.10}\n    keeps-state: true\n", "will not work any more",
			"192.0.2.1"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := lights(t)
			plan := read(t, dir, "skerry.plan.yaml")
			require.Equal(t, 1, strings.Count(plan, change.was))
			require.NoError(t, os.Mkdir(filepath.Join(dir, "next"), 0o755))
			write(t, dir, "next/skerry.plan.yaml", strings.Replace(plan, change.was, change.is, 1))
			write(t, dir, "next/skerry.ledger", read(t, dir, "skerry.ledger"))
			r := run(t, dir, "compare", "next/skerry.plan.yaml", "--wide")
			first, _, _ := strings.Cut(oneLine(r.Out), " · ")
			assert.Contains(t, oneLine(r.Out), change.tells)
			var report struct{ Runs []struct{ Results []any } }
			require.NoError(t, json.Unmarshal([]byte(run(t, dir, "compare", "next/skerry.plan.yaml", "-o", "sarif").Out), &report))
			if change.worse == "" {
				assert.Equal(t, 0, r.Code, first)
				assert.Contains(t, first, "nothing that works or holds now is lost")
				assert.Empty(t, report.Runs[0].Results)
				return
			}
			assert.Equal(t, 1, r.Code, first)
			assert.Contains(t, first, change.worse)
			assert.NotEmpty(t, report.Runs[0].Results)
		})
	}
}

func TestTheReviewSinceARevision(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("there is no git")
	}
	top := t.TempDir()
	path := []string{"PATH=" + os.Getenv("PATH"), "HOME=" + top}
	git := func(args ...string) {
		out, err := exec.Command("git", append([]string{"-C", top, "-c", "user.name=x", "-c", "user.email=x@example.org"}, args...)...).
			CombinedOutput()
		require.NoError(t, err, string(out))
	}
	dir := filepath.Join(top, "nets", "lights")
	require.NoError(t, os.MkdirAll(filepath.Dir(dir), 0o755))
	require.NoError(t, os.Rename(lights(t), dir))
	git("init", "-q")
	git("add", ".")
	git("commit", "-qm", "one")
	r := runAs(t, dir, path, "", "compare", "--since", "HEAD")
	assert.Contains(t, r.Out, "the two plans say the same", r.Err)
	plan := read(t, dir, "skerry.plan.yaml")
	write(t, dir, "skerry.plan.yaml", strings.Replace(plan, "      p1..p20: {access: quay-staff}\n",
		"      p1..p20: {access: quay-staff}\n      p7: {access: quay-guest}\n", 1))
	r = runAs(t, dir, path, "", "compare", "--since", "HEAD", "-o", "markdown")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "### Will not work any more\n\n- ")
	assert.Contains(t, r.Out, "<details><summary>")
	assert.Contains(t, r.Out, "Steps: ")
	r = runAs(t, dir, path, "", "compare", "--since", "HEAD", "-o", "sarif")
	assert.Contains(t, r.Out, `"uri": "nets/lights/skerry.plan.yaml"`)
	var v struct{ Lost, Differences []any }
	require.NoError(t, json.Unmarshal([]byte(runAs(t, dir, path, "", "compare", "--since", "HEAD", "-o", "json").Out), &v))
	assert.NotEmpty(t, v.Lost)
	assert.NotEmpty(t, v.Differences)
	git("commit", "-qam", "two")
	shallow := t.TempDir()
	git("clone", "-q", "--depth", "1", "file://"+top, shallow)
	r = runAs(t, filepath.Join(shallow, "nets", "lights"), path, "", "compare", "--since", "HEAD~1")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "git fetch --depth 1 origin")
	r = runAs(t, dir, path, "", "compare", "--since", "HEAD", "--saved")
	assert.Contains(t, r.Err, "--since compares the plan with itself as it was")
}

// A LAN that a change parts in two is lost pairs too, though nothing is routed.
func TestTheReviewOfALANInPieces(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const plan = `ropeswing: 1
segments: {desks: {vlan: 10, prefix: 10.1.0.0/24}, phones: {vlan: 20, prefix: 10.2.0.0/24}}
devices:
  s1: {is: switch, interfaces: {p1: {access: desks}, t: {tagged: [desks, phones]}}}
  s2: {is: switch, interfaces: {p1: {access: desks}, t: {tagged: [desks, phones]}}}
  a: {is: host, at: "s1:p1", address: 1}
  b: {is: host, at: "s2:p1", address: 2}
cables: ["s1:t to s2:t"]
`
	write(t, dir, "a.plan.yaml", plan)
	write(t, dir, "b.yaml", strings.Replace(plan, "s2: {is: switch, interfaces: {p1: {access: desks}, t: {tagged: [desks, phones]}}}",
		"s2: {is: switch, interfaces: {p1: {access: desks}, t: {tagged: [phones]}}}", 1))
	r := run(t, dir, "compare", "b.yaml")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "2 pairs will not work any more")
	assert.Contains(t, oneLine(r.Out), "not asked: how many steps it is")
}
