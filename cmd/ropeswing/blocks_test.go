package main

import (
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const fjord = `ropeswing: 1
wants: {}
blocks:
  home: [10.20.0.0/16, "2001:db8:77::/48"]
  site-(1..3): {from: home, grow: 25%, alike: site}
segments:
  pump-(1..3): {hosts: 12, from: site-(n)}
  cam-(1..3): {hosts: 5, from: site-(n)}
  beam-(1..2): {point-to-point: true, from: home}
devices:
  rtr-1: {is: router, loopback: true, from: site-1, interfaces: {a: {segment: pump-1, address: first}, b: {segment: cam-1, address: first}, x: {segment: beam-1}}}
  rtr-2: {is: router, loopback: true, from: site-2, interfaces: {a: {segment: pump-2, address: first}, b: {segment: cam-2, address: first}, x: {segment: beam-1}, y: {segment: beam-2}}}
  rtr-3: {is: router, loopback: true, from: site-3, interfaces: {a: {segment: pump-3, address: first}, b: {segment: cam-3, address: first}, x: {segment: beam-2}}}
`

// Three sites from one entry: 12 hosts and a router are a /28, 5 and one a /29, with a
// loopback 25 addresses, a quarter more 32: a /27.
func TestSitesPlanThemselves(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "fjord.plan.yaml", fjord)
	assert.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	assert.Equal(t, 0, run(t, dir, "check").Code)

	tree := run(t, dir, "show", "blocks").Out
	assert.Contains(t, tree, "\n  site-2  10.20.0.32/27 ", "the blocks are a tree")
	assert.Equal(t, []string{"site-2 10.20.0.32/27 78.1 % 7 10.20.0.60/30"}, squeezed([]string{strings.Split(tree, "\n")[3]}))
	assert.Contains(t, oneLine(run(t, dir, "show", "blocks", "site-2").Out), "10.20.0.32/28 16 pump-2")
	assert.Contains(t, oneLine(run(t, dir, "show", "blocks", "home").Out), "10.20.0.32/27 32 the block site-2")
	assert.Equal(t, "block,prefix,used,left,largest_left,within", first(run(t, dir, "show", "blocks", "-o", "csv").Out))

	why := oneLine(run(t, dir, "why", "site-2").Out)
	for _, step := range []string{
		"for pump-2, cam-2, rtr-2", "need 25 addresses in all, which length 27 holds", "growth 25 % more: length 27",
		"block home, 10.20.0.0/16",
		"beside behind site-1 (10.20.0.0/27), before site-3 (10.20.0.64/27)", "room left 7 addresses, the largest stretch 10.20.0.60/30",
		"need 3 subnets of length 64 in all, which length 62 holds", "rounding in IPv6 on a border of four bits: length 60",
	} {
		assert.Contains(t, why, step)
	}
	assert.Contains(t, oneLine(run(t, dir, "why", "protect").Out), "protect: links")
	assert.Contains(t, run(t, dir, "show", "routes", "--derived").Out, "what each level of protection costs:")
}

// A site that outgrows its block: its neighbour is in use, which is said with what to type;
// that moves the site with all that is in it, and the check is quiet again.
func TestASiteOutgrowsItsBlock(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "fjord.plan.yaml", strings.ReplaceAll(fjord, ", alike: site", ""))
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	write(t, dir, "fjord.plan.yaml", strings.ReplaceAll(strings.Replace(fjord, "  cam-(1..3)",
		"  shed-1: {hosts: 20, from: site-1}\n  cam-(1..3)", 1), ", alike: site", ""))
	r := run(t, dir, "check")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "site-1 has outgrown 10.20.0.0/27: what takes from it needs length 26, and beside it not all is free")
	assert.Contains(t, r.Out, "next: ropeswing assign --grow site-1")
	r = run(t, dir, "assign", "--grow", "site-1")
	text := oneLine(r.Out)
	assert.Contains(t, text, "moved block site-1 10.20.0.128/25 10.20.0.0/27")
	assert.Contains(t, text, "moved subnet pump-1 10.20.0.128/28 10.20.0.0/28")
	assert.Contains(t, text, "moved loopback rtr-1 10.20.0.152 10.20.0.24")
	assert.Contains(t, text, "rtr-1:a 10.20.0.1/28 10.20.0.129/28", "what to renumber")
	require.Equal(t, 0, run(t, dir, "assign", "--grow", "site-1", "-w").Code)
	r = run(t, dir, "check")
	assert.Equal(t, 0, r.Code, r.Out)

	for what, message := range map[string]string{"home": "home is fixed in the plan", "site-2": "site-2 has room enough",
		"pmup-2": "did you mean pump-2?"} {
		r = run(t, dir, "assign", "--grow", what)
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, message)
	}
}

