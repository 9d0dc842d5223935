package workspace_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"io/fs"

	"ropeswing/core/ask"
	"ropeswing/core/assign"
	"ropeswing/core/explain"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

// Whatever a plan says, working everything out from it neither panics nor
// hangs, and a remedy that is offered works.
func FuzzWorkspace(f *testing.F) {
	for _, name := range []string{demo.Plan, demo.BadMorning} {
		text, err := fs.ReadFile(demo.Files(), name)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Add([]byte("ropeswing: 1\n" + office))
	f.Add([]byte("ropeswing: 1\nvlans: 100..102\nblocks: {home: {prefix: [10.0.0.0/26, '2001:db8::/60'], keep: 10.0.0.9..10.0.0.12}}\n" +
		"segments:\n  a: {vlan: auto, hosts: 5, grow: 20%, identifier: digits, leases: 2..3}\n  b-(1..2): {vlan: auto, length: [30, 64], " +
		"leases: {range: 1..1, by: r}}\n  c: {point-to-point: true}\ndevices:\n  r: {is: router, loopback: true, interfaces: {p: {segment: " +
		"a}, q: {segment: c}, s(1): {segment: b-1, mac: 020000000001, address: ['::a', next], secondary: 2, link-local: eui-64}}}\n  " +
		"t-(1..2): {is: host, interfaces: {p: {segment: b-(n)}}}\n"))
	f.Add([]byte("ropeswing: 1\noperator: h\nsettings: {default-vlan: 1, spanning-tree: per-vlan}\nsegments: {l: {prefix: 10.0.0.0/29}, " +
		"m: {vlan: 7, prefix: 10.1.0.0/24}}\ndevices:\n  a: {is: router, loopback: 10.9.9.9, manage: n, interfaces: {s: {line: serial, " +
		"clock: here, borrow: loopback}, n: {segment: l, table: x, virtual: 3, priority: 9}, e: {}, f: {}, g: {members: [e, f]}, g.7: " +
		"{segment: m}}, routes: {10.8.0.0/16: [{out: s}, {next-hop: 10.1.0.9}]}, tables: {x: {default: h}}}\n  b: {is: router, interfaces: " +
		"{s: {line: serial, borrow: s}}, routes: {default: {out: s}}}\n  w: {is: switch, interfaces: {p: {}, q: {}, t: {members: [p, q], " +
		"tagged: [5..9]}, r1..r2: {}, v: {vlan: m, address: 9}}}\n  x: {is: switch, interfaces: {r1..r2: {tagged: 7}}}\n  h: {is: host, " +
		"interfaces: {p: {segment: l, address: 2}}}\ncables: ['a:s to b:s', 'a:e to w:p', {between: 'a:f to w:q', fault: hidden}, 'w:r1 to " +
		"x:r1', 'w:r2 to x:r2']\n"))
	for _, e := range finding.Catalogue() {
		f.Add([]byte(e.Example))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		n := workspace.FromText("f", text)
		if !n.Usable() {
			for _, x := range n.Read() {
				require.NotEmpty(t, x.Reason)
			}
			return
		}
		w := n.Predict()
		for _, x := range w.Check() {
			require.NotEmpty(t, x.Reason)
		}
		if len(w.Spec.Devices) > 12 {
			return
		}
		// What it assigns is remembered, and then nothing is left to give.
		again := workspace.FromTexts("f", text, w.Next.Text())
		require.True(t, again.Usable(), "%v", again.Slips())
		require.Empty(t, again.Changes, "%s", w.Next.Text())
		for _, name := range w.Names() {
			_, _ = explain.Explain(&w.Numbers, name) // a cable has no numbers
			if r, err := revise.Rename(&w.Numbers, []assign.Rename{{Old: name, New: "another-name"}}, false); err == nil {
				renamed := workspace.FromText("f", plan.Apply(w.Document.File, r.Edits...))
				require.True(t, renamed.Usable(), "%s: %v", name, renamed.Slips())
			}
		}
		require.NoError(t, reach.Sweep(t.Context(), w.Network, reach.Asked{Ends: reach.Ends(w.Spec), Over: model.Echo},
			reach.Together(reach.Cables(w.Network.State), 1), func(l reach.Loss) {
				require.LessOrEqual(t, l.Cannot, l.Lost)
			}))
		for _, from := range w.DeviceNames() {
			for _, to := range w.DeviceNames() {
				a, errA := w.Endpoint(from)
				b, errB := w.Endpoint(to)
				if errA != nil || errB != nil {
					continue // a name that reads as something else
				}
				_, _ = explain.Lookup(w, from, to) // nothing to look up where to has no address
				trials, _, err := ask.Pings(w.Network, a, b, prefix.Both, forward.Probe{})
				if err != nil {
					continue
				}
				for _, x := range trials {
					forward.Follow(w.Network, x.Exchange)
					fail, failing := x.Failure(w.Network)
					require.Equal(t, x.Verdict() != forward.Works, failing)
					if failing {
						require.NotEmpty(t, fail.Words(w.Network))
						revise.Mend(w, x)
					}
				}
			}
		}
	})
}
