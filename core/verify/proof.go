package verify

import (
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Proof is one requirement with a ping that shows it: the first that contradicts it, or else the
// first it covers.
type Proof struct {
	Of       *model.Requirement
	Holds    bool
	Pairs    int               // how many it covers; 0 where the two have no addresses of one family
	States   int               // in how many states of the network it is to hold
	Without  []network.Failure // what is out of order while the ping is sent
	Net      *forward.Network
	Exchange *forward.Exchange // nil where there is nobody to ask
	Err      error             // why it could not be tried
}

// Proofs tries all requirements of a network.
func Proofs(net *forward.Network) []Proof {
	c := &checker{net: net, spec: net.Spec}
	all := make([]Proof, len(net.Spec.Must))
	for i := range all {
		p := &all[i]
		p.Of = &net.Spec.Must[i]
		nets, unknown := c.under(p.Of)
		if unknown != nil {
			p.Err = unknown.err
			continue
		}
		p.States, p.Holds = len(nets), true
		pairs := Pairs(net, p.Of)
		if p.Pairs = len(pairs); p.Pairs == 0 {
			p.Holds = false
			continue
		}
		p.Net = nets[0]
		p.Exchange = forward.PingBy(p.Net, pairs[0].From, pairs[0].Source, pairs[0].Target, model.None, forward.Probe{Over: p.Of.Over})
		for _, n := range nets {
			if _, _, first := c.tryAll(n, p.Of); first != nil {
				p.Holds, p.Net, p.Exchange = false, n, first.x
				break
			}
		}
		p.Without = p.Net.State.Failures()[len(net.State.Failures()):]
	}
	return all
}
