package network

import (
	"slices"

	"ropeswing/core/model"
)

// Failure is something out of order: one device, interface, cable or segment;
// the others are None.
type Failure struct {
	Device    model.DeviceID
	Interface model.InterfaceID
	Cable     model.CableID
	Segment   model.SegmentID
}

// NoFailure has every field at None; set the one that fails.
var NoFailure = Failure{model.None, model.None, model.None, model.None}

// Oper is whether an interface works (RFC 8343's oper-status, as far as it can
// be predicted).
type Oper uint8

const (
	Up Oper = iota
	Down
	Unknown
)

func (o Oper) String() string { return [...]string{"up", "down", "unknown"}[o] }

// Cause is why an interface is down.
type Cause uint8

const (
	NoCause         Cause = iota
	AdminDown             // switched off
	DeviceFailed          // its device is down
	InterfaceFailed       // said to have failed
	NotCabled             // nothing is plugged in
	CableFailed           // its cable is down
	SegmentFailed         // its segment is down
	FarAdminDown          // the far end is switched off
	FarDeviceFailed       // the far device is down
	FarFailed             // the far end is said to have failed
	ParentDown            // the port it is a subinterface of is down
	NoLivePort            // no port that carries its VLAN is up
	NoParent              // a subinterface of nothing
	NotClocked            // a serial line that neither end clocks
	ClockedTwice          // a serial line that both ends clock
	OtherLine             // one end of the line is serial, and the other is not
	NoLiveMember          // no port of a group is up
)

// Status is an interface's state.
type Status struct {
	Oper  Oper
	Cause Cause
	Of    model.InterfaceID // the far end or parent that Cause covers
}

// DomainID numbers a broadcast domain within one State.
type DomainID int32

// NoDomain is that of an interface that hears nobody.
const NoDomain DomainID = -1

// State is the network with some of its parts out of order. It is never
// changed; With makes another.
type State struct {
	*Topology
	failures []Failure
	status   []Status
	domain   []DomainID
	members  [][]model.InterfaceID // by domain: the routed interfaces in it
	sets     *sets                 // of nodes that hear one another
	loops    []Loop
	lost     []Lost
	holding  map[holding][]model.InterfaceID
	unheard  map[Watched]bool
}

// State is the network with the given parts out of order.
func (t *Topology) State(failures ...Failure) *State {
	s := &State{Topology: t, failures: failures}
	s.workOutStatus()
	s.workOutDomains()
	return s
}

// With is the same network with further parts out of order.
func (s *State) With(failures ...Failure) *State {
	if len(failures) == 0 {
		return s
	}
	all := append(slices.Clone(s.failures), failures...)
	if len(s.unheard) > 0 { // what is heard then is another matter
		return s.Topology.State(all...)
	}
	if next, ok := s.leavesDown(all, failures); ok {
		return next
	}
	return s.Topology.State(all...)
}

// WithSpec is the same state of a network that differs in nothing that is plugged in,
// addressed or switched off: in its static routes, permits and translations only.
func (s *State) WithSpec(spec *model.Spec) *State {
	topology, next := *s.Topology, *s
	topology.Spec, next.Topology = spec, &topology
	return &next
}

// Shares tells whether the two differ only in that leaves of the network went
// down: who hears whom is otherwise the same.
func (s *State) Shares(other *State) bool { return s.sets == other.sets }

// Failures is what is out of order.
func (s *State) Failures() []Failure { return s.failures }

// Status is an interface's state.
func (s *State) Status(id model.InterfaceID) Status { return s.status[id] }

// IsUp tells whether an interface works.
func (s *State) IsUp(id model.InterfaceID) bool { return s.status[id].Oper == Up }
