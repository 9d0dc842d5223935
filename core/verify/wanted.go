package verify

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// wanted checks what the plan wants to be derived: that it is there, both ways,
// and what could not be protected.
func (c *checker) wanted() {
	if c.spec.Wants == nil {
		return
	}
	w := c.wantedEnds(c.everyone())
	told := map[string]bool{}
	if loopbacks := reach.Loopbacks(c.spec); len(loopbacks) > 0 {
		c.wantedPairs(c.wantedEnds(reach.All(c.net, slices.Concat(w.ends, loopbacks))), told)
	} else {
		c.wantedPairs(w, told)
	}
	c.otherWayBack(w, told)
	c.wantedWorld(w.ends)
	c.unprotected(c.derived.Open)
	c.flawed(c.derived.Flaws)
	c.unsuited()
}

// From so many derived lines and watches a router, on average, or so many lines on one router, nobody keeps static
// routes up by hand.
const (
	manyLines   = 25
	manyWatches = 12
)

// unsuited tells once, with the numbers, of a network that static routes do not suit.
func (c *checker) unsuited() {
	type asked struct {
		device model.DeviceID
		watch  netip.Addr
	}
	lines, watches, most := map[model.DeviceID]int{}, map[asked]bool{}, 0
	all := 0
	for i := range c.spec.Statics {
		s := &c.spec.Statics[i]
		if s.Origin != model.Derived {
			continue
		}
		all++
		lines[s.Device]++
		most = max(most, lines[s.Device])
		if s.Watch.IsValid() {
			watches[asked{s.Device, s.Watch}] = true
		}
	}
	n := len(lines)
	if n == 0 || most <= derive.ManyLines && (all < manyLines*n || len(watches) < manyWatches*n) {
		return
	}
	c.report(finding.New(finding.StaticUnsuited, c.spec.Wants.Place,
		"static routes do not suit this network: %d lines with %d watches for %d devices, %d on one of them, would have to be kept up by hand",
		all, len(watches), n, most).
		Mend("use a dynamic routing protocol; or a block for each site, fewer cross links, or 'protect: own' or 'none', which cost less "+
			"(show routes --prices)").Then("show", "routes", "--prices"))
}

// wantedEnds is who reaches whom among the ends of the segments, and between which
// of them the plan wants it.
type wantedEnds struct {
	ends    []*reach.End
	matrix  *reach.Matrix
	working *reach.Working
	some    []bool // by end: something is wanted of it
}

func (c *checker) wantedEnds(m *reach.Matrix) *wantedEnds {
	w := &wantedEnds{ends: m.Ends, matrix: m, working: m.Working(), some: make([]bool, len(m.Ends))}
	wanted := c.spec.Wanted()
	for i, e := range m.Ends {
		w.some[i] = (e.Segment == model.None || wanted[e.Segment]) && c.spec.Devices[e.Device].Kind != model.World &&
			(c.spec.Wants.All || slices.ContainsFunc(c.spec.Wants.Pairs, func(p model.Pair) bool {
				return standsFor(p.From, e) || standsFor(p.To, e)
			}))
	}
	return w
}

// standsFor tells whether an end is the one a want covers.
func standsFor(e model.WantedEnd, x *reach.End) bool {
	return e.Segment == x.Segment || e.Device == x.Device
}

// wantedPairs reports the wanted paths that do not work, once for each reason.
func (c *checker) wantedPairs(w *wantedEnds, told map[string]bool) {
	paths := w.matrix.Paths()
	type like struct {
		class   int32
		segment model.SegmentID
		device  model.DeviceID // of a loopback
	}
	asked := map[like]bool{} // the reason is the same for all who send alike
	var lost []int32
	for i, from := range w.ends {
		if !w.some[i] {
			continue
		}
		lost = w.working.LostFrom(i, lost[:0])
		for _, j := range lost {
			if len(told) >= mostTrials {
				return
			}
			key := like{paths.Class(i), w.ends[j].Segment, model.None}
			if key.segment == model.None {
				key.device = w.ends[j].Device
			}
			if !w.some[j] || asked[key] || !c.isWanted(from, w.ends[j]) {
				continue
			}
			asked[key] = true
			c.wantedMissing(w.matrix.Explain(reach.Pair{From: from, To: w.ends[j]}), told)
		}
	}
}

