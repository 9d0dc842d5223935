package policy

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Pair is an address, or a prefix, on both sides of a translator.
type Pair struct {
	Host    model.DeviceID // who has it, None where it is not of one
	Anyone  bool           // every address inside
	Inside  netip.Prefix
	Outside prefix.Range // invalid where none is left
}

// Free is what is left to take of a translation by which each host takes an address of its
// own.
func (p *Policy) Free(d model.DeviceID, t *model.Translation) []prefix.Range {
	if t.Kind != model.Taking {
		return nil
	}
	var taken []prefix.Range
	for _, x := range p.Pairs(d, t) {
		if x.Outside.First.IsValid() {
			taken = append(taken, x.Outside)
		}
	}
	return t.Range.But(taken)
}

// Pairs lists who is what beyond a translation of a device: one by one where each has
// its own, else by the prefixes inside.
func (p *Policy) Pairs(d model.DeviceID, t *model.Translation) []Pair {
	var all []Pair
	one := func(a netip.Addr) prefix.Range { return prefix.Range{First: a, Last: a} }
	switch {
	case t.Kind == model.Porting:
		host := t.Host()
		x := Pair{Host: model.None, Inside: netip.PrefixFrom(host, host.BitLen()), Outside: t.Range}
		if t.ByInterface {
			x.Outside = one(Shared(p.spec, t))
		}
		for id := range p.spec.Interfaces {
			if i := &p.spec.Interfaces[id]; i.Has(host) {
				x.Host = i.Device
			}
		}
		all = append(all, x)
	case t.Kind == model.Sharing:
		to := t.Range
		if t.ByInterface {
			to = one(Shared(p.spec, t))
		}
		for _, inside := range t.Inside.Prefixes {
			if inside.Addr().Is4() == (t.ByInterface || t.First.Is4()) {
				all = append(all, Pair{Host: model.None, Inside: inside, Outside: to})
			}
		}
		if t.Inside.Anyone {
			all = append(all, Pair{Host: model.None, Anyone: true, Outside: to})
		}
	case t.Kind == model.OneToOne && t.First != t.Last:
		all = append(all, Pair{Host: model.None, Inside: t.Inside.Prefixes[0], Outside: t.Range})
	default:
		for id := range p.spec.Interfaces {
			i := &p.spec.Interfaces[id]
			for _, a := range i.Addresses {
				if a.Addr().Is4() != t.First.Is4() || !t.Inside.Contains(a.Addr()) || t.Kind == model.Taking &&
					p.spec.Devices[i.Device].Kind != model.Host {
					continue
				}
				x := Pair{Host: i.Device, Inside: netip.PrefixFrom(a.Addr(), a.Addr().BitLen())}
				if to, _, ok := p.Outward(d, t.Beyond, a.Addr()); ok {
					x.Outside = one(to)
				}
				all = append(all, x)
			}
		}
	}
	return all
}
