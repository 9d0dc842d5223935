package network

import (
	"fmt"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/model"
)

// FailureNamed finds the part of the network that a name means: a cable, a
// device, a segment, or DEVICE:INTERFACE. The error guesses at what was meant.
func (t *Topology) FailureNamed(name string) (Failure, error) {
	f := NoFailure
	if c, ok := t.Spec.CableNamed(name); ok {
		f.Cable = c
		return f, nil
	}
	if d, ok := t.Spec.DeviceNamed(name); ok {
		f.Device = d
		return f, nil
	}
	if s, ok := t.Spec.SegmentNamed(name); ok {
		f.Segment = s
		return f, nil
	}
	if device, iface, ok := strings.Cut(name, ":"); ok {
		if d, ok := t.Spec.DeviceNamed(device); ok {
			if i, ok := t.Spec.InterfaceNamed(d, iface); ok {
				f.Interface = i
				return f, nil
			}
		}
	}
	if near, ok := finding.Nearest(name, t.PartNames()); ok {
		return f, fmt.Errorf("there is no cable, device, segment or interface called %s; did you mean %s?", name, near)
	}
	return f, fmt.Errorf("there is no cable, device, segment or interface called %s", name)
}

// PartNames lists every name that FailureNamed knows.
func (t *Topology) PartNames() []string {
	var names []string
	for _, d := range t.Spec.Devices {
		names = append(names, d.Name)
	}
	for _, s := range t.Spec.Segments {
		names = append(names, s.Name)
	}
	for _, c := range t.Spec.Cables {
		names = append(names, c.Name)
	}
	for id := range t.Spec.Interfaces {
		names = append(names, t.Spec.Label(model.InterfaceID(id)))
	}
	return names
}

// FailuresNamed is FailureNamed for several names.
func (t *Topology) FailuresNamed(names ...string) ([]Failure, error) {
	var all []Failure
	for _, name := range names {
		f, err := t.FailureNamed(name)
		if err != nil {
			return nil, err
		}
		all = append(all, f)
	}
	return all, nil
}

// Name is what the part is called, as FailureNamed knows it; "" of none.
func (f Failure) Name(spec *model.Spec) string {
	switch {
	case f.Cable != model.None:
		return spec.Cables[f.Cable].Name
	case f.Interface != model.None:
		return spec.Label(f.Interface)
	case f.Device != model.None:
		return spec.Devices[f.Device].Name
	case f.Segment != model.None:
		return spec.Segments[f.Segment].Name
	}
	return ""
}
