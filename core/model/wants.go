package model

import (
	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/source"
)

// DefaultCost is what a cable costs that does not say.
const DefaultCost = 10

// Wants is what static routes are derived for.
type Wants struct {
	All       bool // every segment is to reach every other
	Pairs     []Pair
	World     []SegmentID // which see the world
	Carriers  []DeviceID  // the preferred first
	Floating  bool
	Summarise bool
	LeaveOut  []DeviceID
	Place     source.Place
}

// Pair is two ends that are to reach each other. Each is a segment or a device.
type Pair struct {
	From, To WantedEnd
	Place    source.Place
}

// WantedEnd is a segment or a device; the other is None.
type WantedEnd struct {
	Segment SegmentID
	Device  DeviceID
}

// wants resolves what is to be derived.
func (r *resolver) wants() {
	d := &r.doc.Wants
	if !d.Place.Known() {
		return
	}
	w := &Wants{Floating: d.Floating.Or(true), Summarise: d.Summarise.Or(true), Place: d.Place}
	w.All = len(d.Reach) == 0
	for _, t := range d.Reach {
		if t.Value == "all" {
			w.All = true
			continue
		}
		a, b, ok := t.Cut(" to ")
		if !ok {
			r.report(finding.New(finding.BadValue, t.Place, "what is to reach what is 'A to B' or 'all', not %s", t.Value))
			continue
		}
		from, okFrom := r.end(a)
		to, okTo := r.end(b)
		if okFrom && okTo {
			w.Pairs = append(w.Pairs, Pair{from, to, t.Place})
		}
	}
	r.wantedWorld(w)
	for _, t := range d.LeaveOut {
		if id, ok := r.device(t); ok {
			w.LeaveOut = append(w.LeaveOut, id)
		}
	}
	r.spec.Wants = w
}

// wantedWorld resolves which segments see the world, and by which carriers.
func (r *resolver) wantedWorld(w *Wants) {
	d := &r.doc.Wants
	none := false
	for _, t := range d.World {
		switch t.Value {
		case "none":
			none = true
		case "all":
		default:
			if id, ok := r.segment(t); ok {
				w.World = append(w.World, id)
			}
		}
	}
	if len(d.World) == 0 || d.World[0].Value == "all" {
		for id := range r.spec.Segments {
			w.World = append(w.World, SegmentID(id))
		}
	}
	if none {
		w.World = nil
	}
	for _, t := range d.Carriers {
		id, ok := r.device(t)
		if ok && r.spec.Devices[id].Kind != World {
			r.report(finding.New(finding.BadValue, t.Place, "%s is a %s, and a carrier is a device of the world", t.Value, r.spec.Devices[id].Kind).About(t.Value))
		} else if ok {
			w.Carriers = append(w.Carriers, id)
		}
	}
	if len(d.Carriers) == 0 {
		for id := range r.spec.Devices {
			if r.spec.Devices[id].Kind == World {
				w.Carriers = append(w.Carriers, DeviceID(id))
			}
		}
	}
}

// end finds the segment or device a word names, or reports it.
func (r *resolver) end(t plan.Text) (WantedEnd, bool) {
	if id, ok := r.spec.segments[t.Value]; ok {
		return WantedEnd{id, None}, true
	}
	if id, ok := r.spec.devices[t.Value]; ok {
		return WantedEnd{None, id}, true
	}
	r.unknown(t, "segment or device", func() []string {
		return append(keysOf(r.spec.segments)(), keysOf(r.spec.devices)()...)
	})
	return WantedEnd{}, false
}

// WithDerived is the network with the given routes, which stand in the devices'
// order, as its derived ones; what does not change is shared.
func (s *Spec) WithDerived(derived []Static) *Spec {
	next := *s
	next.Statics = make([]Static, 0, len(s.Statics))
	for _, x := range s.Statics {
		if x.Origin != Derived {
			next.Statics = append(next.Statics, x)
		}
	}
	// Both lists stand in the devices' order.
	written := next.Statics
	next.Statics = make([]Static, 0, len(written)+len(derived))
	for len(written) > 0 || len(derived) > 0 {
		if len(derived) == 0 || len(written) > 0 && written[0].Device <= derived[0].Device {
			next.Statics, written = append(next.Statics, written[0]), written[1:]
		} else {
			next.Statics, derived = append(next.Statics, derived[0]), derived[1:]
		}
	}
	return &next
}
