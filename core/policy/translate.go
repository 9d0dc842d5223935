package policy

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Inward is what a device makes of the destination of a packet that begins a flow
// and comes in by an interface; nil where it leaves it.
func (p *Policy) Inward(d model.DeviceID, in model.InterfaceID, to netip.Addr) (netip.Addr, *model.Translation) {
	if !p.Touches(d) {
		return to, nil
	}
	for i := range p.devices[d].Translates {
		t := &p.devices[d].Translates[i]
		if t.Kind == model.OneToOne && t.Beyond == in && t.Outside[0].Contains(to) {
			return prefix.Moved(to, t.Outside[0], t.Inside.Prefixes[0]), t
		}
	}
	return to, nil
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
