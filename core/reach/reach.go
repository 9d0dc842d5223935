// Package reach asks of every segment which others it reaches, and what of that
// is lost when something fails, on the same decisions as a single ping.
package reach

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// End is who stands for a place of a segment in one family: its first host with an
// address, else the first of its other devices. Where Segment is None it is a device,
// by one of its addresses.
type End struct {
	Segment   model.SegmentID
	Device    model.DeviceID
	Interface model.InterfaceID
	Address   netip.Addr
	Place     int // which of the segment's places it stands for, from 1; 0 where that is not told
}

// Pair is one segment pinging another in one family.
type Pair struct {
	From, To *End
	Verdict  forward.Verdict
	Failure  *forward.Failure // of one that does not work; nil where it was not asked for
}

// Is4 tells whether it is a way in IPv4.
func (w Pair) Is4() bool { return w.To.Address.Is4() }

// Name is what an end stands for: its segment, with a device where that has several places and it is not the first, else
// its device; of the world, which is not one place, its address.
func (e *End) Name(spec *model.Spec) string {
	switch {
	case e.Segment != model.None && e.Place > 1:
		return spec.Segments[e.Segment].Name + " at " + spec.Devices[e.Device].Name
	case e.Segment != model.None:
		return spec.Segments[e.Segment].Name
	case spec.Devices[e.Device].Kind == model.World:
		return e.Address.String()
	}
	return spec.Devices[e.Device].Name
}

// lan is what two ends have in common between which nothing is asked: their segment, or
// where they stand for devices the device.
type lan struct {
	segment model.SegmentID
	device  model.DeviceID
}

func (e *End) lan() lan {
	if e.Segment != model.None {
		return lan{e.Segment, model.None}
	}
	return lan{model.None, e.Device}
}

// Asks tells whether a pair of ends is asked for: they are of one family, and not of one
// segment or device.
func (e *End) Asks(to *End) bool {
	return e.Address.Is4() == to.Address.Is4() && e.lan() != to.lan()
}

// Loopbacks lists the loopback of every device that forwards by its first address of each
// family.
func Loopbacks(spec *model.Spec) []*End {
	var all []*End
	for d := range spec.Devices {
		if !spec.Devices[d].Forwards || spec.Devices[d].Kind == model.World {
			continue
		}
		have := map[prefix.Family]bool{}
		for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
			i := &spec.Interfaces[id]
			if i.Kind != model.Loopback || i.Table != "" {
				continue
			}
			for _, a := range i.Addresses {
				if family := prefix.FamilyOf(a.Addr()); !have[family] && !a.Addr().IsLinkLocalUnicast() {
					have[family] = true
					all = append(all, &End{Segment: model.None, Device: model.DeviceID(d), Interface: id, Address: a.Addr()})
				}
			}
		}
	}
	return all
}

// Places counts what some ends stand for, each once, whatever its families: LANs, which are
// the segments that are no links between routers, these links, and devices by an address.
func Places(spec *model.Spec, ends []*End) (lans, links, devices int) {
	isLink := spec.Links()
	seen := map[lan]bool{}
	for _, e := range ends {
		if seen[e.lan()] {
			continue
		}
		seen[e.lan()] = true
		switch {
		case e.Segment == model.None:
			devices++
		case isLink[e.Segment]:
			links++
		default:
			lans++
		}
	}
	return lans, links, devices
}

// WithoutLinks is those of some ends that do not stand for a link between routers.
func WithoutLinks(spec *model.Spec, ends []*End) []*End {
	isLink := spec.Links()
	return slices.DeleteFunc(slices.Clone(ends), func(e *End) bool { return e.Segment != model.None && isLink[e.Segment] })
}

// Unaddressed are the segments for which nobody stands: nobody on them has an address.
func Unaddressed(spec *model.Spec) []string {
	stands := map[model.SegmentID]bool{}
	for _, e := range Ends(spec) {
		stands[e.Segment] = true
	}
	var names []string
	for id := range spec.Segments {
		if !stands[model.SegmentID(id)] {
			names = append(names, spec.Segments[id].Name)
		}
	}
	return names
}

// Hosts lists every host of a network by the address of each family it is known
// by.
func Hosts(spec *model.Spec) []*End {
	var all []*End
	for d := range spec.Devices {
		if spec.Devices[d].Kind != model.Host {
			continue
		}
		for _, family := range prefix.Families {
			a := spec.MainAddress(model.DeviceID(d), family)
			for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
				if slices.ContainsFunc(spec.Interfaces[id].Addresses, func(x model.Address) bool { return x.Addr() == a }) {
					all = append(all, &End{Segment: spec.Interfaces[id].Segment, Device: model.DeviceID(d), Interface: id, Address: a})
				}
			}
		}
	}
	return all
}

// rankOf orders kinds of devices by how well one stands for its segment, from 1
// up.
func rankOf(k model.Kind) int {
	switch k {
	case model.Host:
		return 3
	case model.World:
		return 1
	}
	return 2
}

// whom is who is asked by an end: its device; of the world whoever answers.
func whom(to *End) forward.Whom {
	if to.Device == model.None || to.Interface == model.None {
		return 0
	}
	return forward.Only(to.Device)
}

func ask(net *forward.Network, from, to *End, over model.Service) Pair {
	x := forward.PingBy(net, from.Device, from.Address, to.Address, model.None, forward.Probe{Over: over, Whom: whom(to)})
	w := Pair{From: from, To: to, Verdict: x.Verdict()}
	if w.Verdict != forward.Works {
		if f, failing := x.Failure(net); failing {
			w.Failure = &f
		}
	}
	return w
}

// Cables lists the failure of every cable that joins anything but a host to the
// network, and of every segment that is itself the wire between such.
func Cables(state *network.State) []network.Failure {
	spec := state.Spec
	var all []network.Failure
	for id, c := range spec.Cables {
		kinds := []model.Kind{spec.Devices[spec.Interfaces[c.Ends[0]].Device].Kind, spec.Devices[spec.Interfaces[c.Ends[1]].Device].Kind}
		if !c.Pulled && !slices.Contains(kinds, model.Host) {
			f := network.NoFailure
			f.Cable = model.CableID(id)
			all = append(all, f)
		}
	}
	on := make([]int, len(spec.Segments))
	for i := range spec.Interfaces {
		x := &spec.Interfaces[i]
		if x.Segment != model.None && x.Routed() && x.Kind != model.Loopback && spec.Devices[x.Device].Kind != model.Host {
			on[x.Segment]++
		}
	}
	for id, n := range on {
		if n > 1 && state.IsWire(model.SegmentID(id)) {
			f := network.NoFailure
			f.Segment = model.SegmentID(id)
			all = append(all, f)
		}
	}
	return all
}

// Devices lists the failure of every device that others reach one another
// through.
func Devices(spec *model.Spec) []network.Failure {
	var all []network.Failure
	for id, d := range spec.Devices {
		if d.Kind != model.Host && d.Kind != model.World {
			f := network.NoFailure
			f.Device = model.DeviceID(id)
			all = append(all, f)
		}
	}
	return all
}
