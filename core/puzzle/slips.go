package puzzle

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// slips is a kind of slip, and all of that kind that could be planted, in words of --with.
type slips struct {
	kind    string
	changes []string
}

// allSlips are the slips that could be made in a network, by their kinds.
func allSlips(spec *model.Spec) []slips {
	g := &maker{spec: spec, by: map[string]*slips{}}
	for d := range spec.Devices {
		id := model.DeviceID(d)
		if spec.Devices[d].Kind == model.World {
			continue
		}
		g.interfaces(id)
		g.routes(id)
		for _, p := range spec.Devices[d].Permits {
			g.add("a permit is missing", "%s: remove permit %s", spec.Devices[d].Name, p.Text)
		}
	}
	all := make([]slips, len(g.order))
	for i, kind := range g.order {
		all[i] = *g.by[kind]
	}
	return all
}

type maker struct {
	spec  *model.Spec
	by    map[string]*slips
	order []string
}

func (g *maker) add(kind, format string, args ...any) {
	if g.by[kind] == nil {
		g.by[kind] = &slips{kind: kind}
		g.order = append(g.order, kind)
	}
	g.by[kind].changes = append(g.by[kind].changes, fmt.Sprintf(format, args...))
}

// interfaces are the slips of a device's interfaces: shut, in another VLAN, without one on a trunk, with another mask.
func (g *maker) interfaces(d model.DeviceID) {
	name := g.spec.Devices[d].Name
	for _, id := range g.spec.InterfacesOf(d) {
		i := &g.spec.Interfaces[id]
		if i.Kind == model.Loopback || i.AdminDown {
			continue
		}
		g.add("an interface is switched off", "%s: %s down", name, i.Name)
		if i.Switched && len(i.Tagged) == 0 && i.Untagged > 0 {
			for _, s := range g.others(i.Untagged) {
				g.add("a port is in the wrong VLAN", "%s: %s access %s", name, i.Name, s)
			}
		}
		if i.Switched && len(i.Tagged) > 1 {
			for _, without := range i.Tagged {
				var left []string
				for _, v := range i.Tagged {
					if v != without {
						left = append(left, fmt.Sprint(v))
					}
				}
				g.add("a VLAN is missing on a trunk", "%s: %s tagged %s", name, i.Name, strings.Join(left, ", "))
			}
		}
		for _, a := range i.Addresses {
			if a.Virtual || a.Addr().Is6() || a.Bits() < 9 || a.Bits() > 30 || a.Addr().IsLinkLocalUnicast() {
				continue
			}
			for _, bits := range []int{a.Bits() - 8, a.Bits() + 1, a.Bits() + 2} {
				if p := netip.PrefixFrom(a.Addr(), bits); bits <= 30 && p.Masked().Addr() != a.Addr() {
					g.add("a mask is wrong", "%s: %s address %s", name, i.Name, p)
				}
			}
		}
	}
}

// others are some segments with another VLAN number.
func (g *maker) others(v model.VLAN) []string {
	var names []string
	for s := range g.spec.Segments {
		if x := &g.spec.Segments[s]; x.VLAN > 0 && x.VLAN != v {
			names = append(names, x.Name)
		}
	}
	return names
}

// routes are the slips of a device's static routes: one is missing, or leads to another neighbour.
func (g *maker) routes(d model.DeviceID) {
	device := &g.spec.Devices[d]
	first, last := g.spec.StaticsOf(d)
	var hops []netip.Addr
	for _, s := range g.spec.Statics[first:last] {
		if s.Via.IsValid() && !slices.Contains(hops, s.Via) {
			hops = append(hops, s.Via)
		}
	}
	for _, s := range g.spec.Statics[first:last] {
		if s.Table != "" || !s.Via.IsValid() || s.Via.IsLinkLocalUnicast() {
			continue
		}
		if !device.Forwards {
			g.add("a gateway is wrong", "%s: gateway %s", device.Name, s.Via.Next())
			continue
		}
		g.add("a route is missing", "%s: remove route %s", device.Name, s.To)
		for _, h := range hops {
			if h != s.Via && h.Is4() == s.Via.Is4() && !h.IsLinkLocalUnicast() {
				g.add("a next hop is wrong", "%s: route %s via %s", device.Name, s.To, h)
			}
		}
	}
}
