package forward

import (
	"maps"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// probes is what each monitor of a network found.
type probes struct {
	monitors []routing.Monitor
	route    []model.StaticID // by monitor: one that hangs on it
	found    []probe
}

type probe struct {
	asked  bool
	silent bool                // there was no answer
	source netip.Addr          // it was sent from
	met    []model.DeviceID    // on its path there and back
	used   []model.InterfaceID // by which it came and went
}

// Silence is why a monitor hears nothing.
type Silence struct {
	Monitor routing.Monitor
	Out     model.InterfaceID // by which the probe leaves
	Failure *Failure          // of the probe; nil where it depends on the flow
	Chases  bool              // it answers only while the route is out of use
}

// Silence is why a monitor hears nothing; false where it hears, or is none.
func (net *Network) Silence(m routing.Monitor) (Silence, bool) {
	if net.probes == nil || !net.Silent()[m] {
		return Silence{}, false
	}
	i := slices.Index(net.probes.monitors, m)
	if i < 0 || slices.Contains(net.Unsettled, m) {
		return Silence{Monitor: m, Out: model.None, Chases: true}, i >= 0
	}
	s := Silence{Monitor: m, Out: model.None}
	if x, hops := probeOf(net, net.probes.route[i]); x != nil {
		s.Out = hops[0].Out
		if f, ok := x.Failure(net); ok {
			s.Failure = &f
		}
	}
	return s, true
}

// newProbes lists the monitors of a network; nil where it has none.
func newProbes(spec *model.Spec) *probes {
	known := map[routing.Monitor]bool{}
	var p *probes
	for id := range spec.Statics {
		s := &spec.Statics[id]
		if !s.Watch.IsValid() {
			continue
		}
		if m := routing.MonitorOf(s); !known[m] {
			known[m] = true
			if p == nil {
				p = &probes{}
			}
			p.monitors, p.route = append(p.monitors, m), append(p.route, model.StaticID(id))
		}
	}
	if p != nil {
		p.found = make([]probe, len(p.monitors))
	}
	return p
}

// mostRounds is how often watches are asked before they are taken to chase each
// other; each round may at most let one further monitor of a chain settle.
const mostRounds = 200

// settle asks all watches together, from all of them answered, until none of
// them changes: what is answered never depends on an order. Watches that come
// round to where they were chase each other; those of their routes that change
// are taken to be out of use. What was found before, in another network, holds for
// probes that meet nothing of what changed on some devices; changed nil is all. Where priorities of virtual addresses go by what is
// watched, that is looked at first with all of it heard, and then anew with the masters that follow, until these stay.
func (p *probes) settle(before, net *Network, changed []model.DeviceID) *Network {
	net = p.settleIn(before, net, changed)
	followed := net.State.Followed()
	if len(followed) == 0 {
		return net
	}
	chasing := map[network.Watched]bool{}
	var history []map[network.Watched]bool
	for range mostRounds {
		unheard := net.unheard(followed)
		maps.Copy(unheard, chasing)
		if maps.Equal(unheard, net.State.Unheard()) {
			break
		}
		if slices.ContainsFunc(history, func(h map[network.Watched]bool) bool { return maps.Equal(h, unheard) }) {
			for _, h := range history { // heard by one master and not by the other: taken not to be heard
				maps.Copy(chasing, h)
			}
			maps.Copy(unheard, chasing)
		}
		history = append(history, unheard)
		next := Answered(net.State.WithUnheard(unheard))
		next.probes = newProbes(net.Spec)
		net = next.probes.settleIn(next, next, nil)
	}
	for _, m := range net.probes.monitors {
		if chasing[network.Watched{Device: m.Key.Device, Address: m.Watch}] && !slices.Contains(net.Unsettled, m) {
			net.Unsettled = append(net.Unsettled, m)
		}
	}
	return net
}

// unheard is what of some things that are watched is not heard: by none of the routes that watch it.
func (net *Network) unheard(followed []network.Watched) map[network.Watched]bool {
	all := map[network.Watched]bool{}
	silent := net.Silent()
	for _, w := range followed {
		watching, hears := 0, false
		for _, m := range net.probes.monitors {
			if m.Key.Device == w.Device && m.Watch == w.Address {
				watching++
				hears = hears || !silent[m]
			}
		}
		if watching > 0 && !hears {
			all[w] = true
		}
	}
	return all
}

// settleIn is settle where priorities go by no watch.
func (p *probes) settleIn(before, net *Network, changed []model.DeviceID) *Network {
	p = p.again(before, net, changed)
	frozen := map[routing.Monitor]bool{}
	silent := map[routing.Monitor]bool{}
	for i := range p.found {
		if p.found[i].asked && p.found[i].silent {
			silent[p.monitors[i]] = true
		}
	}
	var history []map[routing.Monitor]bool
	for range mostRounds {
		silent = maps.Clone(silent)
		for i := range p.found {
			if p.found[i].asked {
				continue
			}
			p.found[i] = ask(net, p.route[i])
			delete(silent, p.monitors[i])
			if p.found[i].silent {
				silent[p.monitors[i]] = true
			}
		}
		maps.Copy(silent, frozen)
		if maps.Equal(silent, net.Silent()) {
			break
		}
		heard := net
		if i := slices.IndexFunc(history, func(h map[routing.Monitor]bool) bool { return maps.Equal(h, silent) }); i >= 0 {
			for _, m := range unsteady(append(history[i:], silent)) {
				frozen[m] = true
			}
			history = nil
			maps.Copy(silent, frozen)
		}
		history = append(history, silent)
		net = net.with(net.State, net.Tables.Silence(silent))
		var next []model.DeviceID
		for _, m := range p.monitors {
			if heard.Silent()[m] != silent[m] {
				next = append(next, m.Key.Device)
			}
		}
		p = p.again(heard, net, next)
	}
	net = net.with(net.State, net.Tables.Silence(silent))
	net.Unsettled = nil
	for _, m := range p.monitors {
		if frozen[m] {
			net.Unsettled = append(net.Unsettled, m)
		}
	}
	net.probes = p
	return net
}

// again is the probes with those forgotten that may go otherwise than before, as some
// devices changed; nil is all.
func (p *probes) again(before, net *Network, changed []model.DeviceID) *probes {
	next := *p
	next.found = slices.Clone(p.found)
	if changed == nil {
		clear(next.found)
		return &next
	}
	is := make([]bool, len(net.Spec.Devices))
	for _, d := range changed {
		is[d] = true
	}
	for i := range next.found {
		if p.otherwise(before, net, i, is) {
			next.found[i].asked = false
		}
	}
	return &next
}

// otherwise tells whether a probe may go otherwise than before: an interface by which
// it came or went is up or down now, its own device changed, or a changed device it
// met sends it elsewhere.
func (p *probes) otherwise(before, net *Network, i int, changed []bool) bool {
	f, own := &p.found[i], p.monitors[i].Key.Device
	if before.State != net.State && slices.ContainsFunc(f.used,
		func(id model.InterfaceID) bool { return before.State.IsUp(id) != net.State.IsUp(id) }) {
		return true
	}
	for _, d := range f.met {
		switch {
		case !changed[d]:
		case net.Policy != nil:
			return true // what it was translated to is not known here
		case d == own && (p.monitors[i].Out == model.None || before.State != net.State):
			return true // its hops may be others, or its source
		case !net.Tables.SameFor(before.Tables, d, p.monitors[i].Watch), !net.Tables.SameFor(before.Tables, d, f.source):
			return true
		}
	}
	return false
}

// unsteady lists the monitors that are silent in some of the rounds only.
func unsteady(rounds []map[routing.Monitor]bool) []routing.Monitor {
	var all []routing.Monitor
	for _, round := range rounds {
		for m := range round {
			if slices.ContainsFunc(rounds, func(other map[routing.Monitor]bool) bool { return !other[m] }) && !slices.Contains(all, m) {
				all = append(all, m)
			}
		}
	}
	return all
}

// ask sends the probe of a watched route: a ping to what is watched that leaves
// by the route's next hop, whatever the table says; where settings say so, one that goes by the table.
func ask(net *Network, id model.StaticID) probe {
	spec := net.Spec
	s := &spec.Statics[id]
	p := probe{asked: true, met: []model.DeviceID{s.Device}}
	x, _ := probeOf(net, id)
	if x == nil {
		p.silent = isDiscarded(net, id) // its next hop is; else the route has no hop, and that is reason enough
		return p
	}
	p.source = x.Source
	note := func(g *Graph) {
		for i := range g.Nodes {
			n := &g.Nodes[i]
			if !slices.Contains(p.met, n.Device) {
				p.met = append(p.met, n.Device)
			}
			if n.In != model.None {
				p.used = append(p.used, n.In)
			}
			for _, e := range n.Edges {
				p.used = append(p.used, e.Hop.Out)
			}
		}
	}
	note(x.There)
	for _, g := range x.Back {
		note(g)
	}
	p.silent = x.Verdict() != Works
	return p
}

// isDiscarded reports whether what a route sends, and so its probes, is discarded: its next hop is found by a route
// that discards.
func isDiscarded(net *Network, id model.StaticID) bool {
	s := &net.Spec.Statics[id]
	table, ok := net.Named(routing.Key{Device: s.Device, Name: s.Table})
	if !ok || s.Discard || s.Out != model.None {
		return false
	}
	for _, e := range table.Covering(s.To.Addr()) {
		if e.Static() == id && (e.Discard && e.Usable == routing.IsUsable || e.Usable == routing.WatchSilent) {
			return len(e.Hops) == 0
		}
	}
	return false
}

// probeOf is the exchange of a watched route's probe, and the hops it leaves by;
// nil where the route has none.
func probeOf(net *Network, id model.StaticID) (*Exchange, []routing.Hop) {
	s := &net.Spec.Statics[id]
	table, ok := net.Named(routing.Key{Device: s.Device, Name: s.Table})
	if !ok {
		return nil, nil
	}
	var hops []routing.Hop
	if s.Out != model.None {
		if net.State.IsUp(s.Out) {
			hops = []routing.Hop{{Out: s.Out, Via: s.Via}}
		}
	} else {
		for _, e := range table.Covering(s.To.Addr()) {
			if e.Static() == id && (e.Usable == routing.IsUsable || e.Usable == routing.WatchSilent) {
				hops = slices.Clone(e.Hops)
			}
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
	if x.Source = s.WatchFrom; !x.Source.IsValid() {
		x.Source, _ = sourceOut(net, s.Device, routing.Hop{Out: hops[0].Out, Via: via}, s.Watch)
	}
	if net.Spec.Settings.ProbesByTable {
		x.There = Walk(net, Sender(s.Device), FlowTo(x.Source, s.Watch))
		x.answer(net)
		return x, hops
	}
	w := &walker{net: net, ttl: DefaultTTL, first: hops, graph: &Graph{Flow: FlowTo(x.Source, s.Watch), Nodes: make([]Node, 0, 8)}}
	w.begin(At{s.Device, model.None}, w.graph.Flow)
	x.There = w.graph
	x.answer(net)
	return x, hops
}

// forced is the decision of a device that sends by hops it was told.
func forced(to netip.Addr, hops []routing.Hop) Decision {
	return Decision{Action: PassOn, Match: routing.Match{Prefix: netip.PrefixFrom(to, to.BitLen()), Hops: hops}}
}
