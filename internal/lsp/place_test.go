package lsp

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/plan"
)

// Every kind of map of the plan is known where it stands, and every key of it: the editor completes
// and explains them all.
func TestEveryKindOfMapIsKnownWhereItStands(t *testing.T) {
	places := map[string][]string{
		"plan": nil, "accept": {"accept"}, "access": {"access"}, "method": {"access", "methods"}, "secret": {"access", "methods", "key"},
		"settings": {"settings"}, "wants": {"wants"}, "block": {"blocks", "home"}, "segment": {"segments", "lan"}, "lease": {"segments", "lan",
			"leases"},
		"device": {"devices", "r"}, "interface": {"devices", "r", "interfaces", "e"}, "route": {"devices", "r", "routes", "default"},
		"permit": {"devices", "r", "permits"}, "cable": {"cables", "wire"},
	}
	for _, g := range plan.Keys() {
		path, ok := places[g.Of]
		require.True(t, ok, "nothing says where %s stands", g.Of)
		assert.Equal(t, g.Of, kindAt(path), "%v", path)
		for _, k := range g.Keys {
			doc, _, known := keyAt(path, k.Name)
			assert.True(t, known, "%s of %s", k.Name, g.Of)
			assert.Equal(t, k.Doc, doc.Doc)
		}
	}
	for _, path := range [][]string{{"groups"}, {"groups", "x"}, {"devices"}, {"segments"}, {"access", "for"},
		{"access", "methods", "key", "file"}, {"devices", "r", "interfaces"}, {"nothing"}} {
		assert.Empty(t, kindAt(path), "%v holds names of one's own, or none", path)
	}
}

// Where the cursor is, in flow and in block style, in quotes and behind a remark.
func TestFramesOfALine(t *testing.T) {
	for line, want := range map[string]string{
		"device: {is: router, loopback: ": "loopback",
		`"a: b": {c: `:                    "c",
		"x: [a, {b: ":                     "b",
		"x: {a: 1}, y: ":                  "",
	} {
		frames := scan(line)
		top := frames[len(frames)-1]
		if want != "" {
			assert.Equal(t, want, top.key, line)
		}
	}
}
