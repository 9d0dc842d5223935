package compare

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/forward"
)

// A merged list holds both lists in their order, and what both have once wherever their orders let it:
// against the longest common part, found by trying every choice.
func TestMergedListsHoldBoth(t *testing.T) {
	random := rand.New(rand.NewPCG(18, 9))
	list := func() []entry {
		all := make([]entry, random.IntN(7))
		for i := range all {
			all[i].text = fmt.Sprint(random.IntN(5))
		}
		return all
	}
	texts := func(all []entry, keep func(entry) bool) []string {
		some := []string{}
		for _, e := range all {
			if keep(e) {
				some = append(some, e.text)
			}
		}
		return some
	}
	every := func(entry) bool { return true }
	var common func(a, b []string) int
	common = func(a, b []string) int {
		best := 0
		for i, x := range a {
			for k, y := range b {
				if x == y {
					best = max(best, 1+common(a[i+1:], b[k+1:]))
				}
			}
		}
		return best
	}
	for range 2000 {
		planned, found := list(), list()
		all := merged(planned, found)
		assert.Equal(t, texts(planned, every), texts(all, func(e entry) bool { return e.planned }))
		assert.Equal(t, texts(found, every), texts(all, func(e entry) bool { return e.found }))
		both := len(texts(all, func(e entry) bool { return e.planned && e.found }))
		require.Equal(t, common(texts(planned, every), texts(found, every)), both, "%v %v", planned, found)
	}
}

// Permits that are few and each there once are told one by one; others as a list.
func TestPermitsAreToldOneByOneWhereThatCanBe(t *testing.T) {
	wall := func(permits string) *forward.Network {
		return planOf(t, "segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}\ndevices:\n  w:\n    is: firewall\n    interfaces: "+
			"{a: {segment: a, address: 1}, b: {segment: b, address: 1}}\n    permits: ["+permits+"]\n")
	}
	between := func(planned, found string) *Result {
		one, from := wall(planned), wall(found)
		r := Differences(one, AsObserved(from))
		assert.Empty(t, r.AddFrom(one.Spec, from.Spec))
		return r
	}
	many := ""
	for port := range mostEntries + 1 {
		many += fmt.Sprintf("a may reach b over tcp/%d, ", 1000+port)
	}
	for name, tt := range map[string]struct {
		planned, found string
		want           []string
	}{
		"one more": {"a may reach b, b may reach a", "a may reach b", []string{"missing permits b may reach a, behind 'a may reach b'"}},
		"one less": {"b may reach a", "a may reach b, b may reach a", []string{"extra permits a may reach b, before all others"}},
		"two in a row": {"a may reach b over tcp/1, a may reach b over tcp/2", "",
			[]string{"missing permits a may reach b over tcp/1, before all others",
				"missing permits a may reach b over tcp/2, behind 'a may reach b over tcp/1'"}},
		"another order": {"a may reach b, b may reach a", "b may reach a, a may reach b",
			[]string{"different permits a may reach b; b may reach a, "}},
		"the same": {"a may reach b", "a may reach b", nil},
	} {
		r := between(tt.planned, tt.found)
		var got []string
		for _, d := range r.Differences {
			if d.What == OfPermit {
				got = append(got, fmt.Sprintf("%s %s %s%s, %s", d.Kind, d.Subject, d.Planned, map[bool]string{true: d.Found}[d.Kind == Extra],
					d.Entry))
			}
		}
		assert.Equal(t, tt.want, got, name)
	}
	r := between(many+"b may reach a", "b may reach a")
	require.Len(t, r.Differences, 1, "they are many")
	assert.Empty(t, r.Differences[0].Entry)
}
