package assign_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// changed is a plan with a ledger, assigned with what was given changed as asked.
func changed(t testing.TB, text string, ledger *assign.Ledger, ask assign.Ask) given {
	t.Helper()
	doc, found := plan.Parse(source.New("t.plan.yaml", []byte("ropeswing: 1\n"+text)))
	require.False(t, finding.Stops(found), "%v\n%s", found, text)
	n := assign.NewNumbering(ledger, ask)
	spec, more := model.Resolve(doc, n)
	require.False(t, finding.Stops(more), "%v\n%s", more, text)
	changes, next := n.Finish(spec)
	return given{spec, changes, next, n.Findings(doc.File)}
}

const sites = `blocks:
  home: [10.48.0.0/20, '2001:db8:5ea::/48']
  quay: {from: home}
  mole: {from: home, length: [26, 60]}
segments:
  quay-staff: {hosts: 42, from: quay}
  quay-cams: {hosts: 5, from: quay}
  mole-staff: {hosts: 20, from: mole}
devices: {quay-rtr: {is: router, loopback: true, from: quay, interfaces: {a: {segment: quay-staff}}}}
`

// withoutAddresses is changes but those of single interfaces.
func withoutAddresses(text string) string {
	return strings.Join(slices.DeleteFunc(strings.SplitAfter(text, "\n"), func(l string) bool { return strings.Contains(l, " address ") }),
		"")
}

// 42 hosts and a router are a /26, 5 hosts a /29, a loopback a /32: together 73 addresses,
// so a /25. Two LANs and a loopback in IPv6 are three subnets of length 64, so a /62, and on
// a border of four bits a /60.
func TestABlockIsAsLargeAsWhatTakesFromIt(t *testing.T) {
	g := assigned(t, sites, nil)
	assert.Empty(t, reasons(g))
	assert.Equal(t, `new quay block 10.48.0.0/25
new mole block 10.48.0.128/26
new quay block 2001:db8:5ea::/60
new mole block 2001:db8:5ea:10::/60
new quay-staff subnet 10.48.0.0/26
new mole-staff subnet 10.48.0.128/27
new quay-cams subnet 10.48.0.64/29
new quay-rtr loopback 10.48.0.72
new quay-staff subnet 2001:db8:5ea::/64
new quay-cams subnet 2001:db8:5ea:1::/64
new mole-staff subnet 2001:db8:5ea:10::/64
new quay-rtr loopback 2001:db8:5ea:2::2
`, sortedFamilies(withoutAddresses(told(g))))
	assert.Equal(t, "room for what takes from it: 2 subnets, 1 loopback", g.changes[0].Words())
	assert.Empty(t, assigned(t, sites, again(t, g.next)).changes, "what is given is not given again")
}

// sortedFamilies puts blocks first, and then IPv4 before IPv6: how it comes about does not matter.
func sortedFamilies(text string) string {
	lines := strings.SplitAfter(text, "\n")
	slices.SortStableFunc(lines, func(a, b string) int {
		rank := func(l string) int {
			switch {
			case l == "":
				return 9
			case strings.Contains(l, " block "):
				return 0
			case strings.Contains(l, "2001:"):
				return 2
			}
			return 1
		}
		return rank(a) - rank(b)
	})
	return strings.Join(lines, "")
}

// A block grows where it lies when its neighbour is free; where it is not that is said, and
// nothing moves until it is asked for. Then all that lies in it keeps its place in it.
func TestABlockGrowsWhereItLiesOrIsMovedWhenAsked(t *testing.T) {
	more := strings.Replace(sites, "quay-cams: {hosts: 5, from: quay}",
		"quay-cams: {hosts: 5, from: quay}\n  quay-guest: {hosts: 60, from: quay}", 1)
	given := []string{"quay block 10.48.0.0/25", "quay-staff subnet 10.48.0.0/26", "quay-cams subnet 10.48.0.64/29",
		"quay-rtr loopback 10.48.0.72"}

	free := assigned(t, more, ledgerOf(t, append(given, "mole block 10.48.1.0/26")...))
	assert.NotContains(t, reasons(free), "block-")
	assert.Contains(t, told(free), "grown quay block 10.48.0.0/24 was 10.48.0.0/25\n")
	assert.Contains(t, told(free), "new quay-guest subnet 10.48.0.128/26\n")

	blocked := ledgerOf(t, append(given, "mole block 10.48.0.128/26")...)
	stuck := assigned(t, more, blocked)
	assert.NotContains(t, told(stuck), "grown")
	assert.Contains(t, reasons(stuck),
		"block-outgrown: quay has outgrown 10.48.0.0/25: what takes from it needs length 24, and beside it not all is free")
	assert.Contains(t, reasons(stuck), "need-does-not-fit: quay-guest")

	moved := changed(t, more, blocked, assign.Ask{Grow: []string{"quay"}})
	assert.Empty(t, reasons(moved))
	text := told(moved)
	for _, line := range []string{
		"moved quay block 10.48.1.0/24 was 10.48.0.0/25", "moved quay-staff subnet 10.48.1.0/26 was 10.48.0.0/26",
		"moved quay-cams subnet 10.48.1.64/29 was 10.48.0.64/29", "moved quay-rtr loopback 10.48.1.72 was 10.48.0.72",
		"new quay-guest subnet 10.48.1.128/26",
	} {
		assert.Contains(t, text, line+"\n")
	}
	assert.Contains(t, string(moved.next.Text()), "quay block 10.48.0.0/25 retired\n")
	assert.Empty(t, assigned(t, more, again(t, moved.next)).changes)
}

