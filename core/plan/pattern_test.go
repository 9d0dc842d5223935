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
		{"(the old one)", "(the old one)"}, {"(7)", "(7)"}, {"(n+)", "(n+)"}, {"p(n).(100+n)", "p07.107"}, {"x(01..20)y",
			"x07y"}, {"(9999999999*n)", "(9999999999*n)"},
		{"hut-(n-1)", "hut-06"}, {"hut-(n-7)", "hut-00"}, {"hut-(n*1)", "hut-7"}, {"hut-(n-1):p(n) to hub:q(n + 1)", "hut-06:p07 to hub:q08"},
		{"10.48.(n).0/24", "10.48.7.0/24"}, {"(n)", "7"}, {"-(n)", "-7"}, {"(n)..(n+10)", "7..17"}, {"hut-(n) reaches 10.0.(n).1",
			"hut-07 reaches 10.0.7.1"},
		{"02:00:5e:00:00:(n)", "02:00:5e:00:00:07"}, {"2001:db8:(n)::/48", "2001:db8:07::/48"}, {"100..(n),hut-(n)", "100..7,hut-07"},
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
	assert.Equal(t, []string{"hut-1 (200+n)", "hut-3 (200+n)", "hut-2 99"}, names,
		"an exact name overrides, and places are of the text as written")
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