// otherWayBack counts the wanted pairs that work and take another way back than
// there. Links are left out.
func (c *checker) otherWayBack(w *wantedEnds, told map[string]bool) {
	paths := w.matrix.Paths()
	type detour struct {
		from, to    int // the first of the pairs that take it
		there, back []model.DeviceID
		pairs       int
	}
	counts := make([][]int, paths.Count()) // by class: its ends that are of no link
	for i, e := range w.ends {
		if w.some[i] && !c.isLink(e.Segment) {
			counts[paths.Class(i)] = append(counts[paths.Class(i)], i)
		}
	}
	var all []detour
	paths.Different(func(a, b int32, there, back []model.DeviceID) {
		d := detour{}
		for _, i := range counts[a] {
			for _, j := range counts[b] {
				x, y := min(i, j), max(i, j)
				if !w.working.Works(x, y) || !c.isWanted(w.ends[x], w.ends[y]) {
					continue
				}
				if d.pairs == 0 || x < d.from || x == d.from && y < d.to {
					d.from, d.to, d.there, d.back = x, y, there, back
					if x != i {
						d.there, d.back = back, there
					}
				}
				d.pairs++
			}
		}
		if d.pairs > 0 && there == nil { // it branches: one of them is followed
			d.there, d.back = c.between(w.ends[d.from], w.ends[d.to]), c.between(w.ends[d.to], w.ends[d.from])
			if slices.Equal(d.there, reversed(d.back)) {
				return
			}
		}
		if d.pairs > 0 {
			all = append(all, d)
		}
	})
	slices.SortFunc(all, func(a, b detour) int { return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.to, b.to)) })
	differ, first := 0, ""
	for _, d := range all {
		from, to := w.ends[d.from], w.ends[d.to]
		if c.halfSeen(from, to, d.there, d.back, told) {
			continue
		}
		if differ += d.pairs; first == "" {
			first = fmt.Sprintf("%s to %s goes %s, and comes back %s", c.spec.Segments[from.Segment].Name, c.spec.Segments[to.Segment].Name,
				c.byWhom(d.there), c.byWhom(reversed(d.back)))
		}
	}
	if differ > 0 {
		remedy := "give both directions of each cable the same cost, if something on the path keeps state"
		if c.spec.Wants.Stretch > 1 {
			remedy = "if something on the path keeps state: with 'stretch: 1' under wants, short paths come before few routes"
		}
		c.report(finding.New(finding.PathsDiffer, c.spec.Wants.Place,
			"%d of %d wanted pairs take another return path than forward, such as: %s", differ, c.askedPairs(w), first).
			Mend("%s", remedy))
	}
}

// askedPairs is how many pairs are wanted.
func (c *checker) askedPairs(w *wantedEnds) int {
	asked := 0
	for i, from := range w.ends {
		for j := i + 1; j < len(w.ends) && w.some[i]; j++ {
			if to := w.ends[j]; w.some[j] && from.Segment != to.Segment && from.Address.Is4() == to.Address.Is4() && c.isWanted(from, to) {
				asked++
			}
		}
	}
	return asked
}

// halfSeen reports a firewall that is on one of two paths only: it sees half of
// each connection, and a stateful one drops it. It tells whether one is.
func (c *checker) halfSeen(from, to *reach.End, there, back []model.DeviceID, told map[string]bool) bool {
	half := false
	for _, ways := range [][2][]model.DeviceID{{there, back}, {back, there}} {
		for _, d := range ways[0] {
			name := c.spec.Devices[d].Name
			if c.spec.Devices[d].Kind != model.Firewall || slices.Contains(ways[1], d) {
				continue
			}
			if half = true; told["half "+name] {
				continue
			}
			told["half "+name] = true
			c.report(finding.New(finding.HalfSeen, c.spec.Devices[d].Place,
				"%s sees only one direction of what %s and %s send each other: it goes %s, and comes back %s", name,
				c.spec.Segments[from.Segment].Name, c.spec.Segments[to.Segment].Name, c.byWhom(there), c.byWhom(reversed(back))).About(name).
				Mend("lead both directions by it, with routes or the cost of cables"))
		}
	}
	return half
}