// A block that has less room than 'grow' asks says so, and grows when asked.
func TestABlockBelowItsHeadRoomIsTold(t *testing.T) {
	text := strings.Replace(sites, "quay: {from: home}", "quay: {from: home, grow: 100%}", 1)
	ledger := ledgerOf(t, "quay block 10.48.0.0/25", "quay block 2001:db8:5ea::/60", "mole block 10.48.2.0/26",
		"mole block 2001:db8:5ea:10::/60")
	g := assigned(t, text, ledger)
	assert.Equal(t, "block-below-head-room: quay has less room left than it should: 10.48.0.0/25, and it should have length 24 (room for "+
		"what takes from it: 2 subnets, 1 loopback, 100 % more)", reasons(g))
	grown := changed(t, text, ledger, assign.Ask{Grow: []string{"quay"}})
	assert.Empty(t, reasons(grown))
	assert.Contains(t, told(grown), "grown quay block 10.48.0.0/24 was 10.48.0.0/25\n")
}

// A block whose takers have numbers is given around them; what lies elsewhere stays.
func TestABlockIsGivenAroundWhatItsTakersHave(t *testing.T) {
	g := assigned(t, sites, ledgerOf(t, "quay-staff subnet 10.48.3.0/26", "quay-cams subnet 10.48.3.64/29", "quay-rtr loopback 10.48.9.9",
		"mole-staff subnet 10.48.5.32/27"))
	assert.Contains(t, told(g), "new quay block 10.48.3.0/25\n")
	assert.Contains(t, told(g), "new mole block 10.48.5.0/26\n")
	assert.NotContains(t, told(g), "loopback 10.", "it has one")
	moved := changed(t, sites, again(t, g.next), assign.Ask{Renumber: []string{"quay-rtr"}})
	assert.Contains(t, told(moved), "moved quay-rtr loopback 10.48.3.72 was 10.48.9.9\n")
}

// What was a block's own is given back to it, and nobody else gets it before.
func TestARetiredBlockIsKeptForItsOwner(t *testing.T) {
	g := assigned(t, sites, nil)
	without := strings.NewReplacer("  mole: {from: home, length: [26, 60]}\n", "  isle: {from: home, length: [26, 60]}\n",
		"  mole-staff: {hosts: 20, from: mole}\n", "").Replace(sites)
	gone := assigned(t, without, again(t, g.next))
	assert.Contains(t, told(gone), "retired mole block 10.48.0.128/26\n")
	assert.Contains(t, told(gone), "new isle block 10.48.0.192/26\n")
	back := assigned(t, sites, again(t, gone.next))
	assert.Contains(t, told(back), "back mole block 10.48.0.128/26\n")
	assert.Contains(t, told(back), "back mole-staff subnet 10.48.0.128/27\n")
}

// A block that has another name by now is given what it had, since its takers are there.
func TestABlockRenamedByHandStaysWhereItIs(t *testing.T) {
	g := assigned(t, sites, nil)
	renamed := assigned(t, strings.ReplaceAll(strings.ReplaceAll(sites, "quay: {", "pier: {"), "from: quay", "from: pier"), again(t, g.next))
	assert.Contains(t, told(renamed), "new pier block 10.48.0.0/25\n")
	assert.Contains(t, told(renamed), "new pier block 2001:db8:5ea::/60\n")
	assert.Contains(t, told(renamed), "retired quay block 10.48.0.0/25\n")
	again(t, renamed.next)
}

func TestTheLedgersOfTwoSitesMayNotOverlap(t *testing.T) {
	g := assigned(t, sites, ledgerOf(t, "mole block 10.48.0.0/26", "quay block 10.48.0.0/25"))
	assert.Contains(t, reasons(g), "ledger-broken: 10.48.0.0/25 overlaps 10.48.0.0/26, which mole was given")
}

