package workspace_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
)

// Needs by site are fitted as the plan made of them gives them out.
func TestFitBySiteIsWhatThePlanGives(t *testing.T) {
	for seed := range uint64(100) {
		r := rand.New(rand.NewPCG(seed, 23))
		for _, block := range []netip.Prefix{netip.MustParsePrefix("10.48.0.0/18"), netip.MustParsePrefix("2001:db8:5ea::/48")} {
			start := plan.Start{Name: "t", Blocks: []netip.Prefix{block}}
			var needs []prefix.Need
			sites := 1 + r.IntN(9)
			for n := range 2 + r.IntN(20) {
				s := plan.StartSegment{Name: fmt.Sprintf("lan%d", n), Hosts: 1 + r.IntN(100)}
				if site := r.IntN(sites + 1); site > 0 {
					s.Site = fmt.Sprintf("site%d", site)
				}
				start.Segments = append(start.Segments, s)
				need := prefix.NeedOf(s.Name, big.NewInt(int64(s.Hosts)), 0, 0)
				need.Site = s.Site
				needs = append(needs, need)
			}
			fitted, err := prefix.Fit(block, nil, needs, false)
			require.NoError(t, err)
			text := plan.Compose(start)
			w := workspace.FromText("t.plan.yaml", text)
			require.True(t, w.Usable(), "%v\n%s", w.Slips(), text)
			require.Empty(t, w.Unmet())
			for i, g := range fitted.Given {
				given := w.Spec.Segments[i].Prefixes
				require.Len(t, given, 1)
				assert.Equal(t, g.Subnet, given[0].Prefix, "seed %d: %s\n%s", seed, g.Name, text)
			}
			for _, s := range fitted.Sites {
				b, ok := w.Spec.BlockNamed(s.Name)
				require.True(t, ok)
				assert.Equal(t, s.Subnet, w.Spec.Blocks[b].Prefixes[0].Prefix, "seed %d: %s", seed, s.Name)
			}
		}
	}
}