// A pattern's range may leave numbers out, singly or as ranges; what is not in it is a slip.
func TestAPatternLeavesNumbersOut(t *testing.T) {
	for _, tt := range []struct{ name, want string }{
		{"a-(1..5, not 3)", "a-1 a-2 a-4 a-5"},
		{"a-(01..07, not 02, 04..06)", "a-01 a-03 a-07"},
		{"a-(1..2, not 1..2)", ""},
	} {
		d, found := Parse(source.New("p", []byte("ropeswing: 1\nsegments: {\""+tt.name+"\": {note: number (n)}}\n")))
		require.Empty(t, found, tt.name)
		var names []string
		for _, s := range d.Segments {
			names = append(names, s.Name.Value)
			assert.Contains(t, s.Note.Value, strings.TrimLeft(s.Name.Value, "a-0"))
		}
		assert.Equal(t, tt.want, strings.Join(names, " "), tt.name)
	}
	for name, amiss := range map[string]string{"a-(1..5, not 6)": "6", "a-(1..5, not 2, 0)": "0", "a-(1..5, not 4..3)": "4..3",
		"a-(1..5, not 4..9)": "4..9"} {
		_, found := Parse(source.New("p", []byte("ropeswing: 1\nsegments: {\""+name+"\": {}}\n")))
		require.Len(t, found, 1, name)
		assert.Contains(t, found[0].Reason, "leaves out "+amiss+", which is not in its range")
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

// Wherever a plan has several names or sentences, a pattern stands for several of them.
func TestPatternsWorkWhereverNamesDo(t *testing.T) {
	for _, tt := range []struct {
		where string
		plan  string
		read  func(d *Document) any
		want  any
	}{
		{"blocks", "blocks: {site-(1..2): 10.(n).0.0/16, site-2: {prefix: 10.9.0.0/16}}", func(d *Document) any {
			return []string{d.Blocks[0].Name.Value, d.Blocks[0].Prefixes[0].Value, d.Blocks[1].Prefixes[0].Value}
		}, []string{"site-1", "10.1.0.0/16", "10.9.0.0/16"}},
		{"groups", "groups: {ring-(01..02): [r-(n), 'r-(n-1)', 'x-(1..2)'], ring-02: a}", func(d *Document) any {
			return [][]string{values(d.Groups[0].Of), values(d.Groups[1].Of)}
		}, [][]string{{"r-01", "r-00", "x-1", "x-2"}, {"a"}}},
		{"wants: reach", "wants: {reach: [hut-(1..2) to hub]}", func(d *Document) any { return values(d.Wants.Reach) },
			[]string{"hut-1 to hub", "hut-2 to hub"}},
		{"wants: world", "wants: {world: 'hut-(1..2)'}", func(d *Document) any { return values(d.Wants.World) }, []string{"hut-1", "hut-2"}},
		{"wants: carriers", "wants: {carriers: ['c-(1..2)']}", func(d *Document) any { return values(d.Wants.Carriers) },
			[]string{"c-1", "c-2"}},
		{"wants: leave-out", "wants: {leave-out: ['c-(1..2)', d]}", func(d *Document) any { return values(d.Wants.LeaveOut) },
			[]string{"c-1", "c-2", "d"}},
		{"must", "must: ['hut-(1..2) reaches hub without line-(n)', a reaches b]", func(d *Document) any { return values(d.Must) },
			[]string{"hut-1 reaches hub without line-1", "hut-2 reaches hub without line-2", "a reaches b"}},
		{"permits", "devices: {r: {permits: ['hut-(1..2) may reach hub', {permit: 'lan-(1..2) may answer x', in: p(n)}], own-permits: " +
			"'h-(1..2) may reach r'}}", func(d *Document) any {
			r := d.Devices[0]
			return []string{r.Permits[1].Sentence.Value, r.Permits[3].Sentence.Value, r.Permits[3].In[0].Value, r.OwnPermits[1].Sentence.Value}
		}, []string{"hut-2 may reach hub", "lan-2 may answer x", "p2", "h-2 may reach r"}},
		{"interfaces", "devices: {'r-(1..2)': {interfaces: {p(01..02): {segment: lan-(n), admin: down}, p02: {segment: x}, 'q(1..2)': " +
			"{segment: own-(n)}}}}", func(d *Document) any {
			var all []string
			for _, i := range d.Devices[1].Interfaces {
				all = append(all, i.Name.Value+" "+i.Segment.Value)
			}
			return all
		}, []string{"p01 lan-01", "p02 x", "q2 own-2"}},
		{"routes and tables", "devices: {r: {routes: {lan-(1..2): {next-hop: r-(n)}, lan-2: x}, tables: {t-(1..2): {default: g-(n)}}}}",
			func(d *Document) any {
				r := d.Devices[0]
				return []string{r.Routes[0].To.Value, r.Routes[0].Hops[0].NextHop.Value, r.Routes[1].Hops[0].NextHop.Value, r.Tables[1].Name.Value,
					r.Tables[1].Routes[0].Hops[0].NextHop.Value}
			}, []string{"lan-1", "r-1", "x", "t-2", "g-2"}},
		{"lists of a device", "devices: {r: {from: 'b-(1..2)', interfaces: {g: {members: ['p(1..2)']}, t: {tagged: ['v-(1..2)', 100..199], " +
			"relay: ['s-(1..2)']}}}}", func(d *Document) any {
			r := d.Devices[0]
			return [][]string{values(r.From), values(r.Interfaces[0].Members), values(r.Interfaces[1].Tagged), values(r.Interfaces[1].Relay)}
		}, [][]string{{"b-1", "b-2"}, {"p1", "p2"}, {"v-1", "v-2", "100..199"}, {"s-1", "s-2"}}},
		{"access", "access: [{for: 'hut-(1..2)', methods: [{by: netconf, user: keeper}]}]", func(d *Document) any {
			return []string{d.Access[0].For.Value, d.Access[1].For.Value, d.Access[1].Methods[0].User.Value}
		}, []string{"hut-1", "hut-2", "keeper"}},
		{"accept", "accept: [{finding: no-route-out, of: 'hut-(1..2)', because: it is on purpose}]", func(d *Document) any {
			return []string{d.Accepts[0].Of.Value, d.Accepts[1].Of.Value}
		}, []string{"hut-1", "hut-2"}},
	} {
		text := "ropeswing: 1\n" + strings.NewReplacer("devices: {r: {", "devices: {r: {is: router, ", "'r-(1..2)': {",
			"'r-(1..2)': {is: router, ").Replace(tt.plan) + "\n"
		d, found := Parse(source.New("p", []byte(text)))
		require.Empty(t, found, tt.where)
		assert.Equal(t, tt.want, tt.read(d), tt.where)
	}
}

func values(all []Text) (out []string) {
	for _, t := range all {
		out = append(out, t.Value)
	}
	return out
}
