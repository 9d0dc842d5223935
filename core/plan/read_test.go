package plan

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// parse reads a plan in a test.
func parse(text string) (*Document, []finding.Finding) {
	return Parse(source.New("p.yaml", []byte(text)))
}

// places turns findings into "name line:column" for comparison.
func places(found []finding.Finding) []string {
	var all []string
	for _, f := range finding.Sort(found) {
		all = append(all, string(f.Name)+strings.TrimPrefix(f.Place.String(), "p.yaml"))
	}
	return all
}

const wholePlan = `ropeswing: 1
plan: Skerry Lights
operator: ops-laptop
settings: {resolve-through-default: yes, vlan-interface-needs-port: false, error-source: towards-sender}
blocks:
  home: [10.48.0.0/20, "2001:db8:5ea::/48"]
segments:
  quay-staff: {vlan: 110, prefix: 10.48.1.0/26, gateway: first, note: desks}
  10.10: {}
devices:
  quay-edge:
    is: router
    loopback: 10.48.0.254
    forwards: true
    interfaces:
      lan0.110: {segment: quay-staff, address: [first, "2001:db8::1/64"], parent: lan0, tag: 110, admin: down, note: x}
    routes:
      default: [a, 10.0.0.1]
      10.48.2.0/24: {next-hop: b, out: lan0.110, distance: 20, metric: 5}
      10.48.3.0/24: [{discard: true}]
  sw: {is: switch, interfaces: {p1..p4: {access: quay-staff}, p5: {tagged: [110, quay-staff], untagged: 120}, mgmt: {vlan: quay-staff, address: -2}}}
  ops-laptop: {is: host, at: "sw:p1", address: 10, gateway: quay-edge}
  world: {is: world, beyond: [192.0.2.0/24]}
cables:
  - quay-edge:lan0 to sw:p5
  - beam-a: a:x to b:y
  - beam-b: {between: c:x to d:y, fault: hidden}
  - {between: e:x to f:y}
`

func TestEveryKeyIsRead(t *testing.T) {
	d, found := parse(wholePlan)
	require.Empty(t, found)
	assert.Equal(t, "Skerry Lights", d.Name.Value)
	assert.Equal(t, "ops-laptop", d.Operator.Value)
	assert.True(t, d.Settings.ResolveThroughDefault.Or(false))
	assert.False(t, d.Settings.VLANInterfaceNeedsPort.Or(true))
	assert.Equal(t, "towards-sender", d.Settings.ErrorSource.Value)
	assert.Equal(t, "2001:db8:5ea::/48", d.Blocks[0].Prefixes[1].Value)

	s := d.Segments[0]
	assert.Equal(t, []any{"quay-staff", 110, "10.48.1.0/26", "first", "desks"},
		[]any{s.Name.Value, s.VLAN.Value, s.Prefixes[0].Value, s.Gateway[0].Value, s.Note.Value})
	assert.Equal(t, "10.10", d.Segments[1].Name.Value, "a name is its text, never a number")

	edge := d.Devices[0]
	assert.Equal(t, []any{"quay-edge", "router", "10.48.0.254", true},
		[]any{edge.Name.Value, edge.Is.Value, edge.Loopback[0].Value, edge.Forwards.Or(false)})
	i := edge.Interfaces[0]
	assert.Equal(t, []any{"lan0.110", "quay-staff", "first", "2001:db8::1/64", "lan0", 110, "down", "x"},
		[]any{i.Name.Value, i.Segment.Value, i.Addresses[0].Value, i.Addresses[1].Value, i.Parent.Value, i.Tag.Value, i.Admin.Value,
			i.Note.Value})
	assert.Equal(t, []any{"default", "a", "10.0.0.1"},
		[]any{edge.Routes[0].To.Value, edge.Routes[0].Hops[0].NextHop.Value, edge.Routes[0].Hops[1].NextHop.Value})
	h := edge.Routes[1].Hops[0]
	assert.Equal(t, []any{"b", "lan0.110", 20, 5}, []any{h.NextHop.Value, h.Out.Value, h.Distance.Value, h.Metric.Value})
	assert.True(t, edge.Routes[2].Hops[0].Discard.Value)

	sw := d.Devices[1].Interfaces
	assert.Equal(t, []any{"p1..p4", "quay-staff", "110", "quay-staff", "120", "quay-staff", "-2"},
		[]any{sw[0].Name.Value, sw[0].Access.Value, sw[1].Tagged[0].Value, sw[1].Tagged[1].Value, sw[1].Untagged.Value, sw[2].VLAN.Value,
			sw[2].Addresses[0].Value})
	host := d.Devices[2]
	assert.Equal(t, []any{"sw:p1", "10", "quay-edge"}, []any{host.At.Value, host.Addresses[0].Value, host.Gateway[0].Value})
	assert.Equal(t, "192.0.2.0/24", d.Devices[3].Beyond[0].Value)

	assert.Equal(t, []string{"quay-edge:lan0", "sw:p5"}, []string{d.Cables[0].Ends[0].Value, d.Cables[0].Ends[1].Value})
	assert.False(t, d.Cables[0].Name.Written())
	assert.Equal(t, "beam-a", d.Cables[1].Name.Value)
	assert.Equal(t, []string{"beam-b", "hidden", "d:y"}, []string{d.Cables[2].Name.Value, d.Cables[2].Fault.Value, d.Cables[2].Ends[1].Value})
	assert.Equal(t, "f:y", d.Cables[3].Ends[1].Value)
}

