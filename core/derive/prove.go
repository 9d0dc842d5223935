package derive

import (
	"maps"
	"slices"
	"sync"

	"ropeswing/core/model"
	"ropeswing/core/parallel"
)

// watcher is a probe that some of a device's routes hang on: out by a step, to
// the far end of another.
type watcher struct {
	device  model.DeviceID
	step    stepID
	watched stepID
}

// watching is who watches what, and what of it is silent in which failure.
type watching struct {
	watchers  []watcher
	watcherID map[watcher]int
	hanging   [][]givenUp   // by watcher: who hangs on it
	silent    [][]bool      // by failure, then watcher: it hears nothing
	unsteady  [][]int       // by failure: watchers that never settle
	silencing [][]failureID // by watcher: in which failures it hears nothing
}

// prove looks at every failure with the watches as they really fare, probe and
// answer following the tables of that moment, and takes the floating routes away
// again from those whose packets would go round in circles, until none do.
func (a *answer) prove() {
	var again []bool // by class, after the first round: it has to be looked at
	for {
		before, of := a.silencing, a.watchers
		a.findWatchers()
		a.settleAll()
		bad := a.circling(a.dirty(again, before, of))
		if len(bad) == 0 {
			return
		}
		again = make([]bool, len(a.classes))
		for x := range bad {
			again[x.class] = true
			c := &a.classes[x.class]
			c.further[x.device], c.watch[x.device] = nil, none
			a.gaveUp[x] = true
		}
	}
}

// dirty adds to the classes that were changed those that hang on a watcher that
// now fares otherwise; nil is all of them.
func (a *answer) dirty(changed []bool, before [][]failureID, of []watcher) []bool {
	if changed == nil {
		return nil
	}
	was := map[watcher][]failureID{}
	for id, w := range of {
		if id < len(before) {
			was[w] = before[id]
		}
	}
	for id, w := range a.watchers {
		if !slices.Equal(was[w], a.silencing[id]) {
			for _, x := range a.hanging[id] {
				changed[x.class] = true
			}
		}
	}
	return changed
}

// findWatchers lists every probe that is sent, each once.
func (a *answer) findWatchers() {
	a.watchers, a.watcherID, a.hanging = nil, map[watcher]int{}, nil
	for c := range a.classes {
		if a.classes[c].watcher == nil {
			a.classes[c].watcher = make([]int32, len(a.g.leaving))
		}
		for d, w := range a.classes[c].watch {
			a.classes[c].watcher[d] = none
			if w == none || a.linkClass[w] == none || a.linkClass[a.classes[c].first[d]] == none {
				continue
			}
			x := watcher{model.DeviceID(d), a.classes[c].first[d], w}
			id, ok := a.watcherID[x]
			if !ok {
				id = len(a.watchers)
				a.watcherID[x] = id
				a.watchers, a.hanging = append(a.watchers, x), append(a.hanging, nil)
			}
			a.classes[c].watcher[d] = int32(id)
			a.hanging[id] = append(a.hanging[id], givenUp{classID(c), x.device})
		}
	}
}

// circling lists the devices whose packets, in some failure of a cable or
// segment, go round in circles and which have floating routes that bring that
// about; and those whose watches never settle. Among says which classes to look
// at; nil is all.
func (a *answer) circling(among []bool) map[givenUp]bool {
	bad := map[givenUp]bool{}
	for id := range a.g.failures {
		for _, w := range a.unsteady[id] {
			for _, x := range a.hanging[w] {
				if _, written := a.classes[x.class].forced[x.device]; !written { // that stands
					bad[x] = true
				}
			}
		}
	}
	var mutex sync.Mutex
	a.each(func(c *class, w *walker) {
		if among != nil && !among[c.id] {
			return
		}
		here := map[givenUp]bool{}
		a.eachFailureOf(c, func(d model.DeviceID, f *failure) {
			lost := a.lost(a.silent[f.id])
			if w.at(c, f, lost).walk(d) == circles {
				a.blame(here, givenUp{c.id, d}, f, lost)
			}
		})
		mutex.Lock()
		defer mutex.Unlock()
		maps.Copy(bad, here)
	})
	return bad
}

