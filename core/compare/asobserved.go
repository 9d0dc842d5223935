package compare

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// AsObserved is a network as its devices would tell of it, wholly: for comparing one
// plan with another.
func AsObserved(net *forward.Network) []*observed.Device {
	all := make([]*observed.Device, len(net.Spec.Devices))
	for d := range all {
		all[d] = DeviceAsObserved(net, model.DeviceID(d))
	}
	return all
}

// WithPorts adds to what devices tell the ports that they do not tell of and a plan has: a port that a plan does not
// list is there all the same, with nothing on it.
func WithPorts(spec *model.Spec, devices []*observed.Device) {
	for _, o := range devices {
		id, ok := spec.DeviceNamed(o.Name)
		if !ok || spec.Devices[id].Kind == model.Host { // whose only port is the same, whatever it is called
			continue
		}
		for _, i := range spec.InterfacesOf(id) {
			if x := &spec.Interfaces[i]; x.Kind == model.Port &&
				!slices.ContainsFunc(o.Interfaces, func(y observed.Interface) bool { return y.Name == x.Name }) {
				nothing, group := 0, ""
				o.Interfaces = append(o.Interfaces, observed.Interface{Name: x.Name, Type: TypeOf(x), Untagged: &nothing, Group: &group})
			}
		}
	}
}

// DeviceAsObserved is one device as it would tell of itself, wholly.
func DeviceAsObserved(net *forward.Network, id model.DeviceID) *observed.Device {
	spec := net.Spec
	o := &observed.Device{Name: spec.Devices[id].Name}
	o.Learn(observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.VLANs, observed.Routes4, observed.Routes6,
		observed.Standby)
	for _, i := range spec.InterfacesOf(id) {
		x := &spec.Interfaces[i]
		y := observed.Interface{Name: x.Name, Admin: observed.Up, Oper: observed.Down}
		for _, k := range toldKeys {
			k.as(&y, x)
		}
		group := ""
		if x.Group != model.None {
			group = spec.Interfaces[x.Group].Name
		}
		y.Group = &group
		y.Type, y.VLAN = TypeOf(x), int(x.Tag)
		if x.Parent != model.None {
			y.Parent = spec.Interfaces[x.Parent].Name
		}
		if x.AdminDown {
			y.Admin = observed.Down
		}
		if net.State.IsUp(i) {
			y.Oper = observed.Up
		}
		for _, a := range x.Addresses {
			if !a.Virtual {
				y.Addresses = append(y.Addresses, observed.Address{Prefix: a.Prefix, Secondary: a.Secondary})
			}
		}
		if x.Switched {
			untagged := int(x.Untagged)
			y.Untagged = &untagged
			for _, v := range x.Tagged {
				y.Tagged = append(y.Tagged, int(v))
			}
		}
		o.Interfaces = append(o.Interfaces, y)
	}
	for _, v := range net.Of(id) {
		for _, e := range v.Entries() {
			if e.Static() == model.None {
				continue
			}
			s := &spec.Statics[e.Static()]
			distance, metric, active := int(s.Distance), int(s.Metric), e.InUse
			r := observed.Route{Table: s.Table, To: s.To, NextHop: s.Via, Discard: s.Discard, Source: "static", Distance: &distance,
				Metric: &metric, Active: &active}
			if s.Out != model.None {
				r.Interface = spec.Interfaces[s.Out].Name
			}
			o.Routes = append(o.Routes, r)
		}
	}
	return o
}

// TypeOf is an interface's type, by its name in the IANA's list (RFC 7224).
func TypeOf(i *model.Interface) string {
	switch {
	case i.Kind == model.Loopback:
		return "softwareLoopback"
	case i.Kind == model.VLANInterface:
		return "l3ipvlan"
	case i.Kind == model.Subinterface:
		return "l2vlan"
	case i.Kind == model.Group:
		return "ieee8023adLag"
	case i.Serial:
		return "propPointToPointSerial"
	}
	return "ethernetCsmacd"
}

// VLANNames are the names of the VLANs that a device has to do with, by number: those of their segments.
func VLANNames(spec *model.Spec, id model.DeviceID) map[int]string {
	used := map[model.VLAN]bool{}
	for _, i := range spec.InterfacesOf(id) {
		x := &spec.Interfaces[i]
		if x.Kind == model.VLANInterface {
			used[x.Tag] = true
		}
		used[x.Untagged] = true
		for _, v := range x.Tagged {
			used[v] = true
		}
	}
	names := map[int]string{}
	for s := range spec.Segments {
		if v := spec.Segments[s].VLAN; v != 0 && used[v] {
			names[int(v)] = spec.Segments[s].Name
		}
	}
	return names
}