func TestWordsKnowTheirPlace(t *testing.T) {
	d, _ := parse(wholePlan)
	for place, text := range map[source.Place]string{
		d.Cables[0].Ends[1].Place:            "sw:p5",
		d.Cables[2].Ends[0].Place:            "c:x",
		d.Devices[2].At.Place:                `"sw:p1"`,
		d.Segments[0].VLAN.Place:             "110",
		d.Devices[0].Routes[0].Hops[1].Place: "10.0.0.1",
	} {
		assert.Equal(t, text, place.Text())
	}
	device, port, ok := d.Devices[2].At.Cut(":")
	assert.True(t, ok)
	assert.Equal(t, []string{"sw", "p1"}, []string{device.Place.Text(), port.Place.Text()}, "inside the quotes")
}

func TestAllSlipsInOneGo(t *testing.T) {
	_, found := parse(`ropeswing: 2
plan: [x]
operatr: x
segments:
  a: {vlan: 4095}
  b: {vlan: ten}
  a: {}
  "a b": {}
devices:
  d: {is: ruoter}
  e: {}
  first: {is: host}
  10.0.0.1: {is: host}
  x: {is: router, interfaces: [lan0], routes: {default: {distance: 3}}}
cables: {a: b}
`)
	assert.Equal(t, []string{
		"bad-value:1:12", "wrong-type:2:7", "unknown-key:3:1", "bad-value:5:13", "bad-value:6:13", "duplicate-key:7:3", "bad-name:8:3",
		"bad-value:10:11", "missing-key:11:3", "bad-name:12:3", "bad-name:13:3", "wrong-type:14:31", "missing-key:14:57", "wrong-type:15:9",
	}, places(found))
}

