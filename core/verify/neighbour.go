package verify

import (
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// neighbour is a device on one of another's links, by one of its addresses
// there.
type neighbour struct {
	device  model.DeviceID
	address netip.Addr
	link    model.InterfaceID // of the device whose neighbour it is
}

// neighbours lists, in the plan's order, who can be heard on a device's links
// and has an address of the family in a subnet of that link.
func neighbours(net *forward.Network, d model.DeviceID, family prefix.Family) []neighbour {
	spec := net.Spec
	var all []neighbour
	for _, link := range spec.InterfacesOf(d) {
		all = append(all, neighboursOn(net, d, link, family)...)
	}
	return all
}

func neighboursOn(net *forward.Network, d model.DeviceID, link model.InterfaceID, family prefix.Family) []neighbour {
	spec := net.Spec
	var all []neighbour
	for _, id := range net.State.Neighbours(link) {
		far := &spec.Interfaces[id]
		if far.Device == d {
			continue
		}
		for _, a := range far.Addresses {
			if prefix.FamilyOf(a.Addr()) == family && inSubnetOf(spec, link, a.Addr()) {
				all = append(all, neighbour{far.Device, a.Addr(), link})
				break
			}
		}
	}
	return all
}

func inSubnetOf(spec *model.Spec, link model.InterfaceID, a netip.Addr) bool {
	for _, own := range spec.Interfaces[link].Addresses {
		if own.Contains(a) && !own.Addr().IsLinkLocalUnicast() {
			return true
		}
	}
	return false
}

// soleForwarder is the one forwarding neighbour on a link.
func soleForwarder(net *forward.Network, d model.DeviceID, link model.InterfaceID, family prefix.Family) (neighbour, bool) {
	var only neighbour
	count := 0
	for _, n := range neighboursOn(net, d, link, family) {
		if net.Spec.Devices[n.device].Forwards {
			only = n
			count++
		}
	}
	return only, count == 1
}
