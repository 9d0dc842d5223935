package model_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/source"
)

// What shares a table of states with nobody, with itself, or where there are no states, is refused at its word; anything else is not.
func TestSharedStatesAreSomebodys(t *testing.T) {
	const pair = `ropeswing: 1
segments: {lan: {prefix: 10.1.0.0/24}}
devices:
  a: {is: router, SAID, interfaces: {l: {segment: lan, address: 1}}}
  b: {is: KIND, interfaces: {l: {segment: lan, address: 2}}}
`
	for _, x := range []struct{ said, kind, reason string }{
		{"shares-state: b", "firewall", ""},
		{"keeps-state: true, shares-state: b", "router", ""},
		{"translates: [lan shares l], shares-state: b", "router", ""},
		{"shares-state: b", "router", "neither a nor b has states to share"},
		{"shares-state: a", "firewall", "with another, not with itself"},
		{"shares-state: c", "firewall", "there is no device called c"},
	} {
		text := strings.NewReplacer("SAID", x.said, "KIND", x.kind).Replace(pair)
		doc, found := plan.Parse(source.New("a.plan.yaml", []byte(text)))
		_, slips := model.Resolve(doc, nil)
		var reasons []string
		for _, f := range append(found, slips...) {
			if f.Stops() {
				reasons = append(reasons, f.Reason)
			}
		}
		if x.reason == "" {
			assert.Empty(t, reasons, x.said)
		} else {
			assert.Contains(t, strings.Join(reasons, "; "), x.reason, x.said)
		}
	}
}
