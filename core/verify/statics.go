package verify

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
	"ropeswing/core/source"
)

// statics checks the written routes of each table against one another: those
// that stand twice, that say nothing new, that float behind others in vain, and
// that send what nobody has round in circles.
func (c *checker) statics() {
	c.bouncing()
	for _, d := range c.writers() {
		for _, table := range c.net.Of(d) {
			c.staticsIn(d, table)
		}
	}
}

func (c *checker) staticsIn(d model.DeviceID, table routing.View) {
	name := c.spec.Devices[d].Name
	var of []routing.Entry // the written routes to one prefix so far, best first
	for _, e := range table.Entries() {
		if e.Source != routing.Static || c.spec.Statics[e.Static()].Origin != model.Written {
			continue
		}
		s := &c.spec.Statics[e.Static()]
		if len(of) > 0 && of[0].Prefix != e.Prefix {
			of = of[:0]
		}
		for _, other := range of {
			o := &c.spec.Statics[other.Static()]
			switch {
			case o.Via == s.Via && o.Out == s.Out && o.Discard == s.Discard:
				c.reportIn(finding.New(finding.DuplicateStatic, s.Place, "%s has this route to %s twice, the other %s", name, e.Prefix,
					o.Place.From(s.Place)).About(name).With(o.Place), prefix.FamilyOf(e.Prefix.Addr()))
			case e.Distance > other.Distance:
				c.floats(name, table, e, other)
			default:
				continue
			}
			break
		}
		of = append(of, e)
		c.saysNothingNew(name, table, e)
	}
}

// floats checks that a route takes over when the one before it fails.
func (c *checker) floats(name string, table routing.View, e, first routing.Entry) {
	s, o := &c.spec.Statics[e.Static()], &c.spec.Statics[first.Static()]
	if len(e.Hops) == 0 || len(first.Hops) == 0 {
		return // one of them discards, or is out of use, which is said
	}
	out := first.Hops[0].Out
	if e.Hops[0] == first.Hops[0] || e.Hops[0].Out == out && c.point(out) {
		c.reportIn(finding.New(finding.FloatsSameWay,
			s.Place, "the second choice of %s for %s leaves by %s, as the first does: when that is down both are", name, e.Prefix,
			c.spec.Interfaces[out].Name).
			About(name).With(o.Place), prefix.FamilyOf(e.Prefix.Addr()))
		return
	}
	if o.Watch.IsValid() {
		return // it notices for itself
	}
	if p, ok := c.discardBehind(table, first); ok {
		c.reportIn(finding.New(finding.NeverFloats,
			s.Place, "the second choice of %s for %s never takes over: when %s is down, the next hop %s of the first falls under the discard "+
				"route %s, and the first discards instead of giving way", name, e.Prefix, c.spec.Interfaces[out].Name, o.Via, p).
			About(name).Mend("write the first as {next-hop: …, out: %s}",
			c.spec.Interfaces[out].Name).With(o.Place), prefix.FamilyOf(e.Prefix.Addr()))
		return
	}
	port := out
	if p := c.spec.Interfaces[out].Parent; p != model.None {
		port = p
	}
	if cable := c.state().Cable(port); cable != model.None && c.spec.Cables[cable].Hidden {
		c.reportIn(finding.New(finding.NeverFloats,
			s.Place, "the second choice of %s for %s never takes over when the far end of %s fails: the cable of %s hides faults, and its "+
				"port stays up", name, e.Prefix, c.spec.Cables[cable].Name, c.spec.Interfaces[port].Name).
			About(name).With(o.Place, c.spec.Cables[cable].Place), prefix.FamilyOf(e.Prefix.Addr()))
		return
	}
	// Behind a switch the port does not see what fails beyond it.
	far := c.state().Peer(port)
	if far == model.None || !c.spec.Interfaces[far].Switched {
		return
	}
	sw := c.spec.Interfaces[far].Device
	for _, n := range c.state().Neighbours(out) {
		if d := c.spec.Interfaces[n].Device; d != sw && c.spec.Interfaces[n].Has(first.Hops[0].Via) {
			c.reportIn(finding.New(finding.NeverFloats,
				s.Place, "the second choice of %s for %s never takes over when what lies beyond %s fails: %s of %s is plugged into that switch, "+
					"and stays up", name, e.Prefix,
				c.spec.Devices[sw].Name, c.spec.Interfaces[port].Name, name).About(name).Mend("have the first watch %s",
				first.Hops[0].Via).With(o.Place), prefix.FamilyOf(e.Prefix.Addr()))
			return
		}
	}
}

