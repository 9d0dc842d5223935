package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// bakery is what a plan is made of that has no cables: its segments are the wires.
const bakery = `name,site,hosts,vlan
office,mill,60,10
servers,mill,12,20
tills-a,ferry,8,30
tills-b,bridge,8,30
`

// A plan without cables has failures too: each link that is a wire itself.
func TestSegmentsThatAreWiresFailLikeCables(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "needs.csv", bakery)
	r := run(t, dir, "new", "bakery", "--block", "10.77.0.0/20", "--from", "needs.csv", "-w")
	require.Equal(t, 0, r.Code, r.Err)

	r = run(t, dir, "reach", "--failures", "1")
	assert.Contains(t, first(r.Out), "2 single failures: 0 lose nothing, 2 cut off")
	var sweep struct {
		Failures int
		Losses   []struct {
			Without      []string
			Lost, Cannot int
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "reach", "--failures", "1", "-o", "json").Out), &sweep))
	assert.Equal(t, 2, sweep.Failures)
	for i, name := range []string{"link-ferry", "link-bridge"} {
		assert.Equal(t, []string{name}, sweep.Losses[i].Without)
		assert.Positive(t, sweep.Losses[i].Lost)
		assert.Equal(t, sweep.Losses[i].Lost, sweep.Losses[i].Cannot, "there is one path only")
	}

	text, err := os.ReadFile(filepath.Join(dir, "bakery.plan.yaml"))
	require.NoError(t, err)
	write(t, dir, "bakery.plan.yaml", strings.Replace(string(text), "  - everyone reaches laptop",
		"  - everyone reaches laptop\n  - ferry-host reaches office without any one cable", 1))
	r = run(t, dir, "check")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "ferry-host reaches office without any one cable: without link-ferry: ")

	// What each takes stands in the picture and in the report too.
	require.Equal(t, 0, run(t, dir, "draw", "failures", "-w", "failures.svg").Code)
	drawn, err := os.ReadFile(filepath.Join(dir, "failures.svg"))
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(string(drawn), "no other path"), "both links are marked")
	run(t, dir, "report", "-w", "report.html")
	page, err := os.ReadFile(filepath.Join(dir, "report.html"))
	require.NoError(t, err)
	assert.Contains(t, string(page), "link-bridge")
}

// A VLAN's number may be of several segments: all of them are named and drawn, whichever was asked for.
func TestAVLANOfSeveralSegmentsIsDrawnWhole(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "needs.csv", bakery)
	require.Equal(t, 0, run(t, dir, "new", "bakery", "--block", "10.77.0.0/20", "--from", "needs.csv", "-w").Code)
	for _, word := range []string{"30", "tills-a", "tills-b"} {
		r := run(t, dir, "draw", "vlan", word, "-w", "vlan.svg")
		require.Equal(t, 0, r.Code, r.Err)
		assert.Contains(t, first(r.Out), "VLAN 30, tills-a and tills-b, in vlan.svg")
		drawn, err := os.ReadFile(filepath.Join(dir, "vlan.svg"))
		require.NoError(t, err)
		for _, on := range []string{"tills-a", "tills-b", "ferry-rtr", "ferry-host", "bridge-rtr", "bridge-host"} {
			assert.Contains(t, string(drawn), ">"+on+"<", word)
		}
		for _, off := range []string{"mill-rtr", "office", "laptop"} {
			assert.NotContains(t, string(drawn), ">"+off+"<", word)
		}
	}
	assert.Contains(t, run(t, dir, "draw", "vlan", "link-ferry").Err, "the segment link-ferry has no VLAN")
	assert.Contains(t, run(t, dir, "draw", "vlan", "31").Err, "there is no VLAN 31")
}
