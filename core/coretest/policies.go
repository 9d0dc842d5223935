package coretest

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// WithRandomPolicies gives some routers of a random network permits of their own
// and translations, and routes to the addresses that others have by them.
func WithRandomPolicies(spec *model.Spec, r *rand.Rand) *model.Spec {
	next := *spec
	next.Devices = slices.Clone(spec.Devices)
	next.Statics = slices.Clone(spec.Statics)
	p := &policies{spec: &next, r: r, taken: map[netip.Addr]bool{}}
	for id := range next.Interfaces {
		for _, a := range next.Interfaces[id].Addresses {
			p.taken[a.Addr()] = true
		}
	}
	for d := range next.Devices {
		device := &next.Devices[d]
		switch {
		case device.Kind == model.Router && r.IntN(3) == 0:
			device.KeepsState = r.IntN(2) == 0
			device.Otherwise = model.Ruling(r.IntN(3))
			for range 1 + r.IntN(5) {
				device.Permits = append(device.Permits, p.permit(model.DeviceID(d)))
			}
		case device.Kind == model.Router && r.IntN(8) == 0:
			device.KeepsState = true // and lets pass all that is not strange
		}
		if device.Kind != model.World && r.IntN(6) == 0 {
			for range 1 + r.IntN(3) {
				device.OwnPermits = append(device.OwnPermits, p.own(model.DeviceID(d)))
			}
			if len(device.Permits) == 0 {
				device.KeepsState = r.IntN(2) == 0
				device.Otherwise = model.Ruling(r.IntN(3))
				if device.Forwards {
					device.Permits = []model.Permit{{Text: "anyone may reach anyone", From: model.Side{Anyone: true}, To: model.Side{Anyone: true}}}
				}
			}
		}
		if device.Kind == model.Router && r.IntN(2) == 0 {
			p.translate(model.DeviceID(d))
		}
	}
	slices.SortStableFunc(next.Statics, func(a, b model.Static) int { return int(a.Device) - int(b.Device) })
	return &next
}

type policies struct {
	spec  *model.Spec
	r     *rand.Rand
	taken map[netip.Addr]bool
	lent  int
}

func pick[T any](r *rand.Rand, all []T) T { return all[r.IntN(len(all))] }

// side is anyone, a few segments, or a device.
func (p *policies) side() model.Side {
	var all []netip.Prefix
	switch p.r.IntN(4) {
	case 0:
		return model.Side{Anyone: true}
	case 1:
		all = p.spec.Own(model.DeviceID(p.r.IntN(len(p.spec.Devices))))
	default:
		for range 1 + p.r.IntN(3) {
			for _, x := range pick(p.r, p.spec.Segments).Prefixes {
				all = append(all, x.Prefix)
			}
		}
	}
	return model.Side{Prefixes: prefix.Merge(all)}
}

func (p *policies) permit(d model.DeviceID) model.Permit {
	x := model.Permit{Text: "made at random", From: p.side(), To: p.side()}
	switch p.r.IntN(8) {
	case 0:
		x.Ruling = model.Drop
	case 1:
		x.Ruling = model.Refuse
	case 2, 3:
		if x.Answers = true; p.r.IntN(2) == 0 {
			x.From, x.To = model.Side{Anyone: true}, model.Side{Anyone: true}
		}
	}
	switch p.r.IntN(5) {
	case 0:
		x.Over = []model.Service{model.Echo}
	case 1:
		x.Over = []model.Service{{Protocol: model.TCP, First: 443, Last: 443}}
	}
	if p.r.IntN(4) == 0 {
		x.In = []model.InterfaceID{pick(p.r, p.spec.InterfacesOf(d))}
	}
	if p.r.IntN(4) == 0 {
		x.Out = []model.InterfaceID{pick(p.r, p.spec.InterfacesOf(d))}
	}
	x.Pending = p.r.IntN(8) == 0
	return x
}

func (p *policies) own(d model.DeviceID) model.Permit {
	x := p.permit(d)
	if p.r.IntN(2) == 0 {
		x.From, x.In = model.Side{Itself: true}, nil
	} else {
		x.To, x.Out = model.Side{Itself: true}, nil
	}
	return x
}

