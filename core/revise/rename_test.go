package revise_test

import (
	"fmt"
	"io/fs"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/assign"
	"ropeswing/core/coretest"
	"ropeswing/core/plan"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
)

// piers is a plan of two files, in which names stand in all the paths there are.
var piers = fstest.MapFS{
	"a.plan.yaml": {Data: []byte(`ropeswing: 1
include: sites/b.yaml
operator: bb
groups: {all: [bb, deck]}
must: [bb reaches deck, "bb reaches hold without line", "bb, aa and deck reach hold, deck"]
segments:
  deck: {vlan: 7, prefix: 10.1.0.0/24, gateway: aa}
  hold: {prefix: 10.2.0.0/24}
devices:
  aa: {is: router, interfaces: {e: {segment: deck, address: 1}, f: {segment: hold, address: 1}}, permits: [bb may reach deck]}
cables: [line: "aa:e to sw:p1", 'sw:p2 to bb:e']
`)},
	"sites/b.yaml": {Data: []byte(`ropeswing: 1
devices:
  sw: {is: switch, interfaces: {p1..p2: {access: deck}}}
  bb: {is: host, gateway: aa, interfaces: {e: {segment: deck, address: 9}}}
`)},
	"a.ledger": {Data: []byte("ropeswing-ledger 1\n")},
}

func openPiers(t *testing.T, fsys fs.FS) *workspace.Numbers {
	t.Helper()
	n := workspace.Open(fsys, "a.plan.yaml", "a.plan.yaml")
	require.True(t, n.Usable(), n.Slips())
	return n
}

// A rename leaves a plan that says what it said, or does not happen, whatever the name.
func TestRenamesSayTheSameOrAreRefused(t *testing.T) {
	n := openPiers(t, piers)
	names := []string{"cc", "x-1", "no", "null", "12", "1e3", "true", "~", "'bb,'", "a,b", "a]b", "{a}", "a#b", "&a", "*a", "!a", "|", ">",
		"%a", "@a", "`a", "a: b", "\"a\"", "ä", "aa", "deck", "-a", "#a", "a'b", "=", "0x10", "<<", "a..b", "a-(1..2)"}
	renamed := 0
	for _, old := range []string{"bb", "deck", "aa", "line", "sw:p1", "bb:e", "aa:e"} {
		for _, name := range names {
			to := name
			if i := len(old) - 2; i > 0 && old[2] == ':' {
				to = old[:3] + name
			}
			r, err := revise.Rename(n, []assign.Rename{{Old: old, New: to}}, false)
			if err != nil {
				continue
			}
			renamed++
			after := fstest.MapFS{"a.ledger": piers["a.ledger"]}
			for _, f := range n.Document.Files() {
				after[f.Name] = &fstest.MapFile{Data: plan.Apply(f, r.Edits...)}
			}
			again := openPiers(t, after)
			assert.True(t, again.Document.Has(to), "%s to %s", old, to)
			assert.False(t, again.Document.Has(old), "%s to %s", old, to)
			if _, err := revise.Rename(again, []assign.Rename{{Old: to, New: old}}, false); err != nil { // by hand, then
				assert.ErrorContains(t, err, "change the plan by hand", "%s to %s and back", old, to)
				assert.Contains(t, "'bb,'\"a\"a'b", name, "%s to %s and back", old, to)
			}
		}
	}
	assert.Greater(t, renamed, 60)
	for _, refused := range []string{"'bb,'", "a,b", "aa"} {
		_, err := revise.Rename(n, []assign.Rename{{Old: "bb", New: refused}}, false)
		assert.Error(t, err, refused)
	}
	_, err := revise.Rename(n, []assign.Rename{{Old: "bb:e", New: "bb:uplink"}}, false)
	assert.NoError(t, err, "a port in a plan of several files")
}

// A word is written so that YAML reads it as that word, wherever it stands.
func TestWordsAreQuotedAsYAMLWants(t *testing.T) {
	for _, text := range []string{"a", "a-b", "no", "12", "~", "a,b", "[", "a: b", "a #b", `a"b\c`, "ä", "*x", "&x", "!x", "%x", "", "<<",
		"=", "0o7", "2001:db8::1"} {
		for _, form := range []string{"ropeswing: 1\nplan: %s\n", "{ropeswing: 1, plan: %s}\n"} {
			d, _ := plan.Read(fstest.MapFS{"p": {Data: fmt.Appendf(nil, form, plan.Word(text))}}, "p", "p")
			require.NotNil(t, d, "%s of %q", plan.Word(text), text)
			assert.Equal(t, text, d.Name.Value, "%s", plan.Word(text))
		}
	}
}

// A name that stands in full in a sentence made from a pattern is renamed there; one that
// comes of the pattern is refused.
func TestRenamesBesidePatterns(t *testing.T) {
	text := `ropeswing: 1
groups: {all: ["hut-(1..2)"]}
must: ["hut-(1..2) reaches hub:e", 'all reaches deck']
segments: {deck: {prefix: 10.1.0.0/24}, "hut-(1..2)": {prefix: 10.2.(n).0/24}}
devices: {hub: {is: router, interfaces: {e: {segment: deck}, "p(1..2)": {segment: hut-(n)}}}}
`
	n := openPiers(t, fstest.MapFS{"a.plan.yaml": {Data: []byte(text)}, "a.ledger": {Data: []byte("ropeswing-ledger 1\n")}})
	for old, to := range map[string]string{"hub": "mast", "hub:e": "hub:east", "all": "every", "deck": "quay"} {
		r, err := revise.Rename(n, []assign.Rename{{Old: old, New: to}}, false)
		require.NoError(t, err, old)
		after := string(plan.Apply(n.Document.File, r.Edits...))
		assert.NotContains(t, after, "hut-1", old)
	}
	for _, made := range []string{"hut-1", "hub:p2"} {
		_, err := revise.Rename(n, []assign.Rename{{Old: made, New: made + "x"}}, false)
		assert.ErrorContains(t, err, "comes of a pattern", made)
	}
}

// Whatever of the plan in which every key says something has a name can be renamed: no word
// that names it is missed.
func TestWhateverHasANameCanBeRenamed(t *testing.T) {
	n := workspace.FromText("a.plan.yaml", []byte("ropeswing: 1\n"+coretest.EveryKey))
	require.True(t, n.Usable(), n.Slips())
	var names []string
	for _, r := range n.Document.References() {
		if r.Defines && r.Of == "" && !slices.Contains(names, r.Value) {
			names = append(names, r.Value)
		}
	}
	require.Greater(t, len(names), 20)
	for _, name := range names {
		_, err := revise.Rename(n, []assign.Rename{{Old: name, New: "other-name"}}, false)
		assert.NoError(t, err, name)
	}
}
