package ask

import (
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// OtherSource is an interface of the sender, as DEVICE:INTERFACE, from whose address the ping
// works where only the answer is lost: since the device sends from a link between routers,
// whose addresses nobody wants reached. It was tried; "" where there is none.
func (p Pinged) OtherSource() string {
	spec := p.Net.Spec
	d := p.From.Device
	if p.From.Address.IsValid() || p.From.Interface != model.None || d == model.None || !spec.Devices[d].Forwards ||
		spec.Devices[d].Manage == model.None {
		return ""
	}
	wanted := spec.Wanted()
	lost := false
	for _, t := range p.Trials {
		if t.Verdict() == forward.Works {
			continue
		}
		f, failing := t.Failure(p.Net)
		s := spec.SegmentOf(t.Source)
		if !failing || !f.Back || s == model.None || wanted[s] {
			return ""
		}
		lost = true
		source, ok := address(p.Net, Endpoint{Device: d, Interface: spec.Devices[d].Manage}, prefix.FamilyOf(t.Target))
		if !ok || forward.PingBy(p.Net, d, source, t.Target, t.Out, t.Probe).Verdict() != forward.Works {
			return ""
		}
	}
	if !lost {
		return ""
	}
	return spec.Label(spec.Devices[d].Manage)
}
