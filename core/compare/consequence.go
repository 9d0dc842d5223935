package compare

import (
	"cmp"
	"fmt"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
	"ropeswing/core/routing"
)

// with is the planned network with some differences in it.
func with(t *routing.Tables, all []Difference) *routing.Tables {
	spec, failures := t.State.Spec, slices.Clone(t.State.Failures())
	for i := range all {
		if d := &all[i]; d.follows {
			continue
		} else if d.apply != nil {
			spec = d.apply(spec)
		} else if d.failure != nil {
			failures = append(failures, *d.failure)
		}
	}
	return forward.Resolve(network.Build(spec).State(failures...))
}

// mostTried is for how many differences what they break is worked out, the first of
// each device before the second of any.
const mostTried = 200

// consequences works out what each difference breaks by itself, and puts the worst
// first.
func (c *comparer) consequences() {
	ends := reach.Hosts(c.spec)
	if len(ends) == 0 {
		ends = reach.Ends(c.spec)
	}
	if len(c.Differences) == 0 || len(ends) > mostEnds {
		return
	}
	base := reach.All(c.t, ends)
	for i := range c.Differences {
		d := &c.Differences[i]
		if d.apply == nil && d.failure == nil || d.follows || i >= mostTried {
			continue
		}
		c.consequence(d, base, ends)
	}
	slices.SortStableFunc(c.Differences, func(a, b Difference) int { return cmp.Compare(b.Lost, a.Lost) })
}

// followers finds interfaces that are down for what differs at their far end: what
// they break is told there.
func (c *comparer) followers() {
	down := map[string]bool{}
	for _, d := range c.Differences {
		if d.What == OfAdmin && d.Found == "down" {
			down[d.Device+":"+d.Subject] = true
		}
	}
	for i := range c.Differences {
		d := &c.Differences[i]
		if d.What != OfOper || d.failure == nil {
			continue
		}
		if far := c.t.State.Peer(d.failure.Interface); far != model.None && down[c.spec.Label(far)] {
			d.follows, d.Slip = true, "it follows from "+c.spec.Label(far)+", which is administratively down"
		}
	}
}

// mostEnds is up to how many hosts each is asked about.
const mostEnds = 4000

func (c *comparer) consequence(d *Difference, base *reach.Matrix, ends []*reach.End) {
	after := with(c.t, []Difference{*d})
	// Whoever has another address now is asked for by that.
	moved := make([]*reach.End, len(ends))
	for i, e := range ends {
		moved[i] = e
		own := after.State.Spec.Interfaces[e.Interface]
		if own.Has(e.Address) {
			continue
		}
		for _, a := range own.Addresses {
			if a.Addr().Is4() == e.Address.Is4() && !a.Addr().IsLinkLocalUnicast() {
				x := *e
				x.Address = a.Addr()
				moved[i] = &x
				break
			}
		}
	}
	m := reach.All(after, moved)
	for i, from := range ends {
		for j, to := range ends {
			if from.Device == to.Device || from.Address.Is4() != to.Address.Is4() || base.Verdict(i, j) != forward.Works || m.Verdict(i, j) == forward.Works {
				continue
			}
			if d.Lost++; d.Such == "" {
				d.Such = fmt.Sprintf("%s cannot reach %s", c.name(from.Device), c.name(to.Device))
			}
		}
	}
}

func (c *comparer) name(d model.DeviceID) string { return c.spec.Devices[d].Name }
