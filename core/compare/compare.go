package compare

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/parallel"
	"ropeswing/core/prefix"
)

// Compare compares the plan with what was observed of its devices. The tables are
// those of the plan.
func Compare(net *forward.Network, devices []*observed.Device) *Result {
	c := differences(net, devices, false)
	c.slipsOfHops(devices)
	c.untold()
	c.consequences()
	return c.Result
}

// Differences is Compare without what each difference breaks by itself.
func Differences(net *forward.Network, devices []*observed.Device) *Result {
	c := differences(net, devices, false)
	c.slipsOfHops(devices)
	c.untold()
	return c.Result
}

// OfNew compares the plan with a device that has nothing set: every port counts, though
// nothing is plugged into it yet, and what no list of a device tells counts too.
func OfNew(net *forward.Network, o *observed.Device) *Result {
	c := &comparer{net: net, spec: net.Spec, every: true, Result: &Result{Net: net}}
	c.observed(o)
	blank := *net.Spec
	blank.Devices, blank.Interfaces = slices.Clone(blank.Devices), slices.Clone(blank.Interfaces)
	id, ok := blank.DeviceNamed(o.Name)
	if !ok {
		return c.Result
	}
	d := &blank.Devices[id]
	d.Permits, d.OwnPermits, d.Translates = nil, nil, nil
	for _, k := range model.DeviceKeys {
		if k.Name != "forwards" {
			_ = k.Set(d, "")
		}
	}
	d.Forwards = d.Forwards && d.Kind != model.SwitchDevice
	for _, i := range blank.InterfacesOf(id) {
		x := &blank.Interfaces[i]
		for _, k := range model.InterfaceKeys {
			if !k.Is && len(HowCompared["interface"][k.Name].State) == 0 { // the others are told where it is made, or by a list
				_ = k.Set(&blank, x, "") // nothing can always be set
			}
		}
	}
	c.AddFrom(net.Spec, &blank)
	first, last := net.Spec.StaticsOf(id)
	for _, s := range net.Spec.Statics[first:last] {
		if s.Watch.IsValid() {
			c.Differences = append(c.Differences,
				Difference{Kind: Missing, What: OfWatch, Device: o.Name,
					Subject: strings.TrimSpace(routeKey{s.Table, s.To}.words() + " via " +
						s.Via.String()), Planned: s.Watched(), Place: s.Place, statics: func([]model.Static) {}})
		}
	}
	return c.Result
}

// Overlay is the network as it was found: the plan with every difference in it.
func Overlay(net *forward.Network, devices []*observed.Device) *forward.Network {
	c := differences(net, devices, false)
	next := *c.spec
	next.RoutesStand = true // they are those that were found
	plain := *c.net
	plain.Spec, plain.State = &next, network.Build(&next).State(net.State.Failures()...)
	return with(&plain, slices.Concat(c.varying, c.silent, c.Differences))
}

// differences lists what differs, item by item; and what does not, where it is kept.
func differences(net *forward.Network, devices []*observed.Device, keep bool) *comparer {
	net = withGone(net, devices)
	c := &comparer{net: net, spec: net.Spec, keep: keep, Result: &Result{Net: net}}
	seen := map[string]bool{}
	each := make([]Result, len(devices)) // compared beside one another, and told in order
	parallel.Each(len(devices), func(i int) {
		one := comparer{net: c.net, spec: c.spec, Result: &each[i], keep: c.keep}
		one.observed(devices[i])
	})
	for i, d := range devices {
		seen[d.Name] = true
		c.Compared += each[i].Compared
		c.InPlace += each[i].InPlace
		c.Differences = append(c.Differences, each[i].Differences...)
		c.Partly = append(c.Partly, each[i].Partly...)
		c.Done = append(c.Done, each[i].Done...)
		c.varying = append(c.varying, each[i].varying...)
		c.silent = append(c.silent, each[i].silent...)
	}
	for _, d := range c.spec.Devices {
		if !seen[d.Name] {
			c.NotKnown = append(c.NotKnown, d.Name)
		}
	}
	c.cables(devices)
	c.followers()
	return c
}

