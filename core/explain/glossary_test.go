package explain_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/explain"
	"ropeswing/core/plan"
)

// Each word is there once, in order, with a key that the plan has, and is found by every name it has.
func TestTheGlossary(t *testing.T) {
	var names []string
	for _, x := range explain.Glossary() {
		names = append(names, strings.ToLower(x.Name))
		assert.True(t, strings.HasSuffix(x.Means, "."), "%s is a sentence", x.Name)
		if x.Key != "" {
			_, _, ok := x.KeyOf()
			assert.True(t, ok, "%s: the plan has no key %s", x.Name, x.Key)
		}
		for _, name := range append([]string{x.Name}, x.Also...) {
			found, ok := explain.TermNamed(strings.ToUpper(name))
			assert.True(t, ok, name)
			assert.NotEmpty(t, found.Means)
		}
	}
	assert.True(t, slices.IsSorted(names), "in the order of the alphabet")
	assert.Equal(t, len(names), len(slices.Compact(slices.Clone(names))))
	for word, name := range map[string]string{"NAT": "address translation", "administrative-distance": "administrative distance",
		"svi": "VLAN interface", "watch": "tracked route"} {
		found, ok := explain.TermNamed(word)
		assert.True(t, ok, word)
		assert.Equal(t, name, found.Name)
	}
	_, ok := explain.TermNamed("wibble")
	assert.False(t, ok)
}

// Every key of the plan is found by its name, at every place where it stands, and nothing else is.
func TestKeysAreFoundByTheirNames(t *testing.T) {
	total := 0
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			keys, where := explain.KeysNamed(k.Name)
			assert.Len(t, where, len(keys))
			found := false
			for i, x := range keys {
				assert.Equal(t, k.Name, x.Name)
				found = found || where[i] == g.Where && x == k
			}
			assert.True(t, found, "%s of %s", k.Name, g.Where)
			total++
		}
	}
	assert.Greater(t, total, 100)
	keys, where := explain.KeysNamed("no-such-key")
	assert.Empty(t, keys)
	assert.Empty(t, where)
}
