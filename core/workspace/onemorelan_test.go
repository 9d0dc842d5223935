package workspace_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/model"
	"ropeswing/core/workspace"
)

// scattered is a plan of one block, of which the LANs have numbers anywhere, and links and loopbacks the next free ones.
func scattered(r *rand.Rand, shape coretest.Shape, protect string) string {
	var segments, cables, devices strings.Builder
	interfaces := make([]string, shape.Routers)
	numbers := r.Perm(250)
	for i := range shape.Routers {
		for l := range 1 + r.IntN(3) {
			n := numbers[i*3+l]
			fmt.Fprintf(&segments, "  lan%d-%d: {prefix: [10.%d.%d.0/%d, \"2001:db8:%x:%x::/64\"]}\n", i, l, n, r.IntN(256), 24+r.IntN(4), n,
				r.IntN(65536))
			interfaces[i] += fmt.Sprintf("      lan%d: {segment: lan%d-%d, address: first}\n", l, i, l)
		}
	}
	for l, ends := range shape.Links {
		fmt.Fprintf(&segments, "  link%d: {point-to-point: true}\n", l)
		fmt.Fprintf(&cables, "  - x%d: r%d:l%d to r%d:l%d\n", l, ends[0], l, ends[1], l)
		for _, end := range ends {
			interfaces[end] += fmt.Sprintf("      l%d: {segment: link%d}\n", l, l)
		}
	}
	for i := range shape.Routers {
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n    loopback: true\n    interfaces:\n%s", i, interfaces[i])
	}
	return fmt.Sprintf("ropeswing: 1\nplan: b\nwants: {protect: %s}\nblocks: {home: [10.0.0.0/8, \"2001:db8::/32\"]}\n"+
		"segments:\n%sdevices:\n%scables:\n%s", protect, segments.String(), devices.String(), cables.String())
}

// One more LAN in a network without blocks is given numbers where others send to its router already: of the routes that do not
// cover it next to none change.
func TestOneMoreLANWithoutBlocksChangesNextToNoOtherLine(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(41, 7))
	worse, networks := 0, coretest.Cases(25, 300)
	for range networks {
		shape := coretest.Chords(random, 4+random.IntN(16), 40)
		text := scattered(random, shape, []string{"links", "own"}[random.IntN(2)])
		before := workspace.FromTexts("b.plan.yaml", []byte(text), nil)
		at := random.IntN(shape.Routers)
		more := strings.Replace(text, "segments:\n", "segments:\n  more: {hosts: 20}\n", 1)
		head := fmt.Sprintf("  r%d:\n    is: router\n    loopback: true\n    interfaces:\n", at)
		require.Contains(t, more, head)
		after := workspace.FromTexts("b.plan.yaml", []byte(strings.Replace(more, head, head+"      more: {segment: more, address: first}\n", 1)),
			before.Next.Text())
		lan := slices.IndexFunc(after.Spec.Segments, func(s model.Segment) bool { return s.Name == "more" })
		was, is := linesBeside(before.Spec, nil), linesBeside(after.Spec, after.Spec.Segments[lan].Prefixes)
		changed := 0
		for l, covers := range is {
			if _, had := was[l]; !covers && !had {
				changed++
			}
		}
		if 50*changed > len(was) {
			worse++
		}
	}
	assert.LessOrEqual(t, 25*worse, networks, "more than 2 %% of the other lines change in %d of %d", worse, networks)
}

// linesBeside is the derived routes in words, and of each whether it has to do with some prefixes.
func linesBeside(spec *model.Spec, prefixes []model.Prefix) map[string]bool {
	all := map[string]bool{}
	for _, s := range derive.Routes(spec).Statics {
		covers := false
		for _, p := range prefixes {
			covers = covers || p.Overlaps(s.To)
		}
		all[fmt.Sprint(spec.Devices[s.Device].Name, s.To, s.Via, s.Discard, s.Distance, s.Watch)] = covers
	}
	return all
}
