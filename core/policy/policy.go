// Package policy is what devices let pass and which addresses they make of
// others: permits and translations as a pure match and rewrite. It knows no
// routes; what it is asked about has been looked up.
package policy

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Policy is the permits and translations of a network. It is never changed; nil
// is that of a network without any.
type Policy struct {
	spec    *model.Spec
	devices []*device // nil where a device has none
	near    map[netip.Prefix][]stand
	wide    []stand
}

// device is the policy of one.
type device struct {
	*model.Device
	judges   bool // what passes through is judged at all
	to, from []int
	taken    []map[netip.Addr]netip.Addr // by translation that takes: who has what
	shared   []netip.Addr                // by translation that shares: behind what; of ports: asked at what
}

// stand is addresses that a translator answers for on a link.
type stand struct {
	prefix.Range
	at model.InterfaceID
}

// New makes the policy of a network; nil where it has none.
func New(spec *model.Spec) *Policy {
	var p *Policy
	for id := range spec.Devices {
		d := &spec.Devices[id]
		if len(d.Permits)+len(d.OwnPermits)+len(d.Translates) == 0 && d.Otherwise == model.Pass && !d.KeepsState {
			continue
		}
		if p == nil {
			p = &Policy{spec: spec, devices: make([]*device, len(spec.Devices)), near: map[netip.Prefix][]stand{}}
		}
		x := &device{Device: d, judges: len(d.Permits) > 0 || d.Otherwise != model.Pass || d.KeepsState}
		for i := range d.OwnPermits {
			switch own := &d.OwnPermits[i]; {
			case own.Pending:
			case own.To.Itself:
				x.to = append(x.to, i)
			default:
				x.from = append(x.from, i)
			}
		}
		p.devices[id] = x
		p.translations(x)
	}
	return p
}

// translations works out who has which address, and which addresses the device
// answers for.
func (p *Policy) translations(x *device) {
	x.taken = make([]map[netip.Addr]netip.Addr, len(x.Translates))
	x.shared = make([]netip.Addr, len(x.Translates))
	for i := range x.Translates {
		t := &x.Translates[i]
		switch t.Kind {
		case model.Sharing, model.Porting:
			if x.shared[i] = t.First; t.ByInterface {
				x.shared[i] = Shared(p.spec, t)
			}
		case model.Taking:
			x.taken[i] = takers(p.spec, t)
		}
		if t.ByInterface {
			continue
		}
		for _, own := range p.spec.Interfaces[t.Beyond].Addresses {
			if own.Contains(t.First) && own.Contains(t.Last) {
				p.stand(stand{t.Range, t.Beyond})
				break
			}
		}
	}
}

// Shared is the address of an interface that a translation shares; invalid where
// the interface has none.
func Shared(spec *model.Spec, t *model.Translation) netip.Addr {
	for _, a := range spec.Interfaces[t.Beyond].Addresses {
		if a.Addr().Is4() && !a.Secondary {
			return a.Addr()
		}
	}
	return netip.Addr{}
}

// takers gives each host within a translation an address of its own, in the
// order of the plan, then other devices, while there are any.
func takers(spec *model.Spec, t *model.Translation) map[netip.Addr]netip.Addr {
	all := map[netip.Addr]netip.Addr{}
	next := t.First
	for _, hosts := range []bool{true, false} {
		for id := range spec.Interfaces {
			i := &spec.Interfaces[id]
			for _, a := range i.Addresses {
				if (spec.Devices[i.Device].Kind == model.Host) != hosts || a.Addr().Is4() != t.First.Is4() || a.OnTop() ||
					!t.Inside.Contains(a.Addr()) {
					continue
				}
				if !next.IsValid() || t.Last.Less(next) {
					return all
				}
				if _, known := all[a.Addr()]; !known {
					all[a.Addr()], next = next, next.Next()
				}
			}
		}
	}
	return all
}

// nearBits is how large the neighbourhoods are by which addresses that stand for
// others are found.
func neighbourhood(a netip.Addr) netip.Prefix {
	bits := 24
	if a.Is6() {
		bits = 112
	}
	p, _ := a.Prefix(bits)
	return p
}

func (p *Policy) stand(s stand) {
	first, last := neighbourhood(s.First), neighbourhood(s.Last)
	if first != last {
		p.wide = append(p.wide, s)
		return
	}
	p.near[first] = append(p.near[first], s)
}

// Answering visits the interfaces by which translators answer for an address
// that stands for another, in subnets they are on; others have to be routed to
// them.
func (p *Policy) Answering(a netip.Addr, visit func(model.InterfaceID)) {
	if p == nil {
		return
	}
	for _, all := range [][]stand{p.near[neighbourhood(a)], p.wide} {
		for _, s := range all {
			if s.Contains(a) {
				visit(s.at)
			}
		}
	}
}

// Touches tells whether a device has permits or translations at all.
func (p *Policy) Touches(d model.DeviceID) bool { return p != nil && p.devices[d] != nil }

// Remembers tells whether a device remembers what passed: it lets replies pass by that, or it translates, so that what
// belongs to a flow is translated as its first packet was, or not at all (RFC 2663 §2.3).
func (p *Policy) Remembers(d model.DeviceID) bool {
	return p.Touches(d) && (p.devices[d].KeepsState || len(p.devices[d].Translates) > 0)
}
