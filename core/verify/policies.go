package verify

import (
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// permits finds sentences that never decide, and replies dropped though their
// requests pass.
func (c *checker) permits() {
	for _, u := range Permits(c.net) {
		name, word := c.spec.Devices[u.Device].Name, "permit"
		list := c.spec.Devices[u.Device].Permits
		if u.Own {
			word, list = "own permit", c.spec.Devices[u.Device].OwnPermits
		}
		switch {
		case u.HiddenBy >= 0:
			by := &list[u.HiddenBy]
			c.report(finding.New(finding.PermitHidden, u.Permit.Place, "%s %d of %s never decides: all it matches is decided by %d, %s", word,
				u.Index+1, name, u.HiddenBy+1, forward.Sentence(by.Text, by.Place)).
				About(name).With(by.Place))
		case u.Unused:
			c.report(finding.New(finding.PermitUnused, u.Permit.Place, "%s %d of %s decides about nothing that anyone in the plan sends", word,
				u.Index+1, name).About(name))
		}
	}
	c.filteredOneWay()
}

// filteredOneWay reports devices that let requests pass and drop their replies.
func (c *checker) filteredOneWay() {
	if c.net.Policy == nil {
		return
	}
	told := map[string]bool{}
	c.everyone().Unanswered(func(from, to *reach.End) {
		x := forward.Ping(c.net, from.Device, from.Address, to.Address, model.None)
		g, e, back, ok := x.Failing()
		if !ok || !back || e.Outcome != forward.Filtered && e.Outcome != forward.Refused {
			return
		}
		n := g.Nodes[e.Node]
		t := n.Treated
		if e.Edge >= 0 {
			t = n.Edges[e.Edge].Treated
		}
		if t.Judged.By == policy.ByNoState {
			return // it is told of as a way that differs there and back
		}
		passed := slices.ContainsFunc(x.There.Nodes, func(o forward.Node) bool { return o.Device == n.Device })
		key := fmt.Sprint(n.Device, t.Judged)
		if passed && !told[key] {
			told[key] = true
			name := c.spec.Devices[n.Device].Name
			c.report(finding.New(finding.FilteredOneWay, c.spec.Devices[n.Device].Place,
				"%s passes what %s sends to %s, and drops the replies: %s", name, c.endName(target{from.Device,
					from.Address}), c.endName(target{to.Device, to.Address}), forward.JudgedBy(c.spec, n.Device, t.Judged)).
				About(name).Mend("permit them: 'A may answer B'; or say 'keeps-state: true'"))
		}
	})
}

// translations finds addresses that cannot stand for others, and too few of them.
func (c *checker) translations() {
	type known struct {
		d model.DeviceID
		t *model.Translation
	}
	var before []known
	for d := range c.spec.Devices {
		for i := range c.spec.Devices[d].Translates {
			t := &c.spec.Devices[d].Translates[i]
			name := c.spec.Devices[d].Name
			c.shortage(t, name)
			c.portsTwice(d, i)
			c.toNobody(t, name)
			if t.ByInterface {
				continue
			}
			c.heldOutside(t, name)
			c.foreignOutside(t, name)
			for _, k := range before {
				if k.d != model.DeviceID(d) && t.Range == k.t.Range && c.spec.SharesWith(t.Beyond, k.t.Beyond) {
					continue // a pair: the master answers
				}
				if t.Range.Overlaps(k.t.Range) && (k.d != model.DeviceID(d) || !together(t, k.t)) {
					c.report(finding.New(finding.TranslatedTwice, t.Place, "%s stands for others by %s too", outsideWord(t),
						forward.Sentence(k.t.Text, k.t.Place)).About(name).With(k.t.Place))
				}
			}
			before = append(before, known{model.DeviceID(d), t})
			c.unroutedOutside(model.DeviceID(d), t)
		}
	}
}

// together tells whether two translations of a device may have one address outside: what is sent from it, and ports asked for
// at it, of which portsTwice tells.
func together(a, b *model.Translation) bool {
	many := func(t *model.Translation) bool { return t.Kind == model.Sharing || t.Kind == model.Porting }
	return many(a) && many(b)
}

// portsTwice: an earlier translation of the device takes some of the ports.
func (c *checker) portsTwice(d, n int) {
	all := c.spec.Devices[d].Translates
	t := &all[n]
	for i := range all[:n] {
		k := &all[i]
		at := c.net.Policy.AskedAt(t)
		if at.IsValid() && at == c.net.Policy.AskedAt(k) && t.Beyond == k.Beyond && t.Asked.Protocol == k.Asked.Protocol &&
			t.Asked.First <= k.Asked.Last && k.Asked.First <= t.Asked.Last {
			c.report(finding.New(finding.TranslatedTwice, t.Place, "%s is translated by %s already", t.Asked, forward.Sentence(k.Text, k.Place)).
				About(c.spec.Devices[d].Name).With(k.Place))
			return
		}
	}
}

// toNobody: a single address inside that no interface has, and no host may lease.
func (c *checker) toNobody(t *model.Translation, name string) {
	var inside netip.Addr
	switch {
	case t.Kind == model.Porting:
		inside = t.Host()
	case t.Kind == model.OneToOne && t.First == t.Last:
		inside = t.Inside.Prefixes[0].Addr()
	default:
		return
	}
	if len(c.spec.HoldersOf(inside)) > 0 {
		return
	}
	on := c.spec.SegmentOf(inside)
	if on != model.None && slices.ContainsFunc(c.spec.Segments[on].Leases, func(l model.Lease) bool { return l.Contains(inside) }) {
		return
	}
	c.report(finding.New(finding.TranslatedToNobody, t.Place, "nobody has %s, which %s stands for", inside, outsideOf(t)).About(name))
}

// outsideOf is what is asked for outside.
func outsideOf(t *model.Translation) string {
	if t.Kind == model.Porting {
		return t.Asked.String()
	}
	return outsideWord(t)
}

// outsideWord is the addresses that stand for others.
func outsideWord(t *model.Translation) string {
	switch {
	case t.Kind == model.OneToOne && t.First != t.Last:
		return t.Outside[0].String()
	case t.First == t.Last:
		return t.First.String()
	}
	return t.First.String() + " to " + t.Last.String()
}

// heldOutside: an interface has the address itself. The translator's own may be
// shared.
func (c *checker) heldOutside(t *model.Translation, name string) {
	for id := range c.spec.Interfaces {
		for _, a := range c.spec.Interfaces[id].Addresses {
			if !t.Range.Contains(a.Addr()) || (t.Kind == model.Sharing || t.Kind == model.Porting) &&
				(model.InterfaceID(id) == t.Beyond || a.Virtual && c.spec.SharesWith(model.InterfaceID(id), t.Beyond)) {
				continue
			}
			f := finding.New(finding.TranslatedHeld, t.Place, "%s stands for others, and %s has it", a.Addr(),
				c.spec.Label(model.InterfaceID(id))).About(name)
			if a.Place.Known() {
				f = f.With(a.Place)
			}
			c.report(f)
		}
	}
}

// foreignOutside: the address is in no block and no segment of the plan.
func (c *checker) foreignOutside(t *model.Translation, name string) {
	for _, a := range []netip.Addr{t.First, t.Last} {
		held := c.spec.SegmentOf(a) != model.None
		for _, b := range c.spec.Blocks {
			held = held || slices.ContainsFunc(b.Prefixes, func(p model.Prefix) bool { return p.Contains(a) })
		}
		if !held {
			c.report(finding.New(finding.TranslatedForeign, t.Place, "%s is in no block of the plan: who holds it?", a).About(name).
				Mend("add its space to 'blocks', or take an address of a block"))
			return
		}
	}
}

// unroutedOutside: the translator is on no subnet with the address, and no
// neighbour beyond has a route for it that leads there.
func (c *checker) unroutedOutside(d model.DeviceID, t *model.Translation) {
	i := &c.spec.Interfaces[t.Beyond]
	if slices.ContainsFunc(i.Addresses, func(a model.Address) bool { return a.Contains(t.First) }) || !c.net.State.IsUp(t.Beyond) {
		return
	}
	neighbours := c.net.State.Neighbours(t.Beyond)
	for _, n := range neighbours {
		if m, ok := c.net.For(c.spec.Interfaces[n].Device, n).Lookup(t.First); ok {
			for _, hop := range m.Hops {
				if slices.Contains(forward.Receivers(c.net, hop.Out, hop.Via), t.Beyond) {
					return
				}
			}
		}
	}
	name := c.spec.Devices[d].Name
	f := finding.New(finding.TranslatedUnrouted, t.Place, "nobody beyond %s has a route to %s by %s, and no ARP is asked for it there",
		c.spec.Label(t.Beyond), outsideWord(t), name).About(name)
	if len(neighbours) > 0 {
		f = f.Mend("have %s send it to %s", c.spec.Devices[c.spec.Interfaces[neighbours[0]].Device].Name, name)
	}
	c.report(f)
}

// shortage: there are more hosts than addresses to take.
func (c *checker) shortage(t *model.Translation, name string) {
	if t.Kind != model.Taking {
		return
	}
	var hosts []string
	seen := map[netip.Addr]bool{}
	for id := range c.spec.Interfaces {
		i := &c.spec.Interfaces[id]
		for _, a := range i.Addresses {
			if c.spec.Devices[i.Device].Kind == model.Host && a.Addr().Is4() == t.First.Is4() && t.Inside.Contains(a.Addr()) && !seen[a.Addr()] {
				seen[a.Addr()] = true
				hosts = append(hosts, c.spec.Devices[i.Device].Name)
			}
		}
	}
	there := prefix.Distance(t.First, t.Last) + 1
	needed := max(t.Needed, int64(len(hosts)))
	if needed <= there {
		return
	}
	reason := fmt.Sprintf("%d hosts, %d addresses", needed, there)
	if int64(len(hosts)) > there {
		reason += fmt.Sprintf(": %s has none", hosts[there])
	}
	c.report(finding.New(finding.TranslationShort, t.Place, "%s",
		reason).About(name).Mend("give it %d more, or let all share one: 'A shares B beyond %s'", needed-there,
		c.spec.Interfaces[t.Beyond].Name))
}
