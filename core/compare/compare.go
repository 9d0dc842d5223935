package compare

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/parallel"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
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
	d.Permits, d.OwnPermits, d.Translates, d.KeepsState, d.Otherwise, d.Answers = nil, nil, nil, false, model.Pass, nil
	d.Forwards = d.Forwards && d.Kind != model.SwitchDevice
	for _, i := range blank.InterfacesOf(id) {
		x := &blank.Interfaces[i]
		x.Tag, x.Parent, x.Serial, x.Clocks, x.Borrow, x.Table, x.Relay, x.Advertises, x.Priority = 0, model.None, false, false, model.None, "", nil, false, 0
		x.Addresses = slices.DeleteFunc(slices.Clone(x.Addresses), func(a model.Address) bool { return a.Virtual })
	}
	c.AddFrom(net.Spec, &blank)
	first, last := net.Spec.StaticsOf(id)
	for _, s := range net.Spec.Statics[first:last] {
		if s.Watch.IsValid() {
			c.Differences = append(c.Differences, Difference{Kind: Missing, What: OfWatch, Device: o.Name, Subject: strings.TrimSpace(routeKey{s.Table, s.To}.words() + " via " + s.Via.String()), Planned: s.Watched(), Place: s.Place, statics: func([]model.Static) {}})
		}
	}
	return c.Result
}

// Overlay is the network as it was found: the plan with every difference in it.
func Overlay(net *forward.Network, devices []*observed.Device) *forward.Network {
	next := *net.Spec
	next.Wants = nil // the routes are those that were found
	plain := *net
	plain.State = network.Build(&next).State(net.State.Failures()...)
	c := differences(net, devices, false)
	return with(&plain, append(c.varying, c.Differences...))
}

