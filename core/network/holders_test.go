package network_test

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/network"
)

// Who has an address is the same looked up and searched for, of every address there is and of those
// beside it.
func TestHoldersAreThoseThatHaveTheAddress(t *testing.T) {
	looked := 0
	for seed := range uint64(30) {
		spec := coretest.Spec(t, coretest.RandomNetwork(rand.New(rand.NewPCG(seed, 29)), "{}"))
		topology := network.Build(spec)
		for i := range spec.Interfaces {
			for _, a := range spec.Interfaces[i].Addresses {
				for _, x := range []netip.Addr{a.Addr(), a.Addr().Next(), a.Addr().Prev()} {
					if !x.IsValid() {
						continue
					}
					want, got := slices.Clone(spec.HoldersOf(x)), slices.Clone(topology.HoldersOf(x))
					slices.Sort(want)
					slices.Sort(got)
					assert.Equal(t, want, got, "seed %d, %s", seed, x)
					looked++
				}
			}
		}
	}
	assert.Greater(t, looked, 1000)
}
