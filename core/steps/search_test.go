package steps

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

// best is the least that is still to be paid from a place, by trying every order.
func (j *judge) best(p *place, known map[string]cost) cost {
	done := true
	for _, l := range p.levels {
		done = done && l == compare.AsPlanned
	}
	if done {
		return cost{}
	}
	key := keyOf(p.levels) + string(rune(p.on+1)) + p.at.String()
	if c, ok := known[key]; ok {
		return c
	}
	var least cost
	for n, next := range j.onward(p) {
		j.judgeStep(next)
		c := j.best(next, known)
		for i := range c {
			c[i] += next.cost[i] - p.cost[i]
		}
		if n == 0 || less(c, least) {
			least = c
		}
	}
	known[key] = least
	return least
}

func less(a, b cost) bool {
	for i := range a {
		if a[i] != b[i] {
			return a[i] < b[i]
		}
	}
	return false
}

// Of small differences no order is better than the one that is found, by trying all.
func TestNoOrderIsBetter(t *testing.T) {
	tried, failing, hand, said := 0, 0, 0, 0
	for seed := range uint64(coretest.Cases(30, 60)) {
		r := rand.New(rand.NewPCG(seed, 41))
		net, devices := RandomFound(t, r, 2+r.IntN(4))
		if seed%2 == 0 {
			net, devices = RandomMove(t, r, 1+r.IntN(2))
		}
		w := &Worksheet{result: compare.Differences(net, devices)}
		w.items, w.Otherwise = w.result.Items()
		if len(w.items) == 0 || len(w.items) > 7 {
			continue
		}
		j := newJudge(w, nil)
		if d := w.items[0].Device; seed%3 == 0 { // the operator is said to be logged in where it is reached last
			if all := j.at(j.start()).logins[d]; len(all) > 1 {
				j = newJudge(w, map[model.DeviceID]netip.Addr{d: all[len(all)-1].Address})
				said++
			}
		}
		path, whole := j.search()
		require.True(t, whole)
		found := path[len(path)-1].cost
		least := j.best(&place{levels: j.start(), on: -1, judged: true}, map[string]cost{})
		require.Equal(t, least, found, "seed %d", seed)
		tried++
		if found[broken] > 0 {
			failing++
		}
		if found[hands] > 0 {
			hand++
		}
	}
	t.Logf("%d tried: in %d something has to fail, in %d hands are needed, of %d the session is said", tried, failing, hand, said)
	require.Greater(t, tried, 10)
	require.NotZero(t, said)
}

// Very many things are set in waves: what is new, then what changes, then what is old. It
// ends at the plan, and what was not looked at is not called safe.
func TestWaves(t *testing.T) {
	for seed := range uint64(10) {
		r := rand.New(rand.NewPCG(seed, 47))
		net, devices := RandomMove(t, r, 3)
		w := &Worksheet{result: compare.Differences(net, devices)}
		w.items, w.Otherwise = w.result.Items()
		if len(w.items) == 0 {
			continue
		}
		j := newJudge(w, nil)
		path := j.waves()
		require.Equal(t, j.goal(), path[len(path)-1].levels)
		last := 0
		for n, p := range path {
			before := 0
			for _, m := range p.step {
				if m.from == compare.Both || j.items[m.item].Differences[0].Kind == compare.Extra {
					before = 1
				}
			}
			require.LessOrEqual(t, last, before, "step %d: what is old goes last", n)
			last = before
		}
		path[0].judged = false
		j.tell(path)
		require.False(t, j.Worksheet.Safe())
	}
}
