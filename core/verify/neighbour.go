package verify

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/routing"
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
func neighbours(t *routing.Tables, d model.DeviceID, is4 bool) []neighbour {
	spec := t.State.Spec
	var all []neighbour
	for _, link := range spec.InterfacesOf(d) {
		all = append(all, neighboursOn(t, d, link, is4)...)
	}
	return all
}

func neighboursOn(t *routing.Tables, d model.DeviceID, link model.InterfaceID, is4 bool) []neighbour {
	spec := t.State.Spec
	var all []neighbour
	for _, id := range t.State.Neighbours(link) {
		far := &spec.Interfaces[id]
		if far.Device == d {
			continue
		}
		for _, a := range far.Addresses {
			if a.Addr().Is4() == is4 && inSubnetOf(spec, link, a.Addr()) {
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
func soleForwarder(t *routing.Tables, d model.DeviceID, link model.InterfaceID, is4 bool) (neighbour, bool) {
	var only neighbour
	count := 0
	for _, n := range neighboursOn(t, d, link, is4) {
		if t.State.Spec.Devices[n.device].Forwards {
			only = n
			count++
		}
	}
	return only, count == 1
}
