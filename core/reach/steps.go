package reach

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/routing"
)

// onward is what a node does with packets to one destination: the node they go
// to, or one of these; below them all, a fork.
type onward int32

const (
	delivers onward = -1 // it is its own address
	hands    onward = -2 // to a device that has the address and does not forward
	loses    onward = -3
	lastStep onward = -3

	lastForked = lastStep - 1
)

// steps works out what a node does with packets to each place.
func (m *Matrix) onwardOf(net *forward.Network, n int32, set func(int, onward)) {
	known := map[routing.Hop]onward{}
	v, _ := net.Named(m.nodes[n])
	v.Runs(m.sorted, func(run routing.Run) {
		for p := run.First; p < run.Last; p++ {
			s := m.stepTo(net, run.Match, run.Found, m.sorted[p], known)
			set(p, s)
			if p == run.First && forAll(run, s) {
				for q := p + 1; q < run.Last; q++ {
					set(q, s)
				}
				break
			}
		}
	})
}

// forAll tells whether the step to the first place of a run is that to all of them:
// it does not depend on the address that is asked for on a link.
func forAll(run routing.Run, s onward) bool {
	return !run.Found || run.Match.Local || len(run.Match.Hops) == 0 ||
		s >= 0 && !slices.ContainsFunc(run.Match.Hops, func(h routing.Hop) bool { return !h.Via.IsValid() })
}

// stepTo is the step of a match.
func (m *Matrix) stepTo(net *forward.Network, match routing.Match, found bool, to netip.Addr, known map[routing.Hop]onward) onward {
	switch {
	case !found:
		return loses
	case match.Local:
		return delivers
	case len(match.Hops) == 0:
		return loses
	}
	var all []int32
	for _, hop := range match.Hops {
		s, ok := known[hop]
		if !ok || !hop.Via.IsValid() {
			s = m.across(net, hop, to)
			if s >= 0 { // else it may be that of a device which has just this address
				known[hop] = s
			}
		}
		if len(match.Hops) == 1 {
			return s
		}
		all = append(all, m.branches(s)...)
	}
	return m.fork(all)
}

// across is the step by one hop: to whoever takes what is sent there.
func (m *Matrix) across(net *forward.Network, hop routing.Hop, to netip.Addr) onward {
	at := hop.Via
	if !at.IsValid() {
		at = to
	}
	var all []int32
	for _, holder := range forward.Receivers(net, hop.Out, at) {
		if holder == hop.Out {
			continue
		}
		i := &net.Spec.Interfaces[holder]
		n, forwards := m.node[routing.Key{Device: i.Device, Name: i.Table}]
		switch match, ok := net.For(i.Device, holder).Lookup(to); {
		case forwards:
			all = append(all, n)
		case ok && match.Local:
			all = append(all, int32(hands))
		default:
			all = append(all, int32(loses))
		}
	}
	switch len(all) {
	case 0:
		return loses
	case 1:
		return onward(all[0])
	}
	return m.fork(all)
}

func (m *Matrix) branches(s onward) []int32 {
	if s < lastStep {
		m.forking.Lock()
		defer m.forking.Unlock()
		return m.forks[lastForked-s]
	}
	return []int32{int32(s)}
}

// fork is the step to several; those that lead to the same are one.
func (m *Matrix) fork(all []int32) onward {
	slices.Sort(all)
	all = slices.Compact(all)
	if len(all) == 1 {
		return onward(all[0])
	}
	m.forking.Lock()
	defer m.forking.Unlock()
	for i := range m.forks {
		if slices.Equal(m.forks[i], all) {
			return lastForked - onward(i)
		}
	}
	m.forks = append(m.forks, all)
	return lastStep - onward(len(m.forks))
}
