package policy

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Inward is what a device makes of the destination of a packet that begins a flow, and of what it is for, where it
// comes in by an interface; nil where it leaves them.
func (p *Policy) Inward(d model.DeviceID, in model.InterfaceID, to netip.Addr, over model.Service) (netip.Addr, model.Service,
	*model.Translation) {
	if !p.Touches(d) {
		return to, over, nil
	}
	device := p.devices[d]
	for i := range device.Translates {
		switch t := &device.Translates[i]; {
		case t.Beyond != in:
		case t.Kind == model.OneToOne && t.Outside[0].Contains(to):
			return prefix.Moved(to, t.Outside[0], t.Inside.Prefixes[0]), over, t
		case t.Kind == model.Porting && device.shared[i] == to:
			if asked, ok := t.Ported(over); ok {
				return t.Host(), asked, t
			}
		}
	}
	return to, over, nil
}

// Outward is what a device makes of the source of a packet that begins a flow and
// leaves by an interface; nil where it leaves it. It is false where the source
// should be another and there is none left.
func (p *Policy) Outward(d model.DeviceID, out model.InterfaceID, from netip.Addr) (netip.Addr, *model.Translation, bool) {
	if !p.Touches(d) {
		return from, nil, true
	}
	device := p.devices[d]
	for i := range device.Translates {
		t := &device.Translates[i]
		if t.Beyond != out || !t.Inside.Contains(from) {
			continue
		}
		switch t.Kind {
		case model.OneToOne:
			return prefix.Moved(from, t.Inside.Prefixes[0], t.Outside[0]), t, true
		case model.Sharing:
			if a := device.shared[i]; a.IsValid() && a.Is4() == from.Is4() {
				return a, t, true
			}
		case model.Taking:
			if t.First.Is4() == from.Is4() {
				a, ok := device.taken[i][from]
				return a, t, ok
			}
		}
	}
	return from, nil, true
}

// AskedAt is the address at which the ports of a translation are asked for; invalid where it translates none.
func (p *Policy) AskedAt(t *model.Translation) netip.Addr {
	switch {
	case p == nil || t.Kind != model.Porting:
		return netip.Addr{}
	case t.ByInterface:
		return Shared(p.spec, t)
	}
	return t.First
}
