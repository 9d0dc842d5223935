package derive_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/model"
)

// fourLines counts the IPv4 lines of each router, in all and to links.
func fourLines(spec *model.Spec, r derive.Result) (all, links []int) {
	all, links = make([]int, len(spec.Devices)), make([]int, len(spec.Devices))
	for _, s := range r.Statics {
		if s.To.Addr().Is4() {
			all[s.Device]++
			if a := s.To.Addr().As4(); a[1] == 255 {
				links[s.Device]++
			}
		}
	}
	return all, links
}

// What is derived is what a person would type: as few lines as stand here, on whichever
// branch or site has most. Where both paths to a site begin the second is watched to its end, so that what is
// sent to a site whose router is dead ends there: on each branch of two hubs that is one line, by which it answers.
func TestAsFewAsAPersonWouldType(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		shape      coretest.Shape
		carriers   []int
		hubs       int // the first routers, which have a line for each branch
		most, want int // lines of any other router at most, and of all together
	}{
		{coretest.Hub(20), []int{0}, 1, 2, 63}, // a default, and a discard for the branch's block
		{coretest.DualHub(20), nil, 2, 8, 148},
		{coretest.DualHub(20), []int{0}, 2, 8, 173},
		{coretest.DualHub(20), []int{0, 1}, 2, 8, 174},
		{coretest.DualHub(100), []int{0}, 2, 8, 813},
		{coretest.Ring(12), nil, 0, 28, 248}, // two for each other site, with what watches need
		{coretest.Ring(12), []int{0}, 0, 30, 269},
		{coretest.RingOfRings(5, 8), []int{0}, 0, 2 * 39 / 2, 681},
	} {
		spec := coretest.Spec(t, tt.shape.Plan(3, tt.carriers, "{}"))
		_, _, r := derive.Resolve(spec)
		all, _ := fourLines(spec, r)
		sum := 0
		for d, n := range all {
			sum += n
			var at int
			if _, err := fmt.Sscanf(spec.Devices[d].Name, "r%d", &at); err == nil && at >= tt.hubs {
				assert.LessOrEqual(t, n, tt.most, "%s, carriers %v: %s", tt.shape.Name, tt.carriers, spec.Devices[d].Name)
			}
		}
		assert.LessOrEqual(t, sum, tt.want, "%s, carriers %v", tt.shape.Name, tt.carriers)
		assert.Empty(t, r.Open)
	}
}

// A branch has just the default by its hub, and a discard for its own block.
func TestABranchHasTwoLines(t *testing.T) {
	t.Parallel()
	spec := coretest.Spec(t, coretest.Hub(3).Plan(3, []int{0}, "{}"))
	_, _, r := derive.Resolve(spec)
	got := slices.DeleteFunc(lines(spec, r.Statics), func(l string) bool { return l[:2] != "r2" })
	assert.Equal(t, []string{"r2 0.0.0.0/0 l1", "r2 10.0.2.0/24 discard"}, got)
}