// discardBehind is the discard route that the next hop of a route falls under
// once its direct route is gone: then the route stays usable, and discards. A
// route that names its interface does not.
func (c *checker) discardBehind(table routing.View, first routing.Entry) (netip.Prefix, bool) {
	o := &c.spec.Statics[first.Static()]
	if o.Out != model.None || !o.Via.IsValid() {
		return netip.Prefix{}, false
	}
	for _, x := range table.Covering(o.Via) {
		if x.InUse && x.Source == routing.Static {
			return x.Prefix, c.spec.Statics[x.Static()].Discard
		}
	}
	return netip.Prefix{}, false
}

// point tells whether an interface is on a link that two devices share and no
// more.
func (c *checker) point(id model.InterfaceID) bool { return len(c.state().Neighbours(id)) <= 1 }

// saysNothingNew finds a route that does what the next shorter one does.
func (c *checker) saysNothingNew(name string, table routing.View, e routing.Entry) {
	if !e.InUse || len(e.Hops) != 1 {
		return
	}
	shorter := false
	for _, x := range table.Covering(e.Prefix.Addr()) {
		if x.Prefix.Bits() >= e.Prefix.Bits() || !x.InUse {
			continue
		}
		if shorter {
			return
		}
		shorter = true
		if x.Source == routing.Static && len(x.Hops) == 1 && x.Hops[0] == e.Hops[0] {
			s, o := &c.spec.Statics[e.Static()], &c.spec.Statics[x.Static()]
			if c.alone(table, e) && c.alone(table, x) && !c.said.looping[looping{s.Place, prefix.FamilyOf(s.To.Addr())}] {
				c.reportIn(finding.New(finding.RedundantStatic, s.Place, "%s sends %s the same way as %s, which holds it", name, e.Prefix,
					x.Prefix).
					About(name).Mend("remove it").With(o.Place), prefix.FamilyOf(e.Prefix.Addr()))
			}
		}
		return
	}
}

// alone tells whether a route is the only one to its prefix.
func (c *checker) alone(table routing.View, e routing.Entry) bool {
	n := 0
	for _, x := range table.Covering(e.Prefix.Addr()) {
		if x.Prefix == e.Prefix {
			n++
		}
	}
	return n == 1
}

// bouncing finds routes to a prefix that come back: of all its addresses, or of
// those that nobody has, where the far end lacks a discard route.
func (c *checker) bouncing() {
	var taken []netip.Prefix
	for _, s := range c.spec.Segments {
		for _, p := range s.Prefixes {
			taken = append(taken, p.Prefix)
		}
	}
	c.each(func(_ model.InterfaceID, a model.Address) {
		taken = append(taken, netip.PrefixFrom(a.Addr(), a.Addr().BitLen()))
	})
	used := prefix.NewTaken(taken)
	told := map[netip.Prefix]bool{}
	for i := range c.spec.Statics {
		s := &c.spec.Statics[i]
		if s.Origin != model.Written || s.Discard || s.To.Bits() == 0 || told[s.To] || s.Table != "" {
			continue
		}
		inside := used.Within(s.To)
		held, ok := c.heldIn(s.To)
		if !ok && len(inside) > 0 && prefix.Covers(s.To, inside[0]) {
			held, ok = prefix.First(inside[0]), true
		}
		if ok {
			if x, end, loops := c.loopFrom(s, held); loops {
				told[s.To] = true
				c.sentBack(s, held, x, end)
				continue
			}
			c.blackHole(s, held)
		}
		if held, x, end, loops := c.loopWithin(s); loops {
			told[s.To] = true
			c.sentBack(s, held, x, end)
			continue
		}
		free := prefix.Without(s.To, inside)
		if len(free) == 0 {
			continue
		}
		sample := free[len(free)/2].Addr()
		if x, end, loops := c.loopFrom(s, sample); loops {
			told[s.To] = true
			c.noDiscard(model.StaticID(i), sample, x, end)
		}
	}
}

// loopWithin finds a subnet within a route's prefix that loops, of all that somebody is
// on.
func (c *checker) loopWithin(s *model.Static) (netip.Addr, *forward.Graph, forward.Ending, bool) {
	m := c.everyone()
	for _, n := range c.endsIn(s.To) {
		if m.Circles(s.Device, n) {
			if x, end, loops := c.loopFrom(s, m.Ends[n].Address); loops {
				return m.Ends[n].Address, x, end, true
			}
		}
	}
	return netip.Addr{}, nil, forward.Ending{}, false
}

// endsIn are the ends within a prefix, by their places in the matrix of all segments.
func (c *checker) endsIn(p netip.Prefix) []int {
	m := c.everyone()
	if c.endOrder == nil {
		c.endOrder = make([]int, len(m.Ends))
		for n := range c.endOrder {
			c.endOrder[n] = n
		}
		slices.SortFunc(c.endOrder, func(a, b int) int { return m.Ends[a].Address.Compare(m.Ends[b].Address) })
	}
	first, _ := slices.BinarySearchFunc(c.endOrder, p.Addr(), func(n int, a netip.Addr) int { return m.Ends[n].Address.Compare(a) })
	last := first
	for last < len(c.endOrder) && p.Contains(m.Ends[c.endOrder[last]].Address) {
		last++
	}
	return c.endOrder[first:last]
}

