// Package verify finds what is wrong in a network that was understood, and
// tries what would mend it.
package verify

import (
	"net/netip"

	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// Check is everything wrong or doubtful in a network. Derived is how its routes were derived; zero where none were.
func Check(net *forward.Network, derived derive.Result) []finding.Finding {
	c := &checker{net: net, spec: net.Spec, derived: derived, inBoth: map[int]bool{}, said: newSaid(), budget: newBudget(net.Spec)}
	c.all()
	c.causes()
	return finding.Sort(c.found)
}

// all runs all checks.
func (c *checker) all() {
	for _, check := range checks {
		check(c)
	}
}

type checker struct {
	net      *forward.Network
	spec     *model.Spec
	derived  derive.Result
	found    []finding.Finding
	said     said
	inForce  *model.Spec                 // with pending permits in force, once it is asked for
	allPass  *forward.Network            // in which everything passes, once it is asked for
	trials   int                         // how many remedies were tried
	budget   *Budget                     // for remedies
	written  map[netip.Prefix]*likeness  // what destinations are written like, as far as it was asked
	realms   *model.Realms               // what routing tables keep apart, once it is asked for
	failed   map[string]*forward.Network // with parts out of order, as far as requirements asked
	failedOf *forward.Network            // the network of those
	slips    []slip                      // those that were found
	sampled  bool                        // not every pair was asked for slips
	plain    bool                        // no slips are looked for

	endOrder []int                            // the ends of reached by address, once they are asked for
	inOrder  []netip.Addr                     // every address in the plan, sorted, once it is asked for
	inBoth   map[int]bool                     // findings that are said to be of IPv6 too
	reached  *reach.Matrix                    // among all segments, once it is asked for
	subnetOf map[netip.Prefix]model.SegmentID // once it is asked for
	byPermit map[sentBy][]permitKey           // which permits decide, as far as it was asked
	links    []bool                           // by segment: it is a link between routers
}

// everyone is who reaches whom among the segments.
func (c *checker) everyone() *reach.Matrix {
	if c.reached == nil {
		c.reached = reach.All(c.net, reach.Ends(c.spec))
	}
	return c.reached
}

// tablesPart tells whether routing tables keep two segments apart: then they may have the same numbers, and need not reach each other.
func (c *checker) tablesPart(a, b model.SegmentID) bool {
	if c.realms == nil {
		c.realms = c.spec.Realms()
	}
	return c.realms.Apart(a, b)
}

// passing is the network in which everything passes, and nothing is translated.
func (c *checker) passing() *forward.Network {
	if c.allPass == nil {
		c.allPass = c.net
		if c.net.Policy != nil {
			c.allPass = forward.Resolve(network.Build(c.spec.WithoutPolicies()).State(c.net.State.Failures()...))
		}
	}
	return c.allPass
}

func (c *checker) report(f finding.Finding) { c.found = append(c.found, f) }

// reportIn reports what concerns one family of a route. Where the same was said
// of the other family at the same place, that is noted there instead.
func (c *checker) reportIn(f finding.Finding, family prefix.Family) {
	for i := range c.found {
		x := &c.found[i]
		if family == prefix.IPv6 && x.Name == f.Name && x.Place == f.Place && x.Subject == f.Subject {
			if !c.inBoth[i] {
				c.inBoth[i] = true
				x.Reason += "; in IPv6 likewise"
			}
			return
		}
	}
	c.report(f)
}

// each visits every address of every interface.
func (c *checker) each(visit func(id model.InterfaceID, a model.Address)) {
	for id := range c.spec.Interfaces {
		for _, a := range c.spec.Interfaces[id].Addresses {
			visit(model.InterfaceID(id), a)
		}
	}
}
