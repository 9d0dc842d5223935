package wire_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/internal/wire"
)

// What is the same has no edit; what differs has one.
func TestAnEditIsOfWhatDiffers(t *testing.T) {
	for seed := range uint64(30) {
		r := rand.New(rand.NewPCG(seed, 3))
		_, net, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		for _, d := range compare.AsObserved(net) {
			text, _ := wire.Edit(d, d.Clone(), nil)
			assert.Nil(t, text)
			other := d.Clone()
			require.NotEmpty(t, other.Interfaces)
			other.Interfaces[0].Admin = "down"
			text, beyond := wire.Edit(d, other, nil)
			assert.Contains(t, string(text), "<enabled>false</enabled>")
			assert.False(t, beyond)
		}
	}
}
