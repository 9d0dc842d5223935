package workspace_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/workspace"
)

// byRegion is sites in regions, in no order: each region is a router with seven sites behind it,
// in a ring or each by a link of its own.
func byRegion(regions int, ring bool, seed uint64) (blocks, rest string) {
	const sites = 7
	var names []string
	var links, devices strings.Builder
	ports := map[string][]string{}
	link := func(a, b string) {
		name := a + "-" + b
		fmt.Fprintf(&links, "  %s: {point-to-point: true, from: home}\n", name)
		ports[a], ports[b] = append(ports[a], name), append(ports[b], name)
	}
	for g := range regions {
		top := fmt.Sprintf("top%d", g)
		names = append(names, top)
		link("hub", top)
		before := top
		for n := range sites {
			s := fmt.Sprintf("s%d%d", g, n)
			names = append(names, s)
			link(before, s)
			if ring {
				before = s
			}
		}
		if ring {
			link(before, top)
		}
	}
	rand.New(rand.NewPCG(seed, 9)).Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	for _, s := range names {
		fmt.Fprintf(&links, "  lan-%s: {hosts: 20, from: %s}\n  cam-%[1]s: {hosts: 5, from: %[1]s}\n", s, s)
	}
	for _, s := range append([]string{"hub"}, names...) {
		from := s
		if s == "hub" {
			from = "home"
		}
		fmt.Fprintf(&devices, "  r-%s:\n    is: router\n    loopback: true\n    from: %s\n    interfaces:\n", s, from)
		for i, l := range ports[s] {
			fmt.Fprintf(&devices, "      p%d: {segment: %s}\n", i, l)
		}
		if s != "hub" {
			fmt.Fprintf(&devices, "      l: {segment: lan-%s, address: first}\n      c: {segment: cam-%[1]s, address: first}\n", s)
		}
	}
	list := "blocks:\n  home: [10.48.0.0/16]\n"
	for _, s := range names {
		list += fmt.Sprintf("  %s: {from: home}\n", s)
	}
	return list, "wants: {}\nsegments:\n" + links.String() + "devices:\n" + devices.String()
}

// What deriving says is the measure: sites near each other lie next to each other, and the
// tables are shorter than with the sites in the order of the plan.
func TestSitesNearEachOtherLieNextToEachOther(t *testing.T) {
	for _, ring := range []bool{false, true} {
		for seed := range uint64(3) {
			blocks, rest := byRegion(4, ring, seed)
			lines := func(blocks string) int {
				n := workspace.FromText("a.plan.yaml", []byte("ropeswing: 1\n"+blocks+rest))
				require.True(t, n.Usable(), "%v", n.Slips())
				require.Empty(t, n.Unmet())
				return len(n.Predict().Derived.Statics)
			}
			near := lines(blocks)
			// The same sites one behind the other, in the order of the plan.
			inOrder := blocks
			for n, s := range strings.Split(blocks, "\n")[2:] {
				if name, _, ok := strings.Cut(s, ":"); ok {
					inOrder = strings.Replace(inOrder, name+": {from: home}", fmt.Sprintf("%s: [10.48.%d.%d/26]", name, n/4, n%4*64), 1)
				}
			}
			apart := lines(inOrder)
			t.Logf("ring %t: %d lines near, %d in the order of the plan", ring, near, apart)
			assert.Less(t, near, apart)
			if !ring {
				assert.Less(t, 5*near, 4*apart, "a region is one line")
			}
		}
	}
}
