package ask

import (
	"errors"
	"fmt"
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Trial is one ping of one family, and what is needed to repeat it in a copy.
type Trial struct {
	*forward.Exchange
	FixedSource netip.Addr        // invalid where the device chooses
	Out         model.InterfaceID // None where the device chooses
}

// Pinged is a ping in each family, and what was asked.
type Pinged struct {
	Net      *forward.Network
	From, To Endpoint
	Trials   []Trial
	Passed   []string // families that were not tried, and why
	Without  []string // what was taken to be out of order
	Basis    string   // what the answer stands on
}

// Pings predicts a ping between two endpoints, once for each family both have
// and that is asked for. The probe's size is that of its payload here. Passed are the families only the target has.
func Pings(net *forward.Network, from, to Endpoint, only prefix.Only, probe forward.Probe) (trials []Trial, passed []string, err error) {
	if from.Device == model.None {
		return nil, nil, fmt.Errorf("nobody in the plan has %s to send from", from.Text)
	}
	for _, family := range prefix.Families {
		if !only.Has(family) {
			continue
		}
		target, ok := address(net, to, family)
		if !ok {
			continue
		}
		trial := Trial{Out: model.None}
		if from.Address.IsValid() || from.Interface != model.None {
			if trial.FixedSource, ok = address(net, from, family); !ok {
				passed = append(passed, fmt.Sprintf("%s has no %s address", from.Text, forward.FamilyOf(target)))
				continue
			}
		} else if _, ok := address(net, from, family); !ok && !to.Address.IsValid() && only == prefix.Both {
			passed = append(passed, fmt.Sprintf("%s has no %s address", from.Text, forward.FamilyOf(target)))
			continue
		}
		if target.Is6() && target.IsLinkLocalUnicast() {
			if trial.Out = linkFor(net.Spec, from, target); trial.Out == model.None {
				return nil, nil, fmt.Errorf("%s is link-local and could be on any of %s's interfaces; name one: ping %s:INTERFACE %s", target,
					from.Text, from.Text, target)
			}
		}
		p := probe
		if p.Size > 0 { // of the payload so far
			p.Size += forward.HeaderBytes(prefix.FamilyOf(target))
		}
		if to.Device != model.None && !to.Address.IsValid() {
			p.Whom = forward.Only(to.Device)
		}
		trial.Exchange = forward.PingBy(net, from.Device, trial.FixedSource, target, trial.Out, p)
		trials = append(trials, trial)
	}
	if len(trials) == 0 {
		switch {
		case len(passed) > 0:
			return nil, nil, errors.New(passed[0])
		case only != prefix.Both:
			return nil, nil, fmt.Errorf("%s has no %s address", to.Text, prefix.FamilyIf(only == prefix.Only4))
		}
		return nil, nil, fmt.Errorf("%s has no address to ping", to.Text)
	}
	return trials, passed, nil
}

// linkFor is the interface a link-local target is meant on: the one named, or
// the sender's only one.
func linkFor(spec *model.Spec, from Endpoint, target netip.Addr) model.InterfaceID {
	if from.Interface != model.None {
		return from.Interface
	}
	only, count := model.InterfaceID(model.None), 0
	for _, id := range spec.InterfacesOf(from.Device) {
		if i := &spec.Interfaces[id]; len(i.Addresses) > 0 && i.Kind != model.Loopback {
			only = id
			count++
		}
	}
	if count == 1 {
		return only
	}
	return model.None
}

// address is the address of a family by which an endpoint is known: the one
// named, else that of its interface, else the device's loopback, VLAN
// interface or first address. Addresses on interfaces that are up come first.
func address(net *forward.Network, e Endpoint, family prefix.Family) (netip.Addr, bool) {
	if e.Address.IsValid() {
		return e.Address, prefix.FamilyOf(e.Address) == family
	}
	ids := []model.InterfaceID{e.Interface}
	if e.Interface == model.None {
		// A device is meant where it is managed, up or not.
		if m := net.Spec.Devices[e.Device].Manage; m != model.None {
			for _, a := range net.Spec.Interfaces[m].Addresses {
				if prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !a.Secondary {
					return a.Addr(), true
				}
			}
		}
		ids = net.Spec.InterfacesOf(e.Device)
	}
	var best netip.Addr
	bestRank := 0
	for _, id := range ids {
		i := &net.Spec.Interfaces[id]
		rank := i.Kind.Rank()
		if net.State.IsUp(id) {
			rank += 4
		}
		for _, a := range i.Addresses {
			linkLocal := a.Addr().Is6() && a.Addr().IsLinkLocalUnicast()
			if prefix.FamilyOf(a.Addr()) == family && rank > bestRank && (!linkLocal || e.Interface != model.None) {
				best, bestRank = a.Addr(), rank
			}
		}
	}
	return best, best.IsValid()
}
