package model

import (
	"fmt"
	"slices"
)

// SetAccess puts an access port into another VLAN.
type SetAccess struct {
	Port InterfaceID
	VLAN VLAN
}

// Apply implements Change.
func (c SetAccess) Apply(s *Spec) *Spec {
	return s.withInterface(c.Port, func(i *Interface) {
		i.Untagged, i.Segment = c.VLAN, s.SegmentOfVLAN(c.VLAN)
	})
}

// Describe implements Change.
func (c SetAccess) Describe(s *Spec) string {
	return fmt.Sprintf("put %s into %s instead of VLAN %d", s.Label(c.Port), s.vlanWords(c.VLAN), s.Interfaces[c.Port].Untagged)
}

// On implements Change.
func (c SetAccess) On(s *Spec) DeviceID { return s.Interfaces[c.Port].Device }

// Touches implements Change.
func (SetAccess) Touches() Touched { return TouchesInterfaces }

// AddTagged lets a trunk port carry a further VLAN.
type AddTagged struct {
	Port InterfaceID
	VLAN VLAN
}

// Apply implements Change.
func (c AddTagged) Apply(s *Spec) *Spec {
	return s.withInterface(c.Port, func(i *Interface) {
		i.Tagged = append(slices.Clone(i.Tagged), c.VLAN)
		slices.Sort(i.Tagged)
	})
}

// Describe implements Change.
func (c AddTagged) Describe(s *Spec) string {
	return fmt.Sprintf("let %s carry %s tagged", s.Label(c.Port), s.vlanWords(c.VLAN))
}

// On implements Change.
func (c AddTagged) On(s *Spec) DeviceID { return s.Interfaces[c.Port].Device }

// Touches implements Change.
func (AddTagged) Touches() Touched { return TouchesInterfaces }

// SegmentOfVLAN is the first segment with a VLAN number; None where none has it.
func (s *Spec) SegmentOfVLAN(v VLAN) SegmentID {
	for id := range s.Segments {
		if s.Segments[id].VLAN == v {
			return SegmentID(id)
		}
	}
	return None
}

// VLANName is what a plan calls a VLAN: its segment, else its number.
func (s *Spec) VLANName(v VLAN) string {
	if id := s.SegmentOfVLAN(v); id != None {
		return s.Segments[id].Name
	}
	return fmt.Sprint(v)
}

func (s *Spec) vlanWords(v VLAN) string {
	if id := s.SegmentOfVLAN(v); id != None {
		return fmt.Sprintf("VLAN %d (%s)", v, s.Segments[id].Name)
	}
	return fmt.Sprintf("VLAN %d", v)
}