// isWanted tells whether the plan wants one segment to reach the other; neither is
// of the world.
func (c *checker) isWanted(from, to *reach.End) bool {
	return c.spec.Wants.All || slices.ContainsFunc(c.spec.Wants.Pairs, func(p model.Pair) bool {
		return standsFor(p.From, from) && standsFor(p.To, to) || standsFor(p.From, to) && standsFor(p.To, from)
	})
}

// wantedMissing reports a wanted way that does not work, with a remedy that was tried.
func (c *checker) wantedMissing(w reach.Pair, told map[string]bool) {
	if w.Failure == nil {
		return
	}
	lost := w.To // whom packets do not get to
	if w.Failure.Back {
		lost = w.From
	}
	key := fmt.Sprint(w.Failure.Device, w.Failure.Name, lost.Name(c.spec))
	if told[key] || len(told) >= mostTrials {
		return
	}
	told[key] = true
	if w.Failure.Name.Judged() {
		return // the routes are there
	}
	way := "forward"
	if w.Failure.Back {
		way = "return"
	}
	name := c.spec.Devices[w.Failure.Device].Name
	f := finding.New(finding.WantedMissing, c.spec.Wants.Place, "%s should reach %s, and does not in %s: on the %s path, %s",
		w.From.Name(c.spec), w.To.Name(c.spec), forward.FamilyOf(w.To.Address), way, w.Failure.Words(c.net)).About(name)
	x := forward.Ping(c.net, w.From.Device, w.From.Address, w.To.Address, model.None)
	spent := c.budget.Spent
	c.budget.Spent = false
	r, ok := c.budget.mend(c.net, x, w.From.Address, model.None)
	if c.budget.Spent && !ok {
		f = f.Mend("none was found among those tried here; the command below tries all").Then("ping", c.spec.Devices[w.From.Device].Name,
			w.To.Address.String())
	}
	c.budget.Spent = c.budget.Spent || spent
	if ok {
		f = fixed(f, r.Changes).Works()
	}
	c.report(f)
}

// between lists the devices that forward on the path from one end to another.
func (c *checker) between(from, to *reach.End) []model.DeviceID {
	g := forward.Walk(c.net, forward.Sender(from.Device), forward.FlowTo(from.Address, to.Address).ByRoutes())
	var all []model.DeviceID
	for _, n := range g.Nodes {
		if n.Device != from.Device && n.Device != to.Device {
			all = append(all, n.Device)
		}
	}
	return all
}

func reversed(all []model.DeviceID) []model.DeviceID {
	all = slices.Clone(all)
	slices.Reverse(all)
	return all
}

// byWhom is a way in words.
func (c *checker) byWhom(way []model.DeviceID) string {
	if len(way) == 0 {
		return "directly"
	}
	return "by " + strings.Join(c.deviceNames(way), ", ")
}

func (c *checker) deviceNames(all []model.DeviceID) []string {
	names := make([]string, len(all))
	for i, d := range all {
		names[i] = c.spec.Devices[d].Name
	}
	return names
}

// wantedWorld reports segments that are to see the world and have no default
// route on their path, and carriers that would drop what comes from them.
func (c *checker) wantedWorld(ends []*reach.End) {
	w := c.spec.Wants
	told := map[string]bool{}
	for _, e := range ends {
		carriers := c.carriersOf(prefix.FamilyOf(e.Address))
		if !slices.Contains(w.World, e.Segment) || len(carriers) == 0 || c.spec.Devices[e.Device].Kind == model.World {
			continue
		}
		name := c.spec.Segments[e.Segment].Name
		target := c.beyond(carriers[0], prefix.FamilyOf(e.Address))
		if !target.IsValid() {
			continue
		}
		g := forward.Walk(c.net, forward.Sender(e.Device), forward.FlowTo(e.Address, target).ByRoutes())
		if end, failing := g.Failing(); failing {
			at := c.spec.Devices[g.Nodes[end.Node].Device].Name
			if end.Outcome == forward.Unrouted && !told["default "+at] {
				told["default "+at] = true
				c.report(finding.New(finding.NoDefault, w.Place, "%s should reach the world, and %s on its path has no default route in %s", name,
					at, forward.FamilyOf(e.Address)).About(at))
			}
			continue
		}
		for _, d := range carriers {
			c.waysBack(d, e, told)
		}
	}
}

