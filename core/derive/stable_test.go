package derive_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
)

// One more LAN at a site, within the site's block, changes no line anywhere: in small networks too, of
// which the centre is chosen.
func TestOneMoreLANChangesNoLine(t *testing.T) {
	t.Parallel()
	shapes := []coretest.Shape{coretest.Hub(3), coretest.Hub(6), coretest.DualHub(4), coretest.Ring(3), coretest.Ring(5), coretest.Ring(8),
		coretest.Ring(10), coretest.Grid(2, 3), coretest.Grid(2, 4), coretest.Grid(3, 3)}
	random := rand.New(rand.NewPCG(17, 5))
	for range coretest.Cases(4, 10) {
		shapes = append(shapes, coretest.Chords(random, 4+random.IntN(5), 30))
	}
	routes := func(text string) map[string]bool {
		spec := coretest.Spec(t, text)
		_, _, r := derive.Resolve(spec)
		all := map[string]bool{}
		for _, l := range lines(spec, r.Statics) {
			all[l] = true
		}
		return all
	}
	for _, shape := range shapes {
		for _, carriers := range [][]int{nil, {0}} {
			text := shape.Plan(3, carriers, "{}")
			before := routes(text)
			for site := range shape.Routers {
				if site%3 > 0 && !coretest.Long() {
					continue
				}
				more := strings.Replace(text,
					"segments:\n", fmt.Sprintf("segments:\n  more: {prefix: [10.%d.%d.128/27, \"2001:db8:%x:4::/64\"]}\n", site/200, site%200,
						0x100+site), 1)
				at := fmt.Sprintf("      lan0: {segment: lan%d-0, address: first}\n", site)
				assert.Contains(t, more, at)
				more = strings.Replace(more, at, at+"      more: {segment: more, address: first}\n", 1)
				changed := 0
				for l := range routes(more) {
					if !before[l] {
						changed++
					}
				}
				assert.Zero(t, changed, "%s, carriers %v, site %d: of %d", shape.Name, carriers, site, len(before))
			}
		}
	}
}
