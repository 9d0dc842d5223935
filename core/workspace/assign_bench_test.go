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

// bySite is a plan of 1,000 sites, each with a block that its five segments and a loopback
// size, in no order.
func bySite() []byte {
	r := rand.New(rand.NewPCG(5, 6))
	order := r.Perm(1000)
	var blocks, segments, devices strings.Builder
	for _, n := range order {
		fmt.Fprintf(&blocks, "  site-%d: {from: home, grow: 20%%, alike: site}\n", n)
		fmt.Fprintf(&devices, "  r-%d: {is: router, loopback: true, from: site-%d, interfaces: {up: {segment: up-%d}", n, n, n)
		for _, k := range r.Perm(5) {
			fmt.Fprintf(&segments, "  s%d-%d: {hosts: %d, from: site-%d}\n", k, n, 3+r.IntN(80), n)
			fmt.Fprintf(&devices, ", p%d: {segment: s%d-%d}", k, k, n)
		}
		devices.WriteString("}}\n")
		fmt.Fprintf(&segments, "  up-%d: {point-to-point: true, from: home}\n", n)
	}
	hub := "  hub: {is: router, interfaces: {p(0..999): {segment: up-(n)}}}\n"
	return []byte("ropeswing: 1\nblocks:\n  home: [10.0.0.0/8, '2001:db8::/32']\n" + blocks.String() + "segments:\n" + segments.String() +
		"devices:\n" + hub + devices.String())
}

func BenchmarkAssignBySite(b *testing.B) {
	text := string(bySite())
	first := workspace.FromText("l.plan.yaml", []byte(text))
	if len(first.Unmet()) > 0 {
		b.Fatal(first.Unmet())
	}
	var without []string // as if the blocks had come later
	for line := range strings.Lines(string(first.Next.Text())) {
		if !strings.Contains(line, " block ") {
			without = append(without, line)
		}
	}
	for _, x := range []struct {
		name   string
		ledger []byte
	}{{"new", nil}, {"again", first.Next.Text()}, {"blocks around what is there", []byte(strings.Join(without, ""))}} {
		b.Run(x.name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				w := workspace.FromTexts("l.plan.yaml", []byte(text), x.ledger)
				if x.ledger != nil && len(w.Changes) > 2000 {
					b.Fatalf("%d changes", len(w.Changes))
				}
			}
		})
	}
}