// seenBy is the address that a carrier sees one of ours by: what a neighbour of the
// carrier translates it to.
func (c *checker) seenBy(d model.DeviceID, a netip.Addr) netip.Addr {
	for _, id := range c.spec.InterfacesOf(d) {
		for _, n := range c.net.State.Neighbours(id) {
			if to, t, ok := c.net.Policy.Outward(c.spec.Interfaces[n].Device, n, a); t != nil && ok {
				return to
			}
		}
	}
	return a
}

// waysBack reports a carrier that has no route back to a segment: what comes from
// there it would take for forged, and drop.
func (c *checker) waysBack(d model.DeviceID, e *reach.End, told map[string]bool) {
	m, ok := c.net.Table(d).Lookup(c.seenBy(d, e.Address))
	block, inBlock := c.spec.WidestBlock(e.Address)
	where := block.String()
	if !inBlock {
		where = c.spec.Segments[e.Segment].Name
	}
	key := fmt.Sprint(d, where)
	if ok && (m.Local || len(m.Hops) > 0) || told[key] {
		return
	}
	for _, p := range c.spec.Segments[e.Segment].Prefixes { // lent by another carrier, for its link only
		for _, id := range c.spec.Interfaces {
			if c.spec.Devices[id.Device].Kind == model.World &&
				slices.ContainsFunc(id.Addresses, func(a model.Address) bool { return p.Contains(a.Addr()) }) {
				return
			}
		}
	}
	told[key] = true
	name := c.spec.Devices[d].Name
	remedy := fmt.Sprintf("have the carrier route %s to us, or send by it from addresses it knows", where)
	if e.Address.IsPrivate() { // which no carrier routes
		remedy = "translate what goes out to an address that the carrier knows"
		for _, id := range c.spec.InterfacesOf(d) {
			for _, n := range c.net.State.Neighbours(id) {
				if i := &c.spec.Interfaces[n]; c.spec.Devices[i.Device].Kind != model.World && c.spec.Devices[i.Device].Forwards {
					remedy = fmt.Sprintf("add '%s shares %s' to the translations of %s", c.spec.Segments[e.Segment].Name, i.Name,
						c.spec.Devices[i.Device].Name)
				}
			}
		}
	}
	c.report(finding.New(finding.CarrierDrops, c.spec.Devices[d].Place,
		"%s has no return path to %s: what %s sends by it is lost, or dropped as forged", name, where,
		c.spec.Segments[e.Segment].Name).About(name).
		Mend("%s", remedy))
}

// carriersOf lists the carriers that answer for anything of a family.
func (c *checker) carriersOf(family prefix.Family) []model.DeviceID {
	return slices.DeleteFunc(slices.Clone(c.spec.Wants.Carriers), func(d model.DeviceID) bool { return !c.beyond(d, family).IsValid() })
}

// beyond is an address that a carrier answers for and nobody has; invalid where
// there is none.
func (c *checker) beyond(d model.DeviceID, family prefix.Family) netip.Addr {
	for _, p := range c.spec.Devices[d].Beyond {
		if prefix.FamilyOf(p.Addr()) == family {
			return p.Addr().Next()
		}
	}
	return netip.Addr{}
}

// segmentWith is the segment that has a subnet; None where none has.
func (c *checker) segmentWith(p netip.Prefix) model.SegmentID {
	if c.subnetOf == nil {
		c.subnetOf = map[netip.Prefix]model.SegmentID{}
		for id := len(c.spec.Segments) - 1; id >= 0; id-- { // of several the first
			for _, q := range c.spec.Segments[id].Prefixes {
				c.subnetOf[q.Prefix] = model.SegmentID(id)
			}
		}
	}
	if s, ok := c.subnetOf[p]; ok {
		return s
	}
	return model.None
}

// isLink tells whether a segment only joins devices that forward.
func (c *checker) isLink(s model.SegmentID) bool {
	if c.links == nil {
		c.links = c.spec.Links()
	}
	return s != model.None && c.links[s]
}
