// Package network holds what the network is made of, which never changes once
// built, apart from what state it is in: what is up, and who hears whom.
package network

import (
	"slices"

	"ropeswing/core/model"
)

// Topology is how the network is put together. It is built once and never
// changed; states of it share it.
type Topology struct {
	Spec *model.Spec

	cable    []model.CableID     // by interface: the cable in it, or None
	peer     []model.InterfaceID // by interface: the far end of its cable, or None
	wire     []bool              // by segment: it is itself the wire
	nodes    int                 // interfaces and bridges, numbered in that order
	bridges  map[bridge]int32    // node of each VLAN on each switch
	carries  map[bridge][]model.InterfaceID
	subs     [][]model.InterfaceID // by interface: its subinterfaces
	followed []bool                // by interface: the priority of another goes by it
	watched  []Watched             // what is watched and priorities go by, each once
	holders  *holders
}

// bridge is one VLAN within one switch.
type bridge struct {
	device model.DeviceID
	vlan   model.VLAN
}

// Build puts the network together.
func Build(spec *model.Spec) *Topology {
	n := len(spec.Interfaces)
	t := &Topology{
		Spec: spec, cable: make([]model.CableID, n), peer: make([]model.InterfaceID, n),
		wire: make([]bool, len(spec.Segments)), nodes: n,
		bridges: map[bridge]int32{}, carries: map[bridge][]model.InterfaceID{}, subs: make([][]model.InterfaceID, n), holders: &holders{},
		followed: make([]bool, n),
	}
	for i := range t.cable {
		t.cable[i], t.peer[i] = model.None, model.None
	}
	for id, c := range spec.Cables {
		if c.Pulled {
			continue
		}
		for n, end := range c.Ends {
			if !c.Shares || n == 0 {
				t.cable[end], t.peer[end] = model.CableID(id), c.Ends[1-n]
			}
		}
	}
	own := map[model.DeviceID][]model.VLAN{} // those that a device has a VLAN interface in
	for id := range spec.Interfaces {
		if i := &spec.Interfaces[id]; i.Kind == model.VLANInterface && !slices.Contains(own[i.Device], i.Tag) {
			own[i.Device] = append(own[i.Device], i.Tag)
		}
	}
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		for _, f := range i.Follows {
			if w := (Watched{i.Device, f.Watch}); f.Interface != model.None {
				t.followed[f.Interface] = true
			} else if !slices.Contains(t.watched, w) {
				t.watched = append(t.watched, w)
			}
		}
		switch {
		case i.Kind == model.Subinterface && i.Parent != model.None:
			t.subs[i.Parent] = append(t.subs[i.Parent], model.InterfaceID(id))
		case i.Kind == model.VLANInterface:
			t.bridge(bridge{i.Device, i.Tag})
		case i.Switched:
			if t.cable[id] != model.None || i.Kind == model.Group { // of a port that is plugged into nothing no VLAN is bridged
				for _, v := range vlansOf(i) {
					t.bridge(bridge{i.Device, v})
				}
			} else if i.Untagged != 0 {
				t.bridge(bridge{i.Device, i.Untagged})
			}
			for _, v := range own[i.Device] {
				if _, tagged := slices.BinarySearch(i.Tagged, v); tagged || i.Untagged == v {
					b := bridge{i.Device, v}
					t.carries[b] = append(t.carries[b], model.InterfaceID(id))
				}
			}
		}
	}
	var pulled []model.InterfaceID // a segment whose cable was pulled out is no wire for that
	for id, c := range spec.Cables {
		for _, end := range c.Ends {
			if c.Pulled && t.cable[end] == model.None {
				t.cable[end], pulled = model.CableID(id), append(pulled, end)
			}
		}
	}
	t.findWires()
	for _, end := range pulled {
		t.cable[end] = model.None
	}
	return t
}

// bridge numbers a VLAN of a switch.
func (t *Topology) bridge(b bridge) int32 {
	node, ok := t.bridges[b]
	if !ok {
		node = int32(t.nodes)
		t.bridges[b] = node
		t.nodes++
	}
	return node
}

// vlansOf lists every VLAN a switch port carries.
func vlansOf(i *model.Interface) []model.VLAN {
	if i.Untagged == 0 || slices.Contains(i.Tagged, i.Untagged) {
		return i.Tagged
	}
	return append(slices.Clip(slices.Clone(i.Tagged)), i.Untagged)
}

// findWires marks the segments none of whose members is cabled: such a segment
// is itself the wire, and everyone on it hears everyone.
func (t *Topology) findWires() {
	members := make([]int, len(t.wire))
	cabled := make([]bool, len(t.wire))
	for id := range t.Spec.Interfaces {
		i := &t.Spec.Interfaces[id]
		if i.Segment == model.None || i.Kind == model.Loopback {
			continue
		}
		members[i.Segment]++
		if t.isCabled(model.InterfaceID(id)) {
			cabled[i.Segment] = true
		}
	}
	for s := range t.wire {
		t.wire[s] = members[s] > 0 && !cabled[s]
	}
}

// isCabled tells whether a cable leads to the interface: into the port itself,
// its parent, or a port that carries its VLAN.
func (t *Topology) isCabled(id model.InterfaceID) bool {
	i := &t.Spec.Interfaces[id]
	switch {
	case i.Kind == model.Subinterface && i.Parent != model.None:
		return t.cable[i.Parent] != model.None
	case i.Kind == model.Group:
		return slices.ContainsFunc(i.Members, func(m model.InterfaceID) bool { return t.cable[m] != model.None })
	case i.Kind == model.VLANInterface:
		return slices.ContainsFunc(t.carries[bridge{i.Device, i.Tag}], func(p model.InterfaceID) bool {
			return t.cable[p] != model.None || t.Spec.Interfaces[p].Kind == model.Group && t.isCabled(p)
		})
	}
	return t.cable[id] != model.None
}

// carrier is what frames at a port belong to: the group it is a member of, else
// the port itself.
func (t *Topology) carrier(id model.InterfaceID) model.InterfaceID {
	if g := t.Spec.Interfaces[id].Group; g != model.None {
		return g
	}
	return id
}

// Peer is the far end of the port's cable, or None.
func (t *Topology) Peer(id model.InterfaceID) model.InterfaceID { return t.peer[id] }

// Cable is the cable in the port, or None.
func (t *Topology) Cable(id model.InterfaceID) model.CableID { return t.cable[id] }

// IsWire tells whether a segment is itself the wire: none of its members is cabled.
func (t *Topology) IsWire(s model.SegmentID) bool { return t.wire[s] }

// onWire tells whether the interface is on a segment that is itself the wire.
func (t *Topology) onWire(i *model.Interface) bool {
	return i.Segment != model.None && t.wire[i.Segment]
}

// wireUnder tells whether any subinterface of the port is on such a segment:
// then the port is taken to be on that wire too.
func (t *Topology) wireUnder(id model.InterfaceID) bool {
	return slices.ContainsFunc(t.subs[id], func(s model.InterfaceID) bool { return t.onWire(&t.Spec.Interfaces[s]) })
}
