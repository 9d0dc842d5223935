package model

import (
	"slices"
	"strconv"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/source"
)

// DefaultCost is what a cable costs that does not say.
const DefaultCost = 10

// Wants is what static routes are derived for.
type Wants struct {
	All          bool // every segment should reach every other
	Pairs        []Pair
	World        []SegmentID // which see the world
	Carriers     []DeviceID  // the preferred first
	CarriersSaid bool        // the plan says which are preferred; else those with lower addresses are
	Protect      Protection
	Stretch      int  // how many times the cost of the cheapest path one may cost to save routes, from 1
	Links        bool // the addresses of links between routers are wanted too
	Summarise    bool
	LeaveOut     []DeviceID
	Place        source.Place
}

// Protection is what single failures derived routes are to outlast.
type Protection uint8

const (
	ProtectNone    Protection = iota // none: there are no floating routes
	ProtectOwn                       // of what a device itself sees fail: nothing is watched
	ProtectLinks                     // of any one cable or segment
	ProtectDevices                   // of any one device too
)

// Protections are the words of the plan for them, in their order.
var Protections = []string{"none", "own", "links", "devices"}

func (p Protection) String() string { return Protections[p] }

// DefaultStretch is how much longer a path may be than the cheapest where the plan
// does not say.
const DefaultStretch = 2

// mostStretch is the most the plan may say.
const mostStretch = 100

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
	w := &Wants{Protect: ProtectLinks, Stretch: DefaultStretch, Links: d.Links.Or(false), Summarise: d.Summarise.Or(true), Place: d.Place}
	if t := d.Protect; t.Written() {
		if i := slices.Index(Protections, t.Value); i >= 0 {
			w.Protect = Protection(i)
		} else {
			r.report(finding.New(finding.BadValue, t.Place, "what derived routes protect from is none, own, links or devices, not %s", t.Value))
		}
	}
	if t := d.Stretch; t.Written() {
		if n, err := strconv.Atoi(t.Value); err == nil && n >= 1 && n <= mostStretch {
			w.Stretch = n
		} else {
			r.report(finding.New(finding.BadValue,
				t.Place, "how many times the cost of the cheapest path one may cost is a whole number from 1 to %d, not %s", mostStretch, t.Value))
		}
	}
	w.All = len(d.Reach) == 0
	for _, t := range d.Reach {
		if t.Value == "all" {
			w.All = true
			continue
		}
		a, b, ok := t.Cut(" to ")
		if !ok {
			r.report(finding.New(finding.BadValue, t.Place, "a pair is 'A to B' or 'all', not %s", t.Value))
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
	w.CarriersSaid = len(d.Carriers) > 0
	for _, t := range d.Carriers {
		id, ok := r.device(t)
		if ok && r.spec.Devices[id].Kind != World {
			r.report(finding.New(finding.BadValue, t.Place, "%s is a %s, and a carrier is a device of the world", t.Value,
				r.spec.Devices[id].Kind).About(t.Value))
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
