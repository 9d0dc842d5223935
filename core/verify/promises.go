package verify

import (
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Promises is which of a network's requirements do not hold, and which of its devices
// the operator cannot reach.
type Promises struct {
	Unmet     []int // of Spec.Must
	Unmanaged []model.DeviceID
}

// PromisesOf asks a network for all its requirements, and for the management of all its
// devices.
func PromisesOf(net *forward.Network) Promises {
	c := &checker{net: net, spec: net.Spec}
	var p Promises
	for i := range net.Spec.Must {
		if !c.holds(&net.Spec.Must[i]) {
			p.Unmet = append(p.Unmet, i)
		}
	}
	if net.Spec.Operator == model.None {
		return p
	}
	for _, m := range Management(net) {
		if m.Exchange != nil && m.Exchange.Verdict() != forward.Works {
			p.Unmanaged = append(p.Unmanaged, m.Device)
		}
	}
	return p
}

// holds tells whether a requirement holds for all it matches.
func (c *checker) holds(r *model.Requirement) bool {
	nets, unknown := c.under(r)
	if unknown != nil {
		return false
	}
	for i, net := range nets {
		if tried, _, first := c.tryAll(net, r); tried == 0 && i == 0 || first != nil {
			return false
		}
	}
	return true
}