// What lies outside its site's block is told, with what renumbering it saves; that is so.
func TestASiteThatCannotBeSummarised(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "fjord.plan.yaml", fjord)
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	write(t, dir, "fjord.ledger", strings.Replace(read(t, dir, "fjord.ledger"), "cam-2 subnet 10.20.0.48/29", "cam-2 subnet 10.20.77.0/29",
		1))
	lines := func() string { return run(t, dir, "show", "routes", "--derived", "--only", "to").Out }
	before := strings.Count(lines(), "\n")
	out := oneLine(run(t, dir, "check").Out)
	assert.Contains(t, out, "cam-2 is taken from site-2, and 10.20.77.0/29 does not lie in it")
	assert.Contains(t, out, "cam-2 lies outside the block of the site, so that it cannot be summarised: renumbered, ")
	require.Equal(t, 0, run(t, dir, "assign", "--renumber", "cam-2", "-w").Code)
	after := strings.Count(lines(), "\n")
	assert.Contains(t, out, "renumbered, "+strconv.Itoa(after)+" routes would do instead of "+strconv.Itoa(before)+" (tried)")
	assert.Contains(t, read(t, dir, "fjord.ledger"), "cam-2 subnet 10.20.0.48/29\n")
	assert.NotContains(t, run(t, dir, "check").Out, "cam-2 lies")
}

// Sites whose subnets were given one by one lie among one another: what a block each would
// save is tried, and it is so when one does as the remedy says.
func TestSitesWithoutBlocksAreAdvised(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plan := `ropeswing: 1
wants: {}
blocks: {home: [10.48.0.0/20]}
segments:
  a1: {hosts: 20}
  b1: {hosts: 20}
  a2: {hosts: 20}
  b2: {hosts: 20}
  a3: {hosts: 20}
  b3: {hosts: 20}
  ab: {point-to-point: true}
devices:
  a: {is: router, loopback: true, interfaces: {p: {segment: ab}, l1: {segment: a1, address: first}, l2: {segment: a2, address: first}, l3: {segment: a3, address: first}}}
  b: {is: router, loopback: true, interfaces: {p: {segment: ab}, l1: {segment: b1, address: first}, l2: {segment: b2, address: first}, l3: {segment: b3, address: first}}}
`
	write(t, dir, "s.plan.yaml", plan)
	require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
	lines := func() int { return strings.Count(run(t, dir, "show", "routes", "--derived", "--only", "to").Out, "\n") }
	before := lines()
	out := oneLine(run(t, dir, "check").Out)
	assert.Contains(t, out, "the subnets of a and b lie among those of others")
	assert.Contains(t, out, "add 'a-site: {from: home}' to 'blocks', say 'from: a-site' for a1, a2, a3, a, do likewise for the others, "+
		"and 'from: home' for what names no block, and renumber: assign --renumber a --renumber a1")

	plan = strings.Replace(plan, "blocks: {home: [10.48.0.0/20]}",
		"blocks: {home: [10.48.0.0/20], a-site: {from: home}, b-site: {from: home}}", 1)
	for _, s := range []string{"a", "b"} {
		for _, n := range []string{"1", "2", "3"} {
			plan = strings.Replace(plan, "  "+s+n+": {hosts: 20}", "  "+s+n+": {hosts: 20, from: "+s+"-site}", 1)
		}
		plan = strings.Replace(plan, "  "+s+": {is: router, loopback: true,", "  "+s+": {is: router, loopback: true, from: "+s+"-site,", 1)
	}
	write(t, dir, "s.plan.yaml", strings.Replace(plan, "point-to-point: true", "point-to-point: true, from: home", 1))
	require.Equal(t, 0, run(t, dir, "assign", "--renumber", "a,b,a1,a2,a3,b1,b2,b3", "-w").Code)
	assert.Contains(t, out, strconv.Itoa(lines())+" routes would do instead of "+strconv.Itoa(before)+" (tried)")
}