// eachFailureOf visits, for each failure of a cable or segment, the devices that leave
// their first step to a class because of it.
func (a *answer) eachFailureOf(c *class, visit func(model.DeviceID, *failure)) {
	byFailure := make([][]model.DeviceID, len(a.g.failures))
	room := make([]model.DeviceID, 2*len(a.g.failures))
	for id := range byFailure {
		byFailure[id] = room[2*id : 2*id : 2*id+2]
	}
	for d, s := range c.first {
		at := model.DeviceID(d)
		if s == none {
			if c.several && c.isOwner(at) {
				for _, f := range a.troubles(c, at) {
					byFailure[f] = append(byFailure[f], at)
				}
			}
			continue
		}
		for _, f := range a.g.breaking[s] {
			byFailure[f] = append(byFailure[f], at)
		}
		if c.watch[d] == none || c.watcher[d] == none {
			continue
		}
		for _, f := range a.silencing[c.watcher[d]] {
			if !slices.Contains(a.g.breaking[s], f) {
				byFailure[f] = append(byFailure[f], at)
			}
		}
	}
	for id, devices := range byFailure {
		if f := &a.g.failures[id]; f.required {
			for _, d := range devices {
				visit(d, f)
			}
		}
	}
}

// settleAll works out for each failure which watchers it silences.
func (a *answer) settleAll() {
	touched := a.watchersByStep()
	a.silent, a.unsteady = make([][]bool, len(a.g.failures)), make([][]int, len(a.g.failures))
	parallel.Each(len(a.g.failures), func(i int) {
		if f := &a.g.failures[i]; f.required {
			a.silent[f.id], a.unsteady[f.id] = a.settle(f, touched)
		}
	})
	a.silencing = make([][]failureID, len(a.watchers))
	for f, silent := range a.silent {
		for w, is := range silent {
			if is {
				a.silencing[w] = append(a.silencing[w], failureID(f))
			}
		}
	}
}

// blame notes the devices on a circle that took a floating route.
func (a *answer) blame(bad map[givenUp]bool, from givenUp, f *failure, lost watches) {
	x := &a.classes[from.class]
	at := from.device
	for range 2 * len(x.first) {
		s := a.g.decide(x, at, f, lost)
		if s == none {
			return
		}
		if _, written := x.forced[at]; s != x.first[at] && !written {
			bad[givenUp{from.class, at}] = true
		}
		at = a.g.steps[s].to
	}
}

// lost tells what a route watches to be lost where its watcher is silent.
func (a *answer) lost(silent []bool) watches {
	return func(c *class, d model.DeviceID) bool {
		id := c.watcher[d]
		return id != none && silent[id]
	}
}

// watchersByStep lists, for each step, the watchers whose probes or answers take
// it while nothing has failed.
func (a *answer) watchersByStep() [][]int {
	by := make([][]int, len(a.g.steps))
	nothing := &failure{effect: make([]effect, len(a.g.steps)), fails: model.None}
	never := func(*class, model.DeviceID) bool { return false }
	for id := range a.watchers {
		a.probe(id, nothing, never, func(s stepID) {
			if n := len(by[s]); n == 0 || by[s][n-1] != id {
				by[s] = append(by[s], id)
			}
		})
	}
	return by
}

// settle works out which watchers a failure silences, and which never settle.
func (a *answer) settle(f *failure, touched [][]int) (silent []bool, unsteady []int) {
	var asked []int
	for _, s := range f.breaks {
		asked = append(asked, touched[s]...)
	}
	slices.Sort(asked)
	asked = slices.Compact(asked)
	silent = make([]bool, len(a.watchers))
	for range 4 + len(asked) {
		next := make([]bool, len(a.watchers))
		lost := a.lost(silent)
		for _, id := range asked {
			next[id] = !a.probe(id, f, lost, func(stepID) {})
		}
		if slices.Equal(next, silent) {
			return silent, nil
		}
		silent = next
	}
	return silent, asked
}

// probe tells whether a watcher hears an answer. Use is called for each step
// that the probe or its answer takes.
func (a *answer) probe(id int, f *failure, lost watches, use func(stepID)) bool {
	w := a.watchers[id]
	use(w.step)
	if f.effect[w.step] != whole {
		return false
	}
	far := a.g.steps[w.watched].to
	if !a.carry(a.linkClass[w.watched], a.g.steps[w.step].to, far, f, lost, use) {
		return false
	}
	return a.carry(a.linkClass[w.step], far, w.device, f, lost, use)
}

// carry follows a packet to a device's own address on a link: by the ways to
// the link's subnet, and from whoever else is on it over the link itself.
func (a *answer) carry(c classID, from, to model.DeviceID, f *failure, lost watches, use func(stepID)) bool {
	x := &a.classes[c]
	at := from
	for range len(x.first) + 1 {
		if at == to {
			return x.owns(at, f)
		}
		if x.owns(at, f) {
			for _, s := range a.g.leaving[at] {
				if a.g.steps[s].to == to && a.linkClass[s] == c {
					use(s)
					return f.effect[s] == whole
				}
			}
			return false
		}
		s := a.g.decide(x, at, f, lost)
		if s == none {
			return false
		}
		use(s)
		if f.effect[s] != whole {
			return false
		}
		at = a.g.steps[s].to
	}
	return false
}
