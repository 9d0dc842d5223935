package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// A slip of the hand is one word of a plan that is wrong; what fails because of it may be half the network. Here
// the one change is looked for that mends the most of what fails, then the next, each in the network with those
// before it: so they work together, and in any order of typing.

const (
	mostWishes   = 3000  // pairs that are asked for
	mostLost     = 300   // pairs that are lost, of those that are not asked otherwise
	mostSlips    = 8     // changes that are looked for, one after the other
	mostLooked   = 150   // changes that are tried for one of these
	mostJudge    = 12    // of them, on all pairs
	mostFailures = 16    // failures of different kinds that changes are proposed for
	mostHalves   = 8     // changes that do not help by themselves that a second is looked for to
	mostPinged   = 60000 // pings in all
	leastTries   = 8     // changes that are tried of any network
	tryWork      = 4e6   // routes and interfaces of the copies that are made
)

// wish is a ping that everybody would want to work, or that the plan requires.
type wish struct {
	from   target
	to     target
	over   model.Service
	needed bool // by a requirement: a permit that drops it is wrong
}

// slip is a change that mends much of what fails; two where none of them helps by itself.
type slip struct {
	Changes   []Applied
	Mends, Of int // pairs, of those that failed
	Example   [2]target
	some      bool             // not every pair was asked
	after     *forward.Network // with it made, and those before it
}

// likely finds the changes that mend the most, and says them where they are to be made.
func (c *checker) likely() {
	if c.plain {
		return
	}
	h := &hunt{checker: c, net: c.net, wishes: c.wishes(), forbidden: c.required(true), lines: map[line]bool{}}
	h.tries = max(leastTries, tryWork/(len(c.spec.Statics)+len(c.spec.Interfaces)+1))
	for i := range c.found {
		if c.found[i].Severity() >= finding.Warning {
			h.lines[lineOf(c.found[i].Place)] = true
		}
	}
	h.failing, h.open = h.ask(c.net, nil), h.getThrough(c.net)
	all := len(h.failing)
	for range mostSlips {
		s, ok := h.best()
		if !ok || unfinished(s.Mends, len(h.failing), len(h.wishes)) {
			break
		}
		s.Of, s.some = all, c.sampled
		h.net = h.tried
		s.after = h.net
		h.failing = h.ask(h.net, nil)
		c.slips = append(c.slips, s)
	}
}

// Failing counts the pairs that fail of those that slips are looked for by.
func Failing(net *forward.Network) int {
	c := &checker{net: net, spec: net.Spec, inBoth: map[int]bool{}, said: newSaid(), budget: &Budget{}}
	h := &hunt{checker: c, net: net, wishes: c.wishes()}
	return len(h.ask(net, nil))
}

// unfinished tells whether a change is no slip undone: most of what is asked for fails, and the change mends next to
// nothing of it. Such a plan has no routes yet.
func unfinished(mends, failing, asked int) bool {
	return failing > 40 && 2*failing > asked && 20*mends < failing
}