// Six sites with needs of their own: what is of one kind lies at the same place in each, in
// both families, and goes on doing so when a site is added.
func TestBlocksThatAreAlikeAreLaidOutAlike(t *testing.T) {
	text := func(n int) string {
		return fmt.Sprintf(`blocks:
  home: [10.48.0.0/16, '2001:db8:5ea::/48']
  site-(01..%02d): {from: home, alike: site}
segments:
  staff-(01..%02[1]d): {hosts: 20, from: site-(n)}
  cams-(01..%02[1]d): {hosts: 5, from: site-(n)}
  staff-03: {hosts: 50, from: site-03}
  lab-05: {hosts: 9, from: site-05}
devices: {rtr-(01..%02[1]d): {is: router, loopback: true, from: site-(n), interfaces: {a: {segment: staff-(n)}}}}
`, n)
	}
	g := assigned(t, text(6), nil)
	assert.Empty(t, reasons(g))
	places := func(g given, kind string) map[string]int {
		all := map[string]int{}
		for _, e := range g.next.Entries {
			if !strings.HasPrefix(e.Owner, kind) || e.Kind == assign.Address {
				continue
			}
			b, ok := g.spec.BlockNamed("site-" + e.Owner[len(e.Owner)-2:])
			require.True(t, ok)
			for _, p := range g.spec.Blocks[b].Prefixes {
				if prefix.Covers(p.Prefix, e.Prefix) {
					all[prefix.Shift(e.Prefix, p.Prefix, netip.PrefixFrom(zero(p.Prefix), p.Bits())).Addr().String()]++
				}
			}
		}
		return all
	}
	assert.Equal(t, map[string]int{"0.0.0.0": 6, "::": 6}, places(g, "staff"))
	assert.Equal(t, map[string]int{"0.0.0.64": 6, "0:0:0:1::": 6}, places(g, "cams"), "behind the largest staff")
	assert.Equal(t, map[string]int{"0.0.0.72": 6, "::2:0:0:0:2": 6}, places(g, "rtr"))
	assert.Equal(t, map[string]int{"0.0.0.80": 1, "0:0:0:3::": 1}, places(g, "lab"),
		"which only one has, and which takes no room in the others")
	more := assigned(t, text(9), again(t, g.next))
	assert.Empty(t, reasons(more))
	assert.Equal(t, map[string]int{"0.0.0.64": 9, "0:0:0:1::": 9}, places(more, "cams"))
	lab := assigned(t, strings.Replace(text(9), "lab-05: {hosts: 9", "lab-05: {hosts: 60", 1), again(t, more.next))
	assert.NotContains(t, reasons(lab), "head-room", "what only one has is of no concern to the others")
}

func zero(p netip.Prefix) netip.Addr {
	if p.Addr().Is4() {
		return netip.IPv4Unspecified()
	}
	return netip.IPv6Unspecified()
}

func TestSubnetNumbersAreVLANNumbers(t *testing.T) {
	text := `blocks:
  home: ['2001:db8:5ea::/48']
  quay: {from: home, subnet-number: vlan}
  mole: {from: home, subnet-number: vlan-value}
segments:
  quay-staff: {hosts: 20, vlan: 110, from: quay}
  quay-attic: {hosts: 20, from: quay}
  mole-staff: {hosts: 20, vlan: 110, from: mole}
`
	g := assigned(t, text, nil)
	assert.Empty(t, reasons(g))
	assert.Equal(t, `new quay block 2001:db8:5ea::/52
new mole block 2001:db8:5ea:1000::/56
new quay-staff subnet 2001:db8:5ea:110::/64
new quay-attic subnet 2001:db8:5ea::/64
new mole-staff subnet 2001:db8:5ea:106e::/64
`, told(g), "110 as digits wants twelve bits, 0x110; as a value eight, 0x6e; on a border of four")
}

// Plans are edited at random: at every step the blocks lie in their own, apart from one
// another, hold what takes from them, and nothing that was given has moved.
func TestBlocksNeverMoveByThemselves(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 17))
		n := &siteNetwork{r: r}
		for range 3 {
			n.addSite()
		}
		var ledger *assign.Ledger
		for step := range 12 {
			text := n.text()
			g := assigned(t, text, ledger)
			fits := !strings.Contains(reasons(g), "does-not-fit") && !strings.Contains(reasons(g), "outgrown")
			n.check(t, g, fits, fmt.Sprintf("seed %d step %d\n%s\n%s", seed, step, text, reasons(g)))
			for _, c := range g.changes {
				require.NotEqual(t, assign.Moved, c.What, "seed %d: %s moved\n%s", seed, c.Entry.Owner, text)
				if c.What == assign.Grown {
					require.Equal(t, assign.Block, c.Entry.Kind)
					was := netip.MustParsePrefix(c.Was)
					require.True(t, prefix.Covers(c.Entry.Prefix, was), "%s is grown from %s", c.Entry.Prefix, was)
				}
			}
			require.Empty(t, assigned(t, text, again(t, g.next)).changes, "seed %d: a second time nothing changes\n%s", seed, text)
			ledger = again(t, g.next)
			n.edit()
		}
	}
}

