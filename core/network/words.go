package network

import (
	"fmt"

	"ropeswing/core/model"
)

// Why says why an interface is in its state, naming the first cause: "the far
// end mole-sw:p24 is administratively down". It is empty for an interface that
// is up.
func (s *State) Why(id model.InterfaceID) string {
	status := s.status[id]
	far := func() string { return s.Spec.Label(status.Of) }
	switch status.Cause {
	case AdminDown:
		return "administratively down"
	case DeviceFailed:
		return fmt.Sprintf("%s is down", s.Spec.Devices[s.Spec.Interfaces[id].Device].Name)
	case InterfaceFailed:
		return "it failed"
	case NotCabled:
		return "not cabled"
	case CableFailed:
		return fmt.Sprintf("the cable %s is down", s.Spec.Cables[s.cable[id]].Name)
	case SegmentFailed:
		return fmt.Sprintf("the segment %s is down", s.Spec.Segments[s.Spec.Interfaces[id].Segment].Name)
	case FarAdminDown:
		return fmt.Sprintf("the far end %s is administratively down", far())
	case FarDeviceFailed:
		return fmt.Sprintf("the far device %s is down", s.Spec.Devices[s.Spec.Interfaces[status.Of].Device].Name)
	case FarFailed:
		return fmt.Sprintf("the far end %s failed", far())
	case ParentDown:
		return fmt.Sprintf("%s is down: %s", far(), s.Why(status.Of))
	case NoLivePort:
		if status.Of != model.None {
			return fmt.Sprintf("no port that carries its VLAN is up; %s: %s", far(), s.Why(status.Of))
		}
		return "no port carries its VLAN"
	case NotClocked:
		return fmt.Sprintf("neither it nor the far end %s clocks the line", far())
	case ClockedTwice:
		return fmt.Sprintf("both it and the far end %s clock the line", far())
	case OtherLine:
		if s.Spec.Interfaces[id].Serial {
			return fmt.Sprintf("it is serial, and the far end %s is not", far())
		}
		return fmt.Sprintf("the far end %s is serial, and it is not", far())
	case NoLiveMember:
		return fmt.Sprintf("no port of the group is up; %s: %s", far(), s.Why(status.Of))
	case NoParent:
		return "there is no port it is a subinterface of"
	}
	return ""
}
