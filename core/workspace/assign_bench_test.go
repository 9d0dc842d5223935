package workspace_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/fstest"

	"ropeswing/core/workspace"
)

// large is a plan of 10,000 segments and 50,000 interfaces, every number of
// which is left open.
func large() []byte {
	r := rand.New(rand.NewPCG(1, 2))
	var b strings.Builder
	b.WriteString("ropeswing: 1\nblocks:\n  home: [10.0.0.0/8, '2001:db8::/32']\nsegments:\n")
	for site := range 2000 {
		for k := range 5 {
			fmt.Fprintf(&b, "  s%d-%d: {vlan: %d, hosts: %d, grow: 20%%}\n", site, k, 100+k, 3+r.IntN(118))
		}
	}
	b.WriteString("devices:\n")
	for site := range 2000 {
		for d := range 5 {
			fmt.Fprintf(&b, "  r%d-%d:\n    is: router\n    interfaces:\n", site, d)
			for k := range 5 {
				fmt.Fprintf(&b, "      p%d: {segment: s%d-%d}\n", k, site, k)
			}
		}
	}
	return []byte(b.String())
}

func BenchmarkAssignALargePlan(b *testing.B) {
	text := large()
	b.ReportAllocs()
	for b.Loop() {
		w := workspace.Open(fstest.MapFS{"l.plan.yaml": {Data: text}}, "l.plan.yaml", "l.plan.yaml")
		ledger := w.Next.Text()
		again := workspace.Open(fstest.MapFS{"l.plan.yaml": {Data: text}, "l.ledger": {Data: ledger}}, "l.plan.yaml", "l.plan.yaml")
		if len(w.Changes) != 120_000 || len(again.Changes) != 0 {
			b.Fatalf("%d and %d changes", len(w.Changes), len(again.Changes))
		}
	}
}
