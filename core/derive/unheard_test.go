package derive

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// Whoever is on the path of a probe and may send it another way is found by the proof of what is emitted, and mended.
func TestAProbeThatMayTakeAnotherWayIsFoundAndMended(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(3, 14))
	wrong := 0
	for range coretest.Cases(10, 50) {
		spec := coretest.Spec(t, coretest.Chords(random, 4+random.IntN(8), 40).Plan(2, []int{0}, "{}"))
		spec = spec.WithDerived(nil).Reordered(canonicalOrder(spec))
		a := newAnswer(forward.Answered(network.Build(spec).State()), prefix.IPv4, none)
		a.derive()
		isUnheard := func(f flaw) bool { return f.kind == Unheard }
		right := a.emitIn(a.newSpace(a.sink()))
		assert.False(t, slices.ContainsFunc(a.flaws(&right), isUnheard))
		for id := range a.classes {
			if c := &a.classes[id]; c.demanded {
				c.loose = slices.Clone(a.deriving)
			}
		}
		e := a.emitIn(a.newSpace(a.sink()))
		if slices.ContainsFunc(a.flaws(&e), isUnheard) {
			wrong++
		}
		assert.False(t, slices.ContainsFunc(a.proven(e).flaws, isUnheard))
	}
	assert.Positive(t, wrong)
	t.Logf("%d networks in which a probe would have been let through", wrong)
}