// translate gives a router a translation or two, beyond some interface.
func (p *policies) translate(d model.DeviceID) {
	var outside []model.InterfaceID
	inside := p.side()
	for _, id := range p.spec.InterfacesOf(d) {
		switch i := &p.spec.Interfaces[id]; {
		case i.Kind == model.Loopback:
		case i.Name == "lan":
			if p.r.IntN(3) > 0 { // most often those behind it
				inside = model.Side{}
				for _, a := range i.Addresses {
					inside.Prefixes = append(inside.Prefixes, a.Masked())
				}
			}
		case i.Name == "sh":
			outside = append(outside, id, id, id, id, id, id, id)
		default:
			outside = append(outside, id)
		}
	}
	if len(outside) == 0 {
		return
	}
	device := &p.spec.Devices[d]
	beyond := pick(p.r, outside)
	for range 1 + p.r.IntN(2) {
		t := model.Translation{Text: "made at random", Beyond: beyond}
		family := prefix.FamilyIf(p.r.IntN(3) > 0)
		switch p.r.IntN(4) {
		case 0:
			t.Kind, t.ByInterface, t.Inside = model.Sharing, true, inside
		case 1:
			t.Kind, t.Inside = model.Taking, inside
			if p.r.IntN(2) == 0 {
				t.Inside = model.Side{Anyone: true}
			}
			t.First = p.lend(d, beyond, family)
			t.Last = t.First.Next().Next()
			p.route(d, t.First, t.Last)
		default:
			var hosts []netip.Addr
			for h := range p.spec.Devices {
				if a := p.spec.MainAddress(model.DeviceID(h), family); p.spec.Devices[h].Kind == model.Host && a.IsValid() {
					hosts = append(hosts, a)
				}
			}
			host, first := pick(p.r, hosts), p.lend(d, beyond, family)
			for _, h := range hosts {
				if !inside.Anyone && inside.Contains(h) && p.r.IntN(2) == 0 {
					host = h
				}
			}
			t.Inside = model.Side{Prefixes: []netip.Prefix{netip.PrefixFrom(host, host.BitLen())}}
			t.First, t.Last = first, first
			t.Outside = []netip.Prefix{netip.PrefixFrom(first, first.BitLen())}
			p.route(d, first, first)
		}
		device.Translates = append(device.Translates, t)
	}
}

// lend is an address nobody has, with two more behind it: in a subnet of the
// interface where there is room, else somewhere else.
func (p *policies) lend(d model.DeviceID, beyond model.InterfaceID, family prefix.Family) netip.Addr {
	p.lent++
	for _, own := range p.spec.Interfaces[beyond].Addresses {
		if prefix.FamilyOf(own.Addr()) != family || own.Addr().BitLen()-own.Bits() < 4 || p.r.IntN(6) == 0 {
			continue
		}
		for a := own.Masked().Addr().Next().Next().Next().Next(); own.Contains(a); a = a.Next() {
			if b, c := a.Next(), a.Next().Next(); own.Contains(c.Next()) && !p.taken[a] && !p.taken[b] && !p.taken[c] {
				p.taken[a], p.taken[b], p.taken[c] = true, true, true
				return a
			}
		}
	}
	if family == prefix.IPv4 {
		return netip.MustParseAddr(fmt.Sprintf("203.0.113.%d", 4*p.lent))
	}
	return netip.MustParseAddr(fmt.Sprintf("2001:db8:77::%x", 4*p.lent))
}

// route leads others to what is lent where they are led to the router's own LAN.
func (p *policies) route(d model.DeviceID, first, last netip.Addr) {
	lan, ok := p.spec.InterfaceNamed(d, "lan")
	if !ok {
		return
	}
	for _, a := range p.spec.Interfaces[lan].Addresses {
		if a.Addr().Is4() != first.Is4() {
			continue
		}
		for _, s := range slices.Clone(p.spec.Statics) {
			if s.To == a.Masked() && s.Device != d {
				for x := first; !last.Less(x); x = x.Next() {
					s.To = netip.PrefixFrom(x, x.BitLen())
					p.spec.Statics = append(p.spec.Statics, s)
				}
			}
		}
	}
}

// WithPolicies gives every so many-th router of a large network permits and a
// translation, so that count of them have some: no visitors from one segment of
// each, nothing but some services to another, one host by another address.
func WithPolicies(spec *model.Spec, count int) *model.Spec {
	next := *spec
	next.Devices = slices.Clone(spec.Devices)
	var routers []model.DeviceID
	for d := range next.Devices {
		if next.Devices[d].Kind == model.Router {
			routers = append(routers, model.DeviceID(d))
		}
	}
	for n := range count {
		d := routers[n*len(routers)/count]
		device := &next.Devices[d]
		side := func(name string) model.Side {
			id, _ := spec.InterfaceNamed(d, name)
			s := model.Side{}
			for _, a := range spec.Interfaces[id].Addresses {
				s.Prefixes = append(s.Prefixes, a.Masked())
			}
			return s
		}
		link, _ := spec.InterfaceNamed(d, "l"+fmt.Sprint(max(0, int(d)-1)))
		if link < 0 {
			link = spec.Devices[d].First
		}
		device.KeepsState = n%2 == 0
		device.Permits = []model.Permit{
			{Text: "made", Ruling: model.Drop, From: side("s1"), To: model.Side{Anyone: true}},
			{Text: "made", From: model.Side{Anyone: true}, To: side("s2"), Over: []model.Service{{Protocol: model.TCP, First: 443, Last: 443}}},
			{Text: "made", Ruling: model.Refuse, From: model.Side{Anyone: true}, To: side("s2")},
		}
		inside := side("s3")
		inside.Prefixes = inside.Prefixes[:1]
		device.Translates = []model.Translation{{Text: "made", Kind: model.Sharing, ByInterface: true, Inside: inside, Beyond: link}}
	}
	return &next
}