// YAML's traps for network engineers are told by name (DESIGN: the plan).
func TestTraps(t *testing.T) {
	tests := []struct{ about, text, want, says string }{
		{"an address that ends in colons", "blocks:\n  home: 2001:db8::\n", "unquoted-ipv6:3:9", `"2001:db8::"`},
		{"the same in a list", "blocks:\n  home: [2001:db8::]\n", "unquoted-ipv6:3:10", `"2001:db8::"`},
		{"no space behind a colon, in braces", "segments:\n  a: {vlan:110}\n", "missing-space:3:7", "vlan: 110"},
		{"no space behind a colon, on its own", "segments:\n  a:\n    vlan:110\n", "missing-space:4:5", "vlan: 110"},
		{"no space behind a colon, with more below", "segments:\n  a:\n    vlan:110\n    note: x\n", "missing-space:4:5", "vlan: 110"},
		{"a leading zero", "segments:\n  a: {vlan: 0110}\n", "leading-zero:3:13", "write 110"},
		{"a tab", "segments:\n\ta: {}\n", "tab-indent:3:1", "spaces"},
		{"an alias", "blocks:\n  a: &x [10.0.0.0/8]\n  b: *x\n", "alias-used:4:6", "*x"},
		{"a merge key", "segments:\n  a: {<<: {vlan: 1}}\n", "alias-used:3:7", "merge"},
		{"a tag", "plan: !x y\n", "wrong-type:2:7", "!x"},
		{"an open bracket", "blocks:\n  a: [10.0.0.0/8\n", "not-yaml:3:6", "not closed"},
		{"an open brace", "segments:\n  a: {vlan: 1\n", "not-yaml:3:6", "not closed"},
		{"an open quote", "plan: \"x\n", "not-yaml:2:7", "not closed"},
		{"two documents", "---\nplan: x\n", "not-yaml", "several"},
		{"a second colon", "plan: a: b\n", "not-yaml:2:8", "second"},
		{"indented unevenly", "segments:\n  a: {}\n b: {}\n", "not-yaml:4:2", "line up"},
	}
	for _, tt := range tests {
		_, found := parse("ropeswing: 1\n" + tt.text)
		if assert.Equal(t, []string{tt.want}, places(found), tt.about) {
			assert.Contains(t, found[0].Reason, tt.says, tt.about)
		}
	}
}

func TestFilesThatAreNoPlans(t *testing.T) {
	fsys := fstest.MapFS{
		"empty":   {Data: nil},
		"blank":   {Data: []byte(" \n\n")},
		"comment": {Data: []byte("# nothing\n")},
		"list":    {Data: []byte("- a\n")},
		"word":    {Data: []byte("hello\n")},
		"other":   {Data: []byte("plan: x\n")},
		"binary":  {Data: []byte("\x7fELF\x02\x01\x01\x00\x00\x00")},
		"latin1":  {Data: []byte("ropeswing: 1\nplan: K\xfcste, the coast of nowhere in particular\n")},
		"bell":    {Data: []byte("ropeswing: 1\nplan: x\x07\n")},
		"lone-cr": {Data: []byte("ropeswing: 1\rplan: x\n")},
		"huge":    {Data: make([]byte, LargestFile+1)},
		"deep":    {Data: []byte("ropeswing: 1\nplan: " + strings.Repeat("[", 100000))},
		"dir/x":   {Data: nil},
	}
	tests := []struct{ name, finding, says string }{
		{"missing", "unreadable-file", "no such file"},
		{"dir", "unreadable-file", "directory"},
		{"empty", "unreadable-file", "empty"},
		{"blank", "unreadable-file", "empty"},
		{"comment", "not-yaml", "nothing but comments"},
		{"list", "not-a-plan", "no plan"},
		{"word", "not-a-plan", "no plan"},
		{"other", "not-a-plan", "version"},
		{"binary", "unreadable-file", "binary"},
		{"latin1", "unreadable-file", "0xfc"},
		{"bell", "unreadable-file", "U+0007"},
		{"lone-cr", "unreadable-file", "U+000D"},
		{"huge", "unreadable-file", "64 MB"},
		{"deep", "not-yaml", "nested"},
	}
	for _, tt := range tests {
		_, found := Read(fsys, tt.name, "shown/"+tt.name)
		if assert.Len(t, found, 1, tt.name) {
			assert.Equal(t, tt.finding, string(found[0].Name), tt.name)
			assert.Contains(t, found[0].Reason, tt.says, tt.name)
			assert.True(t, strings.HasPrefix(found[0].Place.String(), "shown/"+tt.name), "messages name the file as it was given")
		}
	}
}

