package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/source"
)

// edited puts a value at a path of a plan and returns the lines that differ,
// those taken out behind '-', those put in behind '+'.
func edited(t *testing.T, text, path, value string) (string, bool) {
	t.Helper()
	d, found := parse(text)
	require.Empty(t, found)
	e, ok := d.Put(strings.Split(path, "/"), value)
	for i := range d.parts {
		d.parts[i].root = nil // as of a large file, of which one entry is read again
	}
	large, also := d.Put(strings.Split(path, "/"), value)
	require.Equal(t, ok, also, path)
	require.Equal(t, e, large, path)
	if !ok {
		return "", false
	}
	out := string(Apply(d.File, e))
	again, found := parse(out)
	require.Empty(t, found, out)
	require.NotNil(t, again)
	var diff []string
	before, after := strings.Split(text, "\n"), strings.Split(out, "\n")
	for len(before) > 0 && len(after) > 0 && before[0] == after[0] {
		before, after = before[1:], after[1:]
	}
	for len(before) > 0 && len(after) > 0 && before[len(before)-1] == after[len(after)-1] {
		before, after = before[:len(before)-1], after[:len(after)-1]
	}
	for _, l := range before {
		diff = append(diff, "-"+l)
	}
	for _, l := range after {
		diff = append(diff, "+"+l)
	}
	return strings.Join(diff, "\n"), true
}

func TestPutSplicesBytes(t *testing.T) {
	const text = `ropeswing: 1   # the version
# about the devices
devices:
  quay-edge:
    is:   router      # the way out
    routes:
      default: a      # to the world

  mole-rtr:
    is: router
    note: |
      two lines
      of text

  desk-7:   {is: host, note: "a # b"}   # by the window
  desk-8: {is: host,
    note: it's here}
# the end
`
	tests := []struct{ about, path, value, want string }{
		{"a value replaced", "devices/quay-edge/is", "firewall",
			"-    is:   router      # the way out\n+    is:   firewall      # the way out"},
		{"a key added in block layout, behind the comment of the last", "devices/quay-edge/routes/10.0.0.0-8", "b", "+      10.0.0.0-8: b"},
		{"a map added with its first key", "devices/mole-rtr/routes/default", "quay-edge", "+    routes:\n+      default: quay-edge"},
		{"a key added in braces", "devices/desk-7/gateway", "quay-edge",
			"-  desk-7:   {is: host, note: \"a # b\"}   # by the window\n+  desk-7:   {is: host, note: \"a # b\", gateway: quay-edge}   # by " +
				"the window"},
		{"braces over two lines", "devices/desk-8/gateway", "quay-edge", "-    note: it's here}\n+    note: it's here, gateway: quay-edge}"},
		{"a quoted value replaced", "devices/desk-7/note",
			"c", "-  desk-7:   {is: host, note: \"a # b\"}   # by the window\n+  desk-7:   {is: host, note: c}   # by the window"},
		{"nested keys in braces", "devices/desk-7/routes/default", "a",
			"-  desk-7:   {is: host, note: \"a # b\"}   # by the window\n+  desk-7:   {is: host, note: \"a # b\", routes: {default: a}}   # " +
				"by the window"},
		{"a text of several lines replaced", "devices/mole-rtr/note", "one line",
			"-    note: |\n-      two lines\n-      of text\n+    note: one line"},
		{"at the top", "operator", "desk-7", "+operator: desk-7"},
	}
	for _, tt := range tests {
		got, ok := edited(t, strings.Replace(text, "10.0.0.0-8", "10.0.0.0-8", 1), tt.path, tt.value)
		assert.True(t, ok, tt.about)
		assert.Equal(t, tt.want, got, tt.about)
	}
}

func TestPutIntoAnEmptyMap(t *testing.T) {
	got, ok := edited(t, "ropeswing: 1\nsegments: {a: {}}\n", "segments/a/vlan", "110")
	assert.True(t, ok)
	assert.Equal(t, "-segments: {a: {}}\n+segments: {a: {vlan: 110}}", got)
}

func TestPutRefusesWhatIsNoMap(t *testing.T) {
	_, ok := edited(t, "ropeswing: 1\nplan: x\n", "plan/inner", "y")
	assert.False(t, ok)
}

func TestPutKeepsLineEndings(t *testing.T) {
	d, found := parse("ropeswing: 1\r\ndevices:\r\n  a:\r\n    is: router\r\n")
	require.Empty(t, found)
	e, ok := d.Put([]string{"devices", "a", "routes", "default"}, "b")
	require.True(t, ok)
	assert.Equal(t, "ropeswing: 1\r\ndevices:\r\n  a:\r\n    is: router\r\n    routes:\r\n      default: b\r\n", string(Apply(d.File, e)))
}

func TestKeysThatYAMLWouldMisreadAreQuoted(t *testing.T) {
	got, ok := edited(t, "ropeswing: 1\ndevices:\n  a:\n    is: router\n    routes:\n      default: b\n", "devices/a/routes/2001:db8::", "b")
	assert.True(t, ok)
	assert.Equal(t, `+      "2001:db8::": b`, got)
}

func TestApplyMakesSeveralEdits(t *testing.T) {
	d, _ := parse("ropeswing: 1\nplan: one\noperator: two\n")
	second, _ := d.Put([]string{"operator"}, "deux")
	first, _ := d.Put([]string{"plan"}, "un")
	assert.Equal(t, "ropeswing: 1\nplan: un\noperator: deux\n", string(Apply(d.File, second, first)), "in whatever order they are given")
	assert.Equal(t, source.Place{File: d.File, Start: 19, End: 22}, first.Place)
}