// wishes lists what is asked for: every host, every managed switch, and a router for each segment without hosts, from
// each to every other and to what lies beyond the plan; and what the plan requires.
func (c *checker) wishes() []wish {
	var ends []target
	hosted := map[model.SegmentID]bool{}
	add := func(d model.DeviceID, a model.Address) {
		if !a.Addr().IsLinkLocalUnicast() && !a.Secondary && !a.OnTop() && !c.spec.Devices[d].Closed[prefix.FamilyOf(a.Addr())] {
			ends = append(ends, target{d, a.Addr()})
		}
	}
	for n := range c.spec.Devices {
		d := &c.spec.Devices[n]
		for _, id := range c.spec.InterfacesOf(model.DeviceID(n)) {
			i := &c.spec.Interfaces[id]
			if d.Kind == model.Host || !d.Forwards && d.Kind != model.World && id == d.Manage {
				hosted[i.Segment] = hosted[i.Segment] || d.Kind == model.Host
				for _, a := range i.Addresses {
					add(model.DeviceID(n), a)
				}
			}
		}
	}
	for _, e := range c.everyone().Ends {
		if !hosted[e.Segment] && !c.isLink(e.Segment) && c.spec.Devices[e.Device].Kind != model.World && e.Place <= 1 {
			add(e.Device, model.Address{Prefix: netip.PrefixFrom(e.Address, e.Address.BitLen())})
		}
	}
	var all []wish
	if !(c.spec.MustSaid && len(c.spec.Must) == 0) {
		stride := max(1, len(ends)*len(ends)/mostWishes) // of many pairs some, not always the same partners
		c.sampled = stride > 1
		for i, from := range ends {
			for j := i * 7919 % stride; j < len(ends); j += stride {
				to := ends[j]
				if from.device != to.device && from.address.Is4() == to.address.Is4() && !c.keptApart(from, to) {
					all = append(all, wish{from: from, to: to})
				}
			}
		}
		if c.sampled { // what is lost among the LANs is known without asking
			lost := 0
			c.everyone().Lost(func(w reach.Pair) bool {
				from, to := target{w.From.Device, w.From.Address}, target{w.To.Device, w.To.Address}
				ours := func(e *reach.End) bool { return !c.isLink(e.Segment) && c.spec.Devices[e.Device].Kind != model.World }
				if ours(w.From) && ours(w.To) && !c.keptApart(from, to) {
					all = append(all, wish{from: from, to: to})
					lost++
				}
				return lost < mostLost
			})
		}
		beyond := c.beyondAll()
		stride = max(1, len(ends)*len(beyond)/mostWishes)
		for i := 0; i < len(ends); i += stride {
			for _, a := range beyond {
				if a.Is4() == ends[i].address.Is4() {
					all = append(all, wish{from: ends[i], to: target{model.None, a}})
				}
			}
		}
	}
	if c.spec.Operator != model.None {
		for d := range c.spec.Devices {
			x := &c.spec.Devices[d]
			n := slices.IndexFunc(x.Answers, func(word string) bool { return slices.Contains(model.Logins, word) })
			if x.Manage == model.None || n < 0 || model.DeviceID(d) == c.spec.Operator {
				continue
			}
			for _, a := range c.spec.Interfaces[x.Manage].Addresses {
				from := c.spec.MainAddress(c.spec.Operator, prefix.FamilyOf(a.Addr()))
				if !a.Addr().IsLinkLocalUnicast() && !a.OnTop() && !a.Secondary && from.IsValid() {
					all = append(all, wish{
						from: target{c.spec.Operator, from}, to: target{model.DeviceID(d), a.Addr()},
						over: model.ServiceOf(x.Answers[n]), needed: true,
					})
					break
				}
			}
		}
	}
	return append(all, c.required(false)...)
}

// required lists the pairs that the plan requires to reach each other as it stands; with not those that must not.
func (c *checker) required(not bool) []wish {
	var all []wish
	for i := range c.spec.Must {
		r := &c.spec.Must[i]
		if r.Not != not || len(r.Without) > 0 || r.AnyOne != model.NoOne {
			continue
		}
		n := 0
		for _, from := range c.ends(r.From, true) {
			for _, to := range c.ends(r.To, false) {
				if (from.device != to.device || from.device == model.None) && from.address.Is4() == to.address.Is4() && n < mostAlone {
					n++
					all = append(all, wish{from: from, to: to, over: r.Over, needed: true})
				}
			}
		}
	}
	return all
}

// beyondAll are addresses that lie beyond the plan, one of each family for each part of the world.
func (c *checker) beyondAll() []netip.Addr {
	var all []netip.Addr
	for d := range c.spec.Devices {
		for _, family := range prefix.Families {
			if a := c.beyond(model.DeviceID(d), family); c.spec.Devices[d].Kind == model.World && a.IsValid() {
				all = append(all, a)
			}
		}
	}
	return all
}

// keptApart tells whether the plan says that two must not reach each other, or keeps them in tables apart.
func (c *checker) keptApart(a, b target) bool {
	is := func(all []model.Party, t target) bool {
		return slices.ContainsFunc(all, func(p model.Party) bool {
			return p.Device != model.None && p.Device == t.device || p.Address == t.address ||
				p.Segment != model.None && slices.ContainsFunc(c.spec.InterfacesOf(t.device), func(id model.InterfaceID) bool {
					return c.spec.Interfaces[id].Segment == p.Segment
				})
		})
	}
	for _, x := range c.spec.InterfacesOf(a.device) {
		for _, y := range c.spec.InterfacesOf(b.device) {
			i, j := &c.spec.Interfaces[x], &c.spec.Interfaces[y]
			if i.Has(a.address) && j.Has(b.address) && c.tablesPart(i.Segment, j.Segment) {
				return true
			}
		}
	}
	return slices.ContainsFunc(c.spec.Must, func(r model.Requirement) bool {
		return r.Not && (is(r.From, a) && is(r.To, b) || is(r.From, b) && is(r.To, a))
	})
}
