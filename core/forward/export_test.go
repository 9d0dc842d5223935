package forward

import (
	"maps"
	"math/rand/v2"

	"ropeswing/core/routing"
)

// SettledFrom asks the watches of a network one by one in any order, each round in another,
// from any of them silent, and tells whether they settle.
func (net *Network) SettledFrom(r *rand.Rand) (*Network, bool) {
	p := newProbes(net.Spec)
	if p == nil {
		return net, true
	}
	silent := map[routing.Monitor]bool{}
	for _, m := range p.monitors {
		if r.IntN(2) == 0 {
			silent[m] = true
		}
	}
	net = net.with(net.State, net.Tables.Silence(silent))
	for range mostRounds {
		changed := false
		for _, i := range r.Perm(len(p.monitors)) {
			m := p.monitors[i]
			if is := ask(net, p.route[i]).silent; is != silent[m] {
				changed = true
				silent = maps.Clone(silent)
				if delete(silent, m); is {
					silent[m] = true
				}
				net = net.with(net.State, net.Tables.Silence(silent))
			}
		}
		if !changed {
			return net, true
		}
	}
	return net, false
}
