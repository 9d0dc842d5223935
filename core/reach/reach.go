// Package reach asks of every segment which others it reaches, and what of that
// is lost when something fails, on the same decisions as a single ping.
package reach

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
)

// End is who stands for a segment in one family: its first host with an
// address, else the first of its other devices.
type End struct {
	Segment   model.SegmentID
	Device    model.DeviceID
	Interface model.InterfaceID
	Address   netip.Addr
}

// Way is one segment pinging another in one family.
type Way struct {
	From, To *End
	Verdict  forward.Verdict
	Failure  forward.Failure // of one that does not work
}

// Is4 tells whether it is a way in IPv4.
func (w Way) Is4() bool { return w.To.Address.Is4() }

// Ends lists who stands for each segment, IPv4 before IPv6.
func Ends(spec *model.Spec) []*End {
	var all []*End
	for s := range spec.Segments {
		for _, is4 := range []bool{true, false} {
			if e, ok := endOf(spec, model.SegmentID(s), is4); ok {
				all = append(all, e)
			}
		}
	}
	return all
}

// endOf chooses who stands for a segment: hosts before others, the world last.
func endOf(spec *model.Spec, segment model.SegmentID, is4 bool) (*End, bool) {
	rank := func(k model.Kind) int {
		return map[model.Kind]int{model.Host: 0, model.World: 2}[k] + map[bool]int{true: 1}[k != model.Host && k != model.World]
	}
	best, bestRank := &End{Segment: segment}, 99
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		if i.Segment != segment || !i.Routed() || i.Table != "" {
			continue
		}
		for _, a := range i.Addresses {
			if r := rank(spec.Devices[i.Device].Kind); a.Addr().Is4() == is4 && !a.Addr().IsLinkLocalUnicast() && !a.Virtual && r < bestRank {
				best.Device, best.Interface, best.Address, bestRank = i.Device, model.InterfaceID(id), a.Addr(), r
			}
		}
	}
	return best, bestRank < 99
}

// All asks every way between the ends, of one family each, from one segment to
// another. Visit is called for each; it stops where visit returns false.
func All(t *routing.Tables, ends []*End, visit func(Way) bool) {
	for _, from := range ends {
		for _, to := range ends {
			if from.Segment == to.Segment || from.Address.Is4() != to.Address.Is4() {
				continue
			}
			if !visit(ask(t, from, to)) {
				return
			}
		}
	}
}

func ask(t *routing.Tables, from, to *End) Way {
	x := forward.Ping(t, from.Device, from.Address, to.Address, model.None)
	w := Way{From: from, To: to, Verdict: x.Verdict()}
	if w.Verdict != forward.Works {
		w.Failure, _ = x.Failure(t)
	}
	return w
}

// Loss is what a failure takes away.
type Loss struct {
	Failure network.Failure
	Lost    []Way // that worked before
	Cannot  int   // of them: no wire leads there any more
	Loops   int   // of them: that go round in a loop
}

// Sweep makes each failure in turn, and lists what it takes away of the ways
// that work. Visit is called for each; it stops where visit returns false.
func Sweep(t *routing.Tables, ends []*End, failures []network.Failure, visit func(Loss) bool) {
	var working []Way
	All(t, ends, func(w Way) bool {
		if w.Verdict == forward.Works {
			working = append(working, w)
		}
		return true
	})
	for _, f := range failures {
		state := t.State.With(f)
		next := forward.Update(t, state)
		loss := Loss{Failure: f}
		parts := wired(state)
		for _, w := range working {
			now := ask(next, w.From, w.To)
			if now.Verdict == forward.Works {
				continue
			}
			loss.Lost = append(loss.Lost, now)
			if !state.IsUp(w.From.Interface) || !state.IsUp(w.To.Interface) || !parts.joined(w.From.Device, w.To.Device) {
				loss.Cannot++
			}
			if len(now.Failure.Loop) > 0 {
				loss.Loops++
			}
		}
		if !visit(loss) {
			return
		}
	}
}

// Cables lists the failure of every cable that joins anything but a host to the
// network.
func Cables(spec *model.Spec) []network.Failure {
	var all []network.Failure
	for id, c := range spec.Cables {
		kinds := []model.Kind{spec.Devices[spec.Interfaces[c.Ends[0]].Device].Kind, spec.Devices[spec.Interfaces[c.Ends[1]].Device].Kind}
		if !slices.Contains(kinds, model.Host) {
			f := network.NoFailure
			f.Cable = model.CableID(id)
			all = append(all, f)
		}
	}
	return all
}

// Devices lists the failure of every device that others reach one another
// through.
func Devices(spec *model.Spec) []network.Failure {
	var all []network.Failure
	for id, d := range spec.Devices {
		if d.Kind != model.Host && d.Kind != model.World {
			f := network.NoFailure
			f.Device = model.DeviceID(id)
			all = append(all, f)
		}
	}
	return all
}

// parts tells which devices some wire still leads to from which others, through
// devices that forward, whatever their routes say.
type parts struct {
	spec *model.Spec
	of   []int // by device: its part; of one that does not forward: -1
	at   map[model.DeviceID][]int
}

// wired finds the parts of a network in a state.
func wired(s *network.State) *parts {
	spec := s.Spec
	p := &parts{spec: spec, of: make([]int, len(spec.Devices)), at: map[model.DeviceID][]int{}}
	domains := map[model.DeviceID][]network.DomainID{}
	members := map[network.DomainID][]model.DeviceID{}
	note := func(d model.DeviceID, domain network.DomainID) {
		domains[d] = append(domains[d], domain)
		members[domain] = append(members[domain], d)
	}
	serial := network.DomainID(1 << 30) // lines without addresses are wires too
	for id := range spec.Interfaces {
		// A table of its own is a network apart, though the wire is there.
		if d := s.Domain(model.InterfaceID(id)); d != network.NoDomain && spec.Interfaces[id].Table == "" {
			note(spec.Interfaces[id].Device, d)
		}
	}
	for _, c := range spec.Cables {
		a, b := &spec.Interfaces[c.Ends[0]], &spec.Interfaces[c.Ends[1]]
		if a.Serial && s.IsUp(c.Ends[0]) && s.IsUp(c.Ends[1]) {
			note(a.Device, serial)
			note(b.Device, serial)
			serial++
		}
	}
	for d := range p.of {
		p.of[d] = -1
	}
	next := 0
	for n := range spec.Devices {
		if !p.passes(model.DeviceID(n)) || p.of[n] >= 0 {
			continue
		}
		queue := []model.DeviceID{model.DeviceID(n)}
		p.of[n] = next
		for len(queue) > 0 {
			d := queue[0]
			queue = queue[1:]
			for _, domain := range domains[d] {
				for _, other := range members[domain] {
					if p.passes(other) && p.of[other] < 0 {
						p.of[other] = next
						queue = append(queue, other)
					}
				}
			}
		}
		next++
	}
	for d, own := range domains {
		for _, domain := range own {
			p.at[d] = append(p.at[d], -2-int(domain)) // those on one wire need nobody between
			for _, other := range members[domain] {
				if p.of[other] >= 0 {
					p.at[d] = append(p.at[d], p.of[other])
				}
			}
		}
	}
	return p
}

func (p *parts) passes(d model.DeviceID) bool {
	return p.spec.Devices[d].Forwards && p.spec.Devices[d].Kind != model.World
}

func (p *parts) joined(a, b model.DeviceID) bool {
	return a == b || slices.ContainsFunc(p.at[a], func(x int) bool { return slices.Contains(p.at[b], x) })
}
