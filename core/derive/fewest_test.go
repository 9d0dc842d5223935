package derive

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// No smaller set of lines does the same: tried against every way of setting
// routes on the tree of the plan's space.
func TestSummariesAreTheFewest(t *testing.T) {
	t.Parallel()
	compared := 0
	for seed := range 40 {
		text := coretest.RandomNetwork(rand.New(rand.NewPCG(uint64(seed), 13)), "{}")
		spec := coretest.Spec(t, text)
		for _, family := range prefix.Families {
			a := newAnswer(forward.Answered(network.Build(spec).State()), family, model.None)
			a.derive()
			s := a.newSpace(a.sink())
			a.findSpecial(s)
			for d := range spec.Devices {
				if !a.g.derives(a.wanted, model.DeviceID(d)) {
					continue
				}
				x := a.newTable(model.DeviceID(d), s)
				x.summarise(s)
				got := len(x.routes)
				f := fewest{x: &summary{table: x}, known: map[[2]int32]int{}}
				least := 0
				for _, root := range s.roots {
					least += f.routes(root, x.beyond())
				}
				require.LessOrEqual(t, got, least, "seed %d, %s", seed, spec.Devices[d].Name)
				compared++
			}
		}
	}
	assert.Greater(t, compared, 200)
}

// fewest tries every way to set routes.
type fewest struct {
	x     *summary
	known map[[2]int32]int
}

// routes is the least number of lines from a node down when a label is inherited.
func (f fewest) routes(n int32, inherited label) int {
	key := [2]int32{n, int32(inherited)}
	if least, ok := f.known[key]; ok {
		return least
	}
	least := f.below(n, inherited)
	for l := range f.x.first {
		lines, follows := f.x.until(label(l), inherited)
		cost := len(lines)
		if label(l) == drop || !follows && f.x.mayFail(label(l)) {
			cost++
		}
		least = min(least, cost+f.below(n, label(l)))
	}
	f.known[key] = least
	return least
}

// below is the least number of lines in the halves of a node; of a leaf it is
// none, if the label will do.
func (f fewest) below(n int32, inherited label) int {
	node := &f.x.space.nodes[n]
	if node.class != mixed {
		if set := f.x.leaf(n); set == nil || slices.Contains(set, inherited) {
			return 0
		}
		return impossible
	}
	least := f.routes(node.child[0], inherited)
	if node.rest {
		return least + f.below(node.child[1], inherited)
	}
	return least + f.routes(node.child[1], inherited)
}
