package reach

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
	"ropeswing/core/routing"
)

// along follows packets of one way, step by known step, and lets each device judge
// them. It gives up where something is translated or a step forks.
type along struct {
	m      *Matrix
	packet policy.Packet
	passed []model.DeviceID // that judge, and know of the request
}

// alongSteps is what becomes of a way there and back, and whether the request gets
// there; it is not sure where that has to be asked otherwise.
func (m *Matrix) alongSteps(p, q int32) (v forward.Verdict, arrived, sure bool) {
	a, b := m.at(p), m.at(q)
	w := along{m: m, packet: policy.Packet{Source: a.Address, Destination: b.Address, Service: m.over}}
	if arrives, sure := w.follow(a, b, q); !sure || !arrives {
		return forward.Fails, false, sure
	}
	w.packet = policy.Packet{Source: b.Address, Destination: a.Address, Service: m.over, Kind: policy.Reply}
	arrives, sure := w.follow(b, a, p)
	if !arrives {
		return forward.Fails, true, sure
	}
	return forward.Works, true, sure
}

// follow follows a packet from one end to another, whose place is given. It is not
// sure where it gives up.
func (w *along) follow(from, to *End, place int32) (arrives, sure bool) {
	net := w.m.net
	device, in, view := from.Device, model.InterfaceID(model.None), net.ForSource(from.Device, from.Address)
	column := w.m.next[w.m.of[place]]
	for range forward.DefaultTTL - 2 {
		judges := net.Policy.Touches(device)
		if device == to.Device {
			if match, found := view.Lookup(to.Address); !found || !match.Local {
				return false, false
			}
			return w.deliver(device, in, judges)
		}
		// Where nobody judges here or next, the step is all that is to be known.
		node, known := w.m.node[routing.Key{Device: device, Name: view.Name()}]
		if known && !judges {
			if s := column[node]; s >= 0 && !net.Policy.Touches(w.m.nodes[s].Device) {
				device = w.m.nodes[s].Device
				view, _ = net.Named(routing.Key{Device: device, Name: w.m.nodes[s].Name})
				if in = w.m.anyOn(device); in == model.None {
					return false, false
				}
				continue
			} else if s == loses {
				return false, true
			} else if s < lastStep {
				return false, false
			}
		}
		match, found := view.Lookup(to.Address)
		switch {
		case !found || !match.Local && len(match.Hops) == 0:
			return false, true
		case match.Local || len(match.Hops) > 1:
			return false, false
		case in != model.None && !net.Spec.Devices[device].Forwards:
			return false, true
		}
		hop := match.Hops[0]
		if judges {
			if passes, sure := w.leave(device, in, hop.Out); !sure || !passes {
				return false, sure
			}
		}
		address := hop.Via
		if !address.IsValid() {
			address = to.Address
		}
		receivers, others := forward.Receivers(net, hop.Out, address), 0
		for _, id := range receivers {
			if id != hop.Out {
				in = id
				others++
			}
		}
		if others != 1 {
			return false, others == 0
		}
		device = net.Spec.Interfaces[in].Device
		view = net.For(device, in)
	}
	return false, false
}

// anyOn is some interface of a device by which a packet may have come: where nobody
// judges, it does not matter which.
func (m *Matrix) anyOn(d model.DeviceID) model.InterfaceID {
	for id := range m.net.Spec.EachInterface(d) {
		if m.net.State.Domain(id) != network.NoDomain {
			return id
		}
	}
	return model.None
}

// knows tells whether a device knows the flow of a reply.
func (w *along) knows(d model.DeviceID) bool {
	if w.packet.Kind == policy.Reply {
		return slices.ContainsFunc(w.passed, func(o model.DeviceID) bool { return w.m.net.Spec.OneState(o, d) })
	}
	w.passed = append(w.passed, d)
	return false
}

// leave lets a device judge what leaves it.
func (w *along) leave(d model.DeviceID, in, out model.InterfaceID) (passes, sure bool) {
	pol := w.m.net.Policy
	if w.packet.Kind == policy.Request || w.packet.Service.Protocol == model.UDP {
		if _, t, _ := pol.Outward(d, out, w.packet.Source); t != nil {
			return false, false
		}
		if _, _, t := pol.Inward(d, in, w.packet.Destination, w.packet.Service); in != model.None && t != nil {
			return false, false
		}
	}
	known := w.knows(d)
	if in == model.None {
		return pol.FromItself(d, out, &w.packet, known).Ruling == model.Pass, true
	}
	return pol.Through(d, in, out, &w.packet, known).Ruling == model.Pass, true
}

// deliver lets a device judge what is for itself.
func (w *along) deliver(d model.DeviceID, in model.InterfaceID, judges bool) (arrives, sure bool) {
	if !judges || in == model.None {
		return true, true
	}
	if _, _, t := w.m.net.Policy.Inward(d, in, w.packet.Destination, w.packet.Service); t != nil {
		return false, false
	}
	return w.m.net.Policy.ToItself(d, in, &w.packet, w.knows(d)).Ruling == model.Pass, true
}
