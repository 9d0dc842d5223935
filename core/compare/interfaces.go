package compare

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
)

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
	return len(i.Addresses) > 0 || c.net.State.Cable(id) != model.None || i.Borrow != model.None || i.Own && i.Switched ||
		i.Group != model.None || c.every && i.Switched
}

// interfaces compares which there are and their state.
func (c *comparer) interfaces(id model.DeviceID, o *observed.Device, names map[string]model.InterfaceID) {
	for _, i := range c.spec.InterfacesOf(id) {
		x := &c.spec.Interfaces[i]
		found := interfaceOf(o, names, i)
		if x.Gone && found != nil {
			c.gone(i, o.Name, found)
			continue
		}
		if !c.planned(i) {
			if found != nil && x.Switched {
				c.free(i, o, found)
			}
			continue
		}
		if found == nil {
			f := network.NoFailure
			f.Interface = i
			d := Difference{Kind: Missing, What: OfInterface, Device: o.Name, Subject: x.Name, Planned: whatIs(c.spec, x), Place: x.Place}
			if d.failure = &f; x.Kind != model.Port { // it can be made
				d.failure, d.change = nil, func(all []model.Interface) { all[i].AdminDown = true }
			}
			c.add(d)
			if x.Kind != model.Port { // and all that is to be on it
				c.made(i, o)
			}
			continue
		}
		c.inPlace(OfInterface, o.Name, x.Name, x.Kind.String())
		c.state(i, o.Name, found)
		c.settings(i, o.Name, found)
		if o.Knows(observed.VLANs) && (x.Switched || x.Group != model.None) {
			c.vlans(i, o.Name, found)
		}
	}
	for k := range o.Interfaces {
		x := &o.Interfaces[k]
		if _, ok := names[x.Name]; !ok && !c.isThere(id, x) && (len(x.Addresses) > 0 || x.Oper == observed.Up) && x.Name != "lo" {
			c.add(Difference{Kind: Extra, What: OfInterface, Device: o.Name, Subject: x.Name, Found: notPlanned, Place: c.spec.Devices[id].Place})
		}
	}
}

// free compares a free port of a range: what the range says of it. That nothing is plugged in, and that somebody
// switched it off for that, is nothing to tell.
func (c *comparer) free(i model.InterfaceID, o *observed.Device, found *observed.Interface) {
	x := &c.spec.Interfaces[i]
	if x.AdminDown && found.Admin != "" {
		c.state(i, o.Name, found)
	}
	c.settings(i, o.Name, found)
	if o.Knows(observed.VLANs) && (x.Untagged != 0 || len(x.Tagged) > 0) && (found.Untagged != nil || len(found.Tagged) > 0) {
		c.vlans(i, o.Name, found)
	}
}

// whatIs is what an interface is, as it is said where it is made.
func whatIs(spec *model.Spec, i *model.Interface) string {
	words := i.Kind.String()
	if i.Kind == model.Subinterface && i.Parent != model.None {
		words += " of " + spec.Interfaces[i.Parent].Name
	}
	if i.Tag != 0 {
		words += fmt.Sprintf(", tag %d", i.Tag)
	}
	return words
}

// made compares an interface that is to be made with one that has nothing; its addresses are compared with all others.
func (c *comparer) made(i model.InterfaceID, o *observed.Device) {
	nothing := 0
	empty := &observed.Interface{Untagged: &nothing}
	every := c.every
	c.every = true
	c.settings(i, o.Name, empty)
	c.every = every
	if o.Knows(observed.VLANs) && c.spec.Interfaces[i].Switched {
		c.vlans(i, o.Name, empty)
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
			d := Difference{Kind: Different, What: OfAdmin, Device: device, Subject: x.Name, Planned: string(planned), Found: string(found.Admin),
				Place: x.Place}
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
	d := Difference{Kind: Different, What: OfOper, Device: device, Subject: x.Name, Planned: string(planned), Found: string(found.Oper),
		Place: x.Place}
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
	type setting struct {
		what           What
		planned, found string
		change         func([]model.Interface)
	}
	told := model.Interface{Device: x.Device, Parent: model.None, Segment: model.None, Group: model.None, Borrow: model.None}
	for _, k := range toldKeys {
		k.found(&told, found)
	}
	key := func(what What) setting {
		k := model.InterfaceKeyNamed(string(what))
		value := k.Says(c.spec, &told)
		return setting{what, k.Says(c.spec, x), value, func(all []model.Interface) { _ = k.Set(c.spec, &all[i], value) }}
	}
	all := []setting{{OfMembers, groupWords(c.spec, x.Group), c.groupFound(i, found.Group), c.regroup(i, found.Group)}}
	for _, k := range toldKeys {
		all = append(all, key(k.what))
	}
	for _, s := range all {
		switch {
		case s.planned == "":
			if s.found != "" && s.change != nil && s.what != OfMembers { // the plan is silent; what is there counts all the same
				c.silent = append(c.silent, Difference{change: s.change})
			}
		case s.found == "" && c.every && isEvery(s.what):
			c.add(Difference{Kind: Missing, What: s.what, Device: device, Subject: x.Name, Planned: s.planned, Place: x.Place,
				change: func([]model.Interface) {}})
		case s.found == "":
			if s.planned != inNoGroup {
				c.silentOn(string(s.what))
			}
		case s.planned == s.found:
			c.inPlace(s.what, device, x.Name, s.planned)
		default:
			c.add(Difference{Kind: Different, What: s.what, Device: device, Subject: x.Name, Planned: s.planned, Found: s.found, Place: x.Place,
				change: s.change})
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
	if x.Group != model.None && (found.Group == nil || *found.Group == c.spec.Interfaces[x.Group].Name) {
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
	if slices.Equal(tagged, found.Tagged) && untagged == int(x.Untagged) || len(tagged) == 0 && len(found.Tagged) == 0 &&
		untagged == int(x.Untagged) {
		c.inPlace(OfVLAN, device, x.Name, vlanWords(tagged, untagged))
		return
	}
	d := Difference{Kind: Different, What: OfVLAN, Device: device, Subject: x.Name, Planned: vlanWords(tagged, int(x.Untagged)),
		Found: vlanWords(found.Tagged, untagged), Place: x.Place}
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
	carries := func(tagged []int) func(all []model.Interface) {
		return func(all []model.Interface) {
			x := &all[i]
			x.Switched, x.Untagged, x.Tagged = true, model.VLAN(untagged), nil
			for _, v := range tagged {
				x.Tagged = append(x.Tagged, model.VLAN(v))
			}
		}
	}
	d.change = carries(found.Tagged)
	if untagged == int(x.Untagged) && len(missing) > 0 && len(extra) > 0 {
		all := slices.Concat(found.Tagged, missing)
		slices.Sort(all)
		d.both = carries(all)
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