func TestControlCharactersInNamesAreRefused(t *testing.T) {
	for _, name := range []string{`"evil\e[31m"`, `"a\u202eb"`, `"a\u0085b"`, `"a\nb"`} {
		_, found := parse("ropeswing: 1\nsegments:\n  " + name + ": {}\n")
		assert.Equal(t, []string{"bad-name:3:3"}, places(found), name)
	}
}

func TestAliasBombIsOneFinding(t *testing.T) {
	text := "ropeswing: 1\nblocks:\n  a: &a [x, x, x, x, x, x, x, x, x]\n"
	for c := 'b'; c <= 'k'; c++ {
		before := string(c - 1)
		text += "  " + string(c) + ": &" + string(c) + " [" + strings.Repeat("*"+before+", ", 8) + "*" + before + "]\n"
	}
	_, found := parse(text)
	assert.Equal(t, []string{"alias-used:4:10"}, places(found))
	assert.Contains(t, found[0].Reason, "90 such places") // ten lists of nine
}

// A plan may be one line of many megabytes, and a file may be wrong in every
// word; neither may take forever.
func TestHugeLinesAndEndlessSlips(t *testing.T) {
	var b strings.Builder
	b.WriteString("ropeswing: 1\nplan: küste\nsegments: {")
	for i := range 50_000 {
		fmt.Fprintf(&b, "\"ü%d\": {vlan: %d}, ", i, 1+i%4094)
	}
	d, found := parse(b.String() + "}\n")
	require.Empty(t, found)
	assert.Len(t, d.Segments, 50_000)
	assert.Equal(t, `"ü49999"`, d.Segments[49_999].Name.Place.Text())

	_, found = parse(strings.ReplaceAll(b.String(), "vlan", "vlam") + "}\n")
	assert.Len(t, found, mostSlips)
}

func TestUnknownKeyNamesTheNearest(t *testing.T) {
	_, found := parse("ropeswing: 1\nsegments:\n  a: {prefx: 10.0.0.0/8}\n  b: {colour: red}\n")
	require.Len(t, found, 2)
	assert.Equal(t, "did you mean prefix?", found[0].Remedy)
	assert.Contains(t, found[1].Remedy, "its keys are vlan, prefix")
}

func TestKeysAreDocumented(t *testing.T) {
	for _, g := range Keys() {
		assert.NotEmpty(t, g.Where)
		for _, k := range g.Keys {
			assert.NotEmpty(t, k.Form, k.Name)
			assert.True(t, strings.HasSuffix(k.Doc, "."), "%s: %s", k.Name, k.Doc)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(wholePlan))
	f.Add([]byte("ropeswing: 1\nsegments: {a: {vlan:110}}\n"))
	f.Add([]byte("\ufeffropeswing: 1\r\ndevices:\r\n  a: {is: host, at: 'b:c'}\r\n"))
	for _, e := range finding.Catalogue() {
		f.Add([]byte(e.Example))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		file := source.New("f", text)
		d, found := Parse(file)
		require.True(t, d != nil || finding.Stops(found), "no document means a reason")
		for _, x := range found {
			x.Place.Excerpt()
			require.GreaterOrEqual(t, x.Place.End, x.Place.Start)
			require.LessOrEqual(t, x.Place.End, len(text))
			require.NotContains(t, x.Reason, "\x1b")
		}
		if d == nil {
			return
		}
		require.Equal(t, text, Apply(d.File), "no edit, no change")
		if e, ok := d.Put([]string{"plan"}, "other"); ok && len(found) == 0 {
			again, found := Parse(source.New("f", Apply(d.File, e)))
			require.Empty(t, found, "%s", Apply(d.File, e))
			require.Equal(t, "other", again.Name.Value)
		}
	})
}
