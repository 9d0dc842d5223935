package derive

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// No smaller set of prefixes does the same: tried against every way of setting
// routes on the tree of the plan's space.
func TestSummariesAreTheFewest(t *testing.T) {
	compared := 0
	for seed := range 40 {
		text := coretest.RandomNetwork(rand.New(rand.NewPCG(uint64(seed), 13)), "{}")
		spec := coretest.Spec(t, text)
		for _, family := range prefix.Families {
			a := newAnswer(forward.Answered(network.Build(spec).State()), family)
			a.derive()
			s, need := a.newSpace(a.sink()), a.need(a.wanted)
			for d := range spec.Devices {
				if !a.g.derives(a.wanted, model.DeviceID(d)) {
					continue
				}
				x := &table{answer: a, device: model.DeviceID(d), ways: []way{{}}, one: []classID{none}, known: map[wayKey]label{}, need: need[d]}
				x.labels()
				x.summarise(s)
				got := map[string]bool{}
				for _, r := range x.routes {
					if !(r.Discard && r.Distance > 1) { // the last resort behind others is no prefix of its own
						got[r.To.String()] = true
					}
				}
				// A single address of the device itself gets no route.
				inherited := x.beyond()
				f := fewest{x: &summary{table: x, space: s, sets: make([][]label, len(s.nodes))}, known: map[[2]int32]int{}}
				least := 0
				for _, root := range s.roots {
					least += f.routes(root, inherited)
				}
				require.LessOrEqual(t, len(got), least, "seed %d, %s: %d prefixes, and %d would do", seed, spec.Devices[d].Name, len(got), least)
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

const never = 1 << 20

// routes is the least number of routes below a node when a label is inherited.
func (f fewest) routes(n int32, inherited label) int {
	key := [2]int32{n, int32(inherited)}
	if least, ok := f.known[key]; ok {
		return least
	}
	least := f.below(n, inherited)
	for l := range f.x.ways {
		least = min(least, 1+f.below(n, label(l)))
	}
	f.known[key] = least
	return least
}

// below is the least number of routes in the halves of a node; of a leaf it is
// none, if the label will do.
func (f fewest) below(n int32, inherited label) int {
	node := &f.x.space.nodes[n]
	if node.class != mixed {
		for _, l := range f.x.leaf(node) {
			if l == inherited {
				return 0
			}
		}
		return never
	}
	least := f.routes(node.child[0], inherited)
	if node.rest {
		return least + f.below(node.child[1], inherited)
	}
	return least + f.routes(node.child[1], inherited)
}
