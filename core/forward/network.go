package forward

import (
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
	"ropeswing/core/routing"
)

// Network is a network in one state, with all that decides where its packets go:
// what it is made of, what is up, the tables of every device, what devices let
// pass and translate, and what watched routes see. It is never changed; Update and
// Changed make another.
type Network struct {
	Spec   *model.Spec
	State  *network.State
	Policy *policy.Policy // nil where no device has permits or translations
	*routing.Tables
	// Unsettled are watches that chase each other: their routes are taken to be out
	// of use, though they would come and go.
	Unsettled []routing.Monitor

	probes *probes // nil where nothing is watched
}

// Resolve makes the network of a state, watched routes among its tables.
func Resolve(state *network.State) *Network {
	net := Answered(state)
	if net.probes = newProbes(net.Spec); net.probes == nil {
		return net
	}
	return net.probes.settle(net, net, nil)
}

// Answered makes the network of a state as if every watch were answered.
func Answered(state *network.State) *Network {
	return &Network{Spec: state.Spec, State: state, Policy: policy.New(state.Spec), Tables: routing.Resolve(state, state.Spec.Statics)}
}

// Update is the network in another state of the same topology. It redoes only
// what differs.
func (net *Network) Update(state *network.State) *Network {
	if len(net.State.Unheard()) > 0 || len(state.Unheard()) > 0 { // who is master may be another from the start
		return Resolve(state.WithUnheard(nil))
	}
	next := net.with(state, net.Tables.Update(state))
	if net.probes == nil {
		return next
	}
	return next.settleAgain(net, net.onlyDown(state))
}

// onlyDown lists the devices of which a state of the same topology takes interfaces
// down. It is nil where the state differs in other paths, so that anybody may send
// otherwise, or somebody new may answer.
func (net *Network) onlyDown(state *network.State) []model.DeviceID {
	if !state.Shares(net.State) {
		return nil
	}
	changed := []model.DeviceID{}
	for id := range state.Spec.Interfaces {
		switch i := model.InterfaceID(id); {
		case state.IsUp(i) == net.State.IsUp(i):
		case state.IsUp(i):
			return nil
		default:
			changed = append(changed, state.Spec.Interfaces[id].Device)
		}
	}
	return changed
}

// with is the same network in a state of the same parts, with its tables.
func (net *Network) with(state *network.State, tables *routing.Tables) *Network {
	next := *net
	next.Spec, next.State, next.Tables = state.Spec, state, tables
	return &next
}

// settleAgain asks again the watches whose probes may go otherwise than before, as some
// devices changed, or which heard nothing; nil is all of them.
func (net *Network) settleAgain(before *Network, changed []model.DeviceID) *Network {
	if silent := net.Silent(); len(silent) > 0 {
		for m := range silent {
			if changed != nil {
				changed = append(changed, m.Key.Device)
			}
		}
		net = net.with(net.State, net.Tables.Silence(nil))
	}
	return net.probes.settle(before, net, changed)
}

// Watches tells whether any route is watched.
func (net *Network) Watches() bool { return net.probes != nil }

// WithRoutes is the network in a state that differs in one device's static routes
// only, which are those from first on up to last, and of which none is watched.
func (net *Network) WithRoutes(state *network.State, d model.DeviceID, first, last int) *Network {
	return net.with(state, net.Tables.WithRoutes(state, d, first, last))
}

// Changed is the network with a change made, in the same state otherwise. Only what the
// change touches is worked out anew.
func (net *Network) Changed(c model.Change) *Network {
	spec, d := c.Apply(net.Spec), c.On(net.Spec)
	if len(net.State.Unheard()) > 0 {
		return Resolve(network.Build(spec).State(net.State.Failures()...))
	}
	var next *Network
	switch c.Touches() {
	case model.TouchesRoutes:
		first, last := spec.StaticsOf(d)
		next = net.WithRoutes(net.State.WithSpec(spec), d, first, last)
	case model.TouchesPermits:
		state := net.State.WithSpec(spec)
		next = net.with(state, net.Tables.With(state))
		next.Policy = policy.New(spec)
	default:
		return Resolve(network.Build(spec).State(net.State.Failures()...))
	}
	// A watch may be new, gone, or answered otherwise.
	if next.probes = newProbes(spec); next.probes == nil {
		return next
	}
	next = next.with(next.State, next.Tables.Silence(nil))
	return next.probes.settle(next, next, nil)
}
