package network

import "ropeswing/core/model"

// workOutStatus decides for every interface whether it is up: ports first, for
// the others depend on them.
func (s *State) workOutStatus() {
	spec := s.Spec
	s.status = make([]Status, len(spec.Interfaces))
	failed := newFailed(s)
	for id := range spec.Interfaces {
		if k := spec.Interfaces[id].Kind; k == model.Port || k == model.Loopback {
			s.status[id] = s.portStatus(model.InterfaceID(id), failed)
		}
	}
	for id := range spec.Interfaces {
		if spec.Interfaces[id].Kind == model.Group {
			s.status[id] = s.groupStatus(model.InterfaceID(id), failed)
		}
	}
	for id := range spec.Interfaces {
		switch i := &spec.Interfaces[id]; i.Kind {
		case model.Subinterface:
			s.status[id] = s.subinterfaceStatus(model.InterfaceID(id), failed)
		case model.VLANInterface:
			s.status[id] = s.vlanInterfaceStatus(model.InterfaceID(id), failed)
		}
	}
}

// failed is the failures, ready to be asked.
type failed struct {
	device     map[model.DeviceID]bool
	iface      map[model.InterfaceID]bool
	cable      map[model.CableID]bool
	segment    map[model.SegmentID]bool
	interfaces []model.Interface
}

func newFailed(s *State) *failed {
	f := &failed{map[model.DeviceID]bool{}, map[model.InterfaceID]bool{}, map[model.CableID]bool{}, map[model.SegmentID]bool{},
		s.Spec.Interfaces}
	for _, x := range s.failures {
		f.device[x.Device], f.iface[x.Interface], f.cable[x.Cable], f.segment[x.Segment] = true, true, true, true
	}
	// None stands in every failure for what it is not about.
	f.device[model.None], f.iface[model.None], f.cable[model.None], f.segment[model.None] = false, false, false, false
	return f
}

// own is what puts an interface down whatever is at its far end.
func (f *failed) own(id model.InterfaceID) Status {
	i := &f.interfaces[id]
	switch {
	case f.device[i.Device]:
		return Status{Down, DeviceFailed, model.None}
	case i.AdminDown:
		return Status{Down, AdminDown, model.None}
	case f.iface[id]:
		return Status{Down, InterfaceFailed, model.None}
	case i.Segment != model.None && f.segment[i.Segment] && i.Routed():
		return Status{Down, SegmentFailed, model.None}
	}
	return Status{Up, NoCause, model.None}
}

// portStatus: a port is up when it and its peer are admin up and cabled and
// both devices are up. Where the cable hides faults, the far end's do not
// count.
func (s *State) portStatus(id model.InterfaceID, f *failed) Status {
	i := &s.Spec.Interfaces[id]
	if own := f.own(id); own.Oper == Down || i.Kind == model.Loopback {
		return own
	}
	cable := s.cable[id]
	if cable == model.None {
		if s.onWire(i) || s.wireUnder(id) {
			return Status{Up, NoCause, model.None}
		}
		return Status{Down, NotCabled, model.None}
	}
	hidden := s.Spec.Cables[cable].Hidden
	far := s.peer[id]
	if hidden {
		return Status{Up, NoCause, model.None}
	}
	if f.cable[cable] {
		return Status{Down, CableFailed, model.None}
	}
	switch f.own(far).Cause {
	case DeviceFailed:
		return Status{Down, FarDeviceFailed, far}
	case AdminDown:
		return Status{Down, FarAdminDown, far}
	case InterfaceFailed:
		return Status{Down, FarFailed, far}
	}
	if i.Serial != s.Spec.Interfaces[far].Serial {
		return Status{Down, OtherLine, far}
	}
	if clocks := s.clocks(id); clocks == 0 {
		return Status{Down, NotClocked, far}
	} else if clocks > 1 {
		return Status{Down, ClockedTwice, far}
	}
	return Status{Up, NoCause, model.None}
}

// clocks is how many ends clock a port's line; 1 for one that is not serial.
func (s *State) clocks(id model.InterfaceID) int {
	near, far := &s.Spec.Interfaces[id], &s.Spec.Interfaces[s.peer[id]]
	if !near.Serial && !far.Serial {
		return 1
	}
	n := 0
	for _, i := range []*model.Interface{near, far} {
		if i.Clocks {
			n++
		}
	}
	return n
}

// groupStatus: a group is up while any of its members is.
func (s *State) groupStatus(id model.InterfaceID, f *failed) Status {
	own := f.own(id)
	members := s.Spec.Interfaces[id].Members
	if own.Oper == Down || len(members) == 0 || s.onWire(&s.Spec.Interfaces[id]) {
		return own
	}
	for _, m := range members {
		if s.status[m].Oper == Up {
			return own
		}
	}
	return Status{Down, NoLiveMember, members[0]}
}

// subinterfaceStatus: a subinterface follows its parent.
func (s *State) subinterfaceStatus(id model.InterfaceID, f *failed) Status {
	own := f.own(id)
	parent := s.Spec.Interfaces[id].Parent
	switch {
	case own.Oper == Down:
		return own
	case parent == model.None:
		return Status{Down, NoParent, model.None}
	case s.status[parent].Oper != Up:
		return Status{s.status[parent].Oper, ParentDown, parent}
	}
	return own
}

// vlanInterfaceStatus: a VLAN interface is up when it is admin up and, unless
// the setting says otherwise, some port carrying its VLAN is up.
func (s *State) vlanInterfaceStatus(id model.InterfaceID, f *failed) Status {
	i := &s.Spec.Interfaces[id]
	own := f.own(id)
	if own.Oper == Down || !s.Spec.Settings.VLANInterfaceNeedsPort || s.onWire(i) {
		return own
	}
	first := model.InterfaceID(model.None)
	for _, p := range s.carries[bridge{i.Device, i.Tag}] {
		if s.status[p].Oper == Up {
			return own
		}
		// The cause to show is that of a port somebody plugged something into.
		if first == model.None || s.cable[first] == model.None && s.cable[p] != model.None {
			first = p
		}
	}
	return Status{Down, NoLivePort, first}
}

// passes tells whether frames get through a port's cable: both ends up and the
// cable whole, which a port with a cable that hides faults cannot see.
func (s *State) passes(id model.InterfaceID, f *failed) bool {
	cable, far := s.cable[id], s.peer[id]
	return cable != model.None && s.IsUp(id) && s.IsUp(far) && !f.cable[cable] && s.bundles(id) && s.bundles(far)
}
