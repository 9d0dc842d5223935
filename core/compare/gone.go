package compare

import (
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
)

// withGone is a network with the interfaces that were found and are not in the plan: each is there, switched off and
// without anything, so that what was found can be put into it as any other difference is. What a state does not tell of one
// that it would take to know what it leads to, as the VLAN of a VLAN interface, leaves it out.
func withGone(net *forward.Network, devices []*observed.Device) *forward.Network {
	c := &comparer{net: net, spec: net.Spec}
	spec := net.Spec
	for _, subs := range []bool{false, true} { // a subinterface may lie on a group that is not in the plan either
		more := map[model.DeviceID][]model.Interface{}
		for _, o := range devices {
			id, ok := spec.DeviceNamed(o.Name)
			if !ok || !o.Knows(observed.Interfaces) {
				continue
			}
			names := c.names(id, o)
			for k := range o.Interfaces {
				x := &o.Interfaces[k]
				if _, planned := names[x.Name]; planned || x.Name == "lo" || (kindOf(x) == model.Subinterface) != subs {
					continue
				}
				if i, ok := goneInterface(spec, id, o, x); ok {
					more[id] = append(more[id], i)
				}
			}
		}
		if len(more) > 0 {
			spec = spec.WithMore(more)
		}
	}
	if spec == net.Spec {
		return net
	}
	if !spec.RoutesStand {
		next := *spec
		next.RoutesStand = true
		spec = &next
	}
	return forward.Resolve(network.Build(spec).State(net.State.Failures()...))
}

// goneInterface is an interface that was found on a device, with nothing set on it.
func goneInterface(spec *model.Spec, d model.DeviceID, o *observed.Device, x *observed.Interface) (model.Interface, bool) {
	i := model.Interface{
		Name: x.Name, Device: d, Kind: kindOf(x), Parent: model.None, Segment: segmentOf(spec, x), Group: model.None, Borrow: model.None,
		AdminDown: true, Gone: true, Place: spec.Devices[d].Place,
	}
	switch i.Kind {
	case model.VLANInterface:
		i.Tag = model.VLAN(x.VLAN)
		if n := strings.TrimLeft(x.Name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ-_. "); i.Tag == 0 && carriesOnPort(o, n) {
			i.Tag = vlanOf(n) // by its name, as a port of the device carries it
		}
		return i, i.Tag != 0
	case model.Subinterface:
		parent, tag, _ := cutLast(x.Name, ".")
		if x.Parent != "" {
			parent = x.Parent
		}
		i.Tag = model.VLAN(x.VLAN)
		if i.Tag == 0 {
			i.Tag = vlanOf(tag)
		}
		id, ok := spec.InterfaceNamed(d, parent)
		i.Parent = id
		return i, ok && i.Tag != 0
	case model.Group:
		i.Switched = x.Untagged != nil || len(x.Tagged) > 0
		return i, true
	case model.Loopback:
		return i, len(x.Addresses) > 0
	}
	return i, len(x.Addresses) > 0 && x.Untagged == nil
}

// kindOf is what kind of interface was found.
func kindOf(x *observed.Interface) model.InterfaceKind {
	switch x.Type {
	case "l3ipvlan":
		return model.VLANInterface
	case "l2vlan":
		return model.Subinterface
	case "softwareLoopback", "loopback":
		return model.Loopback
	case "ieee8023adLag":
		return model.Group
	}
	return model.Port
}

// segmentOf is the segment in whose subnet an interface that was found has an address, where that segment is itself the
// wire; None where a cable or a VLAN tells whom it hears.
func segmentOf(spec *model.Spec, x *observed.Interface) model.SegmentID {
	if len(spec.Cables) > 0 {
		return model.None
	}
	for _, a := range x.Addresses {
		if s := spec.SegmentOf(a.Addr()); s != model.None && !a.Addr().IsLinkLocalUnicast() {
			return s
		}
	}
	return model.None
}

func vlanOf(text string) model.VLAN {
	n, err := strconv.ParseUint(text, 10, 16)
	if err != nil || n < 1 || n > 4094 {
		return 0
	}
	return model.VLAN(n)
}

// carriesOnPort reports whether some port of a device was found to carry the VLAN that a text says.
func carriesOnPort(o *observed.Device, text string) bool {
	v := int(vlanOf(text))
	return v != 0 && slices.ContainsFunc(o.Interfaces, func(i observed.Interface) bool {
		return slices.Contains(i.Tagged, v) || i.Untagged != nil && *i.Untagged == v
	})
}

func cutLast(text, sep string) (before, after string, found bool) {
	n := strings.LastIndex(text, sep)
	if n < 0 {
		return text, "", false
	}
	return text[:n], text[n+len(sep):], true
}

// gone tells of an interface that was found, and is not in the plan. What it has is compared as that of any other.
func (c *comparer) gone(i model.InterfaceID, device string, found *observed.Interface) {
	x := &c.spec.Interfaces[i]
	if x.Kind == model.Port { // its addresses can be taken away; the port itself stays
		c.add(Difference{Kind: Extra, What: OfInterface, Device: device, Subject: x.Name, Found: notPlanned, Place: x.Place})
		return
	}
	d := Difference{Kind: Extra, What: OfInterface, Device: device, Subject: x.Name, Found: whatIs(c.spec, x), Place: x.Place}
	down := found.Admin == observed.Down
	d.change = func(all []model.Interface) {
		all[i].AdminDown = down
	}
	c.add(d)
	if x.Switched && (found.Untagged != nil || len(found.Tagged) > 0) {
		c.vlans(i, device, found)
	}
}

// excludes reports whether of two interfaces of a device only one can be there: the one that was found takes the tag of the
// other, which the plan has. It goes before the other is made.
func (c *comparer) excludes(found, planned model.InterfaceID) bool {
	return c.spec.Interfaces[found].Gone && SameTag(&c.spec.Interfaces[found], &c.spec.Interfaces[planned])
}

// SameTag reports whether two interfaces of one device want the same frames: those of one VLAN, or with one tag on one port.
func SameTag(a, b *model.Interface) bool {
	return a.Tag != 0 && a.Kind == b.Kind && a.Parent == b.Parent && a.Tag == b.Tag
}

// notPlanned is said of what was found and is not in the plan.
const notPlanned = "it is not in the plan"

// isThere reports whether an interface that the plan does not have can be put among what was found.
func (c *comparer) isThere(id model.DeviceID, x *observed.Interface) bool {
	i, ok := c.spec.InterfaceNamed(id, x.Name)
	return ok && c.spec.Interfaces[i].Gone
}
