package ask

import (
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/verify"
)

// Meant lists the endpoints that a word stands for: those of a segment, of a group or
// everyone, as in requirements; else the one that Endpoint finds.
func (w Who) Meant(net *forward.Network, text string) ([]Endpoint, error) {
	parties := w.parties(text)
	if len(parties) == 0 {
		e, err := w.Endpoint(text)
		return []Endpoint{e}, err
	}
	var all []Endpoint
	for _, a := range verify.Pinged(net, parties) {
		e, err := w.Endpoint(a.String())
		if err != nil {
			return nil, err
		}
		if e.Device != model.None {
			e.Text = w.Spec.Devices[e.Device].Name
		}
		all = append(all, e)
	}
	return all, nil
}

// parties are those of a segment's or group's name, or of everyone. That no group leads
// back to itself was seen when the plan was read.
func (w Who) parties(name string) []model.Party {
	var all []model.Party
	for id := range w.Spec.Segments {
		if name == "everyone" || w.Spec.Segments[id].Name == name {
			all = append(all, model.Party{Segment: model.SegmentID(id), Device: model.None})
		}
	}
	for _, g := range w.Groups {
		if g.Name.Value != name {
			continue
		}
		for _, of := range g.Of {
			if d, ok := w.Spec.DeviceNamed(of.Value); ok {
				all = append(all, model.Party{Segment: model.None, Device: d})
			} else if a, err := prefix.ParseAddress(of.Value); err == nil {
				all = append(all, model.Party{Segment: model.None, Device: model.None, Address: a})
			} else {
				all = append(all, w.parties(of.Value)...)
			}
		}
	}
	return all
}