type comparer struct {
	net  *forward.Network
	spec *model.Spec
	*Result
	unknown []string    // of the device that is compared
	idle    []idleRoute // of the device that is compared
	keep    bool        // what is in place is listed
	every   bool        // every port counts

	cabled map[model.CableID]bool // the planned cables of which it is known where they go
}

// label is an address with the interface that has it, where one has.
func (c *comparer) label(a netip.Addr) string { return c.net.State.HolderLabel(a) }

// add counts a thing that is not as planned, and tells it.
func (c *comparer) add(d Difference) {
	c.Compared++
	c.Differences = append(c.Differences, d)
}

// inPlace counts a thing that is as planned, and keeps it where that is asked for.
func (c *comparer) inPlace(what What, device, subject, value string) {
	c.Compared++
	c.InPlace++
	if c.keep {
		c.Done = append(c.Done, Done{what, device, subject, value})
	}
}

// observed compares what was observed of one device.
func (c *comparer) observed(d *observed.Device) {
	id, ok := c.spec.DeviceNamed(d.Name)
	if !ok {
		c.add(Difference{Kind: Extra, What: OfDevice, Device: d.Name, Found: "it was observed, and the plan has none of that name"})
		return
	}
	c.device(id, d)
}

// device compares one device.
func (c *comparer) device(id model.DeviceID, o *observed.Device) {
	names := c.names(id, o)
	if o.Knows(observed.Interfaces) {
		c.interfaces(id, o, names)
	} else {
		c.unknown = append(c.unknown, "interfaces")
	}
	if !o.Knows(observed.VLANs) && slices.ContainsFunc(c.spec.InterfacesOf(id),
		func(i model.InterfaceID) bool { return c.spec.Interfaces[i].Switched && c.planned(i) }) {
		c.unknown = append(c.unknown, "VLANs")
	}
	for _, family := range prefix.Families {
		part, word := observed.Addresses6, "IPv6"
		if family == prefix.IPv4 {
			part, word = observed.Addresses4, "IPv4"
		}
		if o.Knows(part) {
			c.addresses(id, o, names, family)
		} else if c.addressed(id, family) {
			c.unknown = append(c.unknown, word+" addresses")
		}
		part = observed.Routes6
		if family == prefix.IPv4 {
			part = observed.Routes4
		}
		if o.Knows(part) {
			c.routes(id, o, names, family)
		} else if c.addressed(id, family) {
			c.unknown = append(c.unknown, word+" routes")
		}
	}
	c.idleRoutes()
	if len(c.unknown) > 0 {
		c.Partly = append(c.Partly, Partly{o.Name, c.unknown})
	}
}

// addressed tells whether a device has an address of a family.
func (c *comparer) addressed(id model.DeviceID, family prefix.Family) bool {
	return c.spec.MainAddress(id, family).IsValid()
}

// names maps what a device calls its interfaces to what the plan does: mostly the
// same; the only loopback is the loopback, and the only port the port of a host.
func (c *comparer) names(id model.DeviceID, o *observed.Device) map[string]model.InterfaceID {
	names := map[string]model.InterfaceID{}
	var ports, found []string
	for _, i := range c.spec.InterfacesOf(id) {
		names[c.spec.Interfaces[i].Name] = i
		if c.spec.Interfaces[i].Kind == model.Port {
			ports = append(ports, c.spec.Interfaces[i].Name)
		}
	}
	for _, i := range o.Interfaces {
		if i.Type != "loopback" && i.Type != "softwareLoopback" && i.Name != "lo" {
			found = append(found, i.Name)
		}
	}
	for _, x := range o.Interfaces {
		if _, ok := names[x.Name]; ok {
			continue
		}
		loopback := x.Type == "loopback" || x.Type == "softwareLoopback" || x.Name == "lo"
		for _, i := range c.spec.InterfacesOf(id) {
			switch kind := c.spec.Interfaces[i].Kind; {
			case loopback && kind == model.Loopback, !loopback && len(ports) == 1 && len(found) == 1 && kind == model.Port:
				names[x.Name] = i
			}
		}
	}
	return names
}

// inNoGroup is what is said of a port that is in none.
const inNoGroup = "in no group"

// silentOn notes what a device does not tell, once.
func (c *comparer) silentOn(what string) {
	if !slices.Contains(c.unknown, what) {
		c.unknown = append(c.unknown, what)
	}
}