// needsShorter is a segment within a prefix that a device comes to by a shorter route only:
// a discard route for the prefix would take it away. It is "" where there is none.
func (c *checker) needsShorter(d model.DeviceID, p netip.Prefix) string {
	m := c.everyone()
	for _, n := range c.endsIn(p) {
		match, found := c.net.Table(d).Lookup(m.Ends[n].Address)
		if found && !match.Local && match.Prefix.Bits() < p.Bits() {
			return m.Ends[n].Name(c.spec)
		}
	}
	return ""
}

// blackHole reports a route to an address somebody has by which it is lost at
// another device: one that discards it, or has no route for it.
func (c *checker) blackHole(s *model.Static, to netip.Addr) {
	x := forward.Walk(c.net, forward.Sender(s.Device), forward.FlowTo(netip.Addr{}, to))
	if x.Nodes[0].Decision.Match.Prefix != s.To {
		return
	}
	for _, e := range x.Endings {
		at := x.Nodes[e.Node].Device
		if e.Outcome != forward.Dropped && e.Outcome != forward.Unrouted || at == s.Device {
			continue
		}
		if _, down := forward.DownInterfaceTowards(c.net, at, to); down || !c.state().IsUp(c.state().HoldersOf(to)[0]) {
			continue // that is the reason, and told
		}
		name, what := c.spec.Devices[s.Device].Name, "has no route for it"
		if e.Outcome == forward.Dropped {
			what = "discards it"
		}
		f := finding.New(finding.BlackHole, s.Place, "%s sends %s, which %s has, to %s, and %s %s", name, to,
			c.spec.Label(c.state().HoldersOf(to)[0]), c.spec.Devices[x.Nodes[1].Device].Name, c.spec.Devices[at].Name, what).About(name)
		if c.trials++; c.trials <= mostTrials {
			exchange := forward.Ping(c.net, s.Device, netip.Addr{}, to, model.None)
			if r, ok := c.budget.mend(c.net, exchange, netip.Addr{}, model.None); ok && len(r.Changes) == 1 {
				f = fixed(f, r.Changes).Works()
			}
		}
		c.reportIn(f, prefix.FamilyOf(s.To.Addr()))
		return
	}
}

// noDiscard reports that what nobody has of a prefix loops: at the first
// device on the path that has only a shorter route for it, where a discard route
// is tried.
func (c *checker) noDiscard(id model.StaticID, sample netip.Addr, x *forward.Graph, end forward.Ending) {
	s := &c.spec.Statics[id]
	for _, n := range end.Loop {
		if _, _, t := c.net.Policy.Inward(x.Nodes[n].Device, x.Nodes[n].In, sample, x.Nodes[n].Over); t != nil {
			return // it stands for an address that somebody has
		}
	}
	holder := x.Nodes[end.Loop[0]].Device
	for _, n := range x.Path(end.Node) {
		if x.Nodes[n].Decision.Match.Prefix.Bits() < s.To.Bits() {
			holder = x.Nodes[n].Device
			break
		}
	}
	var names []string
	for _, n := range end.Loop {
		names = append(names, c.spec.Devices[x.Nodes[n].Device].Name)
	}
	slices.Sort(names)
	name := c.spec.Devices[holder].Name
	f := finding.New(finding.NoDiscard, s.Place, "addresses of %s that nobody has, such as %s, loop between %s", s.To, sample,
		strings.Join(names, " and ")).About(name)
	if needed := c.needsShorter(holder, s.To); needed != "" {
		f = f.Mend("write a route of %s to %s, which it reaches by a shorter one only; then '%s: {discard: true}' behind it", name, needed,
			s.To)
		c.reportIn(f, prefix.FamilyOf(s.To.Addr()))
		return
	}
	if p, ok := c.soleSubnet(s.To); ok {
		c.reportIn(c.mends(f, model.SetDestination{Static: id, To: p}), prefix.FamilyOf(s.To.Addr()))
		return
	}
	f = f.Mend("add '%s: {discard: true}' to the routes of %s", s.To, name)
	if c.trials++; c.trials <= mostTrials {
		net := c.budget.try(c.net, model.AddRoute{Static: model.Static{Device: holder, To: s.To, Out: model.None, Discard: true, Distance: 1}})
		if net == nil {
			net = c.net
		}
		again := forward.Walk(net, forward.Sender(s.Device), forward.FlowTo(netip.Addr{}, sample))
		if len(again.Endings) == 1 && again.Endings[0].Outcome == forward.Dropped {
			f = f.Works()
		}
	}
	c.reportIn(f, prefix.FamilyOf(s.To.Addr()))
}

