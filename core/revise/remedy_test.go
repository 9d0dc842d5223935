package revise_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
)

// site is a plan of some routers in a row, each with a LAN behind a switch, a host on it
// and written routes to the others.
func site(routers int) string {
	var segments, devices, cables strings.Builder
	for i := range routers {
		fmt.Fprintf(&segments, "  lan%d: {vlan: %d, prefix: 10.1.%d.0/24}\n", i, 10+i, i)
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n    interfaces:\n      lan: {segment: lan%d, address: first}\n", i, i)
		if i > 0 {
			fmt.Fprintf(&segments, "  l%d: {prefix: 10.0.%d.0/30}\n", i, i)
			fmt.Fprintf(&devices, "      a: {segment: l%d, address: 2}\n", i)
			fmt.Fprintf(&cables, "  - r%d:b to r%d:a\n", i-1, i)
		}
		if i < routers-1 {
			fmt.Fprintf(&devices, "      b: {segment: l%d, address: 1}\n", i+1)
		}
		fmt.Fprint(&devices, "    routes:\n")
		for to := range routers {
			switch {
			case to < i:
				fmt.Fprintf(&devices, "      lan%d: r%d\n", to, i-1)
			case to > i:
				fmt.Fprintf(&devices, "      lan%d: r%d\n", to, i+1)
			}
		}
		fmt.Fprintf(&devices, "  s%d: {is: switch, interfaces: {up: {access: lan%d}, p: {access: lan%d}}}\n", i, i, i)
		fmt.Fprintf(&devices, "  h%d:\n    is: host\n    gateway: r%d\n    interfaces:\n      e: {segment: lan%d, address: 10}\n", i, i, i)
		fmt.Fprintf(&cables, "  - r%d:lan to s%d:up\n  - h%d:e to s%d:p\n", i, i, i, i)
	}
	return fmt.Sprintf("ropeswing: 1\nmust: []\nsegments:\n%sdevices:\n%scables:\n%s", &segments, &devices, &cables)
}

// faults are slips of the hand, by kind: each changes the text somewhere.
var faults = map[string]func(r *rand.Rand, routers int, text string) string{
	"a router's port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "address: first}\n", "address: first, admin: down}\n")
	},
	"a link's port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "address: 2}\n", "address: 2, admin: down}\n")
	},
	"a host's port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "address: 10}\n", "address: 10, admin: down}\n")
	},
	"a switch port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "up: {access: lan", "up: {admin: down, access: lan")
	},
	"a route forgotten": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("      lan%d: r%d\n", to, i+sign(to-i)), "")
	},
	"a next hop the wrong way": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: r%d\n", to, i-sign(to-i)))
	},
	"a next hop that nobody has": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: 10.0.%d.3\n", to, i))
	},
	"a route that discards": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: {discard: true}\n", to))
	},
	"a gateway that nobody has": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("    gateway: r%d\n", i), fmt.Sprintf("    gateway: 10.1.%d.77\n", i), 1)
	},
	"a host's port in another VLAN": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("p: {access: lan%d}", i), fmt.Sprintf("p: {access: lan%d}", (i+1)%n), 1)
	},
	"a router's port in another VLAN": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("up: {access: lan%d", i), fmt.Sprintf("up: {access: lan%d", (i+1)%n), 1)
	},
	"a VLAN missing on a trunk": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		trunk := strings.NewReplacer(
			fmt.Sprintf("      lan: {segment: lan%d, address: first}\n", i), fmt.Sprintf("      lan: {}\n      lan.%d: {segment: lan%d, address: first}\n", 10+i, i),
			fmt.Sprintf("up: {access: lan%d}", i), [...]string{"up: {tagged: 999}", "up: {tagged: [998, 999]}"}[r.IntN(2)],
		)
		return trunk.Replace(text)
	},
	"no gateway": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, fmt.Sprintf("    gateway: r%d\n", r.IntN(n)), "    gateway: none\n", 1)
	},
}

func sign(n int) int {
	if n < 0 {
		return -1
	}
	return 1
}

// oneOf changes one of the places where a text stands.
func oneOf(r *rand.Rand, text, old, with string) string {
	at := r.IntN(strings.Count(text, old))
	parts := strings.SplitN(text, old, at+2)
	return strings.Join(parts[:at+1], old) + with + parts[at+1]
}

// inDevice changes a text in what stands of one router.
func inDevice(text string, router int, old, with string) string {
	i := strings.Index(text, fmt.Sprintf("  r%d:\n    is: router", router))
	return text[:i] + strings.Replace(text[i:], old, with, 1)
}

// A remedy that is offered works as it is typed, whatever was planted; and for most slips
// there is one.
func TestRemediesWorkAsTheyAreTyped(t *testing.T) {
	planted, offered := map[string]int{}, map[string]int{}
	kinds := slices.Sorted(maps.Keys(faults))
	for seed := range 300 {
		r := rand.New(rand.NewPCG(uint64(seed), 41))
		routers := 3 + r.IntN(3)
		kind := kinds[seed%len(kinds)]
		text := faults[kind](r, routers, site(routers))
		n := workspace.FromText("p", []byte(text))
		require.True(t, n.Usable(), "seed %d, %s: %v\n%s", seed, kind, n.Slips(), text)
		w := n.Predict()
		for from := range routers {
			for to := range routers {
				if from == to {
					continue
				}
				trials := pings(t, w, from, to)
				if len(trials) == 0 || trials[0].Verdict() == forward.Works {
					continue
				}
				planted[kind]++
				advice, ok := revise.Mend(w, trials[0])
				if !ok {
					continue
				}
				offered[kind]++
				var edits []plan.Edit
				for _, a := range advice {
					if a.InPlan {
						edits = append(edits, a.Edit)
					}
				}
				if len(edits) < len(advice) {
					continue // told in words
				}
				mended := plan.Apply(w.Document.File, edits...)
				again := workspace.FromText("p", mended)
				require.True(t, again.Usable(), "%s\n%s", kind, mended)
				require.Equal(t, forward.Works, pings(t, again.Predict(), from, to)[0].Verdict(), "seed %d, %s: %s\n%s", seed, kind, advice[0].Text, mended)
			}
		}
	}
	for kind := range faults {
		assert.Greater(t, planted[kind], 20, kind)
		t.Logf("%-30s %d of %d have a remedy", kind, offered[kind], planted[kind])
		assert.GreaterOrEqual(t, 10*offered[kind], 9*planted[kind], "%s: nine in ten have one", kind)
	}
}

// pings pings from one host to another.
func pings(t *testing.T, w *workspace.Workspace, from, to int) []ask.Trial {
	t.Helper()
	a, err := w.Endpoint(fmt.Sprintf("h%d", from))
	require.NoError(t, err)
	b, err := w.Endpoint(fmt.Sprintf("h%d", to))
	require.NoError(t, err)
	trials, _, _ := ask.Pings(w.Network, a, b, prefix.Both, forward.Probe{})
	return trials
}
