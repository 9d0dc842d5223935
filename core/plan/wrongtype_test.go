package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// Of every key: what is of the wrong kind is refused at its place, or taken, and where it is refused as
// of the wrong kind, it is said what may stand there.
func TestEveryKeySaysWhatMayStandThere(t *testing.T) {
	wrap := map[string]string{
		"plan": "%s", "accept": "accept: [{%s}]", "access": "access: [{%s}]", "method": "access: [{methods: [{%s}]}]",
		"secret":   "access: [{methods: [{key: {%s}}]}]",
		"settings": "settings: {%s}", "wants": "wants: {%s}", "block": "blocks: {b: {%s}}", "segment": "segments: {b: {%s}}",
		"lease":  "segments: {b: {leases: {%s}}}",
		"device": "devices: {b: {%s}}", "interface": "devices: {b: {interfaces: {i: {%s}}}}", "route": "devices: {b: {routes: {r: {%s}}}}",
		"permit": "devices: {b: {permits: [{%s}]}}", "cable": "cables: [{c: {%s}}]",
	}
	told := 0
	for _, g := range Keys() {
		for _, k := range g.Keys {
			for _, wrong := range []string{"{a: {b: c}}", "[[a]]"} {
				text := "ropeswing: 1\n" + strings.Replace(wrap[g.Of], "%s", k.Name+": "+wrong, 1) + "\n"
				if k.Name == "ropeswing" {
					text = k.Name + ": " + wrong + "\n"
				}
				_, found := Parse(source.New("p", []byte(text)))
				for _, f := range found {
					if f.Name != finding.WrongType || !strings.HasPrefix(f.Reason, k.Name+" is ") {
						continue
					}
					told++
					assert.NotEmpty(t, f.Remedy, "%s of %s: %s", k.Name, g.Of, f)
				}
			}
		}
	}
	assert.Greater(t, told, 100)
}