// soleSubnet is the one subnet in a prefix that is no block of the plan: a route to that is what was meant.
func (c *checker) soleSubnet(p netip.Prefix) (netip.Prefix, bool) {
	if slices.ContainsFunc(c.spec.Blocks, func(b model.Block) bool {
		return slices.ContainsFunc(b.Prefixes, func(q model.Prefix) bool { return q.Prefix == p })
	}) {
		return netip.Prefix{}, false
	}
	var only netip.Prefix
	for i := range c.spec.Segments {
		for _, q := range c.spec.Segments[i].Prefixes {
			if p.Bits() < q.Bits() && p.Overlaps(q.Prefix) {
				if only.IsValid() {
					return netip.Prefix{}, false
				}
				only = q.Prefix
			}
		}
	}
	return only, only.IsValid()
}

// loopFrom follows a packet to an address from the device of a route that
// decides for it, and tells whether it comes back to where it was.
func (c *checker) loopFrom(s *model.Static, to netip.Addr) (*forward.Graph, forward.Ending, bool) {
	x := forward.Walk(c.net, forward.Sender(s.Device), forward.FlowTo(netip.Addr{}, to))
	if x.Nodes[0].Decision.Match.Prefix != s.To {
		return x, forward.Ending{}, false // another route decides for it
	}
	for _, e := range x.Endings {
		if e.Outcome == forward.Looped && len(e.Loop) > 1 {
			return x, e, true
		}
	}
	return x, forward.Ending{}, false
}

// heldIn is the first address of an interface in a prefix.
func (c *checker) heldIn(p netip.Prefix) (netip.Addr, bool) {
	if c.inOrder == nil {
		c.each(func(_ model.InterfaceID, a model.Address) { c.inOrder = append(c.inOrder, a.Addr()) })
		slices.SortFunc(c.inOrder, netip.Addr.Compare)
	}
	i, _ := slices.BinarySearchFunc(c.inOrder, p.Addr(), netip.Addr.Compare)
	if i < len(c.inOrder) && p.Contains(c.inOrder[i]) {
		return c.inOrder[i], true
	}
	return netip.Addr{}, false
}

// heldAllIn are all addresses of interfaces in a prefix.
func (c *checker) heldAllIn(p netip.Prefix) []netip.Addr {
	if _, some := c.heldIn(p); !some {
		return nil
	}
	first, _ := slices.BinarySearchFunc(c.inOrder, p.Addr(), netip.Addr.Compare)
	last := first
	for last < len(c.inOrder) && p.Contains(c.inOrder[last]) {
		last++
	}
	return c.inOrder[first:last]
}

// sentBack reports a loop: at the route that was found to point the wrong way,
// by trying another, else at the one that closes it.
func (c *checker) sentBack(s *model.Static, to netip.Addr, x *forward.Graph, end forward.Ending) {
	var names []string
	place, also := s.Place, []source.Place{}
	for n, node := range end.Loop {
		at := x.Nodes[node]
		names = append(names, c.spec.Devices[at.Device].Name)
		for _, e := range c.net.For(at.Device, at.In).Of(at.Decision.Match) {
			if e.InUse && e.Static() != model.None {
				if n == len(end.Loop)-1 {
					place = c.spec.Statics[e.Static()].Place
				} else {
					also = append(also, c.spec.Statics[e.Static()].Place)
				}
				break
			}
		}
	}
	wrong, remedy := len(names)-1, []Applied(nil)
	if c.trials++; c.trials <= mostTrials {
		net := c.passing() // whatever permits say of it, it must not loop
		exchange := forward.Ping(net, s.Device, netip.Addr{}, to, model.None)
		if r, ok := c.budget.mend(net, exchange, netip.Addr{}, model.None); ok && len(r.Changes) == 1 {
			remedy = r.Changes
			if change, ok := r.Changes[0].Change.(model.SetNextHop); ok {
				place = c.spec.Statics[change.Static].Place
				wrong = max(0, slices.Index(names, c.spec.Devices[c.spec.Statics[change.Static].Device].Name))
			}
		}
	}
	l := looping{place, prefix.FamilyOf(s.To.Addr())}
	if c.said.looping[l] {
		return // the same mistake, met by another route
	}
	c.said.looping[l] = true
	name, back := names[wrong], names[(wrong+1)%len(names)]
	f := finding.New(finding.SentBack, place, "%s sends %s back to %s: it loops between %s", name, s.To, back,
		strings.Join(names, ", ")).About(name).With(also...)
	if remedy != nil {
		f = fixed(f, remedy).Works()
	} else {
		f = f.Then("why", name, to.String())
	}
	c.reportIn(f, prefix.FamilyOf(s.To.Addr()))
}
