package verify

import (
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// A slip is a mistake that shows at one interface or cable, whatever is sent, and that one
// change mends. `check` says the change as its remedy, and a ping that fails tries those
// near to where it fails: so both say the same.

// addressSlip is the change that mends an address that cannot be that of its interface:
// the subnet's own or its broadcast, one outside the interface's segment, or one with
// another length than the segment has. It is nil where the address is well.
func addressSlip(spec *model.Spec, id model.InterfaceID, a model.Address) model.Change {
	i := &spec.Interfaces[id]
	if i.Kind == model.Loopback || a.Addr().IsLinkLocalUnicast() || a.Virtual || a.Varies() {
		return nil
	}
	subnet, ok := segmentSubnet(spec, i.Segment, a)
	role := prefix.RoleOf(a.Prefix, a.Addr())
	if !ok {
		if role == prefix.UsableAddress {
			return nil
		}
		subnet = a.Masked()
	}
	switch {
	case role == prefix.UsableAddress && subnet.Contains(a.Addr()) && subnet.Bits() == a.Bits():
		return nil
	case subnet.Contains(a.Addr()) && prefix.RoleOf(subnet, a.Addr()) == prefix.UsableAddress:
		return model.MoveAddress{Interface: id, Old: a.Prefix, New: netip.PrefixFrom(a.Addr(), subnet.Bits())}
	}
	fitting, ok := spec.Fitting(id, subnet)
	if !ok {
		return nil
	}
	return model.MoveAddress{Interface: id, Old: a.Prefix, New: fitting}
}

// segmentSubnet is the subnet of a segment that holds an address, else the first of its
// family; false where the segment has none.
func segmentSubnet(spec *model.Spec, s model.SegmentID, a model.Address) (netip.Prefix, bool) {
	if s == model.None {
		return netip.Prefix{}, false
	}
	first := netip.Prefix{}
	for _, p := range spec.Segments[s].Prefixes {
		if p.Contains(a.Addr()) {
			return p.Prefix, true
		}
		if !first.IsValid() && p.Addr().Is4() == a.Addr().Is4() {
			first = p.Prefix
		}
	}
	return first, first.IsValid()
}

// duplicateSlip is the change that gives an interface another address than one that
// somebody has already.
func duplicateSlip(spec *model.Spec, id model.InterfaceID, a model.Address) model.Change {
	for _, r := range spec.FreeRanges(a.Masked()) {
		return model.MoveAddress{Interface: id, Old: a.Prefix, New: netip.PrefixFrom(r.First, a.Bits())}
	}
	return nil
}

// cableSlips are the changes that mend what does not fit together at the two ends of a
// cable: tags, untagged VLANs, serial lines.
func cableSlips(spec *model.Spec, x *model.Cable) []model.Change {
	var all []model.Change
	for n, near := range x.Ends {
		far := x.Ends[1-n]
		all = append(all, lineSlip(spec, near, far)...)
		all = append(all, tagSlips(spec, near, far)...)
	}
	return append(all, untaggedSlips(spec, x)...)
}

// lineSlip mends a serial line of which one end is none, or that no end or both clock.
func lineSlip(spec *model.Spec, near, far model.InterfaceID) []model.Change {
	a, b := &spec.Interfaces[near], &spec.Interfaces[far]
	switch {
	case !a.Serial && b.Serial:
		return []model.Change{model.SetLine{Interface: near, Serial: true, Clocks: !b.Clocks}}
	case a.Serial && b.Serial && a.Clocks == b.Clocks:
		return []model.Change{model.SetLine{Interface: near, Serial: true, Clocks: !a.Clocks}}
	}
	return nil
}

// tagSlips mends subinterfaces with a tag that is not their segment's, where the far end
// carries the segment's VLAN.
func tagSlips(spec *model.Spec, near, far model.InterfaceID) []model.Change {
	var all []model.Change
	trunk := carrier(spec, far)
	for _, id := range spec.InterfacesOf(spec.Interfaces[near].Device) {
		i := &spec.Interfaces[id]
		if i.Kind != model.Subinterface || i.Parent != carrierID(spec, near) || i.Segment == model.None {
			continue
		}
		vlan := spec.Segments[i.Segment].VLAN
		if vlan == 0 || i.Tag == vlan || !trunk.Switched || !slices.Contains(trunk.Tagged, vlan) {
			continue
		}
		all = append(all, model.SetKey{Interface: id, Key: "tag", Value: fmt.Sprint(vlan)})
	}
	return all
}

// carrier is the port, or the group that says what the port carries.
func carrier(spec *model.Spec, port model.InterfaceID) *model.Interface {
	return &spec.Interfaces[carrierID(spec, port)]
}

func carrierID(spec *model.Spec, port model.InterfaceID) model.InterfaceID {
	if g := spec.Interfaces[port].Group; g != model.None {
		return g
	}
	return port
}

// untaggedSlips mends trunks whose ends have untagged frames in different VLANs, or of
// which one end drops them: each end may be the wrong one.
func untaggedSlips(spec *model.Spec, x *model.Cable) []model.Change {
	var all []model.Change
	for n := range x.Ends {
		near, far := carrierID(spec, x.Ends[n]), carrierID(spec, x.Ends[1-n])
		a, b := &spec.Interfaces[near], &spec.Interfaces[far]
		if !a.Switched || len(a.Tagged) == 0 {
			continue
		}
		vlan := b.Untagged
		if !b.Switched && b.Segment != model.None {
			vlan = spec.Segments[b.Segment].VLAN // a routed port sends untagged
		}
		if vlan != 0 && a.Untagged != vlan {
			all = append(all, model.SetUntagged{Port: near, VLAN: vlan})
		}
	}
	return all
}

// mostNear is how many interfaces are looked at for slips near to where a ping fails.
const mostNear = 400

// nearSlips lists the changes that mend slips at the devices that an exchange fails at or
// between: at their interfaces, and at whoever is on the segments of these.
func (m mender) nearSlips(devices ...model.DeviceID) []model.Change {
	var near []model.InterfaceID
	segments := map[model.SegmentID]bool{}
	seen := map[model.InterfaceID]bool{}
	add := func(id model.InterfaceID) {
		if !seen[id] && len(near) < mostNear {
			seen[id] = true
			near = append(near, id)
		}
	}
	for _, d := range devices {
		if d == model.None {
			continue
		}
		for _, id := range m.spec.InterfacesOf(d) {
			add(id)
			if s := m.spec.Interfaces[id].Segment; s != model.None && m.spec.Interfaces[id].Routed() {
				segments[s] = true
			}
		}
	}
	for id := range m.spec.Interfaces {
		if i := &m.spec.Interfaces[id]; i.Segment != model.None && segments[i.Segment] {
			add(model.InterfaceID(id))
		}
	}
	var all []model.Change
	for _, id := range near {
		for _, a := range m.spec.Interfaces[id].Addresses {
			if c := addressSlip(m.spec, id, a); c != nil {
				all = append(all, c)
			}
			if holders := m.spec.HoldersOf(a.Addr()); len(holders) > 1 && !a.Virtual && !a.Addr().IsLinkLocalUnicast() {
				all = append(all, m.apart(holders, a)...)
			}
		}
	}
	for c := range m.spec.Cables {
		x := &m.spec.Cables[c]
		if !x.Pulled && (seen[x.Ends[0]] || seen[x.Ends[1]] || m.bears(x, segments)) {
			all = append(all, cableSlips(m.spec, x)...)
		}
	}
	return all
}

// apart gives one of several that have an address another: hosts before others, and the
// later in the plan before the earlier.
func (m mender) apart(holders []model.InterfaceID, a model.Address) []model.Change {
	var hosts, others []model.Change
	for _, id := range slices.Backward(holders) {
		n := slices.IndexFunc(m.spec.Interfaces[id].Addresses, func(b model.Address) bool { return b.Addr() == a.Addr() })
		c := duplicateSlip(m.spec, id, m.spec.Interfaces[id].Addresses[n])
		switch {
		case c == nil:
		case m.spec.Devices[m.spec.Interfaces[id].Device].Kind == model.Host:
			hosts = append(hosts, c)
		default:
			others = append(others, c)
		}
	}
	return append(hosts, others...)
}

// bears tells whether a cable between switches carries, at either end, the VLAN of one of
// some segments.
func (m mender) bears(x *model.Cable, segments map[model.SegmentID]bool) bool {
	for s := range segments {
		v := m.spec.Segments[s].VLAN
		for _, end := range x.Ends {
			i := carrier(m.spec, end)
			if v != 0 && i.Switched && (i.Untagged == v || slices.Contains(i.Tagged, v)) {
				return true
			}
		}
	}
	return false
}

// bothDown switches on two ends of one cable that are both administratively down.
func (m mender) bothDown(port model.InterfaceID) (model.Change, bool) {
	far := m.net.State.Peer(port)
	if far == model.None || !m.spec.Interfaces[port].AdminDown || !m.spec.Interfaces[far].AdminDown {
		return nil, false
	}
	return model.Together{model.BringUp{Interface: port}, model.BringUp{Interface: far}}, true
}

// shareAddress puts the sender of an exchange behind an address of the last device before
// the world, where the reply fails since the world knows nothing of private addresses.
func (m mender) shareAddress(back bool) []model.Change {
	x := m.x
	if !back || !x.Source.Is4() || prefix.ScopeOf(x.Source).Use != "private use" {
		return nil
	}
	for _, n := range x.There.Nodes {
		for _, e := range n.Edges {
			if e.To < 0 || m.spec.Devices[n.Device].Kind == model.World || m.spec.Devices[x.There.Nodes[e.To].Device].Kind != model.World {
				continue
			}
			if e.Left.Source == e.Sent.Source && m.spec.Interfaces[e.Hop.Out].Primary().Is4() {
				return []model.Change{model.ShareAddress{Host: x.From, Beyond: e.Hop.Out}}
			}
		}
	}
	return nil
}

// watchless lets the routes of a device to an address be used though what they watch does
// not answer.
func (m mender) watchless(d model.DeviceID, to netip.Addr) []model.Change {
	var all []model.Change
	first, last := m.spec.StaticsOf(d)
	for n := first; n < last; n++ {
		if s := &m.spec.Statics[n]; s.Watch.IsValid() && s.To.Contains(to) {
			all = append(all, model.DropWatch{Static: model.StaticID(n)})
		}
	}
	return all
}

// answering lets a device answer a service that it is asked for.
func (m mender) answering(d model.DeviceID, over model.Service) []model.Change {
	if word := model.WordOf(over); word != "" {
		return []model.Change{model.LetAnswer{Device: d, Word: word}}
	}
	return nil
}

// forwarding lets a device that is a router in all else forward.
func (m mender) forwarding(n forward.Node) []model.Change {
	if k := m.spec.Devices[n.Device].Kind; (k == model.Router || k == model.Firewall) && !m.spec.Devices[n.Device].Forwards {
		return []model.Change{model.LetForward{Device: n.Device}}
	}
	return nil
}

// cabling plugs together two ports of one segment that are plugged into nothing.
func (m mender) cabling(d model.DeviceID) []model.Change {
	c := &checker{net: m.net, spec: m.spec}
	var all []model.Change
	for _, id := range m.spec.InterfacesOf(d) {
		for _, port := range c.bare(id) {
			if far, ok := c.plugFor(port, id); ok {
				all = append(all, model.AddCable{Ends: [2]model.InterfaceID{port, far}})
			}
		}
	}
	return all
}
