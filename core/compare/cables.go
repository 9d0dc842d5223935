package compare

import (
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// cableFound is a cable as found: what it joins.
type cableFound [2]model.InterfaceID

// cables compares the planned cables with what devices say of who is at the other end (IEEE
// 802.1AB), and with the ports behind which switches see the MACs of hosts.
func (c *comparer) cables(devices []*observed.Device) {
	told := map[cableFound]bool{} // each from one end only
	macs := c.hostMACs(devices)
	for _, o := range devices {
		id, ok := c.spec.DeviceNamed(o.Name)
		if !ok {
			continue
		}
		names := c.names(id, o)
		if o.Knows(observed.Links) {
			for _, l := range o.Links {
				if at, ok := names[l.Interface]; ok {
					c.link(at, l, told)
				}
			}
		}
		if o.Knows(observed.MACs) {
			c.behind(o, names, macs, told)
		}
	}
}

// placed notes that it is known where the planned cable of a port goes.
func (c *comparer) placed(at model.InterfaceID) {
	if cable := c.net.State.Cable(at); cable != model.None {
		if c.cabled == nil {
			c.cabled = map[model.CableID]bool{}
		}
		c.cabled[cable] = true
	}
}

// planned peer of a port: what the plan has plugged in, None where nothing.
func (c *comparer) peerOf(at model.InterfaceID) model.InterfaceID { return c.net.State.Peer(at) }

// link compares what one device says of one port.
func (c *comparer) link(at model.InterfaceID, l observed.Link, told map[cableFound]bool) {
	if c.spec.Interfaces[at].Kind != model.Port {
		return // groups and VLANs have no cables of their own
	}
	peer := c.peerOf(at)
	d, known := c.spokenOf(l.Device)
	if !known {
		if peer != model.None {
			c.wrong(at, peer, model.None, strings.TrimSpace(l.Device+" "+l.Port), told)
		}
		return
	}
	end, named := c.spec.InterfaceNamed(d, l.Port)
	switch {
	case !named: // it calls its ports otherwise than the plan does: which device it is counts
		if peer != model.None && c.spec.Interfaces[peer].Device != d {
			c.wrong(at, peer, model.None, strings.TrimSpace(c.spec.Devices[d].Name+" "+l.Port), told)
		}
	case peer == end:
		if !told[ordered(at, end)] {
			told[ordered(at, end)] = true
			c.placed(at)
			c.inPlace(OfCable, c.spec.Devices[c.spec.Interfaces[at].Device].Name, c.spec.Interfaces[at].Name, c.spec.Label(peer))
		}
	case peer == model.None && c.sameWire(at, end): // the plan has the segment, and no cables of it
	case c.spec.Interfaces[end].Kind == model.Port:
		c.wrong(at, peer, end, c.spec.Label(end), told)
	}
}

// spokenOf is the device that a name stands for, as devices call themselves: with a domain
// behind it, in letters of any size.
func (c *comparer) spokenOf(name string) (model.DeviceID, bool) {
	if d, ok := c.spec.DeviceNamed(name); ok {
		return d, true
	}
	bare, _, _ := strings.Cut(name, ".")
	n := slices.IndexFunc(c.spec.Devices, func(d model.Device) bool {
		return strings.EqualFold(d.Name, name) || strings.EqualFold(d.Name, bare)
	})
	return model.DeviceID(n), n >= 0
}

// sameWire tells whether the plan has two interfaces on one segment without cables.
func (c *comparer) sameWire(a, b model.InterfaceID) bool {
	x, y := &c.spec.Interfaces[a], &c.spec.Interfaces[b]
	return x.Segment != model.None && x.Segment == y.Segment && c.peerOf(a) == model.None && c.peerOf(b) == model.None
}

// wrong tells of a port that is plugged into something else than planned; end is None for
// what the plan does not have.
func (c *comparer) wrong(at, peer, end model.InterfaceID, found string, told map[cableFound]bool) {
	key := ordered(at, end)
	if told[key] {
		return
	}
	told[key] = true
	c.placed(at)
	if end != model.None {
		c.placed(end)
	}
	d := Difference{
		Kind: Different, What: OfCable, Device: c.spec.Devices[c.spec.Interfaces[at].Device].Name, Subject: c.spec.Interfaces[at].Name,
		Found: found, cable: &cableFound{at, end}, Place: c.spec.Interfaces[at].Place,
	}
	if peer == model.None {
		d.Kind = Extra
	} else {
		d.Planned = c.spec.Label(peer)
	}
	c.add(d)
}

func ordered(a, b model.InterfaceID) cableFound {
	if b != model.None && b < a {
		a, b = b, a
	}
	return cableFound{a, b}
}

// hostMACs are the hosts' interfaces that are plugged into switches, by their MACs as found.
func (c *comparer) hostMACs(devices []*observed.Device) map[string]model.InterfaceID {
	all := map[string]model.InterfaceID{}
	for _, o := range devices {
		id, ok := c.spec.DeviceNamed(o.Name)
		if !ok || c.spec.Devices[id].Kind != model.Host {
			continue
		}
		names := c.names(id, o)
		for _, x := range o.Interfaces {
			if i, ok := names[x.Name]; ok && x.MAC != "" && c.spec.Interfaces[i].Kind == model.Port && c.peerOf(i) != model.None {
				all[strings.ToLower(x.MAC)] = i
			}
		}
	}
	return all
}

// behind compares behind which port a switch sees hosts. One that is seen behind several has
// moved a moment ago, and one that is seen where another switch or router is plugged in is
// somewhere behind that.
func (c *comparer) behind(o *observed.Device, names map[string]model.InterfaceID, macs map[string]model.InterfaceID,
	told map[cableFound]bool) {
	seen := map[model.InterfaceID][]model.InterfaceID{} // by the host's interface
	for _, m := range o.MACs {
		host, ok := macs[strings.ToLower(m.MAC)]
		at, ok2 := names[m.Interface]
		if !ok || !ok2 || c.spec.Interfaces[at].Kind != model.Port || slices.Contains(seen[host], at) {
			continue
		}
		if peer := c.peerOf(at); peer != model.None && c.spec.Devices[c.spec.Interfaces[peer].Device].Kind != model.Host {
			continue
		}
		seen[host] = append(seen[host], at)
	}
	for _, m := range o.MACs { // in the order in which they are told
		host, ok := macs[strings.ToLower(m.MAC)]
		if !ok || len(seen[host]) != 1 {
			continue
		}
		at := seen[host][0]
		delete(seen, host)
		peer := c.peerOf(host)
		if peer == at {
			c.placed(host)
			continue
		}
		if !told[ordered(host, at)] {
			c.wrong(host, peer, at, c.spec.Label(at), told)
		}
	}
}

// plugged are the planned cables with others in their place: those that were found. One that
// lost an end is pulled out.
func plugged(spec *model.Spec, found []cableFound) []model.Cable {
	cables := slices.Clone(spec.Cables)
	at := map[model.InterfaceID]int{}
	for n := range cables {
		for _, end := range cables[n].Ends {
			at[end] = n
		}
	}
	claimed, ends := map[int]bool{}, map[model.InterfaceID]bool{}
	for _, f := range found {
		for _, end := range f {
			ends[end] = end != model.None
		}
		if f[1] == model.None {
			continue
		}
		n := -1
		for _, end := range f {
			if x, ok := at[end]; n < 0 && ok && !claimed[x] {
				n = x
			}
		}
		if n < 0 {
			n = len(cables)
			cables = append(cables, model.Cable{Name: spec.Label(f[0]) + " to " + spec.Label(f[1]), Cost: model.DefaultCost})
		}
		claimed[n] = true
		cables[n].Ends, cables[n].Hidden = f, false
	}
	for n := range cables {
		if c := &cables[n]; !claimed[n] && (ends[c.Ends[0]] || ends[c.Ends[1]]) {
			c.Pulled = true
		}
	}
	return cables
}
