package model

import (
	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/source"
)

// cables resolves both ends of every cable, those of 'at' among them.
func (r *resolver) cables() {
	usedBy := map[InterfaceID]source.Place{}
	sharedBy := map[InterfaceID]bool{} // by several hosts that say 'at'
	join := func(name string, hidden bool, cost int, place source.Place, ends [2]InterfaceID, texts [2]plan.Text) {
		if ends[0] == ends[1] {
			r.report(finding.New(finding.BadValue, place, "the cable leads from %s back to itself",
				r.spec.Label(ends[0])).About(r.spec.Label(ends[0])))
			return
		}
		shares := false
		for n, end := range ends {
			if first, twice := usedBy[end]; twice && n == 1 && sharedBy[end] {
				shares = true
			} else if twice {
				r.report(finding.New(finding.PortCabledTwice, texts[n].Place, "%s has a cable already, %s", r.spec.Label(end),
					first.From(texts[n].Place)).
					About(r.spec.Label(end)).With(first))
				return
			}
		}
		usedBy[ends[0]], usedBy[ends[1]] = texts[0].Place, texts[1].Place
		if name == "" {
			name = r.spec.Label(ends[0]) + " to " + r.spec.Label(ends[1])
		}
		if _, taken := r.spec.cables[name]; !taken {
			r.spec.cables[name] = CableID(len(r.spec.Cables))
		}
		r.spec.Cables = append(r.spec.Cables, Cable{Name: name, Ends: ends, Hidden: hidden, Cost: cost, Shares: shares, Place: place})
	}
	for _, c := range r.doc.Cables {
		a, okA := r.port(c.Ends[0])
		b, okB := r.port(c.Ends[1])
		if okA && okB {
			cost := DefaultCost
			if c.Cost.Written() {
				cost = c.Cost.Value
			}
			join(c.Name.Value, c.Fault.Value == "hidden", cost, c.Place, [2]InterfaceID{a, b}, c.Ends)
		}
	}
	for i := range r.doc.Devices {
		d := &r.doc.Devices[i]
		if !d.At.Written() {
			continue
		}
		own, ok := r.spec.InterfaceNamed(DeviceID(i), portName)
		if far, found := r.port(d.At); ok && found {
			_, used := usedBy[far]
			sharedBy[far] = r.spec.Devices[i].Kind == Host && (sharedBy[far] || !used)
			join("", false, DefaultCost, d.At.Place, [2]InterfaceID{own, far}, [2]plan.Text{d.At, d.At})
		}
	}
}

// port finds the port that DEVICE:PORT names, or reports it.
func (r *resolver) port(t plan.Text) (InterfaceID, bool) {
	deviceName, portName, ok := t.Cut(":")
	if !ok {
		f := finding.New(finding.BadValue, t.Place, "%s does not say which port", t.Value).About(t.Value)
		if d, known := r.spec.devices[t.Value]; known && r.spec.Devices[d].Count == 1 {
			f = f.Mend("write %s", r.spec.Label(r.spec.Devices[d].First))
		} else {
			f = f.Mend("write DEVICE:PORT")
		}
		r.report(f)
		return None, false
	}
	d, ok := r.device(deviceName)
	if !ok {
		return None, false
	}
	id, ok := r.spec.InterfaceNamed(d, portName.Value)
	if !ok {
		r.unknown(portName, "port of "+deviceName.Value, func() []string { return r.freePorts(d, t) })
		return None, false
	}
	if kind := r.spec.Interfaces[id].Kind; kind != Port {
		r.report(finding.New(finding.BadValue, t.Place, "%s is a %s, and a cable goes into a port", t.Value, kind).About(t.Value))
		return None, false
	}
	return id, true
}

// freePorts are the names of a device's ports that no cable but this one names; where there is one only, whatever was written is
// taken for it.
func (r *resolver) freePorts(d DeviceID, t plan.Text) []string {
	used := map[string]bool{}
	for _, c := range r.doc.Cables {
		for _, end := range c.Ends {
			used[end.Value] = true
		}
	}
	var free []string
	for _, id := range r.spec.InterfacesOf(d) {
		if i := &r.spec.Interfaces[id]; i.Kind == Port && !used[r.spec.Devices[d].Name+":"+i.Name] {
			free = append(free, i.Name)
		}
	}
	if len(free) == 0 {
		return r.spec.InterfaceNames(d)
	}
	return free
}

// InterfaceNames lists the names of a device's interfaces, in the plan's
// order.
func (s *Spec) InterfaceNames(d DeviceID) []string {
	var names []string
	for _, id := range s.InterfacesOf(d) {
		names = append(names, s.Interfaces[id].Name)
	}
	return names
}

// hostSegments puts the port of each device with 'at' on the segment that the
// far port serves.
func (r *resolver) hostSegments() {
	for _, c := range r.spec.Cables {
		for n, end := range c.Ends {
			own := &r.spec.Interfaces[end]
			far := &r.spec.Interfaces[c.Ends[1-n]]
			if own.Segment == None && !own.Switched && own.Name == portName && r.doc.Devices[own.Device].At.Written() {
				own.Segment = far.Segment
				if said := r.doc.Devices[own.Device].Segment; said.Written() {
					own.Segment, _ = r.segment(said)
				}
			}
		}
	}
}
