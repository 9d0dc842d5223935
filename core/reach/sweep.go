package reach

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/parallel"
	"ropeswing/core/routing"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/semaphore"
)

// Loss is what one or more failures together take away.
type Loss struct {
	Failures []network.Failure
	After    *forward.Network // with them
	Lost     int              // paths that worked before and do not now
	Cannot   int              // of them: no wire leads there any more
	Loops    int              // of them: that loop in a loop
	Rerouted int              // paths that still work, by other devices or links
	Pairs    []Pair           // the first of those lost, with reasons: mostWays at most
	Takes    []Takeover       // the routes that take over
}

// mostPairs is how many lost pairs are listed of one failure.
const mostPairs = 1000

// mostReasons is for how many lost paths of all failures reasons are looked for;
// a failure gets its share, and twenty at least.
const mostReasons = 20000

// Takeover is a route that came into use because of a failure.
type Takeover struct {
	Device model.DeviceID
	Static model.StaticID
	Out    model.InterfaceID // by which it leads
}

// Asked is what is asked of failures: over which service, and between which ends. Of,
// where it is not nil, tells which pairs of ends count.
type Asked struct {
	Ends []*End
	Over model.Service
	Of   func(from, to *End) bool
}

// Sweep makes failures in turn, each a list of what fails together, on all cores,
// and tells what each takes away of the paths that work over a service. Visit is
// called for each in their order; it stops when the context ends.
func Sweep(ctx context.Context, net *forward.Network, asked Asked, failures [][]network.Failure, visit func(Loss)) error {
	s := newSweep(AllOver(net, asked.Ends, asked.Over), asked.Of, len(failures))
	done := make([]chan Loss, len(failures))
	for i := range done {
		done[i] = make(chan Loss, 1)
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	// Nobody runs far ahead of who visits, or results would pile up.
	ahead := semaphore.NewWeighted(int64(4 * runtime.GOMAXPROCS(0)))
	var group errgroup.Group
	group.Go(func() error {
		return parallel.Until(ctx, len(failures), func(i int) error {
			if err := ahead.Acquire(ctx, 1); err != nil {
				return err
			}
			done[i] <- s.loss(failures[i])
			return nil
		})
	})
	var err error
	for i := range done {
		select {
		case l := <-done[i]:
			ahead.Release(1)
			visit(l)
		case <-ctx.Done():
			err = ctx.Err()
		}
		if err != nil {
			break
		}
	}
	stop()
	_ = group.Wait() // it ends with all done, or by the context
	return err
}

// sweep is what all failures are compared with.
type sweep struct {
	*Matrix
	base    [][]uint64 // by class: the paths that work
	places  [][]uint64 // the same by place, where paths are judged, addresses shared or pairs picked; else nil
	trees   []*tree    // by class
	weights *weights
	pick    func(from, to *End) bool // which pairs count; nil where all do
	reasons int                      // for how many lost paths of a failure reasons are looked for
	used    []usedOnce               // by device
}

// usedOnce is which static routes of a device are in use.
type usedOnce struct {
	once sync.Once
	used map[model.StaticID]bool
}

func newSweep(m *Matrix, of func(from, to *End) bool, failures int) *sweep {
	s := &sweep{Matrix: m, pick: of, base: m.works(), weights: m.weights(), used: make([]usedOnce, len(m.net.Spec.Devices)),
		trees: make([]*tree, len(m.members))}
	parallel.Each(len(s.trees), func(c int) { s.trees[c] = newTree(m.next[c]) })
	s.reasons = max(20, min(mostPairs, mostReasons/max(1, failures)))
	if m.judged != nil || m.deaf != nil || slices.Contains(m.odd, true) || of != nil {
		s.places = m.both()
	}
	if of == nil {
		return s
	}
	for p, row := range s.places {
		eachBit(row, func(q int32) {
			if !of(m.at(int32(p)), m.at(q)) {
				put(row, q/64, 1<<(q%64), false)
			}
		})
	}
	return s
}

// loss works out what failures take away. Only classes for which some node near the
// failures does something else are gone through again.
func (s *sweep) loss(failures []network.Failure) Loss {
	after := s.net.Update(s.net.State.With(failures...))
	l := Loss{Failures: failures, After: after}
	x, parent, other := s.after(after)
	g := &gone{sweep: s, after: x, parent: parent, weights: s.weights}
	if len(x.members) != len(s.members) {
		g.weights = x.weights()
	}
	g.compare(&l, other)
	s.nearLost(&l, s.pick)
	l.Takes = s.takeovers(after)
	return l
}

// after is the matrix in another state of the network, the class that each of its
// classes is a part of, and the classes for which anything is otherwise.
func (s *sweep) after(net *forward.Network) (x *Matrix, parent, other []int32) {
	x = &Matrix{fixed: s.fixed, classes: s.classes, net: net, forks: slices.Clip(s.forks)}
	nodes, near := s.touched(net)
	steps := make([][]onward, len(nodes))
	for i, n := range nodes {
		steps[i] = make([]onward, len(s.sorted))
		x.onwardOf(net, n, func(p int, to onward) { steps[i][p] = to })
	}
	changed := x.reclassify(s.classes, nodes, steps, near)
	parent = make([]int32, len(x.members))
	for c := range parent {
		parent[c] = s.of[x.members[c][0]]
	}
	x.columns = make([]column, len(parent))
	copy(x.columns, s.columns)
	for _, c := range changed {
		b := parent[c]
		x.columns[c] = column{slices.Clone(s.columns[b].fates), slices.Clone(s.columns[b].far)}
		w := x.work(c)
		for _, n := range nodes {
			if x.next[c][n] != s.next[b][n] {
				w.changed = append(w.changed, n)
			}
		}
		w.solveAgain(s.trees[b])
	}
	x.judge()
	for c := range parent {
		if !x.sends[c].same(&s.sends[parent[c]]) && !slices.Contains(changed, int32(c)) {
			changed = append(changed, int32(c))
		}
	}
	return x, parent, changed
}

// reclassify parts the classes to whose members nodes now have different steps, or
// whose members send otherwise; other is the steps of some nodes, by place. It returns
// the classes that were parted, or to which any node has another step than before.
func (x *Matrix) reclassify(before *classes, nodes []int32, other [][]onward, near []bool) (changed []int32) {
	c := before.copied()
	x.classes = c
	whole := len(before.members)
	parted := make([]bool, whole)
	for i := range nodes {
		for id := range int32(len(c.members)) {
			if c.part(id, func(p int32) onward { return other[i][p] }) && int(id) < whole {
				parted[id] = true
			}
		}
	}
	var fresh []sender
	for id := range int32(len(c.members)) {
		if c.sends[id].node != noNode || !slices.ContainsFunc(c.members[id], func(p int32) bool { return near[x.at(p).Device] }) {
			continue
		}
		count := len(c.members)
		as := c.sends[id]
		fresh = append(fresh, c.partSenders(id, func(p int32) sender {
			if near[x.at(p).Device] {
				return x.sender(x.net, p)
			}
			return as
		})...)
		if len(c.members) > count && int(id) < whole {
			parted[id] = true
		}
	}
	for _, id := range c.refine(fresh) {
		if int(id) < whole {
			parted[id] = true
		}
	}
	for id := range c.members {
		first, copied := c.members[id][0], false
		for i, n := range nodes {
			if c.next[id][n] == other[i][first] {
				continue
			}
			if !copied {
				c.next[id], copied = slices.Clone(c.next[id]), true
			}
			c.next[id][n] = other[i][first]
		}
		if copied || id >= whole || parted[id] {
			changed = append(changed, int32(id))
		}
	}
	return changed
}

// takeovers lists the routes that are in use after a failure and were not
// before.
func (s *sweep) takeovers(after *forward.Network) []Takeover {
	var all []Takeover
	for d := range s.used {
		id := model.DeviceID(d)
		if after.Same(s.net.Tables, id) {
			continue
		}
		before := &s.used[d]
		before.once.Do(func() {
			before.used = map[model.StaticID]bool{}
			s.net.Table(id).InUse(func(r model.StaticID, _ []routing.Hop) { before.used[r] = true })
		})
		after.Table(id).InUse(func(r model.StaticID, hops []routing.Hop) {
			if len(hops) > 0 && !before.used[r] {
				all = append(all, Takeover{id, r, hops[0].Out})
			}
		})
	}
	return all
}

// Together is every failure by itself, or where n is 2 every pair.
func Together(failures []network.Failure, n int) [][]network.Failure {
	var all [][]network.Failure
	for i, f := range failures {
		if n == 1 {
			all = append(all, []network.Failure{f})
			continue
		}
		for _, g := range failures[i+1:] {
			all = append(all, []network.Failure{f, g})
		}
	}
	return all
}