// differences lists what differs, item by item; and what does not, where it is kept.
func differences(net *forward.Network, devices []*observed.Device, keep bool) *comparer {
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
	}
	for _, d := range c.spec.Devices {
		if !seen[d.Name] {
			c.NotKnown = append(c.NotKnown, d.Name)
		}
	}
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
	if !o.Knows(observed.VLANs) && slices.ContainsFunc(c.spec.InterfacesOf(id), func(i model.InterfaceID) bool { return c.spec.Interfaces[i].Switched && c.planned(i) }) {
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

// interfaceOf finds what was observed of an interface of the plan.
func interfaceOf(o *observed.Device, names map[string]model.InterfaceID, id model.InterfaceID) *observed.Interface {
	for i := range o.Interfaces {
		if n, ok := names[o.Interfaces[i].Name]; ok && n == id {
			return &o.Interfaces[i]
		}
	}
	return nil
}

// planned tells whether the plan wants anything of an interface.
func (c *comparer) planned(id model.InterfaceID) bool {
	i := &c.spec.Interfaces[id]
	return len(i.Addresses) > 0 || c.net.State.Cable(id) != model.None || i.Borrow != model.None || i.Own && i.Switched || i.Group != model.None || c.every && i.Switched
}

// interfaces compares which there are and their state.
func (c *comparer) interfaces(id model.DeviceID, o *observed.Device, names map[string]model.InterfaceID) {
	for _, i := range c.spec.InterfacesOf(id) {
		if !c.planned(i) {
			continue
		}
		x := &c.spec.Interfaces[i]
		found := interfaceOf(o, names, i)
		if found == nil {
			f := network.NoFailure
			f.Interface = i
			d := Difference{Kind: Missing, What: OfInterface, Device: o.Name, Subject: x.Name, Planned: x.Kind.String(), Place: x.Place}
			if d.failure = &f; x.Kind != model.Port { // it can be made
				d.failure, d.change = nil, func(all []model.Interface) { all[i].AdminDown = true }
			}
			c.add(d)
			continue
		}
		c.inPlace(OfInterface, o.Name, x.Name, x.Kind.String())
		c.state(i, o.Name, found)
		c.settings(i, o.Name, found)
		if o.Knows(observed.VLANs) && x.Switched {
			c.vlans(i, o.Name, found)
		}
	}
	for k := range o.Interfaces {
		x := &o.Interfaces[k]
		if _, ok := names[x.Name]; !ok && (len(x.Addresses) > 0 || x.Oper == observed.Up) && x.Name != "lo" {
			c.add(Difference{Kind: Extra, What: OfInterface, Device: o.Name, Subject: x.Name, Found: "it is not in the plan", Place: c.spec.Devices[id].Place})
		}
	}
}

func (c *comparer) state(i model.InterfaceID, device string, found *observed.Interface) {
	x := &c.spec.Interfaces[i]
	if found.Admin != "" {
		planned := observed.Up
		if x.AdminDown {
			planned = observed.Down
		}
		if found.Admin != planned {
			d := Difference{Kind: Different, What: OfAdmin, Device: device, Subject: x.Name, Planned: string(planned), Found: string(found.Admin), Place: x.Place}
			down := found.Admin == observed.Down
			if down {
				d.Slip = slip(SwitchedOff)
			}
			d.change = func(all []model.Interface) { all[i].AdminDown = down }
			c.add(d)
			return
		}
		c.inPlace(OfAdmin, device, x.Name, string(planned))
	}
	if found.Oper == "" || found.Admin == observed.Down || x.Switched && len(c.spec.Cables) == 0 {
		return // a plan that knows no cables does not know what is plugged in
	}
	planned := observed.Down
	if c.net.State.IsUp(i) {
		planned = observed.Up
	}
	if found.Oper == planned {
		c.inPlace(OfOper, device, x.Name, string(planned))
		return
	}
	d := Difference{Kind: Different, What: OfOper, Device: device, Subject: x.Name, Planned: string(planned), Found: string(found.Oper), Place: x.Place}
	if found.Oper == observed.Down {
		f := network.NoFailure
		f.Interface = i
		d.failure = &f
		if far := c.net.State.Peer(i); far != model.None {
			d.Slip = slip(FarEndSilent).at(far)
		}
	} else {
		d.Slip = slip(PredictedDown).at(i)
	}
	c.add(d)
}

// settings compares what else is set on an interface, as far as the plan says it and the
// device tells.
func (c *comparer) settings(i model.InterfaceID, device string, found *observed.Interface) {
	x := &c.spec.Interfaces[i]
	for _, s := range []struct {
		what           What
		planned, found string
		change         func([]model.Interface)
	}{
		{OfMTU, numberOr(x.MTU), numberOr(found.MTU), func(all []model.Interface) { all[i].MTU = found.MTU }},
		{OfMAC, strings.ToLower(x.MAC), strings.ToLower(found.MAC), nil},
		{OfBandwidth, numberOr(int(x.Bandwidth)), numberOr(int(found.Speed)), nil},
		{OfMembers, groupWords(c.spec, x.Group), c.groupFound(i, found.Group), c.regroup(i, found.Group)},
	} {
		switch {
		case s.planned == "":
		case s.found == "" && c.every && (s.what == OfMTU || s.what == OfMAC):
			c.add(Difference{Kind: Missing, What: s.what, Device: device, Subject: x.Name, Planned: s.planned, Place: x.Place, change: func([]model.Interface) {}})
		case s.found == "":
			if s.planned != inNoGroup {
				c.silentOn(string(s.what))
			}
		case s.planned == s.found:
			c.inPlace(s.what, device, x.Name, s.planned)
		default:
			c.add(Difference{Kind: Different, What: s.what, Device: device, Subject: x.Name, Planned: s.planned, Found: s.found, Place: x.Place, change: s.change})
		}
	}
}

// regroup puts a port into the group it was found in; nil where that is none of the plan.
func (c *comparer) regroup(i model.InterfaceID, group *string) func([]model.Interface) {
	if group == nil {
		return nil
	}
	to := model.InterfaceID(model.None)
	if *group != "" {
		id, ok := c.spec.InterfaceNamed(c.spec.Interfaces[i].Device, *group)
		if !ok {
			return nil
		}
		to = id
	}
	return func(all []model.Interface) {
		if from := all[i].Group; from != model.None {
			all[from].Members = slices.DeleteFunc(slices.Clone(all[from].Members), func(m model.InterfaceID) bool { return m == i })
		}
		if all[i].Group = to; to != model.None {
			all[to].Members = append(slices.Clone(all[to].Members), i)
		}
	}
}

// inNoGroup is what is said of a port that is in none.
const inNoGroup = "in no group"

func groupWords(spec *model.Spec, group model.InterfaceID) string {
	if group == model.None {
		return inNoGroup
	}
	return "in " + spec.Interfaces[group].Name
}

// groupFound is which group a port was found in; "" where that is not told.
func (c *comparer) groupFound(i model.InterfaceID, group *string) string {
	switch {
	case group == nil:
		return ""
	case *group == "":
		return inNoGroup
	}
	return "in " + *group
}

// vlans compares what a switch port carries.
func (c *comparer) vlans(i model.InterfaceID, device string, found *observed.Interface) {
	x := &c.spec.Interfaces[i]
	if x.Group != model.None {
		return // what the group carries is said of the group
	}
	tagged := make([]int, len(x.Tagged))
	for n, v := range x.Tagged {
		tagged[n] = int(v)
	}
	untagged := 0
	if found.Untagged != nil {
		untagged = *found.Untagged
	} else {
		untagged = int(x.Untagged)
	}
	if slices.Equal(tagged, found.Tagged) && untagged == int(x.Untagged) || len(tagged) == 0 && len(found.Tagged) == 0 && untagged == int(x.Untagged) {
		c.inPlace(OfVLAN, device, x.Name, vlanWords(tagged, untagged))
		return
	}
	d := Difference{Kind: Different, What: OfVLAN, Device: device, Subject: x.Name, Planned: vlanWords(tagged, int(x.Untagged)), Found: vlanWords(found.Tagged, untagged), Place: x.Place}
	var missing, extra []int
	for _, v := range tagged {
		if !slices.Contains(found.Tagged, v) {
			missing = append(missing, v)
		}
	}
	for _, v := range found.Tagged {
		if !slices.Contains(tagged, v) {
			extra = append(extra, v)
		}
	}
	switch {
	case len(missing) > 0 && len(extra) == 0:
		d.Slip, d.Slip.VLANs = slip(VLANsMissing), missing
	case len(extra) > 0 && len(missing) == 0:
		d.Slip, d.Slip.VLANs = slip(VLANsExtra), extra
	case len(missing) == 1 && len(extra) == 1 && swapped(fmt.Sprint(missing[0]), fmt.Sprint(extra[0])):
		d.Slip = slip(VLANSwapped).of(missing[0], extra[0])
	}
	d.change = func(all []model.Interface) {
		x := &all[i]
		x.Untagged, x.Tagged = model.VLAN(untagged), nil
		for _, v := range found.Tagged {
			x.Tagged = append(x.Tagged, model.VLAN(v))
		}
	}
	c.add(d)
}

func vlanWords(tagged []int, untagged int) string {
	var parts []string
	if len(tagged) > 0 {
		words := make([]string, len(tagged))
		for i, v := range tagged {
			words[i] = fmt.Sprint(v)
		}
		parts = append(parts, "tagged "+strings.Join(words, ", "))
	}
	if untagged != 0 {
		parts = append(parts, fmt.Sprintf("untagged %d", untagged))
	}
	if len(parts) == 0 {
		return "no VLAN"
	}
	return strings.Join(parts, ", ")
}

// addressSet is the addresses of an interface that are compared: link-local ones, and
// those shared with other routers, and those that are another each time, are not.
func addressSet(i *model.Interface, family prefix.Family) []netip.Prefix {
	var all []netip.Prefix
	for _, a := range i.Addresses {
		if isCompared(a, family) {
			all = append(all, a.Prefix)
		}
	}
	return all
}

// isCompared tells whether an address is compared one by one.
func isCompared(a model.Address, family prefix.Family) bool {
	return prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !a.Virtual && !a.Varies()
}

func foundSet(i *observed.Interface, shared *model.Interface, family prefix.Family) []netip.Prefix {
	var all []netip.Prefix
	if i == nil {
		return nil
	}
	for _, a := range i.Addresses {
		isShared := shared != nil && slices.ContainsFunc(shared.Addresses, func(b model.Address) bool { return b.Virtual && b.Addr() == a.Addr() })
		if prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !isShared {
			all = append(all, a.Prefix)
		}
	}
	return all
}

// primaries compares which address of an interface is its primary one, as far as the
// device tells which are secondary; and the link-local ones that the plan says.
func (c *comparer) primaries(i model.InterfaceID, o *observed.Device, found *observed.Interface, family prefix.Family) {
	x := &c.spec.Interfaces[i]
	if found == nil {
		return
	}
	of := func(a netip.Prefix) (observed.Address, bool) {
		n := slices.IndexFunc(found.Addresses, func(b observed.Address) bool { return b.Prefix == a })
		if n < 0 {
			return observed.Address{}, false
		}
		return found.Addresses[n], true
	}
	tells := slices.ContainsFunc(found.Addresses, func(a observed.Address) bool { return a.Secondary })
	var swapped, planned []netip.Prefix
	for _, a := range x.Addresses {
		b, ok := of(a.Prefix)
		switch {
		case a.Addr().Is6() && a.Addr().IsLinkLocalUnicast() && family == prefix.IPv6:
			c.linkLocal(i, o.Name, a, found)
		case !ok || !isCompared(a, family):
		case a.Secondary && !tells:
			c.silentOn(family.String() + " addresses that are secondary")
		case a.Secondary != b.Secondary:
			swapped = append(swapped, a.Prefix)
		}
		if isCompared(a, family) && !a.Secondary {
			planned = append(planned, a.Prefix)
		}
	}
	if len(swapped) > 0 {
		is := func(list []netip.Prefix) string { return joined(list, netip.Prefix.String) + " primary" }
		var now []netip.Prefix
		for _, b := range found.Addresses {
			if prefix.FamilyOf(b.Addr()) == family && !b.Secondary && !b.Addr().IsLinkLocalUnicast() {
				now = append(now, b.Prefix)
			}
		}
		c.add(Difference{Kind: Different, What: OfOrder, Device: o.Name, Subject: x.Name, Planned: is(planned), Found: is(now), Place: x.Place, change: func(all []model.Interface) {
			addresses := slices.Clone(all[i].Addresses)
			for n := range addresses {
				if b, ok := of(addresses[n].Prefix); ok {
					addresses[n].Secondary = b.Secondary
				}
			}
			all[i].Addresses = addresses
		}})
	}
}

// silentOn notes what a device does not tell, once.
func (c *comparer) silentOn(what string) {
	if !slices.Contains(c.unknown, what) {
		c.unknown = append(c.unknown, what)
	}
}

// linkLocal compares a link-local address that the plan says. Every interface has one by
// itself, so that further ones are nothing to tell.
func (c *comparer) linkLocal(i model.InterfaceID, device string, a model.Address, found *observed.Interface) {
	var others []string
	for _, b := range found.Addresses {
		if b.Addr() == a.Addr() {
			c.inPlace(OfAddress, device, c.spec.Interfaces[i].Name, a.Addr().String())
			return
		}
		if b.Addr().Is6() && b.Addr().IsLinkLocalUnicast() {
			others = append(others, b.Addr().String())
		}
	}
	d := Difference{Kind: Missing, What: OfAddress, Device: device, Subject: c.spec.Interfaces[i].Name, Planned: a.Addr().String(), Place: c.placeOf(i, a.Prefix)}
	instead := netip.Prefix{}
	if len(others) > 0 {
		d.Kind, d.Found = Different, strings.Join(others, ", ")
		instead = netip.PrefixFrom(netip.MustParseAddr(others[0]), a.Bits())
	}
	d.change = func(all []model.Interface) { swapAddress(&all[i], a.Prefix, instead) }
	c.add(d)
}

// addresses compares the addresses of a family, interface by interface.
func (c *comparer) addresses(id model.DeviceID, o *observed.Device, names map[string]model.InterfaceID, family prefix.Family) {
	type loose struct {
		i model.InterfaceID
		p netip.Prefix
	}
	var missing, extra []loose
	for _, i := range c.spec.InterfacesOf(id) {
		x := &c.spec.Interfaces[i]
		there := interfaceOf(o, names, i)
		c.primaries(i, o, there, family)
		found := c.settle(i, o.Name, foundSet(there, x, family), family)
		for _, p := range addressSet(x, family) {
			if n := slices.Index(found, p); n >= 0 {
				c.inPlace(OfAddress, o.Name, x.Name, p.String())
				found = slices.Delete(found, n, n+1)
				continue
			}
			missing = append(missing, loose{i, p})
		}
		for _, p := range found {
			extra = append(extra, loose{i, p})
		}
	}
	for _, m := range missing {
		x := &c.spec.Interfaces[m.i]
		d := Difference{Kind: Missing, What: OfAddress, Device: o.Name, Subject: x.Name, Planned: m.p.String(), Place: c.placeOf(m.i, m.p)}
		instead := netip.Prefix{}
		if n := slices.IndexFunc(extra, func(e loose) bool { return e.i == m.i }); n >= 0 { // another in its place
			instead = extra[n].p
			d.Kind, d.Found, d.Slip = Different, instead.String(), addressSlip(m.p, instead)
			extra = slices.Delete(extra, n, n+1)
			if instead.Addr() != m.p.Addr() {
				d.both = func(all []model.Interface) { addBeside(&all[m.i], m.p, instead) }
			}
		} else if n := slices.IndexFunc(extra, func(e loose) bool { return e.p.Addr() == m.p.Addr() }); n >= 0 {
			at := c.spec.Interfaces[extra[n].i].Name
			d.Kind, d.Found, d.Slip = Different, extra[n].p.String()+" on "+at, Slip{Code: OnOtherInterface, Interface: extra[n].i, Instead: m.i}
			other := extra[n]
			extra = slices.Delete(extra, n, n+1)
			d.change = func(all []model.Interface) {
				swapAddress(&all[m.i], m.p, netip.Prefix{})
				swapAddress(&all[other.i], netip.Prefix{}, other.p)
			}
		}
		if d.change == nil {
			d.change = func(all []model.Interface) { swapAddress(&all[m.i], m.p, instead) }
		}
		c.add(d)
	}
	for _, e := range extra {
		x := &c.spec.Interfaces[e.i]
		d := Difference{Kind: Extra, What: OfAddress, Device: o.Name, Subject: x.Name, Found: e.p.String(), Place: x.Place}
		if holders := c.net.State.HoldersOf(e.p.Addr()); len(holders) > 0 {
			d.Slip = slip(PlannedElsewhere).at(holders[0])
		}
		d.change = func(all []model.Interface) { swapAddress(&all[e.i], netip.Prefix{}, e.p) }
		c.add(d)
	}
}

// settle takes from what was found on an interface the addresses that are leased or made
// from what is advertised: whichever of the range or subnet it is, it is as planned.
func (c *comparer) settle(i model.InterfaceID, device string, found []netip.Prefix, family prefix.Family) []netip.Prefix {
	x := &c.spec.Interfaces[i]
	for _, a := range x.Addresses {
		if !a.Varies() || prefix.FamilyOf(a.Addr()) != family {
			continue
		}
		n := slices.IndexFunc(found, func(p netip.Prefix) bool {
			if a.Rule == model.LeasedRule {
				_, leased := c.spec.Segments[x.Segment].LeaseWith(p.Addr())
				return leased
			}
			return p.Masked() == a.Masked()
		})
		if n < 0 {
			d := Difference{Kind: Missing, What: OfAddress, Device: device, Subject: x.Name, Planned: a.Rule, Place: a.Place}
			d.change = func(all []model.Interface) { swapAddress(&all[i], a.Prefix, netip.Prefix{}) }
			if len(found) > 0 {
				instead := found[0]
				d.Kind, d.Found, found = Different, instead.String(), found[1:]
				d.change = func(all []model.Interface) { swapAddress(&all[i], a.Prefix, instead) }
			}
			c.add(d)
			continue
		}
		p := found[n]
		c.inPlace(OfAddress, device, x.Name, a.Rule)
		c.varying = append(c.varying, Difference{change: func(all []model.Interface) { swapAddress(&all[i], a.Prefix, p) }})
		found = slices.Delete(found, n, n+1)
	}
	return found
}

func (c *comparer) placeOf(i model.InterfaceID, p netip.Prefix) source.Place {
	for _, a := range c.spec.Interfaces[i].Addresses {
		if a.Prefix == p && a.Place.Known() {
			return a.Place
		}
	}
	return c.spec.Interfaces[i].Place
}

// addBeside gives an interface that has a planned address the one found in its place, and
// the planned one beside it: as a secondary where both are of one subnet, else as the
// primary of its own.
func addBeside(i *model.Interface, planned, found netip.Prefix) {
	swapAddress(i, planned, found)
	i.Addresses = append(i.Addresses, model.Address{Prefix: planned, Place: i.Place, Secondary: planned.Masked() == found.Masked()})
}

// swapAddress takes an address from an interface and gives it another; either may be
// none.
func swapAddress(i *model.Interface, old, new netip.Prefix) {
	all := slices.Clone(i.Addresses)
	n := slices.IndexFunc(all, func(a model.Address) bool { return a.Prefix == old })
	switch {
	case n >= 0 && new.IsValid():
		all[n].Prefix = new
	case n >= 0:
		all = slices.Delete(all, n, n+1)
	case new.IsValid():
		all = append(all, model.Address{Prefix: new, Place: i.Place})
	}
	i.Addresses = all
}
