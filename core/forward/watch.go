package forward

import (
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// Resolve makes the tables of a state, watched routes among them.
func Resolve(state *network.State) *routing.Tables {
	return settle(routing.Resolve(state, state.Spec.Statics), nil, nil)
}

// Update is the tables in another state of the same topology, watched routes
// among them. It redoes only what differs.
func Update(t *routing.Tables, state *network.State) *routing.Tables {
	next := t.Update(state)
	known, _ := t.Probes.(probes)
	if len(known) == 0 {
		return next
	}
	var changed map[model.DeviceID]bool
	if state.Shares(t.State) {
		changed = map[model.DeviceID]bool{}
		for id := range state.Spec.Interfaces {
			if state.IsUp(model.InterfaceID(id)) != t.State.IsUp(model.InterfaceID(id)) {
				changed[state.Spec.Interfaces[id].Device] = true
			}
		}
	}
	if silent := next.Silent(); len(silent) > 0 {
		for id := range silent {
			if changed != nil {
				changed[state.Spec.Statics[id].Device] = true
			}
		}
		next = next.Silence(nil)
	}
	return settle(next, known, changed)
}

// probes is what the watch of each watched route found.
type probes map[model.StaticID]probe

type probe struct {
	silent  string           // why there was no answer; "" where there was one
	devices []model.DeviceID // it met on its way there and back
}

// mostRounds is how often watches are asked before they are taken to chase each
// other; each round may at most let one further route of a chain settle.
const mostRounds = 200

// settle asks all watches together, from all of them answered, until none of
// them changes: what is answered never depends on an order. Watches that come
// round to where they were chase each other; those of their routes that change
// are taken to be out of use. Known is what was found before in tables that
// differ at the changed devices only; changed nil is everywhere.
func settle(t *routing.Tables, known probes, changed map[model.DeviceID]bool) *routing.Tables {
	watched := known.ids()
	if known == nil {
		for id := range t.State.Spec.Statics {
			if t.State.Spec.Statics[id].Watch.IsValid() {
				watched = append(watched, model.StaticID(id))
			}
		}
	}
	if len(watched) == 0 {
		return t
	}
	frozen := map[model.StaticID]string{}
	var history []map[model.StaticID]string
	for range mostRounds {
		found := make(probes, len(watched))
		silent := map[model.StaticID]string{}
		for _, id := range watched {
			p, asked := known[id]
			if !asked || changed == nil || slices.ContainsFunc(p.devices, func(d model.DeviceID) bool { return changed[d] }) {
				p = ask(t, id)
			}
			found[id] = p
			if p.silent != "" {
				silent[id] = p.silent
			}
			if why, ok := frozen[id]; ok {
				silent[id] = why
			}
		}
		if sameKeys(silent, t.Silent()) {
			t = t.Silence(silent) // the reasons may be others
			t.Probes = found
			t.Unsettled = nil
			for _, id := range watched {
				if _, ok := frozen[id]; ok {
					t.Unsettled = append(t.Unsettled, id)
				}
			}
			return t
		}
		before := t.Silent()
		if i := slices.IndexFunc(history, func(h map[model.StaticID]string) bool { return sameKeys(h, silent) }); i >= 0 {
			for _, id := range unsteady(append(history[i:], silent)) {
				frozen[id] = "what it watches answers only while the route is out of use"
			}
			history = nil
			for id, why := range frozen {
				silent[id] = why
			}
		}
		history = append(history, silent)
		t = t.Silence(silent)
		known, changed = found, map[model.DeviceID]bool{}
		for _, id := range watched {
			_, a := before[id]
			if _, b := silent[id]; a != b {
				changed[t.State.Spec.Statics[id].Device] = true
			}
		}
	}
	return t
}

func (p probes) ids() []model.StaticID {
	var all []model.StaticID
	for id := range p {
		all = append(all, id)
	}
	slices.Sort(all)
	return all
}

func sameKeys(a, b map[model.StaticID]string) bool {
	if len(a) != len(b) {
		return false
	}
	for id := range a {
		if _, ok := b[id]; !ok {
			return false
		}
	}
	return true
}

// unsteady lists the routes that are silent in some of the rounds only.
func unsteady(rounds []map[model.StaticID]string) []model.StaticID {
	var all []model.StaticID
	for _, round := range rounds {
		for id := range round {
			if slices.ContainsFunc(rounds, func(other map[model.StaticID]string) bool { _, ok := other[id]; return !ok }) && !slices.Contains(all, id) {
				all = append(all, id)
			}
		}
	}
	return all
}

// ask sends the probe of a watched route: a ping to what is watched that leaves
// by the route's next hop, whatever the table says.
func ask(t *routing.Tables, id model.StaticID) probe {
	spec := t.State.Spec
	s := &spec.Statics[id]
	p := probe{devices: []model.DeviceID{s.Device}}
	x, hops := probeOf(t, id)
	if x == nil {
		return p // the route has no hop; that is reason enough
	}
	for _, g := range append([]*Graph{x.There}, x.Back...) {
		for _, n := range g.Nodes {
			p.devices = append(p.devices, n.Device)
		}
	}
	if x.Verdict() == Works {
		return p
	}
	p.silent = fmt.Sprintf("what it watches, %s, does not answer out of %s", s.Watch, spec.Interfaces[hops[0].Out].Name)
	if f, ok := x.Failure(t); ok {
		p.silent += ": " + f.Reason
	}
	return p
}

// probeOf is the exchange of a watched route's probe, and the hops it leaves by;
// nil where the route has none.
func probeOf(t *routing.Tables, id model.StaticID) (*Exchange, []routing.Hop) {
	s := &t.State.Spec.Statics[id]
	table, ok := t.Named(routing.Key{Device: s.Device, Name: s.Table})
	if !ok {
		return nil, nil
	}
	var hops []routing.Hop
	for _, e := range table.Covering(s.To.Addr()) {
		if e.Static() == id && (e.Usable == routing.IsUsable || e.Usable == routing.WatchSilent) {
			hops = slices.Clone(e.Hops)
		}
	}
	if len(hops) == 0 {
		return nil, nil
	}
	x := &Exchange{From: s.Device, Target: s.Watch}
	via := hops[0].Via
	if !via.IsValid() {
		via = s.Watch
	}
	x.Source, _ = sourceOut(t, s.Device, routing.Hop{Out: hops[0].Out, Via: via}, s.Watch)
	w := &walker{tables: t, ttl: DefaultTTL, first: hops, graph: &Graph{Flow: Flow{Source: x.Source, Destination: s.Watch, Out: model.None}, Nodes: make([]Node, 0, 8)}}
	w.visit(w.node(At{s.Device, model.None}))
	x.There = w.graph
	x.answer(t)
	return x, hops
}

// Watched is the exchange of a watched route's probe; false where the route has
// no next hop to send it by.
func Watched(t *routing.Tables, id model.StaticID) (*Exchange, bool) {
	x, _ := probeOf(t, id)
	return x, x != nil
}

// forced is the decision of a device that sends by hops it was told.
func forced(to netip.Addr, hops []routing.Hop) Decision {
	return Decision{Action: PassOn, Match: routing.Match{Prefix: netip.PrefixFrom(to, to.BitLen()), Hops: hops}}
}