// siteNetwork is a plan by site that is edited at random.
type siteNetwork struct {
	r     *rand.Rand
	sites []*siteOf
	count int
}

type siteOf struct {
	name, keys string
	lans       []string
	hosts      []int
	router     bool
	inner      bool // has a block within for its last LAN
}

func (n *siteNetwork) addSite() {
	n.count++
	s := &siteOf{name: fmt.Sprintf("s%d", n.count), router: n.r.IntN(2) == 0, inner: n.r.IntN(4) == 0}
	switch n.r.IntN(4) {
	case 0:
		s.keys = ", length: 24"
	case 1:
		s.keys = ", grow: 50%"
	case 2:
		s.keys = ", alike: site"
	}
	n.sites = slices.Insert(n.sites, n.r.IntN(len(n.sites)+1), s)
	for range 1 + n.r.IntN(3) {
		n.addLAN(s)
	}
}

func (n *siteNetwork) addLAN(s *siteOf) {
	n.count++
	s.lans, s.hosts = append(s.lans, fmt.Sprintf("l%d-%s", n.count, s.name)), append(s.hosts, 2+n.r.IntN(50))
}

func (n *siteNetwork) edit() {
	s := n.sites[n.r.IntN(len(n.sites))]
	switch n.r.IntN(5) {
	case 0:
		n.addSite()
	case 1, 2:
		n.addLAN(s)
	case 3:
		s.router = !s.router
	case 4:
		if len(n.sites) > 2 {
			n.sites = slices.DeleteFunc(n.sites, func(x *siteOf) bool { return x == s })
		}
	}
}

func (n *siteNetwork) text() string {
	var blocks, segments, devices strings.Builder
	for _, s := range n.sites {
		fmt.Fprintf(&blocks, "  %s: {from: home%s}\n", s.name, s.keys)
		if s.inner {
			fmt.Fprintf(&blocks, "  in-%s: {from: %s}\n", s.name, s.name)
		}
		for i, lan := range s.lans {
			from := s.name
			if s.inner && i == len(s.lans)-1 {
				from = "in-" + s.name
			}
			fmt.Fprintf(&segments, "  %s: {hosts: %d, from: %s}\n", lan, s.hosts[i], from)
		}
		if s.router {
			fmt.Fprintf(&devices, "  r-%s: {is: router, loopback: true, from: %s}\n", s.name, s.name)
		}
	}
	return "blocks:\n  home: [10.48.0.0/20, '2001:db8:5ea::/52']\n" + blocks.String() + "segments:\n" + segments.String() +
		"  beam: {point-to-point: true, from: home}\ndevices:\n  top: {is: router, loopback: true, from: home}\n" + devices.String()
}

// check sees that everything lies where it is to lie.
func (n *siteNetwork) check(t *testing.T, g given, fits bool, where string) {
	t.Helper()
	spec := g.spec
	for b := range spec.Blocks {
		block := &spec.Blocks[b]
		if len(block.From) == 0 {
			continue
		}
		if fits {
			require.Len(t, block.Prefixes, 2, "%s has both families: %s", block.Name, where)
		}
		for _, p := range block.Prefixes {
			require.Equal(t, p.Masked(), p.Prefix, "aligned")
			inside := slices.ContainsFunc(spec.Blocks[block.From[0]].Prefixes,
				func(q model.Prefix) bool { return prefix.Covers(q.Prefix, p.Prefix) })
			require.True(t, inside, "%s %s: %s", block.Name, p.Prefix, where)
			if p.Addr().Is6() {
				require.Zero(t, p.Bits()%4, "%s %s", block.Name, p.Prefix)
			}
			for other := range spec.Blocks {
				for _, q := range spec.Blocks[other].Prefixes {
					related := spec.Within(model.BlockID(b), model.BlockID(other)) || spec.Within(model.BlockID(other), model.BlockID(b))
					require.True(t, related || !p.Overlaps(q.Prefix), "%s and %s: %s", block.Name, spec.Blocks[other].Name, where)
				}
			}
		}
	}
	for b, takers := range spec.Takers() {
		for _, x := range takers {
			for _, family := range prefix.Families {
				for _, p := range spec.TakenBy(x, family) {
					inside := slices.ContainsFunc(spec.Blocks[b].Prefixes, func(q model.Prefix) bool { return prefix.Covers(q.Prefix, p.Prefix) })
					require.True(t, inside, "%s %s: %s", spec.TakerName(x), p.Prefix, where)
				}
			}
		}
	}
}
