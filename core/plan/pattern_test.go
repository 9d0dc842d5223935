package plan

import (
	"net/netip"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/source"
)

func TestPatternsAreWorkedOut(t *testing.T) {
	for _, tt := range []struct{ text, want string }{
		{"hut-(n)", "hut-07"}, {"(200+n)", "207"}, {"(n*4-3)", "25"}, {"(2*n+n*n)", "63"}, {"(300-n)", "293"}, {" (n + 1) ", " 8 "},
		{"(the old one)", "(the old one)"}, {"(7)", "(7)"}, {"(n+)", "(n+)"}, {"p(n).(100+n)", "p07.107"}, {"x(01..20)y", "x07y"}, {"(9999999999*n)", "(9999999999*n)"},
	} {
		r := &reader{current: &number{text: "(01..20)", n: 7, pad: 2}}
		assert.Equal(t, tt.want, r.filled(tt.text))
	}
}

func TestWhatAPatternMakes(t *testing.T) {
	d, found := Parse(source.New("p", []byte(`ropeswing: 1
segments:
  hut-(1..3): {vlan: (200+n), note: hut (n) (by the sea)}
  hut-2: {vlan: 99}
devices:
  r-(08..10): {is: router, interfaces: {p(n): {segment: hut-(n*1)}}}
cables:
  - r-(08..10):p(n) to hub:q(n)
  - wire-(1..2): {between: "a:p(n) to b:p(n)", fault: hidden}
  - {between: "x:p to y:p"}
`)))
	require.Empty(t, found)
	var names []string
	for _, s := range d.Segments {
		names = append(names, s.Name.Value+" "+s.VLAN.Place.Text())
	}
	assert.Equal(t, []string{"hut-1 (200+n)", "hut-3 (200+n)", "hut-2 99"}, names, "an exact name overrides, and places are of the text as written")
	assert.Equal(t, "hut 3 (by the sea)", d.Segments[1].Note.Value)
	assert.Equal(t, "r-10", d.Devices[2].Name.Value)
	assert.Equal(t, "p09", d.Devices[1].Interfaces[0].Name.Value)
	require.Len(t, d.Cables, 6)
	assert.Equal(t, "hub:q10", d.Cables[2].Ends[1].Value)
	assert.Equal(t, "wire-2", d.Cables[4].Name.Value)
	assert.Equal(t, "b:p2", d.Cables[4].Ends[1].Value)

	for _, name := range []string{"a-(3..1)", "a-(1..5000)", "a-(1..2)-(1..2)"} {
		_, found := Parse(source.New("p", []byte("ropeswing: 1\nsegments: {\""+name+"\": {}}\n")))
		require.Len(t, found, 1)
		assert.Contains(t, found[0].Reason, "is no pattern")
	}
}

func TestReferencesAreFoundEverywhere(t *testing.T) {
	d, found := Parse(source.New("p", []byte(`ropeswing: 1
operator: x
blocks: {home: 10.0.0.0/8}
segments: {lan: {hosts: 3, from: home, gateway: x, leases: {range: 2..3, by: x}}}
devices:
  x: {is: router, loopback: true, from: home, interfaces: {p: {segment: lan}, q: {parent: p, vlan: lan}, s: {access: lan, tagged: [lan], untagged: lan}}, routes: {lan: {next-hop: x, out: p}}}
  y: {is: host, at: "x:p", gateway: x}
cables: [w: "x:p to y:port"]
`)))
	require.Empty(t, found)
	count := map[string]int{}
	for _, r := range d.References() {
		if r.Of != "" {
			count[r.Of+":"+r.Value]++
		} else {
			count[r.Value]++
		}
	}
	for name, want := range map[string]int{"x": 8, "home": 3, "lan": 7, "y": 2, "w": 1, "x:p": 5, "x:q": 1, "y:port": 1} {
		assert.Equal(t, want, count[name], name)
	}
	assert.True(t, d.Has("x:q"))
	assert.False(t, d.Has("q"))
	assert.False(t, d.Has("y:port"), "nothing makes it by name")
}

func TestIncludedFilesArePartOfThePlan(t *testing.T) {
	fsys := fstest.MapFS{
		"a.plan.yaml":     {Data: []byte("ropeswing: 1\ninclude: [sub/b.yaml, c.yaml]\nsegments: {a: {vlan: 1}}\n")},
		"sub/b.yaml":      {Data: []byte("ropeswing: 1\ninclude: deep/d.yaml\nsegments: {b: {vlan: 2}}\n")},
		"sub/deep/d.yaml": {Data: []byte("ropeswing: 1\nsegments: {d: {vlna: 3}}\n")},
		"c.yaml":          {Data: []byte("ropeswing: 1\nplan: mine\ninclude: ../c.yaml\n")},
	}
	d, found := Read(fsys, "a.plan.yaml", "here/a.plan.yaml")
	require.NotNil(t, d)
	var names []string
	for _, f := range d.Files() {
		names = append(names, f.Name)
	}
	assert.Equal(t, []string{"here/a.plan.yaml", "here/sub/b.yaml", "here/c.yaml", "here/sub/deep/d.yaml"}, names)
	var told []string
	for _, f := range found {
		told = append(told, f.String())
	}
	assert.ElementsMatch(t, []string{
		"here/c.yaml:2:1: the plan has no key plan (unknown-key)",
		"here/c.yaml:3:10: ../c.yaml is outside the plan's folder, and only files in it or below it are taken in (include-refused)",
		"here/sub/deep/d.yaml:2:16: segment d has no key vlna (unknown-key)",
	}, told)
	e, ok := d.Put([]string{"segments", "b", "note"}, "here")
	require.True(t, ok)
	assert.Equal(t, "here/sub/b.yaml", e.Place.File.Name, "an edit is made in the file that has the thing")
}

// Whatever goes into a new plan comes back out of it.
func TestComposedPlansAreReadBack(t *testing.T) {
	start := Start{
		Name:   `a "harbour": yes`,
		Blocks: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("2001:db8::/32")},
		Segments: []StartSegment{
			{Name: "on", VLAN: "auto", Hosts: 3, Note: "true"},
			{Name: "été", VLAN: "7", Note: "# no: remark, {really} [it] is\\not"},
			{Name: "x", Prefixes: []netip.Prefix{netip.MustParsePrefix("2001:db8::/64")}},
		},
	}
	d, found := Parse(source.New("p", Compose(start)))
	require.Empty(t, found, "%s", Compose(start))
	assert.Equal(t, start.Name, d.Name.Value)
	require.Len(t, d.Segments, 3)
	for i, s := range d.Segments {
		assert.Equal(t, start.Segments[i].Name, s.Name.Value)
		assert.Equal(t, start.Segments[i].Note, s.Note.Value)
		assert.Equal(t, start.Segments[i].Hosts, s.Hosts.Value)
	}
	assert.True(t, strings.HasPrefix(string(Compose(Start{Name: "x"})), "ropeswing: 1\nplan: x\n\nsegments:\n"))
}
