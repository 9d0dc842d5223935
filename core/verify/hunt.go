package verify

import (
	"cmp"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// hunt is the search for slips, in a network with those mended that were found.
type hunt struct {
	*checker
	net       *forward.Network
	tried     *forward.Network // with the best change
	wishes    []wish
	failing   []int  // wishes
	forbidden []wish // that must not get there
	open      int    // how many of these do all the same
	pinged    int
	tries     int           // that are left
	second    bool          // one change was made already that does not help by itself
	lines     map[line]bool // at which something is wrong already
}

// send pings as a wish has it. Whoever is meant is who is to answer.
func (h *hunt) send(net *forward.Network, w *wish) *forward.Exchange {
	h.pinged++
	return forward.PingBy(net, w.from.device, w.from.address, w.to.address, model.None, forward.Probe{Over: w.over, Whom: whom(w.to)})
}

// holds tells whether a wish is fulfilled: it works, or it is a permit that drops it, and nothing requires it.
func (w *wish) holds(net *forward.Network, x *forward.Exchange) bool {
	if x.Verdict() == forward.Works {
		return true
	}
	if w.needed {
		return false
	}
	f, failing := x.Failure(net)
	return !failing || f.Name == finding.FilteredOut || f.Name == finding.RefusedByPermit
}

// ask lists those of some wishes, nil for all, that are not fulfilled.
func (h *hunt) ask(net *forward.Network, some []int) []int {
	var fails []int
	one := func(i int) {
		if w := &h.wishes[i]; !w.holds(net, h.send(net, w)) {
			fails = append(fails, i)
		}
	}
	if some == nil {
		for i := range h.wishes {
			one(i)
		}
	}
	for _, i := range some {
		one(i)
	}
	return fails
}

// getThrough counts those that get where they must not.
func (h *hunt) getThrough(net *forward.Network) int {
	n := 0
	for i := range h.forbidden {
		if h.send(net, &h.forbidden[i]).There.Verdict() != forward.Fails {
			n++
		}
	}
	return n
}

// guess is a change that may be the slip undone.
type guess struct {
	change model.Change
	mends  int
	breaks int
	odd    int // how unlike a slip of the hand it is: fewer is likelier
	next   *forward.Network
}

// best is the change that mends the most of what fails.
func (h *hunt) best() (slip, bool) {
	if len(h.failing) == 0 || h.pinged > mostPinged {
		return slip{}, false
	}
	type kind struct {
		name   finding.Name
		device model.DeviceID
		back   bool
	}
	var failures []*forward.Exchange
	seen := map[kind]bool{}
	var sample []int
	for _, i := range h.failing {
		x := h.send(h.net, &h.wishes[i])
		f, _ := x.Failure(h.net)
		if k := (kind{f.Name, f.Device, f.Back}); !seen[k] && len(failures) < mostFailures {
			seen[k] = true
			failures, sample = append(failures, x), append(sample, i)
		}
	}
	for n := 0; n < len(h.failing) && len(sample) < 2*mostFailures; n += max(1, len(h.failing)/mostFailures) {
		sample = append(sample, h.failing[n])
	}
	var guesses []guess
	told := map[string]bool{}
	for _, x := range failures {
		for _, change := range (mender{h.net, x, h.net.Spec}).guesses() {
			if words := change.Describe(h.net.Spec); !told[words] && len(told) < mostLooked && !h.foreign(change) {
				told[words] = true
				guesses = append(guesses, guess{change: change, odd: h.oddness(change)})
			}
		}
	}
	slices.SortStableFunc(guesses, func(a, b guess) int { return cmp.Compare(a.odd, b.odd) })
	tried := guesses[:0]
	var halves []guess // after which pings fail elsewhere
	for _, g := range guesses {
		if h.tries--; h.tries < 0 {
			h.budget.Spent = true
			break
		}
		if g.next = h.budget.try(h.net, g.change); g.next == nil {
			continue
		}
		if g.mends = len(sample) - len(h.ask(g.next, sample)); g.mends > 0 {
			tried = append(tried, g)
		} else if !h.second && len(halves) < mostHalves && h.getsOn(g.next, failures) {
			halves = append(halves, g)
		}
	}
	likelier := func(a, b guess) int {
		return cmp.Or(cmp.Compare(b.mends-3*b.breaks, a.mends-3*a.breaks), cmp.Compare(a.odd, b.odd))
	}
	slices.SortStableFunc(tried, likelier)
	tried = tried[:min(len(tried), mostJudge)]
	tried = slices.DeleteFunc(tried, func(g guess) bool { return h.getThrough(g.next) > h.open }) // it would open what is to be closed
	for i := range tried {
		g := &tried[i]
		still := h.ask(g.next, h.failing)
		g.mends = len(h.failing) - len(still)
		g.breaks = len(h.ask(g.next, nil)) - len(still)
	}
	slices.SortStableFunc(tried, likelier)
	if len(tried) == 0 || tried[0].mends <= tried[0].breaks {
		return h.inTwo(halves)
	}
	g := tried[0]
	h.tried = g.next
	s := slip{Changes: []Applied{{g.change, h.net.Spec}}, Mends: g.mends}
	for _, i := range h.failing {
		if w := &h.wishes[i]; w.holds(g.next, h.send(g.next, w)) {
			s.Example = [2]target{w.from, w.to}
			break
		}
	}
	return s, true
}

// getsOn tells whether some ping fails elsewhere in a network with a change, or otherwise.
func (h *hunt) getsOn(net *forward.Network, failures []*forward.Exchange) bool {
	return slices.ContainsFunc(failures, func(x *forward.Exchange) bool {
		h.pinged++
		return !sameFailure(x, forward.PingBy(net, x.From, x.Source, x.Target, model.None, x.Probe))
	})
}

// inTwo looks for two changes of which none helps without the other: two slips on one way. The first is one of some
// after which pings fail elsewhere.
func (h *hunt) inTwo(halves []guess) (slip, bool) {
	var best slip
	var tried *forward.Network
	for _, g := range halves {
		rest := *h
		rest.net, rest.second = g.next, true
		s, ok := rest.best()
		h.tries, h.pinged = rest.tries, rest.pinged
		if ok && s.Mends > best.Mends {
			best, tried = s, rest.tried
			best.Changes = append([]Applied{{g.change, h.net.Spec}}, s.Changes...)
		}
	}
	h.tried = tried
	return best, best.Mends > 0
}

// foreign tells whether a change is a route of the world's, which is not ours to write but for what it may know:
// never a default to its customer, never private addresses.
func (h *hunt) foreign(c model.Change) bool {
	a, ok := c.(model.AddRoute)
	return ok && h.net.Spec.Devices[a.Static.Device].Kind == model.World &&
		(a.Static.To.Bits() == 0 || prefix.ScopeOf(a.Static.To.Addr()).Use == "private use")
}
